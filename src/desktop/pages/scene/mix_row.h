// SPDX-License-Identifier: GPL-3.0-or-later
// The whole mix along the film: its loudness against the target, and a reference's.
#pragma once

#include <QPixmap>
#include <QWidget>

#include "work/work.h"

namespace drevan {
struct SoundCourse;
}

namespace drevan::desktop {

class SceneRows;

/// Stands under the rows and has their time.
class MixRow : public QWidget {
  Q_OBJECT

 public:
  MixRow(const Work& work, SceneRows& rows, QWidget* parent = nullptr);
  void show_playhead() { update(); }
  /// Where a loudness stands, LUFS. For tests.
  double y_of(double lufs) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override { redraw(); }
  void changeEvent(QEvent*) override { redraw(); }
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;

 Q_SIGNALS:
  /// Its header was pressed.
  void chosen();
  void playhead_set(double reel_s);
  void playhead_dragged(double reel_s);

 private:
  void redraw();
  void draw(QPainter& p) const;
  void draw_header(QPainter& p) const;
  void draw_silhouette(QPainter& p) const;
  void draw_short_term(QPainter& p, const SoundCourse& course, double gain_db,
                       const QColor& color) const;

  const Work& work_;
  SceneRows& rows_;
  QPixmap drawn_;  // all but the playhead, which moves sixty times a second
};

}  // namespace drevan::desktop
