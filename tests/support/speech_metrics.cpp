// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/speech_metrics.h"

#include <soxr.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/fft.h"

namespace drevan::test {

namespace {

using Matrix = std::vector<std::vector<double>>;

double dot(std::span<const float> a, std::span<const float> b) {
  double sum = 0;
  for (size_t i = 0; i < std::min(a.size(), b.size()); ++i)
    sum += static_cast<double>(a[i]) * static_cast<double>(b[i]);
  return sum;
}

// Power spectra of windows [i * hop, i * hop + window) for which `wanted(begin)` holds.
template <class Wanted>
Matrix spectra(std::span<const float> x, size_t size, size_t hop, std::span<const float> window,
               Wanted&& wanted) {
  const RealFft fft(static_cast<int>(size));
  FloatVector time(size);
  ComplexVector bins(size / 2 + 1);
  Matrix out;
  for (size_t at = 0; at + window.size() <= x.size(); at += hop) {
    if (!wanted(at)) continue;
    std::ranges::fill(time, 0.0F);
    for (size_t i = 0; i < window.size(); ++i) time[i] = x[at + i] * window[i];
    fft.forward(time, bins);
    auto& row = out.emplace_back(bins.size());
    for (size_t k = 0; k < row.size(); ++k) row[k] = static_cast<double>(std::norm(bins[k]));
  }
  return out;
}

std::vector<float> to_10k(std::span<const float> x) {
  std::vector<float> out(x.size() * 5 / 24 + 64);
  size_t made = 0;
  soxr_oneshot(48000, 10000, 1, x.data(), x.size(), nullptr, out.data(), out.size(), &made, nullptr,
               nullptr, nullptr);
  out.resize(made);
  return out;
}

// Hann window without its zeros, as the paper's program has it.
FloatVector inner_hann(size_t n) {
  FloatVector w(n);
  for (size_t i = 0; i < n; ++i)
    w[i] =
        static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i + 1) /
                                                static_cast<double>(n + 1)));
  return w;
}

// Both sounds without the frames where the clean one is 40 dB below its loudest.
void drop_silence(std::vector<float>& clean, std::vector<float>& heard) {
  constexpr size_t frame = 256, hop = 128;
  const auto w = inner_hann(frame);
  std::vector<size_t> kept;
  std::vector<double> energy;
  double most = 0;
  for (size_t at = 0; at + frame <= clean.size(); at += hop) {
    double e = 0;
    for (size_t i = 0; i < frame; ++i) e += std::pow(static_cast<double>(clean[at + i] * w[i]), 2);
    energy.push_back(e);
    most = std::max(most, e);
  }
  for (size_t i = 0; i < energy.size(); ++i)
    if (energy[i] > most * 1e-4) kept.push_back(i * hop);
  std::vector<float> a((kept.size() + 1) * hop), b(a.size());
  for (size_t j = 0; j < kept.size(); ++j)
    for (size_t i = 0; i < frame; ++i) {
      a[j * hop + i] += clean[kept[j] + i] * w[i];
      b[j * hop + i] += heard[kept[j] + i] * w[i];
    }
  clean = std::move(a);
  heard = std::move(b);
}

// frames x 15 third-octave band magnitudes.
Matrix third_octaves(std::span<const float> x) {
  const auto power = spectra(x, 512, 128, inner_hann(256), [](size_t) { return true; });
  Matrix out(power.size(), std::vector<double>(15));
  for (size_t b = 0; b < 15; ++b) {
    const double low = 150 * std::pow(2, (2 * static_cast<double>(b) - 1) / 6),
                 high = 150 * std::pow(2, (2 * static_cast<double>(b) + 1) / 6);
    const auto from = static_cast<size_t>(std::lround(low / 10000 * 512)),
               to = static_cast<size_t>(std::lround(high / 10000 * 512));
    for (size_t t = 0; t < power.size(); ++t) {
      double sum = 0;
      for (size_t k = from; k < to; ++k) sum += power[t][k];
      out[t][b] = std::sqrt(sum);
    }
  }
  return out;
}

