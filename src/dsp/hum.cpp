// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/hum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/sums.h"

namespace drevan {

namespace {

constexpr double search_rate = 5600;  // at least
constexpr double frame_s = 0.05;
constexpr double there_db = 6;      // a line that stands out less may be chance
constexpr float clear_low_db = 10;  // one of the lowest four must stand out as much
constexpr double clear_db = 15;     // and all lines together, beyond 6 dB each

}  // namespace

// --- finding ---

HumFinder::HumFinder(StreamFormat format, double least_hz, double most_hz)
    : least_hz_(least_hz),
      step_(std::max(1, static_cast<int>(format.rate / search_rate))),
      rate_(format.rate / step_),
      frame_size_(static_cast<size_t>(frame_s * rate_)),
      above_(static_cast<size_t>(std::lround((most_hz - least_hz) / apart_hz)) + 1) {
  for (int i = 0; i < 4; ++i) {
    low_pass_.emplace_back();
    low_pass_.back().set(
        design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, format.rate));
  }
}

void HumFinder::hear(const AudioBlock& block) {
  for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
    double x = 0;
    for (int c = 0; c < block.channels(); ++c) x += static_cast<double>(block.channel(c)[i]);
    for (auto& b : low_pass_) x = b.process(x);
    if (++phase_ < step_) continue;
    phase_ = 0;
    frame_.push_back(static_cast<float>(x));
    if (frame_.size() == frame_size_) finish_frame();
  }
}

// A frame is weighed by a power of the inverse of its power, in straight lines from frame to frame; so it waits
// for the one after it.
void HumFinder::finish_frame() {
  const double power = sum_of_squares(frame_) / static_cast<double>(frame_size_);
  const double weight = power > 1e-12 ? std::pow(1e-9 / std::max(power, 1e-9), 1.5) : 0;
  const double from = std::min(weights_[0], weights_[1]), to = std::min(weights_[1], weight);
  for (size_t i = 0; i < waiting_.size(); ++i)
    window_.push_back(static_cast<float>(from + (to - from) * static_cast<double>(i) /
                                                    static_cast<double>(frame_size_)) *
                      waiting_[i]);
  waiting_.swap(frame_);
  frame_.clear();
  weights_ = {weights_[1], weight};
  if (window_.size() < size / 2) return;
  add_window(std::move(window_));
  window_.clear();
}

// Level of the newest window between its bins, dB.
double HumFinder::level_at(double hz) const {
  const double bin = hz / rate_ * size;
  const auto k = static_cast<size_t>(bin);
  if (k + 1 >= level_db_.size()) return silence_db;
  const auto f = static_cast<float>(bin - std::floor(bin));
  return static_cast<double>((1 - f) * level_db_[k] + f * level_db_[k + 1]);
}

void HumFinder::add_window(std::vector<float> sound) {
  FloatVector time(size);
  const auto n = static_cast<double>(sound.size());
  for (size_t i = 0; i < std::min<size_t>(sound.size(), size); ++i)
    time[i] = sound[i] *
              static_cast<float>(
                  0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / n));
  ComplexVector bins(static_cast<size_t>(fft_.bins()));
  fft_.forward(time, bins);
  level_db_.resize(bins.size());
  for (size_t k = 0; k < bins.size(); ++k)
    level_db_[k] = static_cast<float>(power_to_db(static_cast<double>(std::norm(bins[k])) + 1e-30));
  const double middle_hz = least_hz_ + apart_hz * static_cast<double>(above_.size() - 1) / 2;
  const double bin_hz = rate_ / size;
  for (int h = 0; h < most_hum_harmonics; ++h) {
    const double at = (h + 1) * middle_hz;
    if (at + 20 > rate_ / 2 || at + 20 > 2400) break;
    std::vector<float> around(level_db_.begin() + static_cast<std::ptrdiff_t>((at - 15) / bin_hz),
                              level_db_.begin() + static_cast<std::ptrdiff_t>((at + 15) / bin_hz));
    std::ranges::nth_element(around,
                             around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2));
    const auto floor = static_cast<double>(around[around.size() / 2]);
    for (size_t c = 0; c < above_.size(); ++c) {
      const double over =
          level_at((h + 1) * (least_hz_ + apart_hz * static_cast<double>(c))) - floor;
      above_[c][static_cast<size_t>(h)] += static_cast<float>(std::clamp(over, -10.0, 40.0));
    }
  }
  ++windows_;
}

std::optional<Hum> HumFinder::find() const {
  HumFinder whole = *this;
  // What is left over counts where it is long enough to say something, or all there is.
  if (whole.window_.size() >= static_cast<size_t>(rate_) &&
      (windows_ == 0 || whole.window_.size() > size / 4))
    whole.add_window(std::move(whole.window_));
  if (whole.windows_ == 0) return std::nullopt;
  const auto score = [&](size_t c) {
    double sum = 0;
    for (const float v : whole.above_[c])
      sum += std::max(0.0, static_cast<double>(v) / whole.windows_ - 6);
    return sum;
  };
  size_t best = 0;
  double most = 0;
  for (size_t c = 0; c < whole.above_.size(); ++c)
    if (const double s = score(c); s > most) most = s, best = c;
  Hum hum;
  hum.hz = least_hz_ + apart_hz * static_cast<double>(best);
  // Between the candidates: the top of a parabola.
  if (best > 0 && best + 1 < whole.above_.size()) {
    const double a = score(best - 1), b = most, c = score(best + 1);
    if (a + c - 2 * b < 0)
      hum.hz += apart_hz * std::clamp((a - c) / (2 * (a + c - 2 * b)), -0.5, 0.5);
  }
  int count = 0;
  for (size_t h = 0; h < most_hum_harmonics; ++h) {
    const float above = whole.above_[best][h] / static_cast<float>(whole.windows_);
    if (static_cast<double>(above) < there_db) continue;
    hum.above_db[h] = above;
    ++count;
  }
  const bool low = std::any_of(hum.above_db.begin(), hum.above_db.begin() + 4,
                               [](float v) { return v > clear_low_db; });
  if (most < clear_db || count < 2 || !low) return std::nullopt;
  return hum;
}

}  // namespace drevan
