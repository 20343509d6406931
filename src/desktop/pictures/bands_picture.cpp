#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -66, highest = 0;
constexpr double most_taken = 24;
}  // namespace

BandsPicture::BandsPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Bands"));
  setToolTip(
      tr("<p>Drag an upright line to move where two bands meet, a dashed line to set the threshold "
         "of a band. "
         "Filled: the level in each band at this moment. From the top: what is taken.</p>"));
  page_ = 1;
}

FrequencyAxis BandsPicture::axis() const { return {plot_rect()}; }

double BandsPicture::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.top() + (highest - std::clamp(db, lowest, highest)) / (highest - lowest) * r.height();
}

int BandsPicture::bands() const { return static_cast<int>(settings()[0]) + 3; }

// Handles are the corners first, then the bands' thresholds.
QRectF BandsPicture::band_rect(int band) const {
  const QRectF r = plot_rect();
  const auto corner = [&](int i) {
    return axis().x_of(
        settings()[static_cast<size_t>(step()->type->handles[static_cast<size_t>(i)].x)]);
  };
  const double left = band == 0 ? r.left() : corner(band - 1);
  const double right = band == bands() - 1 ? r.right() : corner(band);
  return {left, r.top(), std::max(1.0, right - left), r.height()};
}

int BandsPicture::threshold_parameter(int band) const {
  return step()->type->handles[static_cast<size_t>(3 + band)].y;
}

QPointF BandsPicture::threshold_at(int band) const {
  return {band_rect(band).center().x(),
          y_of(settings()[static_cast<size_t>(threshold_parameter(band))])};
}

// A band that is gone shows no sliders.
void BandsPicture::refresh() {
  if (step() && page() > bands()) set_page(bands());
  update();
}

void BandsPicture::live(std::span<const float> readings, std::span<const float>,
                        std::span<const float>) {
  readings_.assign(readings.begin(), readings.end());
  update();
}

void BandsPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  axis().draw(p);
  draw_db_grid(p, r, -60, 0, 12, [this](double db) { return y_of(db); });
  p.setClipRect(r);
  if (const auto* levels = work_.measurements.levels(); levels && !levels->spectrum_in.empty()) {
    const QPolygonF line = spectrum_line(axis(), levels->spectrum_in,
                                         work_.document.reel().rate / SpectrumMeter::size, -10, 3);
    p.setPen(QPen(faded(t.before, 0.8), 1));
    p.drawPolyline(line);
  }
  for (int b = 0; b < bands(); ++b) draw_band(p, b);
  p.setClipping(false);
  for (int b = 0; b + 1 < bands(); ++b) {
    const double x = band_rect(b).right();
    p.setPen(QPen(held_ == b ? t.attention : t.text, held_ == b ? 2 : 1.3));
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    p.setBrush(t.text);
    p.drawRoundedRect(QRectF(x - 3, r.center().y() - 9, 6, 18), 2, 2);
  }
}

void BandsPicture::draw_band(QPainter& p, int band) const {
  const Theme& t = theme();
  const QRectF r = band_rect(band).adjusted(2, 0, -2, 0);
  const bool shown = page_ == band + 1;
  if (shown) p.fillRect(r, faded(t.attention, 0.07));
  const auto at = static_cast<size_t>(2 * band);
  if (at + 1 < readings_.size()) {
    const double y = y_of(static_cast<double>(readings_[at]));
    p.fillRect(QRectF(r.left(), y, r.width(), r.bottom() - y), faded(t.after, 0.3));
    const double taken =
        std::clamp(static_cast<double>(readings_[at + 1]) / most_taken, 0.0, 1.0) * r.height();
    if (taken > 0.5)
      p.fillRect(QRectF(r.left(), r.top(), r.width(), taken), faded(t.attention, 0.75));
  }
  const int parameter = threshold_parameter(band);
  const double y = threshold_at(band).y();
  const bool acts =
      settings()[static_cast<size_t>(parameter) + 1] > 1;  // the ratio stands beside it
  p.setPen(QPen(acts ? t.attention : t.quiet,
                held_ == 3 + band ? 2.2
                : shown           ? 1.6
                                  : 1.1,
                Qt::DashLine));
  p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
  p.setPen(shown ? t.text : t.quiet);
  if (r.width() > 44)
    p.drawText(r.adjusted(4, 0, -4, -3), Qt::AlignLeft | Qt::AlignBottom,
               acts ? tr("%1   %2 : 1")
                          .arg(band + 1)
                          .arg(settings()[static_cast<size_t>(parameter) + 1], 0, 'f', 1)
                    : tr("%1   untouched").arg(band + 1));
}

int BandsPicture::handle_near(QPointF at) const {
  for (int b = 0; b + 1 < bands(); ++b)
    if (std::abs(at.x() - band_rect(b).right()) < 7) return b;
  for (int b = 0; b < bands(); ++b)
    if (band_rect(b).contains(QPointF(at.x(), plot_rect().center().y()))) return 3 + b;
  return -1;
}

void BandsPicture::mousePressEvent(QMouseEvent* e) {
  held_ = handle_near(e->position());
  if (held_ >= 3) {
    set_page(held_ - 2);
    // A press elsewhere in the band chooses it; on its line it takes hold.
    if (std::abs(e->position().y() - threshold_at(held_ - 3).y()) > 12) held_ = -1;
  }
  update();
}

void BandsPicture::mouseMoveEvent(QMouseEvent* e) {
  if (held_ < 0) {
    const int near = handle_near(e->position());
    const bool line = near >= 3 && std::abs(e->position().y() - threshold_at(near - 3).y()) <= 12;
    setCursor(near >= 0 && near < 3 ? Qt::SizeHorCursor
              : line                ? Qt::SizeVerCursor
                                    : Qt::ArrowCursor);
    return;
  }
  const Handle& h = step()->type->handles[static_cast<size_t>(held_)];
  const int parameter = held_ < 3 ? h.x : h.y;
  const auto& range = step()->type->parameters[static_cast<size_t>(parameter)];
  const QRectF r = plot_rect();
  const double value =
      held_ < 3
          ? axis().hz_at(e->position().x())
          : std::round((highest - (e->position().y() - r.top()) / r.height() * (highest - lowest)) *
                       2) /
                2;
  Q_EMIT changed(parameter, std::clamp(value, range.least, range.most));
}

void BandsPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, -1) >= 0) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