double correlation(const std::vector<double>& a, const std::vector<double>& b) {
  double ma = 0, mb = 0;
  const auto n = static_cast<double>(a.size());
  for (size_t i = 0; i < a.size(); ++i) ma += a[i] / n, mb += b[i] / n;
  double ab = 0, aa = 0, bb = 0;
  for (size_t i = 0; i < a.size(); ++i) {
    ab += (a[i] - ma) * (b[i] - mb);
    aa += (a[i] - ma) * (a[i] - ma);
    bb += (b[i] - mb) * (b[i] - mb);
  }
  return ab / (std::sqrt(aa * bb) + 1e-20);
}

std::vector<double> frame_power(std::span<const float> x) {
  std::vector<double> out;
  for (size_t at = 0; at + SpeechMap::frame <= x.size(); at += SpeechMap::frame)
    out.push_back(dot(x.subspan(at, SpeechMap::frame), x.subspan(at, SpeechMap::frame)) /
                  SpeechMap::frame);
  return out;
}

double mean_where(const std::vector<double>& v, const std::vector<bool>& mask) {
  double sum = 0;
  size_t count = 0;
  for (size_t i = 0; i < std::min(v.size(), mask.size()); ++i)
    if (mask[i]) sum += v[i], ++count;
  return count > 0 ? sum / static_cast<double>(count) : 0;
}

double kurtosis(std::span<const float> x, const SpeechMap& map) {
  constexpr size_t size = 2048;
  const auto in_pause = [&](size_t at) {
    for (size_t f = at / SpeechMap::frame; f <= (at + size - 1) / SpeechMap::frame; ++f)
      if (f >= map.pause.size() || !map.pause[f]) return false;
    return true;
  };
  auto power = spectra(x, size, 512, hann_window(size), in_pause);
  double fourth = 0, second = 0;
  for (size_t k = 4; k < 600; ++k) {
    double mean = 1e-30;
    for (const auto& row : power) mean += row[k] / static_cast<double>(power.size());
    for (const auto& row : power) {
      const double p = row[k] / mean;
      fourth += p * p * p * p;
      second += p * p;
    }
  }
  const double n = 596.0 * static_cast<double>(std::max<size_t>(power.size(), 1));
  return fourth / n / std::pow(second / n + 1e-30, 2);
}

}  // namespace

double si_sdr_db(std::span<const float> clean, std::span<const float> heard) {
  const double scale = dot(clean, heard) / dot(clean, clean);
  double error = 0;
  for (size_t i = 0; i < std::min(clean.size(), heard.size()); ++i)
    error += std::pow(static_cast<double>(heard[i]) - scale * static_cast<double>(clean[i]), 2);
  return 10 * std::log10(scale * scale * dot(clean, clean) / error);
}

double stoi(std::span<const float> clean, std::span<const float> heard) {
  auto x = to_10k(clean), y = to_10k(heard);
  drop_silence(x, y);
  const Matrix a = third_octaves(x), b = third_octaves(y);
  constexpr size_t segment = 30;
  double sum = 0;
  size_t count = 0;
  for (size_t end = segment; end <= a.size(); ++end)
    for (size_t band = 0; band < 15; ++band, ++count) {
      std::vector<double> s(segment), t(segment);
      double ss = 0, tt = 0;
      for (size_t i = 0; i < segment; ++i) {
        s[i] = a[end - segment + i][band];
        t[i] = b[end - segment + i][band];
        ss += s[i] * s[i];
        tt += t[i] * t[i];
      }
      const double scale = std::sqrt(ss / (tt + 1e-20));
      for (size_t i = 0; i < segment; ++i)
        t[i] = std::min(t[i] * scale, s[i] * (1 + std::pow(10.0, 15.0 / 20)));
      sum += correlation(s, t);
    }
  return sum / static_cast<double>(std::max<size_t>(count, 1));
}

