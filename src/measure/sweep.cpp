// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/sweep.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "dsp/fft.h"
#include "dsp/response_shape.h"

namespace drevan {

namespace {

using std::numbers::pi;
constexpr double before_s = 0.5;

int transform_size(Samples frames) {
  int size = 1024;
  while (size < frames) size *= 2;
  return size;
}

FloatVector padded(std::span<const float> x, int size) {
  FloatVector out(static_cast<size_t>(size));
  std::ranges::copy(x, out.begin());
  return out;
}

float peak_of(const AudioBuffer& x) {
  float peak = 0;
  for (int c = 0; c < x.channels(); ++c)
    for (const float v : x.channel(c)) peak = std::max(peak, std::abs(v));
  return peak;
}

// What comes after it is lost in noise fades out over an eighth of what came before.
void fade_noise(AudioBuffer& x, double rate) {
  const Samples lost =
      first_sound(x) + static_cast<Samples>(std::lround(response_decay(x, rate).noise_s * rate));
  if (lost >= x.frames()) return;
  const auto fade = std::max<Samples>(static_cast<Samples>(0.02 * rate), lost / 8);
  x.shorten(std::min(x.frames(), lost + fade));
  for (Samples i = lost; i < x.frames(); ++i)
    for (int c = 0; c < x.channels(); ++c)
      x.channel(c)[static_cast<size_t>(i)] *= static_cast<float>(
          0.5 + 0.5 * std::cos(pi * static_cast<double>(i - lost) / static_cast<double>(fade)));
}

}  // namespace

AudioBuffer make_sweep(const SweepShape& shape, double rate) {
  const double to_hz = std::min(shape.to_hz, 0.46 * rate);
  const double octaves = std::log2(to_hz / shape.from_hz), per_s = octaves / shape.seconds;
  const auto frames = static_cast<Samples>(shape.seconds * rate);
  const auto before = static_cast<Samples>(before_s * rate);
  AudioBuffer out(1, before + frames + static_cast<Samples>(shape.silence_s * rate));
  const auto x = out.channel(0);
  const double fade_s = 1 / 6.0 / per_s;
  for (Samples i = 0; i < frames; ++i) {
    const double s = static_cast<double>(i) / rate;
    const double cycles = shape.from_hz / (per_s * std::numbers::ln2) * (std::exp2(per_s * s) - 1);
    const double edge = std::clamp(std::min(s, shape.seconds - s) / fade_s, 0.0, 1.0);
    x[static_cast<size_t>(before + i)] = static_cast<float>(
        0.5 * (0.5 - 0.5 * std::cos(pi * edge)) * std::sin(2 * pi * (cycles - std::floor(cycles))));
  }
  return out;
}

std::optional<AudioBuffer> response_of_sweep(const AudioBuffer& sweep, const AudioBuffer& recording,
                                             double rate, double longest_s,
                                             const CancelToken& cancel) {
  const RealFft fft(transform_size(sweep.frames() + recording.frames()));
  const auto size = static_cast<size_t>(fft.size());
  const auto bins = static_cast<size_t>(fft.bins());
  ComplexVector played(bins), heard(bins);
  FloatVector time = padded(sweep.channel(0), fft.size());
  fft.forward(time, played);
  // What the sweep has at its strongest, and 60 dB less, is not divided by.
  float strongest = 0;
  for (const auto& v : played) strongest = std::max(strongest, std::norm(v));
  if (strongest <= 0) return std::nullopt;
  std::vector<FloatVector> all;
  for (int c = 0; c < recording.channels(); ++c) {
    cancel.check();
    time = padded(recording.channel(c), fft.size());
    fft.forward(time, heard);
    for (size_t i = 0; i < bins; ++i)
      heard[i] = heard[i] * std::conj(played[i]) / (std::norm(played[i]) + 1e-6F * strongest);
    auto& x = all.emplace_back(size);
    fft.inverse(heard, x);
  }
  cancel.check();
  // Its strongest place is its first sound, or near it. It may lie before 0, if the recording began
  // after the playing.
  size_t at = 0;
  float peak = 0;
  double power = 0;
  for (const auto& x : all)
    for (size_t i = 0; i < size; ++i) {
      power += static_cast<double>(x[i]) * static_cast<double>(x[i]);
      if (std::abs(x[i]) > peak) peak = std::abs(x[i]), at = i;
    }
  // Where the sweep is not in it there is no such place: a tone or chance lies spread over all.
  const double mean = power / static_cast<double>(size * all.size());
  if (!(static_cast<double>(peak) * static_cast<double>(peak) > 2000 * mean)) return std::nullopt;
  const auto lead = static_cast<size_t>(0.005 * rate);
  const auto frames = std::min(static_cast<Samples>(longest_s * rate), recording.frames());
  AudioBuffer out(recording.channels(), frames);
  const float scale = 0.7F / peak;
  for (int c = 0; c < out.channels(); ++c) {
    const auto to = out.channel(c);
    for (size_t i = 0; i < to.size(); ++i)
      to[i] = scale * all[static_cast<size_t>(c)][(at + size - lead + i) % size];
    for (size_t i = 0; i < lead; ++i)
      to[i] *= static_cast<float>(
          0.5 - 0.5 * std::cos(pi * static_cast<double>(i) / static_cast<double>(lead)));
  }
  fade_noise(out, rate);
  return peak_of(out) > 0 ? std::optional(std::move(out)) : std::nullopt;
}

}  // namespace drevan
