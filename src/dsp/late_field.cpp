// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/late_field.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <numbers>

#include "dsp/clones.h"
#include "dsp/eight.h"

namespace drevan {

namespace {

constexpr size_t chunk = LateField::chunk;
constexpr double shortest_s = 0.019, longest_s = 0.083;

// Primes about so many frames apart, so that echoes of different lines rarely meet.
bool prime(int n) {
  for (int k = 2; k * k <= n; ++k)
    if (n % k == 0) return false;
  return n > 1;
}

// One gain in each of three bands, parted by two filters of the first order; the gains' differences
// from the middle one. Lines beside each other, several at a time.
DREVAN_CLONES void damp(float (*rows)[chunk], size_t lines, float* __restrict low,
                        float* __restrict high, const float* __restrict middle,
                        const float* __restrict low_more, const float* __restrict high_more,
                        float low_k, float high_k) noexcept {
  constexpr size_t group = 16;  // in two halves, which fill each other's pauses
  const float keep_low = 1 - low_k, keep_high = 1 - high_k;
  for (size_t first = 0; first < lines; first += group) {
    float turned[chunk][group];  // NOLINT
    for (size_t l = 0; l < group; ++l)
      for (size_t i = 0; i < chunk; ++i) turned[i][l] = rows[first + l][i];
    Eight a[2], b[2], gain[2], low_gain[2], high_gain[2];  // NOLINT
    for (size_t j = 0; j < 2; ++j) {
      const size_t at = first + 8 * j;
      load(a[j], low + at);
      load(b[j], high + at);
      load(gain[j], middle + at);
      load(low_gain[j], low_more + at);
      load(high_gain[j], high_more + at);
    }
    for (auto& frame : turned)
      for (size_t j = 0; j < 2; ++j) {
        Eight x;
        load(x, frame + 8 * j);
        a[j] = keep_low * a[j] + low_k * x;
        b[j] = keep_high * b[j] + high_k * x;
        x = gain[j] * x + low_gain[j] * a[j] + high_gain[j] * (x - b[j]);
        store(frame + 8 * j, x);
      }
    for (size_t j = 0; j < 2; ++j) {
      store(low + first + 8 * j, a[j]);
      store(high + first + 8 * j, b[j]);
    }
    for (size_t l = 0; l < group; ++l)
      for (size_t i = 0; i < chunk; ++i) rows[first + l][i] = turned[i][l];
  }
}

// Sums and differences of pairs, of pairs of pairs, and so on: every line reaches every other.
DREVAN_CLONES void hadamard(float (*rows)[chunk], size_t lines) noexcept {
  for (size_t half = 1; half < lines; half *= 2)
    for (size_t first = 0; first < lines; first += 2 * half)
      for (size_t l = first; l < first + half; ++l) {
        float* __restrict a = rows[l];
        float* __restrict b = rows[l + half];
        for (size_t i = 0; i < chunk; ++i) {
          const float sum = a[i] + b[i];
          b[i] = a[i] - b[i];
          a[i] = sum;
        }
      }
  const float scale = 1 / std::sqrt(static_cast<float>(lines));
  for (size_t l = 0; l < lines; ++l)
    for (size_t i = 0; i < chunk; ++i) rows[l][i] *= scale;
}

template <class Rows>
float (*as_rows(Rows& rows) noexcept)[chunk] {
  return reinterpret_cast<float(*)[chunk]>(rows.data());
}

// The sign with which channel `c` enters line `l`: rows of a Hadamard matrix.
float sign(size_t l, int c) noexcept {
  return std::popcount(l & (static_cast<size_t>(c) * 5 + 3)) % 2 == 0 ? 1.0F : -1.0F;
}

}  // namespace

template <int Lines>
double BasicLateField<Lines>::line_s(int line) noexcept {
  // Neighbours in length are far apart in the mixing.
  const int place = (line * 13) % lines;
  return shortest_s * std::pow(longest_s / shortest_s, place / (lines - 1.0));
}

template <int Lines>
BasicLateField<Lines>::BasicLateField(double rate, int channels_in, int channels_out,
                                      const LateFieldShape& shape)
    : rate_(rate), channels_in_(channels_in), channels_out_(channels_out), shape_(shape) {
  const size_t size =
      std::bit_ceil(static_cast<size_t>(longest_s * most_size * rate * 1.02) + 300 + chunk);
  mask_ = size - 1;
  ring_.resize(size * lines);
  fade_step_ = 1 / (0.04 * rate);
  glide_ = static_cast<float>(1 - std::exp(-chunk / (0.02 * rate)));
  aim();
  reset();
}

template <int Lines>
void BasicLateField<Lines>::set(const LateFieldShape& shape) noexcept {
  shape_ = shape;
  aim();
}

// What the shape asks of every line.
template <int Lines>
void BasicLateField<Lines>::aim() noexcept {
  // Where sound dies quickly no wall is far: the longest line is not yet silent.
  const double scale = std::min(shape_.size, shape_.middle_s * 0.8 / longest_s) * rate_;
  double kept = 0;
  int last = 0;
  std::array<int, lines> order{};
  for (size_t l = 0; l < lines; ++l) order[(l * 13) % lines] = static_cast<int>(l);
  for (const int line : order) {
    const auto l = static_cast<size_t>(line);
    int n = std::max({last + 1, static_cast<int>(line_s(line) * scale), static_cast<int>(chunk)});
    while (!prime(n)) ++n;
    last = wanted_frames_[l] = n;
    const double s = n / rate_;
    const auto a_round = [s](double decay_s) {
      return static_cast<float>(std::pow(10, -3 * s / decay_s));
    };
    goals_.low[l] = a_round(shape_.low_s);
    goals_.middle[l] = a_round(shape_.middle_s);
    goals_.high[l] = a_round(shape_.high_s);
    kept += std::pow(static_cast<double>(goals_.middle[l]), 2) / lines;
  }
  // The power in the lines grows until as much is lost a round as comes in.
  loudness_goal_ = static_cast<float>(std::sqrt((1 - kept) / kept));
  const auto k = [this](double hz) {
    return static_cast<float>(1 -
                              std::exp(-2 * std::numbers::pi * std::min(hz, 0.45 * rate_) / rate_));
  };
  low_k_ = k(shape_.low_hz);
  high_k_ = k(shape_.high_hz);
}

template <int Lines>
void BasicLateField<Lines>::reset() noexcept {
  std::ranges::fill(ring_, 0.0F);
  at_ = 0;
  frames_ = next_frames_ = wanted_frames_;
  fade_ = 1;
  gains_ = goals_;
  loudness_ = loudness_goal_;
  low_ = high_ = {};
  rows_ = {};
}

// What leaves the lines; another size is faded to.
template <int Lines>
void BasicLateField<Lines>::read() noexcept {
  if (fade_ >= 1 && wanted_frames_ != next_frames_) {
    next_frames_ = wanted_frames_;
    fade_ = 0;
  }
  const auto from = [&](const std::array<int, lines>& late, Rows& to) {
    for (size_t l = 0; l < lines; ++l) {
      const float* ring = ring_.data() + l * (mask_ + 1);
      const size_t first = (at_ - static_cast<size_t>(late[l])) & mask_;
      if (first + chunk <= mask_ + 1)
        std::memcpy(to[l].data(), ring + first, sizeof to[l]);
      else
        for (size_t i = 0; i < chunk; ++i) to[l][i] = ring[(first + i) & mask_];
    }
  };
  from(frames_, rows_);
  if (fade_ >= 1) return;
  from(next_frames_, faded_);
  for (size_t i = 0; i < chunk; ++i) {
    fade_ = std::min(1.0, fade_ + fade_step_);
    const auto share = static_cast<float>(fade_ * fade_ * (3 - 2 * fade_));
    for (size_t l = 0; l < lines; ++l) rows_[l][i] += share * (faded_[l][i] - rows_[l][i]);
  }
  if (fade_ >= 1) frames_ = next_frames_;
}

template <int Lines>
void BasicLateField<Lines>::begin(Channels& out) noexcept {
  read();
  for (auto [now, goal] : {std::pair{&gains_.low, &goals_.low},
                           {&gains_.middle, &goals_.middle},
                           {&gains_.high, &goals_.high}})
    for (size_t l = 0; l < lines; ++l) (*now)[l] += glide_ * ((*goal)[l] - (*now)[l]);
  loudness_ += glide_ * (loudness_goal_ - loudness_);
  std::array<float, lines> low_more{}, high_more{};
  for (size_t l = 0; l < lines; ++l) {
    low_more[l] = gains_.low[l] - gains_.middle[l];
    high_more[l] = gains_.high[l] - gains_.middle[l];
  }
  damp(as_rows(rows_), lines, low_.data(), high_.data(), gains_.middle.data(), low_more.data(),
       high_more.data(), low_k_, high_k_);
  // Each output has lines of its own.
  const auto outs = static_cast<size_t>(channels_out_);
  const float loud = loudness_ * std::sqrt(static_cast<float>(outs));
  for (size_t c = 0; c < outs; ++c) {
    out[c].fill(0);
    for (size_t l = c; l < lines; l += outs)
      for (size_t i = 0; i < chunk; ++i) out[c][i] += rows_[l][i];
    for (float& x : out[c]) x *= loud;
  }
  hadamard(as_rows(rows_), lines);
}

template <int Lines>
void BasicLateField<Lines>::end(const Channels& in) noexcept {
  const float share = 1 / std::sqrt(static_cast<float>(channels_in_) * lines);
  // All channels but the last; that one on the way into the rings, which are whole chunks long.
  for (int c = 0; c + 1 < channels_in_; ++c)
    for (size_t l = 0; l < lines; ++l) {
      const float gain = share * sign(l, c);
      const auto& x = in[static_cast<size_t>(c)];
      for (size_t i = 0; i < chunk; ++i) rows_[l][i] += gain * x[i];
    }
  const auto& x = in[static_cast<size_t>(channels_in_ - 1)];
  for (size_t l = 0; l < lines; ++l) {
    const float gain = share * sign(l, channels_in_ - 1);
    float* __restrict to = ring_.data() + l * (mask_ + 1) + at_;
    for (size_t i = 0; i < chunk; ++i) to[i] = rows_[l][i] + gain * x[i];
  }
  at_ = (at_ + chunk) & mask_;
}

template class BasicLateField<16>;
template class BasicLateField<32>;

}  // namespace drevan