double log_spectral_distance(std::span<const float> clean, std::span<const float> heard) {
  const auto all = [](size_t) { return true; };
  const Matrix a = spectra(clean, 2048, 512, hann_window(2048), all);
  const Matrix b = spectra(heard, 2048, 512, hann_window(2048), all);
  constexpr double bin = 48000.0 / 2048;
  const auto from = static_cast<size_t>(90 / bin) + 1, to = static_cast<size_t>(7000 / bin);
  double loudest_bin = 0, loudest = 0;
  std::vector<double> mean(a.size());
  for (size_t t = 0; t < a.size(); ++t) {
    for (size_t k = from; k < to; ++k) {
      loudest_bin = std::max(loudest_bin, a[t][k]);
      mean[t] += a[t][k];
    }
    loudest = std::max(loudest, mean[t]);
  }
  const double floor = loudest_bin * 1e-6;
  double sum = 0;
  size_t count = 0;
  for (size_t t = 0; t < std::min(a.size(), b.size()); ++t) {
    if (mean[t] <= loudest * 1e-4) continue;
    double squares = 0;
    for (size_t k = from; k < to; ++k)
      squares += std::pow(10 * std::log10((a[t][k] + floor) / (b[t][k] + floor)), 2);
    sum += std::sqrt(squares / static_cast<double>(to - from));
    ++count;
  }
  return sum / static_cast<double>(std::max<size_t>(count, 1));
}

SpeechMap map_speech(std::span<const float> clean) {
  auto power = frame_power(clean);
  std::vector<double> sorted = power;
  std::ranges::sort(sorted);
  const double loud = sorted[sorted.size() * 95 / 100];
  SpeechMap map{std::vector<bool>(power.size()), std::vector<bool>(power.size())};
  for (size_t f = 0; f < power.size(); ++f) {
    map.speech[f] = power[f] > loud * 1e-3;
    bool quiet = f >= 10 && f + 6 < power.size();
    for (size_t j = f < 4 ? 0 : f - 4; j <= std::min(f + 4, power.size() - 1); ++j)
      quiet = quiet && power[j] < loud * 3.16e-5;
    map.pause[f] = quiet;
  }
  return map;
}

double speech_level_db(std::span<const float> clean, std::span<const float> heard,
                       const SpeechMap& map) {
  double cross = 0, own = 0;
  for (size_t f = 0; f < map.speech.size() && (f + 1) * SpeechMap::frame <= heard.size(); ++f) {
    if (!map.speech[f]) continue;
    const auto c = clean.subspan(f * SpeechMap::frame, SpeechMap::frame);
    cross += dot(c, heard.subspan(f * SpeechMap::frame, SpeechMap::frame));
    own += dot(c, c);
  }
  return 20 * std::log10(std::max(std::abs(cross) / own, 1e-9));
}

double pause_cut_db(std::span<const float> noisy, std::span<const float> heard,
                    const SpeechMap& map) {
  return 10 * std::log10(mean_where(frame_power(heard), map.pause) /
                         mean_where(frame_power(noisy), map.pause));
}

double warble(std::span<const float> noisy, std::span<const float> heard, const SpeechMap& map) {
  return std::log(kurtosis(heard, map) / kurtosis(noisy, map));
}

