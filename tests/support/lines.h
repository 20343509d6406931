// SPDX-License-Identifier: GPL-3.0-or-later
// Lines of a steady sound's spectrum.
#pragma once

#include <cmath>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fft.h"

namespace drevan::test {

/// Magnitudes of 32768 samples from `from` on, one per bin, under a Blackman-Harris window (F. J.
/// Harris, "On the use of windows", Proc. IEEE 66(1), 1978): side lobes below -92 dB. A sine of
/// amplitude 1 has magnitude 1 at its bin.
inline std::vector<double> line_spectrum(const AudioBuffer& x, size_t from = 8192,
                                         int channel = 0) {
  constexpr int size = 1 << 15;
  const RealFft fft(size);
  FloatVector time(size);
  double sum = 0;
  for (size_t i = 0; i < size; ++i) {
    const double a = 2 * M_PI * static_cast<double>(i) / size;
    const double w =
        0.35875 - 0.48829 * std::cos(a) + 0.14128 * std::cos(2 * a) - 0.01168 * std::cos(3 * a);
    sum += w;
    time[i] = x.channel(channel)[i + from] * static_cast<float>(w);
  }
  ComplexVector bins(static_cast<size_t>(fft.bins()));
  fft.forward(time, bins);
  std::vector<double> out(bins.size());
  for (size_t k = 0; k < bins.size(); ++k)
    out[k] = 2 * std::abs(std::complex<double>(bins[k])) / sum;
  return out;
}

/// The middle of the bin nearest to `hz`: there no line is drawn too low.
inline double on_bin(double hz, double rate) {
  return std::round(hz * (1 << 15) / rate) * rate / (1 << 15);
}

/// The largest line within 5 bins of `hz`, as an amplitude.
inline double line_at(const std::vector<double>& spectrum, double hz, double rate) {
  const auto k = static_cast<long>(std::lround(hz * (1 << 15) / rate));
  double most = 0;
  for (long i = std::max(0L, k - 5); i <= std::min<long>(k + 5, std::ssize(spectrum) - 1); ++i)
    most = std::max(most, spectrum[static_cast<size_t>(i)]);
  return most;
}

/// How loud `hz` is in the answer to an impulse of 1, dB: the gain of what stands still.
inline double gain_db(std::span<const float> answer, double hz, double rate) {
  double re = 0, im = 0;
  for (size_t i = 0; i < answer.size(); ++i) {
    const double a = 2 * M_PI * hz * static_cast<double>(i) / rate;
    re += static_cast<double>(answer[i]) * std::cos(a);
    im += static_cast<double>(answer[i]) * std::sin(a);
  }
  return 10 * std::log10(re * re + im * im + 1e-20);
}

/// Largest line that is no multiple of `tone_hz`, dB against the tone.
inline double worst_alias_db(const AudioBuffer& x, double tone_hz, double rate) {
  const auto spectrum = line_spectrum(x);
  const double bin = rate / (1 << 15);
  double alias = 0;
  for (size_t k = 8; k < spectrum.size(); ++k) {
    const double hz = static_cast<double>(k) * bin;
    if (std::abs(hz - std::round(hz / tone_hz) * tone_hz) > 6 * bin)
      alias = std::max(alias, spectrum[k]);
  }
  return 20 * std::log10(alias / line_at(spectrum, tone_hz, rate));
}

}  // namespace drevan::test
