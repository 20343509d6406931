// SPDX-License-Identifier: GPL-3.0-or-later
// Axes and spectra as several pictures draw them.
#pragma once

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <span>

namespace drevan::desktop {

/// A logarithmic frequency axis from left to right.
struct FrequencyAxis {
  QRectF rect;  ///< of the plot
  double lowest_hz = 20, highest_hz = 20000;

  double x_of(double hz) const {
    return rect.left() + rect.width() *
                             std::log(std::clamp(hz, lowest_hz, highest_hz) / lowest_hz) /
                             std::log(highest_hz / lowest_hz);
  }
  double hz_at(double x) const {
    return lowest_hz *
           std::pow(highest_hz / lowest_hz, std::clamp((x - rect.left()) / rect.width(), 0.0, 1.0));
  }
  /// Upright lines at round frequencies, named below the plot.
  void draw(QPainter& p) const;
};

/// A level axis, in dB: upright, the loudest at the top, or from left to right.
struct LevelAxis {
  QRectF rect;  ///< of the plot
  double least_db = -60, most_db = 0;
  Qt::Orientation direction = Qt::Vertical;

  double place_of(double db) const { return from_fraction((db - least_db) / (most_db - least_db)); }
  /// The same, not beyond the plot.
  double within(double db) const { return place_of(std::clamp(db, least_db, most_db)); }
  double db_at(QPointF at) const {
    const double f = direction == Qt::Vertical ? (rect.bottom() - at.y()) / rect.height()
                                               : (at.x() - rect.left()) / rect.width();
    return least_db + f * (most_db - least_db);
  }
  double pixels_per_db() const {
    return (direction == Qt::Vertical ? rect.height() : rect.width()) / (most_db - least_db);
  }
  /// Lines across the plot at multiples of `step_db`, named beside it.
  void draw(QPainter& p, int step_db) const;

 private:
  double from_fraction(double f) const {
    return direction == Qt::Vertical ? rect.bottom() - f * rect.height()
                                     : rect.left() + f * rect.width();
  }
};

/// A time axis from left to right, in seconds.
struct TimeAxis {
  QRectF rect;  ///< of the plot
  double begin_s = 0, length_s = 1;

  double x_of(double seconds) const {
    return rect.left() + (seconds - begin_s) / length_s * rect.width();
  }
  double s_at(double x) const {
    return begin_s + (x - rect.left()) / std::max(1.0, rect.width()) * length_s;
  }
  /// Short strokes at round times, named, below the plot.
  void draw(QPainter& p) const;
};

/// Level of `power` (one value per bin of `bin_hz`) along the axis, a point every two pixels: the
/// mean over the bins it covers, tilted by `tilt_db` an octave about 1 kHz. `top_db` lies at the
/// plot's top, 100 dB less at its bottom.
QPolygonF spectrum_line(const FrequencyAxis& axis, std::span<const float> power, double bin_hz,
                        double top_db, double tilt_db);

/// The area below a line.
void fill_below(QPainter& p, QPolygonF line, double bottom, const QColor& color);

}  // namespace drevan::desktop