namespace {

// The highest peak of each window's autocorrelation, over that of the window: its height and lag.
struct Periodicity {
  double height = 0, lag = 0;
};
std::vector<Periodicity> periodicities(std::span<const float> x) {
  constexpr size_t window = 2880, hop = 480, size = 8192;
  constexpr int least = 48000 / 700, most = 48000 / 65;
  const RealFft fft(size);
  const auto hann = hann_window(window);
  const auto correlate = [&](std::span<const float> in) {
    FloatVector time(size);
    std::ranges::copy(in, time.begin());
    ComplexVector bins(size / 2 + 1);
    fft.forward(time, bins);
    for (auto& b : bins) b = std::norm(b);
    fft.inverse(bins, time);
    return std::vector<double>(time.begin(), time.begin() + most + 2);
  };
  const auto own = correlate(hann);
  double loudest = 0;
  for (const float v : x) loudest = std::max(loudest, static_cast<double>(std::abs(v)));
  std::vector<Periodicity> out;
  for (size_t at = 0; at + window <= x.size(); at += hop) {
    FloatVector part(window);
    double mean = 0, peak = 0;
    for (size_t i = 0; i < window; ++i) mean += static_cast<double>(x[at + i]) / window;
    for (size_t i = 0; i < window; ++i) {
      const double v = static_cast<double>(x[at + i]) - mean;
      peak = std::max(peak, std::abs(v));
      part[i] = static_cast<float>(v) * hann[i];
    }
    Periodicity& p = out.emplace_back();
    if (peak < 0.05 * loudest) continue;
    auto r = correlate(part);
    const double power = r[0];
    for (size_t k = 0; k < r.size(); ++k) r[k] = r[k] / power / (own[k] / own[0]);
    // Shorter periods are preferred a little, as in the paper.
    double best = -1;
    for (int k = least; k <= most; ++k) {
      const auto i = static_cast<size_t>(k);
      if (r[i] < r[i - 1] || r[i] <= r[i + 1]) continue;
      const double bend = r[i - 1] - 2 * r[i] + r[i + 1], off = 0.5 * (r[i - 1] - r[i + 1]) / bend;
      const double height = r[i] - 0.25 * (r[i - 1] - r[i + 1]) * off;
      const double strength = height - 0.01 * std::log2(65.0 * k / 48000);
      if (strength > best) best = strength, p = {height, k + off};
    }
  }
  return out;
}

}  // namespace

double harmonicity_db(std::span<const float> x) {
  std::vector<double> all;
  for (const auto& p : periodicities(x))
    if (p.height > 0.6) {
      const double r = std::min(p.height, 0.99999);
      all.push_back(10 * std::log10(r / (1 - r)));
    }
  std::ranges::sort(all);
  return all.empty() ? 0 : all[all.size() / 2];
}

std::vector<double> pitches(std::span<const float> x) {
  std::vector<double> out;
  for (const auto& p : periodicities(x)) out.push_back(p.height > 0.6 ? 48000 / p.lag : 0);
  return out;
}

double envelope_distance_db(std::span<const float> a, std::span<const float> b) {
  constexpr size_t size = 2048, hop = 960, kept = static_cast<size_t>(0.0016 * 48000);
  const auto all = [](size_t) { return true; };
  const Matrix pa = spectra(a, size, hop, hann_window(size), all);
  const Matrix pb = spectra(b, size, hop, hann_window(size), all);
  const RealFft fft(size);
  const auto envelope = [&](const std::vector<double>& power) {
    ComplexVector bins(power.size());
    for (size_t k = 0; k < power.size(); ++k)
      bins[k] = static_cast<float>(10 * std::log10(power[k] + 1e-9) / size);
    FloatVector cepstrum(size);
    fft.inverse(bins, cepstrum);
    for (size_t i = kept; i + kept <= size; ++i) cepstrum[i] = 0;
    fft.forward(cepstrum, bins);
    std::vector<double> out;
    for (const auto& v : bins) out.push_back(static_cast<double>(v.real()));
    return out;
  };
  constexpr auto from = static_cast<size_t>(200.0 * size / 48000) + 1,
                 to = static_cast<size_t>(5000.0 * size / 48000);
  const SpeechMap map = map_speech(a);
  double sum = 0, frames = 0;
  for (size_t t = 0; t < std::min({pa.size(), pb.size(), map.speech.size() - 2}); ++t) {
    if (!map.speech[t] || !map.speech[t + 1]) continue;
    const auto ea = envelope(pa[t]), eb = envelope(pb[t]);
    double mean = 0, squares = 0;
    for (size_t k = from; k < to; ++k) mean += (ea[k] - eb[k]) / (to - from);
    for (size_t k = from; k < to; ++k) squares += std::pow(ea[k] - eb[k] - mean, 2) / (to - from);
    sum += std::sqrt(squares), frames += 1;
  }
  return sum / std::max(frames, 1.0);
}

}  // namespace drevan::test
