// SPDX-License-Identifier: GPL-3.0-or-later
// Taking pictures of the window for docs/screenshots.
#pragma once

#include <QApplication>
#include <QEventLoop>
#include <QPainter>
#include <QTimer>
#include <cstdio>
#include <functional>

#include "editing.h"
#include "main_window.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

inline void wait(int ms) {
  QEventLoop loop;
  QTimer::singleShot(ms, &loop, &QEventLoop::quit);
  loop.exec();
}

inline void wait_for(const std::function<bool()>& done, int most_ms = 20000) {
  for (int i = 0; i < most_ms / 20 && !done(); ++i) wait(20);
}

inline ClipId clip_named(const Work& w, const std::string& name) {
  for (const auto& c : w.document.reel().clips)
    if (c.name == name) return c.id;
  return 0;
}

class Shots {
 public:
  Shots(MainWindow& window, QString folder) : window_(window), folder_(std::move(folder)) {}

  void settle() {
    const Work& w = window_.work();
    wait(150);
    wait_for([&] { return !w.measurements.measuring() && w.measurements.levels_fresh(); });
    wait(100);
  }
  void take(const QString& name) {
    QApplication::processEvents();
    const QString file = folder_ + "/" + name + ".png";
    if (!window_.grab().save(file)) std::fprintf(stderr, "cannot write %s\n", qPrintable(file));
    std::printf("%s\n", qPrintable(file));
  }
  void step(int index) {
    window_.work().selection.select_step(step_at(window_.work(), ChainOwner::clip, index));
    settle();
  }
  // A moment of playing, so that live pictures live.
  void play(double from_s, int ms) {
    Player& p = window_.work().listening.player();
    p.seek(static_cast<Samples>(from_s * 48000));
    window_.bench().foot().toggle_play();
    wait(ms);
  }
  void stop() {
    window_.work().listening.player().pause();
    wait(200);
  }

 private:
  MainWindow& window_;
  QString folder_;
};

// Several dialogs on one picture.
inline void side_by_side(const std::vector<QPixmap>& parts, const QString& file) {
  QPixmap all(1280, 800);
  all.fill(theme().window);
  QPainter p(&all);
  int x = 24, y = 24, row = 0;
  for (const auto& part : parts) {
    if (x + part.width() > all.width() - 12) x = 24, y += row + 24, row = 0;
    p.drawPixmap(x, y, part);
    x += part.width() + 24;
    row = std::max(row, part.height());
  }
  all.save(file);
  std::printf("%s\n", qPrintable(file));
}

// Pictures of one size, two in a row.
inline void in_two_columns(const std::vector<QPixmap>& pictures, const QString& file) {
  const QSize one = pictures.front().size() / pictures.front().devicePixelRatio();
  const auto rows = static_cast<int>((pictures.size() + 1) / 2);
  QPixmap sheet(2 * one.width() + 10, rows * (one.height() + 10));
  sheet.fill(theme().window);
  QPainter p(&sheet);
  for (int i = 0; i < static_cast<int>(pictures.size()); ++i)
    p.drawPixmap((i % 2) * (one.width() + 10), (i / 2) * (one.height() + 10),
                 pictures[static_cast<size_t>(i)]);
  p.end();
  sheet.save(file);
  std::printf("%s\n", qPrintable(file));
}

/// A take that is cut, its pieces in groups: "cutting", "groups". And the start: "start".
void own_work(MainWindow& window, Shots& shots, const QString& folder);
void the_scene(MainWindow& window, Shots& shots);

}  // namespace drevan::desktop
