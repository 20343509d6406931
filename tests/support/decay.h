// SPDX-License-Identifier: GPL-3.0-or-later
// How a room's answer dies away, octave by octave. All at 48 kHz.
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>
#include <span>
#include <vector>

#include "audio/decibel.h"
#include "dsp/fft.h"
#include "support/rate.h"

namespace drevan::test {

/// The band of an octave, with flanks that ring less than any room: cosine squared over two octaves.
inline std::vector<float> octave(std::span<const float> x, double hz) {
  int size = 1024;
  while (size < static_cast<int>(x.size())) size *= 2;
  const RealFft fft(size);
  FloatVector time(static_cast<size_t>(size));
  ComplexVector spectrum(static_cast<size_t>(fft.bins()));
  std::ranges::copy(x, time.begin());
  fft.forward(time, spectrum);
  for (size_t i = 0; i < spectrum.size(); ++i) {
    const double f = static_cast<double>(i) * at_48k::rate / size;
    const double away = f > 0 ? std::clamp(std::log2(f / hz), -1.0, 1.0) : 1;
    const double c = std::cos(std::numbers::pi / 2 * away);
    spectrum[i] *= static_cast<float>(c * c);
  }
  fft.inverse(spectrum, time);
  std::vector<float> out(x.size());
  for (size_t i = 0; i < out.size(); ++i) out[i] = time[i] / static_cast<float>(size);
  return out;
}
/// Seconds to fall by 60 dB. By backward integration (M. R. Schroeder, JASA 37, 1965): a line through -5 to -65 dB.
inline double decay_s(std::span<const float> x) {
  std::vector<double> left(x.size());
  double sum = 0;
  for (size_t i = x.size(); i-- > 0;)
    left[i] = sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
  double n = 0, st = 0, sd = 0, stt = 0, std_ = 0;
  for (size_t i = 0; i < x.size(); i += 48) {
    const double db = power_to_db(left[i] / left[0]), t = static_cast<double>(i) / at_48k::rate;
    if (db > -5 || db < -65) continue;
    n += 1, st += t, sd += db, stt += t * t, std_ += t * db;
  }
  return -60 * (n * stt - st * st) / (n * std_ - st * sd);
}

}  // namespace drevan::test
