// SPDX-License-Identifier: GPL-3.0-or-later
// A picture to draw flat shapes on, with soft edges: for the demo's film.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

namespace demo {

struct Color {
  double r = 0, g = 0, b = 0;  // 0 to 1
};
inline Color between(const Color& a, const Color& b, double t) {
  return {a.r + t * (b.r - a.r), a.g + t * (b.g - a.g), a.b + t * (b.b - a.b)};
}

struct Point {
  double x = 0, y = 0;
};

class Canvas {
 public:
  Canvas(int width, int height)
      : width_(width), height_(height), pixels_(static_cast<size_t>(width * height)) {}
  int width() const { return width_; }
  int height() const { return height_; }
  /// From `top` to `bottom`, over the whole.
  void sky(const Color& top, const Color& bottom) {
    for (int y = 0; y < height_; ++y)
      for (int x = 0; x < width_; ++x)
        at(x, y) = between(top, bottom, static_cast<double>(y) / height_);
  }
  void disc(Point c, double radius, const Color& color, double alpha = 1) {
    cover(c.x - radius, c.y - radius, c.x + radius, c.y + radius, color, alpha,
          [&](double x, double y) { return radius - std::hypot(x - c.x, y - c.y); });
  }
  /// A thick line with round ends.
  void stroke(Point a, Point b, double thick, const Color& color, double alpha = 1) {
    const double r = thick / 2, dx = b.x - a.x, dy = b.y - a.y, l = dx * dx + dy * dy;
    cover(std::min(a.x, b.x) - r, std::min(a.y, b.y) - r, std::max(a.x, b.x) + r,
          std::max(a.y, b.y) + r, color, alpha, [&](double x, double y) {
            const double t =
                l == 0 ? 0 : std::clamp(((x - a.x) * dx + (y - a.y) * dy) / l, 0.0, 1.0);
            return r - std::hypot(x - a.x - t * dx, y - a.y - t * dy);
          });
  }
  /// Convex; corners in the order of the clock as it is seen.
  void polygon(const std::vector<Point>& p, const Color& color, double alpha = 1) {
    double x0 = 1e9, y0 = 1e9, x1 = -1e9, y1 = -1e9;
    for (const Point& c : p) {
      x0 = std::min(x0, c.x), x1 = std::max(x1, c.x);
      y0 = std::min(y0, c.y), y1 = std::max(y1, c.y);
    }
    cover(x0, y0, x1, y1, color, alpha, [&](double x, double y) {
      double inside = 1e9;
      for (size_t i = 0; i < p.size(); ++i) {
        const Point &a = p[i], &b = p[(i + 1) % p.size()];
        const double dx = b.x - a.x, dy = b.y - a.y, l = std::hypot(dx, dy);
        if (l > 0) inside = std::min(inside, (dx * (y - a.y) - dy * (x - a.x)) / l);
      }
      return inside;
    });
  }
  void box(double x, double y, double w, double h, const Color& color, double alpha = 1) {
    polygon({{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}, color, alpha);
  }
  /// Everything towards a colour.
  void veil(const Color& color, double alpha) {
    for (auto& p : pixels_) p = between(p, color, alpha);
  }
  std::vector<std::uint8_t> bytes() const {
    std::vector<std::uint8_t> out;
    out.reserve(pixels_.size() * 3);
    for (const Color& c : pixels_)
      for (const double v : {c.r, c.g, c.b})
        out.push_back(static_cast<std::uint8_t>(std::lround(255 * std::clamp(v, 0.0, 1.0))));
    return out;
  }

 private:
  Color& at(int x, int y) { return pixels_[static_cast<size_t>(y * width_ + x)]; }
  // `inside`: how many pixels within the shape's edge.
  template <class Inside>
  void cover(double x0, double y0, double x1, double y1, const Color& color, double alpha,
             Inside&& inside) {
    const int left = std::max(0, static_cast<int>(std::floor(x0)) - 1),
              right = std::min(width_ - 1, static_cast<int>(std::ceil(x1)) + 1),
              top = std::max(0, static_cast<int>(std::floor(y0)) - 1),
              bottom = std::min(height_ - 1, static_cast<int>(std::ceil(y1)) + 1);
    for (int y = top; y <= bottom; ++y)
      for (int x = left; x <= right; ++x) {
        const double share = std::clamp(inside(x + 0.5, y + 0.5) + 0.5, 0.0, 1.0);
        if (share > 0) at(x, y) = between(at(x, y), color, alpha * share);
      }
  }

  int width_, height_;
  std::vector<Color> pixels_;
};

}  // namespace demo
