// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/columns.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace drevan::desktop {

namespace {

struct Extent {
  double least, most, mean;
};

// Walks along a curve from left to right.
class Walk {
 public:
  explicit Walk(const QPolygonF& points) : points_(points) {}
  /// Over [from, to], which lies right of the one before; empty beyond the curve's ends.
  std::optional<Extent> over(double from, double to) {
    if (points_.size() < 2 || to <= points_.front().x() || from >= points_.back().x())
      return std::nullopt;
    from = std::max(from, points_.front().x());
    to = std::min(to, points_.back().x());
    while (at_ + 2 < points_.size() && points_[at_ + 1].x() <= from) ++at_;
    const double begin = y_at(at_, from);
    Extent out{begin, begin, 0};
    double x = from, y = begin, area = 0;
    for (auto i = at_;; ++i) {
      const bool inside = i + 2 < points_.size() && points_[i + 1].x() < to;
      const double next_x = inside ? points_[i + 1].x() : to,
                   next_y = inside ? points_[i + 1].y() : y_at(i, to);
      out.least = std::min(out.least, next_y);
      out.most = std::max(out.most, next_y);
      area += (next_x - x) * (y + next_y) / 2;
      x = next_x;
      y = next_y;
      if (!inside) break;
    }
    out.mean = to > from ? area / (to - from) : begin;
    return out;
  }

 private:
  double y_at(qsizetype i, double x) const {
    const QPointF a = points_[i], b = points_[i + 1];
    return b.x() <= a.x()
               ? b.y()
               : a.y() + (b.y() - a.y()) * std::clamp((x - a.x()) / (b.x() - a.x()), 0.0, 1.0);
  }
  const QPolygonF& points_;
  qsizetype at_ = 0;
};

// `color` (not premultiplied) over `under` (premultiplied), as much of it as `cover`.
QRgb over(QRgb under, QRgb color, double cover) {
  const auto alpha = static_cast<unsigned>(std::lround(qAlpha(color) * cover));
  const auto mix = [alpha](int c, int u) {
    return static_cast<int>(
        (static_cast<unsigned>(c) * alpha + static_cast<unsigned>(u) * (255 - alpha) + 127) / 255);
  };
  return qRgba(mix(qRed(color), qRed(under)), mix(qGreen(color), qGreen(under)),
               mix(qBlue(color), qBlue(under)), mix(255, qAlpha(under)));
}

}  // namespace

Columns::Columns(QSize size, double ratio)
    : image_((QSizeF(size) * ratio).toSize().expandedTo({1, 1}),
             QImage::Format_ARGB32_Premultiplied),
      ratio_(ratio) {
  image_.setDevicePixelRatio(ratio);
  image_.fill(Qt::transparent);
}

// Device pixels.
void Columns::span(int column, double top, double bottom, QRgb color) {
  top = std::max(top, 0.0);
  bottom = std::min(bottom, static_cast<double>(image_.height()));
  if (bottom <= top) return;
  const auto stride = image_.bytesPerLine() / static_cast<qsizetype>(sizeof(QRgb));
  auto* pixels = reinterpret_cast<QRgb*>(image_.bits()) + column;
  const int last = std::min(static_cast<int>(std::ceil(bottom)), image_.height());
  for (int y = static_cast<int>(top); y < last; ++y) {
    const double cover = std::min(bottom, y + 1.0) - std::max(top, static_cast<double>(y));
    QRgb& pixel = pixels[y * stride];
    pixel = over(pixel, color, cover);
  }
}

void Columns::fill(const QPolygonF& upper, const QPolygonF& lower, const QColor& color) {
  Walk above(upper), below(lower);
  for (int x = 0; x < image_.width(); ++x) {
    const auto top = above.over(x / ratio_, (x + 1) / ratio_),
               bottom = below.over(x / ratio_, (x + 1) / ratio_);
    if (top && bottom) span(x, top->mean * ratio_, bottom->mean * ratio_, color.rgba());
  }
}

void Columns::line(const QPolygonF& points, double width, const QColor& color) {
  Walk walk(points);
  for (int x = 0; x < image_.width(); ++x)
    if (const auto y = walk.over(x / ratio_, (x + 1) / ratio_))
      span(x, (y->least - width / 2) * ratio_, (y->most + width / 2) * ratio_, color.rgba());
}

}  // namespace drevan::desktop
