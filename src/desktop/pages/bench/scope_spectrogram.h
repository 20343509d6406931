// SPDX-License-Identifier: GPL-3.0-or-later
// The scope's other face: the clip in time and frequency.
#pragma once

#include <QImage>
#include <QObject>

#include "engine/listening/spectrogram.h"
#include "work/open_reel.h"
#include "work/work.h"

namespace drevan::desktop {

/// Keeps the spectrogram of what the scope shows up to date, in the background, and draws it.
class ScopeSpectrogram : public QObject {
  Q_OBJECT

 public:
  enum class Show { before_over_after, after, removed };
  static constexpr double least_range_db = 30, most_range_db = 120;

  ScopeSpectrogram(const Work& work, QObject* parent);

  /// Off: works on nothing.
  void set_on(bool on);
  bool on() const { return on_; }
  void set_show(Show show);
  Show show() const { return show_; }
  /// Levels that are told apart: from `top_db` down by this much.
  void set_range(double top_db, double range_db);
  double top_db() const { return top_db_; }
  double range_db() const { return range_db_; }
  void set_matched(bool matched);
  /// The part of the clip and the size, in pixels, that are wanted.
  void want(double begin_s, double length_s, QSize pixels);
  /// What there is, moved to where `begin_s` and `length_s` want it.
  void draw(QPainter& p, const QRectF& rect, double begin_s, double length_s);
  const Spectrogram& picture() const { return picture_; }
  /// Whether finer pictures are still to come.
  bool busy() const { return lane_.busy(); }
  /// The strip on the right that shows the levels' colours and can be dragged.
  static QRectF legend_rect(const QRectF& rect) {
    return {rect.right() - 13, rect.top() + 8, 9, rect.height() - 16};
  }

 Q_SIGNALS:
  void changed();

 private:
  void start();
  void render();
  QImage image_of(const std::vector<std::uint8_t>& cells, const QColor& role, double gain_db) const;
  void draw_part(QPainter& p, const QRectF& rect, const QImage& image, double begin_s,
                 double length_s, const QString& name) const;
  void draw_legend(QPainter& p, const QRectF& rect, const QColor& role) const;

  const Work& work_;
  bool on_ = false, stale_ = true, matched_ = true;
  Show show_ = Show::before_over_after;
  double top_db_ = -10, range_db_ = 80;
  SpectrogramView view_;
  Spectrogram picture_;
  QImage images_[3];
  ReelLane lane_;
};

}  // namespace drevan::desktop
