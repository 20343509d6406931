// Axes and spectra as several pictures draw them.
#pragma once

#include <QPainter>
#include <cmath>
#include <functional>
#include <span>

namespace drevan::desktop {

/// A logarithmic frequency axis.
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

/// Level of `power` (one value per bin of `bin_hz`) along the axis, a point every two pixels: the mean
/// over the bins it covers, tilted by `tilt_db` an octave about 1 kHz. `top_db` lies at the plot's top,
/// 100 dB less at its bottom.
QPolygonF spectrum_line(const FrequencyAxis& axis, std::span<const float> power, double bin_hz,
                        double top_db, double tilt_db);

/// The area below a line, or the line.
void fill_below(QPainter& p, QPolygonF line, double bottom, const QColor& color);

/// Lines across the plot every `step_db` from `least` to `most`, named to the left of it; `y_of` maps
/// dB to a height. Those outside the plot are left out.
void draw_db_grid(QPainter& p, const QRectF& plot, int least, int most, int step_db,
                  const std::function<double(double)>& y_of);

}  // namespace drevan::desktop
