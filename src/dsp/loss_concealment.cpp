// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/loss_concealment.h"

#include <algorithm>
#include <cmath>

namespace drevan {

namespace {

constexpr double shortest_s = 0.005, longest_s = 0.015;  // periods: 66 to 200 Hz
constexpr double past_s = 0.04875;                       // three and a quarter of the longest
constexpr double whole_s = 0.01, silent_s = 0.06;        // from where it fades, and to where

std::int16_t to_int16(float x) {
  return static_cast<std::int16_t>(std::clamp(std::lround(x), -32768L, 32767L));
}

}  // namespace

LossConcealment::LossConcealment(int rate)
    : rate_(rate),
      shortest_(static_cast<int>(shortest_s * rate)),
      longest_(static_cast<int>(longest_s * rate)),
      past_(static_cast<size_t>(past_s * rate)),
      period_(static_cast<size_t>(longest_)) {}

void LossConcealment::reset() noexcept {
  std::ranges::fill(past_, 0.0F);
  lost_ = 0;
  length_ = 0;
}

void LossConcealment::remember(std::span<const std::int16_t> packet) noexcept {
  const size_t n = std::min(packet.size(), past_.size());
  std::shift_left(past_.begin(), past_.end(), static_cast<std::ptrdiff_t>(n));
  std::ranges::copy(packet.last(n), past_.end() - static_cast<std::ptrdiff_t>(n));
}

// The lag at which the last 20 ms are most like what was before them.
void LossConcealment::begin() noexcept {
  const auto n = static_cast<size_t>(0.02 * rate_), end = past_.size();
  double best = -1;
  int lag = longest_;
  for (int l = shortest_; l <= longest_; ++l) {
    double ab = 0, bb = 1;
    for (size_t i = end - n; i < end; ++i) {
      const auto a = static_cast<double>(past_[i]),
                 b = static_cast<double>(past_[i - static_cast<size_t>(l)]);
      ab += a * b;
      bb += b * b;
    }
    if (const double v = ab / std::sqrt(bb); v > best) best = v, lag = l;
  }
  length_ = static_cast<size_t>(lag);
  std::copy_n(past_.end() - lag, lag, period_.begin());
  // The last quarter goes over into what stood before the period, so that it joins its beginning.
  const size_t quarter = length_ / 4;
  for (size_t i = 0; i < quarter; ++i) {
    const float share = static_cast<float>(i + 1) / static_cast<float>(quarter + 1);
    float& x = period_[length_ - quarter + i];
    x += share * (past_[end - 2 * length_ + (length_ - quarter + i)] - x);
  }
  at_ = 0;
}

float LossConcealment::next() noexcept {
  const double s = static_cast<double>(lost_++) / rate_;
  const double loud = std::clamp((silent_s - s) / (silent_s - whole_s), 0.0, 1.0);
  const float x = length_ > 0 ? period_[at_] : 0.0F;
  if (++at_ >= length_) at_ = 0;
  return static_cast<float>(loud) * x;
}

void LossConcealment::conceal(std::span<std::int16_t> packet) noexcept {
  if (lost_ == 0) begin();
  for (auto& x : packet) x = to_int16(next());
  remember(packet);
}

void LossConcealment::hear(std::span<std::int16_t> packet) noexcept {
  if (lost_ > 0) {
    // Over a quarter of a period, and 4 ms more for every 10 ms of loss, 10 ms at most.
    const double s = std::min(
        0.01, static_cast<double>(length_) / rate_ / 4 + 0.4 * static_cast<double>(lost_) / rate_);
    const size_t n = std::min(packet.size(), static_cast<size_t>(s * rate_));
    for (size_t i = 0; i < n; ++i) {
      const float share = static_cast<float>(i + 1) / static_cast<float>(n + 1), made = next();
      packet[i] = to_int16(made + share * (static_cast<float>(packet[i]) - made));
    }
    lost_ = 0;
  }
  remember(packet);
}

}  // namespace drevan
