// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/film_track.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "media/film_pictures.h"

namespace drevan {

namespace {

constexpr int most_width = 480;
// Of the picture's height: the patch, and how far it may move from one picture to the next.
constexpr double patch_share = 0.11, reach_share = 0.07;
// How much of what is seen now enters the patch, and from where on it is alike.
constexpr float renewed = 0.12F;
constexpr double alike = 0.72, hardly_alike = 0.55;
// So many pictures in a row may be doubtful.
constexpr int most_doubtful = 3;

// Three colours a pixel.
using Patch = std::vector<float>;

class Follower {
 public:
  Follower(int width, int height)
      : width_(width),
        height_(height),
        half_w_(std::max(4, static_cast<int>(patch_share * height / 2 * 0.8))),
        half_h_(std::max(4, static_cast<int>(patch_share * height / 2 * 1.6))),
        reach_(std::max(4, static_cast<int>(reach_share * height))) {}
  /// Whether a patch can stand, and move, in a picture of this size.
  static bool fits(int width, int height) {
    const Follower f(width, height);
    return width > 2 * f.half_w_ + 2 && height > 2 * f.half_h_ + 2;
  }
  void begin(const FilmPicture& p, double x, double y) {
    at_x_ = std::clamp(static_cast<int>(std::lround(x * width_)), half_w_, width_ - half_w_ - 1);
    at_y_ = std::clamp(static_cast<int>(std::lround(y * height_)), half_h_, height_ - half_h_ - 1);
    patch_ = cut(p, at_x_, at_y_);
  }
  /// How much what was found is like the patch, -1 to 1.
  double follow(const FilmPicture& p) {
    // Where it should be if it goes on as it did, then around that.
    const int guess_x = at_x_ + speed_x_, guess_y = at_y_ + speed_y_;
    double best = -2;
    int best_x = at_x_, best_y = at_y_;
    const auto look = [&](int x, int y) {
      if (x < half_w_ || y < half_h_ || x >= width_ - half_w_ || y >= height_ - half_h_) return;
      const double like = likeness(p, x, y);
      if (like > best) best = like, best_x = x, best_y = y;
    };
    for (int dy = -reach_; dy <= reach_; dy += 2)
      for (int dx = -reach_; dx <= reach_; dx += 2) look(guess_x + dx, guess_y + dy);
    const int near_x = best_x, near_y = best_y;
    for (int dy = -1; dy <= 1; ++dy)
      for (int dx = -1; dx <= 1; ++dx) look(near_x + dx, near_y + dy);
    if (best < hardly_alike) return best;
    speed_x_ = std::clamp((speed_x_ + best_x - at_x_) / 2, -reach_, reach_);
    speed_y_ = std::clamp((speed_y_ + best_y - at_y_) / 2, -reach_, reach_);
    at_x_ = best_x;
    at_y_ = best_y;
    if (best < alike) return best;
    const Patch now = cut(p, at_x_, at_y_);
    for (size_t i = 0; i < patch_.size(); ++i) patch_[i] += renewed * (now[i] - patch_[i]);
    return best;
  }
  double x() const { return (at_x_ + 0.5) / width_; }
  double y() const { return (at_y_ + 0.5) / height_; }
  /// Whether it stands at the picture's edge: it is about to leave.
  bool at_edge() const {
    return at_x_ <= half_w_ || at_x_ >= width_ - half_w_ - 1 || at_y_ <= half_h_ ||
           at_y_ >= height_ - half_h_ - 1;
  }

 private:
  Patch cut(const FilmPicture& p, int cx, int cy) const {
    Patch out;
    out.reserve(static_cast<size_t>(2 * half_w_ * 2 * half_h_ * 3));
    for (int y = cy - half_h_; y < cy + half_h_; ++y) {
      const std::uint8_t* row =
          p.pixels.data() + 3 * (static_cast<size_t>(y) * static_cast<size_t>(width_) +
                                 static_cast<size_t>(cx - half_w_));
      for (int i = 0; i < 2 * half_w_ * 3; ++i) out.push_back(row[i]);
    }
    return out;
  }
  double likeness(const FilmPicture& p, int cx, int cy) const {
    double sum_a = 0, sum_b = 0, aa = 0, bb = 0, ab = 0;
    const float* a = patch_.data();
    const int n = 2 * half_w_ * 3;
    for (int y = cy - half_h_; y < cy + half_h_; ++y) {
      const std::uint8_t* b =
          p.pixels.data() + 3 * (static_cast<size_t>(y) * static_cast<size_t>(width_) +
                                 static_cast<size_t>(cx - half_w_));
      float ra = 0, rb = 0, raa = 0, rbb = 0, rab = 0;
      for (int i = 0; i < n; ++i) {
        const float va = a[i], vb = b[i];
        ra += va, rb += vb, raa += va * va, rbb += vb * vb, rab += va * vb;
      }
      a += n;
      sum_a += static_cast<double>(ra), sum_b += static_cast<double>(rb),
          aa += static_cast<double>(raa);
      bb += static_cast<double>(rbb), ab += static_cast<double>(rab);
    }
    const double count = static_cast<double>(patch_.size());
    const double va = aa - sum_a * sum_a / count, vb = bb - sum_b * sum_b / count;
    if (va < 1 || vb < 1) return 0;
    return (ab - sum_a * sum_b / count) / std::sqrt(va * vb);
  }

  int width_, height_, half_w_, half_h_, reach_;
  int at_x_ = 0, at_y_ = 0, speed_x_ = 0, speed_y_ = 0;
  Patch patch_;
};

}  // namespace

FilmTrack follow_in_film(const std::filesystem::path& film, double from_s, double x, double y,
                         double until_s, const CancelToken& cancel, const Progress& progress) {
  if (!(x >= 0 && x <= 1 && y >= 0 && y <= 1))
    throw Error(Error::Kind::call, "What is to be followed stands outside the picture.");
  const FilmInfo info = read_film_info(film);
  const int width = std::min(most_width, info.width);
  const int height =
      std::max(8, static_cast<int>(std::lround(static_cast<double>(width) * info.height /
                                               std::max(1, info.width))));
  FilmPictures pictures(film, PixelForm::rgb, width, height);
  pictures.seek(from_s);
  if (!Follower::fits(width, height))
    throw Error(Error::Kind::call,
                fmt::format("A picture of {} x {} is too small to follow anything in.", info.width,
                            info.height));
  Follower follower(width, height);
  FilmTrack out;
  int doubtful = 0;
  bool inside = false;  // it has stood away from the edges
  while (const auto p = pictures.next()) {
    cancel.check();
    if (p->at_s > until_s + 1e-6) break;
    if (out.points.empty()) {
      follower.begin(*p, x, y);
    } else {
      const double like = follower.follow(*p);
      doubtful = like < alike ? doubtful + 1 : 0;
      inside = inside || !follower.at_edge();
      if (like < hardly_alike || doubtful > most_doubtful || (inside && follower.at_edge())) {
        // The doubtful ones are none.
        const auto sure = std::ssize(out.points) - std::max(0, doubtful - 1);
        out.points.resize(static_cast<size_t>(std::max<std::ptrdiff_t>(1, sure)));
        out.lost_s = p->at_s;
        break;
      }
    }
    out.points.push_back({p->at_s, follower.x(), follower.y()});
    if (progress && until_s > from_s)
      progress(std::clamp((p->at_s - from_s) / (until_s - from_s), 0.0, 1.0));
  }
  return out;
}

}  // namespace drevan
