// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/oversampler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/convolve.h"

namespace drevan {

namespace {

double sinc(double x) {
  return x == 0 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
}
// `edge`: -1 to 1 along the window.
double kaiser(double edge, double beta) {
  return std::cyl_bessel_i(0, beta * std::sqrt(std::max(0.0, 1 - edge * edge))) /
         std::cyl_bessel_i(0, beta);
}

}  // namespace

template <size_t past>
void Oversampler::Stretch<past>::hear(const float* x, size_t n) noexcept {
  std::copy_n(x, n, data.begin() + past);
}
template <size_t past>
void Oversampler::Stretch<past>::go_on(size_t n) noexcept {
  std::copy_n(data.begin() + static_cast<std::ptrdiff_t>(n), past, data.begin());
}

Oversampler::Oversampler() {
  constexpr int length = 2 * taps;       // the filter has one tap more
  constexpr double corner = 2 * 0.4675;  // of half the stream's rate
  std::array<double, length + 1> h{};
  double sum = 0;
  for (int j = 0; j <= length; ++j)
    sum += h[static_cast<size_t>(j)] =
        sinc((j - taps) / 2.0 * corner) * kaiser(2.0 * j / length - 1, 8.96);  // 90 dB
  for (int j = 0; j <= length; ++j) {
    const double value = h[static_cast<size_t>(j)] / sum;
    const auto phase = static_cast<size_t>(j % 2), tap = static_cast<size_t>(j / 2);
    // Going up, one of two samples is a zero: its gain is made up for.
    up_[phase][tap] = static_cast<float>(2 * value);
    // Going down, the odd taps meet the odd samples of the frame before.
    down_[phase][tap + phase] = static_cast<float>(value);
  }
  std::array<double, half_taps> half{};
  sum = 0;
  for (int j = 0; j < half_taps; ++j) {
    const double m = 2 * j - (half_taps - 1);  // from the middle, in samples
    sum += half[static_cast<size_t>(j)] = sinc(m / 2) * kaiser(m / half_taps, 9.6);  // 97 dB
  }
  for (size_t j = 0; j < half_taps; ++j) {
    const auto value = static_cast<float>(half[j] / sum);
    to_four_[j % 2][j / 2] = value;
    to_eight_[j % 4][j / 4] = value;
  }
}

void Oversampler::reset() noexcept {
  in_ = {};
  two_ = even_4_ = odd_4_ = {};
  four_ = even_8_ = odd_8_ = {};
  down_2_ = {};
}

// Plane q of what a half-band filter makes of the stream `in`, but for its middle tap. The sample
// s - j of the stream lies in plane (s - j) mod `planes`, in the same frame or in an earlier one.
template <size_t planes>
void Oversampler::filter(const HalfBand<planes>& by, const std::array<Short, planes>& in, size_t q,
                         std::span<float> out) noexcept {
  std::ranges::fill(out, 0.0F);
  for (size_t from = 0; from < planes; ++from)
    convolve_add(in[from].now() - (from > q ? 1 : 0), by[(q + planes - from) % planes], out);
}

// Plane q of the stream, so many samples before.
template <size_t planes>
std::span<const float> Oversampler::earlier(const std::array<Short, planes>& in, size_t q,
                                            int samples, size_t n) noexcept {
  const int place = static_cast<int>(q) - samples + 8 * static_cast<int>(planes);
  const int from = place % static_cast<int>(planes), frames = 8 - place / static_cast<int>(planes);
  return {in[static_cast<size_t>(from)].now() - frames, n};
}

void Oversampler::up(std::span<const float> in, Planes& out) noexcept {
  const size_t n = in.size();
  in_.hear(in.data(), n);
  std::array<float, most_frames> made;  // NOLINT
  const std::span<float> plane = std::span(made).first(n);
  for (size_t p = 0; p < 2; ++p) {
    std::ranges::fill(plane, 0.0F);
    convolve_add(in_.now(), up_[p], plane);
    two_[p].hear(made.data(), n);
  }
  // Every second sample of the doubled stream is one of the stream's own.
  for (size_t q = 0; q < 2; ++q) {
    filter(to_four_, two_, q, plane);
    four_[2 * q].hear(made.data(), n);
    four_[2 * q + 1].hear(earlier(two_, q, half_taps / 2 - 1, n).data(), n);
  }
  for (size_t q = 0; q < 4; ++q) {
    filter(to_eight_, four_, q, std::span(out[2 * q]).first(n));
    std::ranges::copy(earlier(four_, q, half_taps / 2 - 1, n), out[2 * q + 1].begin());
  }
  in_.go_on(n);
  for (auto& s : two_) s.go_on(n);
  for (auto& s : four_) s.go_on(n);
}

void Oversampler::down(const Planes& in, std::span<float> out) noexcept {
  const size_t n = out.size();
  std::array<float, most_frames> made;  // NOLINT
  const std::span<float> plane = std::span(made).first(n);
  // Half of the sum of what the filter and its middle tap hear.
  const auto half_sum = [&](std::span<const float> middle) {
    for (size_t i = 0; i < n; ++i) made[i] = (made[i] + middle[i]) / 2;
  };
  for (size_t q = 0; q < 4; ++q) {
    even_8_[q].hear(in[2 * q].data(), n);
    odd_8_[q].hear(in[2 * q + 1].data(), n);
  }
  for (size_t q = 0; q < 4; ++q) {
    filter(to_eight_, even_8_, q, plane);
    half_sum(earlier(odd_8_, q, half_taps / 2, n));
    (q % 2 == 0 ? even_4_ : odd_4_)[q / 2].hear(made.data(), n);
  }
  // Here the odd samples are kept, so that all delays together are whole frames.
  for (size_t q = 0; q < 2; ++q) {
    filter(to_four_, odd_4_, q, plane);
    half_sum(earlier(even_4_, q, half_taps / 2 - 1, n));
    down_2_[q].hear(made.data(), n);
  }
  std::ranges::fill(out, 0.0F);
  for (size_t p = 0; p < 2; ++p) convolve_add(down_2_[p].now(), down_[p], out);
  for (auto* streams : {&even_8_, &odd_8_})
    for (auto& s : *streams) s.go_on(n);
  for (auto* streams : {&even_4_, &odd_4_})
    for (auto& s : *streams) s.go_on(n);
  for (auto& s : down_2_) s.go_on(n);
}

}  // namespace drevan
