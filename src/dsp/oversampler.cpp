#include "dsp/oversampler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/convolve.h"

namespace drevan {

Oversampler::Oversampler() {
  constexpr int length = factor * taps;  // the filter has one tap more
  constexpr double beta = 8.96;          // 90 dB
  constexpr double corner = 2 * 0.4675;  // of half the stream's rate
  const auto sinc = [](double x) { return x == 0 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x); };
  std::array<double, length + 1> h{};
  double sum = 0;
  for (int j = 0; j <= length; ++j) {
    const double m = j - length / 2.0;
    const double edge = 2.0 * j / length - 1;
    const double window = std::cyl_bessel_i(0, beta * std::sqrt(std::max(0.0, 1 - edge * edge))) / std::cyl_bessel_i(0, beta);
    h[static_cast<size_t>(j)] = sinc(m / factor * corner) * window;
    sum += h[static_cast<size_t>(j)];
  }
  for (int j = 0; j <= length; ++j) {
    const auto value = h[static_cast<size_t>(j)] / sum;
    // Going up, seven of eight samples are zeros: their gain is made up for.
    const auto phase = static_cast<size_t>(j % factor), tap = static_cast<size_t>(j / factor);
    up_[phase][tap] = static_cast<float>(factor * value);
    // Going down, tap j meets the sample j before: phase (8 - j) mod 8 of the frame before.
    const auto from = static_cast<size_t>((factor - j % factor) % factor);
    down_[from][tap + (from > 0 ? 1 : 0)] = static_cast<float>(value);
  }
}

void Oversampler::reset() noexcept {
  in_.fill(0);
  for (auto& p : out_) p.fill(0);
}

void Oversampler::keep(Past& past, size_t n) noexcept { std::copy_n(past.begin() + static_cast<std::ptrdiff_t>(n), padded, past.begin()); }

void Oversampler::up(std::span<const float> in, Planes& out) noexcept {
  std::ranges::copy(in, in_.begin() + padded);
  for (size_t p = 0; p < factor; ++p) {
    std::fill_n(out[p].begin(), in.size(), 0.0F);
    convolve_add(in_.data() + padded, up_[p], std::span(out[p]).first(in.size()));
  }
  keep(in_, in.size());
}

void Oversampler::down(const Planes& in, std::span<float> out) noexcept {
  std::ranges::fill(out, 0.0F);
  for (size_t p = 0; p < factor; ++p) {
    std::copy_n(in[p].begin(), out.size(), out_[p].begin() + padded);
    convolve_add(out_[p].data() + padded, down_[p], out);
    keep(out_[p], out.size());
  }
}

}  // namespace drevan
