// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/film_cuts.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

#include "media/film_pictures.h"

namespace drevan {

namespace {

constexpr int wide = 32, high = 18;
constexpr size_t around = 10;  // pictures on either side of a place

struct Look {
  double at_s = 0;
  std::array<float, wide * high> pattern{};  // without its mean
  double power = 0;
};

Look look_at(const FilmPicture& picture) {
  Look out{.at_s = picture.at_s};
  double mean = 0;
  for (const auto v : picture.pixels) mean += v / static_cast<double>(out.pattern.size());
  for (size_t i = 0; i < out.pattern.size(); ++i) {
    out.pattern[i] = static_cast<float>(picture.pixels[i] - mean);
    out.power += static_cast<double>(out.pattern[i]) * static_cast<double>(out.pattern[i]);
  }
  return out;
}

// 1: one pattern; 0: nothing to do with each other. A picture without one (black, white) is like
// none that has one.
double likeness(const Look& a, const Look& b) {
  double both = 0;
  for (size_t i = 0; i < a.pattern.size(); ++i)
    both += static_cast<double>(a.pattern[i]) * static_cast<double>(b.pattern[i]);
  // Noise of one step of brightness in each place is no pattern.
  const double noise = static_cast<double>(a.pattern.size());
  const double largest = std::max(a.power, b.power) + noise;
  // Patterns of which one is far stronger are unlike, too.
  const double even = (both + noise) / std::sqrt((a.power + noise) * (b.power + noise));
  const double share = std::sqrt((std::min(a.power, b.power) + noise) / largest);
  return std::max(0.0, even) * std::min(1.0, 0.5 + share);
}

// Whether the picture `i` of a row begins another scene.
bool is_cut(const std::deque<Look>& row, size_t i) {
  const double change = 1 - likeness(row[i - 1], row[i]);
  if (change < 0.3) return false;
  // As fast before or behind it: the picture moves.
  std::vector<double> others;
  for (size_t k = std::max<size_t>(1, i > 5 ? i - 5 : 1); k <= std::min(row.size() - 1, i + 5); ++k)
    if (k != i) others.push_back(1 - likeness(row[k - 1], row[k]));
  std::ranges::sort(others);
  if (!others.empty() && change < 2.5 * others[others.size() / 2] + 0.15) return false;
  // What was there comes back, or what comes was there before: something passed by.
  for (size_t k = i + 1; k < std::min(row.size(), i + around); ++k)
    if (likeness(row[i - 1], row[k]) > 0.7) return false;
  for (size_t k = 2; k <= around && k <= i; ++k)
    if (likeness(row[i - k], row[i]) > 0.7) return false;
  return true;
}

}  // namespace

std::vector<double> find_film_cuts(const std::filesystem::path& film, const CancelToken& cancel,
                                   const Progress& progress) {
  FilmPictures pictures(film, PixelForm::grey, wide, high);
  std::vector<double> out;
  std::deque<Look> row;
  size_t judged = 0;  // pictures of the row that were
  const auto judge_up_to = [&](size_t end) {
    for (size_t i = std::max<size_t>(judged, 1); i < end; ++i)
      if (is_cut(row, i)) out.push_back(row[i].at_s);
    judged = std::max(judged, end);
  };
  while (auto picture = pictures.next()) {
    cancel.check();
    row.push_back(look_at(*picture));
    if (row.size() > around) judge_up_to(row.size() - around);
    if (row.size() > 2 * around + 2) {
      row.pop_front();
      --judged;
    }
    if (progress && pictures.info().seconds > 0)
      progress(std::clamp(picture->at_s / pictures.info().seconds, 0.0, 1.0));
  }
  judge_up_to(row.size());
  return out;
}

}  // namespace drevan
