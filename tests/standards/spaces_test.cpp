// SPDX-License-Identifier: GPL-3.0-or-later
// The reverb against what is published of rooms and of what makes a reverberator sound like one.
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "dsp/fft.h"
#include "support/rate.h"
#include "support/sounds.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;

// The wet sound alone, its late part alone, alike in all bands.
ChainStep space(double decay_s, double size_pct = 100) {
  return test::with("reverb", {{"size_pct", size_pct},
                               {"decay_low_s", decay_s},
                               {"decay_s", decay_s},
                               {"decay_high_s", decay_s},
                               {"pre_delay_ms", 0},
                               {"early_db", -60},
                               {"mix_pct", 100},
                               {"out", 1}});
}

// What a step makes of a sound, as wide as it comes out.
AudioBuffer through(const ChainStep& step, const AudioBuffer& in) {
  const auto p = make_processor(*step.type, step.settings, {}, {rate, in.channels(), 4096});
  AudioBuffer x(channels_out(*step.type, step.settings, in.channels()), in.frames());
  for (int c = 0; c < in.channels(); ++c) std::ranges::copy(in.channel(c), x.channel(c).begin());
  for (Samples at = 0; at < x.frames(); at += 4096)
    p->process(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
  return x;
}

AudioBuffer clap(double seconds) {
  AudioBuffer x = test::silence(seconds);
  x.channel(0)[0] = 1;
  return x;
}

struct Spectrum {
  explicit Spectrum(std::span<const float> x) : size(1) {
    while (size < static_cast<int>(x.size())) size *= 2;
    const RealFft fft(size);
    FloatVector time(static_cast<size_t>(size));
    std::ranges::copy(x, time.begin());
    bins.resize(static_cast<size_t>(fft.bins()));
    fft.forward(time, bins);
  }
  int size;
  ComplexVector bins;
};

// One octave round `hz` of a sound, cut out of its spectrum with soft edges, so that the filter
// itself does not ring as long as the room.
std::vector<double> octave(std::span<const float> x, double hz) {
  std::vector<float> padded(x.begin(), x.end());
  padded.resize(2 * x.size());
  Spectrum s(padded);
  for (size_t k = 0; k < s.bins.size(); ++k) {
    const double f = static_cast<double>(k) * rate / s.size;
    const double off = f > 0 ? std::abs(std::log2(f / hz)) : 9;
    const double edge = std::clamp((0.75 - off) / 0.5, 0.0, 1.0);
    s.bins[k] *= static_cast<float>(std::pow(std::sin(edge * M_PI / 2), 2) / s.size);
  }
  const RealFft fft(s.size);
  FloatVector time(static_cast<size_t>(s.size));
  fft.inverse(s.bins, time);
  return {time.begin(), time.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

// ISO 3382-1: the decay curve by Schroeder's backward integration ("New method of measuring
// reverberation time", JASA 37, 1965), a straight line fitted to it between -5 and -65 dB.
double decay_s(const std::vector<double>& h) {
  std::vector<double> left(h.size());
  double sum = 0;
  for (size_t i = h.size(); i-- > 0;) left[i] = sum += h[i] * h[i];
  double n = 0, st = 0, sd = 0, stt = 0, std_ = 0;
  for (size_t i = 0; i < h.size(); i += 16) {
    const double db = 10 * std::log10(left[i] / left[0] + 1e-30), t = static_cast<double>(i) / rate;
    if (db > -5 || db < -65) continue;
    n += 1, st += t, sd += db, stt += t * t, std_ += t * db;
  }
  const double slope = (n * std_ - st * sd) / (n * stt - st * st);
  return -60 / slope;
}

TEST(ReverbStandard, DecaysAsSetInEveryOctave) {
  for (const double size : {60.0, 100.0, 200.0})
    for (const double wanted : {0.4, 1.2, 3.0}) {
      const AudioBuffer h = through(space(wanted, size), clap(1.6 * wanted + 0.5));
      for (const double hz : {250.0, 500.0, 1000.0, 2000.0, 4000.0})
        EXPECT_NEAR(decay_s(octave(h.channel(0), hz)) / wanted, 1, 0.05)
            << wanted << " s, size " << size << ", " << hz << " Hz";
    }
}

// Each band by its own setting, well inside it.
TEST(ReverbStandard, EveryBandHasItsOwnDecay) {
  ChainStep step = space(1.2);
  const auto set = [&](std::string_view id, double v) {
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, id))] = v;
  };
  set("decay_low_s", 2.0);
  set("decay_high_s", 0.5);
  set("damping_hz", 4000);
  const AudioBuffer h = through(step, clap(3.5));
  EXPECT_NEAR(decay_s(octave(h.channel(0), 63)), 2.0, 0.25);
  EXPECT_NEAR(decay_s(octave(h.channel(0), 1000)), 1.2, 0.08);
  EXPECT_NEAR(decay_s(octave(h.channel(0), 16000)), 0.5, 0.13);
}

// J. S. Abel and P. Huang, "A simple, robust measure of reverberation echo density", AES 121st
// Convention, 2006: the share of samples beyond one standard deviation in 20 ms, against that of
// Gaussian noise; 1: no echo stands out.
TEST(ReverbStandard, EchoesAreDenseWithinEightyMilliseconds) {
  for (const double size : {60.0, 100.0}) {
    const AudioBuffer h = through(space(1.2, size), clap(0.5));
    const auto x = h.channel(0);
    const auto density = [&](double at_s) {
      const auto from = static_cast<size_t>((at_s - 0.01) * rate);
      const size_t n = static_cast<size_t>(0.02 * rate);
      double power = 0, beyond = 0;
      for (size_t i = from; i < from + n; ++i) power += std::pow(static_cast<double>(x[i]), 2);
      const double sigma = std::sqrt(power / static_cast<double>(n));
      for (size_t i = from; i < from + n; ++i)
        beyond += std::abs(static_cast<double>(x[i])) > sigma;
      return beyond / static_cast<double>(n) / std::erfc(1 / std::sqrt(2));
    };
    double most = 0;
    for (double t = 0.02; t <= 0.08; t += 0.005) most = std::max(most, density(t));
    EXPECT_GE(most, 0.9) << "size " << size;
    // And it stays so.
    double mean = 0;
    for (double t = 0.1; t < 0.4; t += 0.02) mean += density(t) / 15;
    EXPECT_GE(mean, 0.9);
  }
}

TEST(ReverbStandard, TheLateSoundHasNoColour) {
  for (const double size : {60.0, 100.0, 200.0}) {
    const AudioBuffer h = through(space(1.5, size), clap(2.5));
    const Spectrum s(h.channel(0).subspan(static_cast<size_t>(0.1 * rate)));
    std::vector<double> levels;
    for (double hz = 100; hz < 11000; hz *= std::cbrt(2)) {
      double power = 0, n = 0;
      for (size_t k = 0; k < s.bins.size(); ++k) {
        const double f = static_cast<double>(k) * rate / s.size;
        if (f < hz / std::pow(2, 1.0 / 6) || f > hz * std::pow(2, 1.0 / 6)) continue;
        power += static_cast<double>(std::norm(s.bins[k]));
        n += 1;
      }
      levels.push_back(10 * std::log10(power / n));
    }
    const double mean =
        std::accumulate(levels.begin(), levels.end(), 0.0) / static_cast<double>(levels.size());
    double spread = 0;
    for (const double l : levels) spread += std::pow(l - mean, 2);
    spread = std::sqrt(spread / static_cast<double>(levels.size()));
    EXPECT_LT(spread, 1.5) << "size " << size;
  }
}

// Welch's method over 30 s of noise, more than a hundred segments.
TEST(ReverbStandard, TheSidesAreUnlikeEachOtherAndSumWithoutAHole) {
  AudioBuffer in = test::noise(0.1, 30, 11);
  const AudioBuffer x = through(space(1.2), in);
  constexpr int size = 2048;  // 43 ms: what the ear takes together (common practice, no source)
  const RealFft fft(size);
  std::vector<double> left(size / 2 + 1), right(left);
  std::vector<std::complex<double>> cross(left.size());
  FloatVector a(size), b(size);
  ComplexVector fa(left.size()), fb(left.size());
  int segments = 0;
  for (size_t at = 96000; at + size < x.channel(0).size(); at += size / 2, ++segments) {
    for (size_t i = 0; i < size; ++i) {
      const auto w =
          static_cast<float>(0.5 - 0.5 * std::cos(2 * M_PI * static_cast<double>(i) / size));
      a[i] = w * x.channel(0)[at + i];
      b[i] = w * x.channel(1)[at + i];
    }
    fft.forward(a, fa);
    fft.forward(b, fb);
    for (size_t k = 0; k < left.size(); ++k) {
      left[k] += static_cast<double>(std::norm(fa[k]));
      right[k] += static_cast<double>(std::norm(fb[k]));
      cross[k] += std::complex<double>(fa[k]) * std::conj(std::complex<double>(fb[k]));
    }
  }
  ASSERT_GT(segments, 100);
  double sum = 0, n = 0, worst = 0;
  for (size_t k = 0; k < left.size(); ++k) {
    if (static_cast<double>(k) * rate / size < 500) continue;
    const double alike = std::norm(cross[k]) / (left[k] * right[k]);
    sum += alike, n += 1, worst = std::max(worst, alike);
  }
  EXPECT_LT(sum / n, 0.2) << "in the mean";
  RecordProperty("coherence",
                 std::to_string(sum / n) + " in the mean, worst " + std::to_string(worst));
  double both = 0, each = 0;
  for (size_t i = 96000; i < x.channel(0).size(); ++i) {
    const double l = static_cast<double>(x.channel(0)[i]), r = static_cast<double>(x.channel(1)[i]);
    both += (l + r) * (l + r), each += l * l + r * r;
  }
  EXPECT_NEAR(10 * std::log10(both / each), 0, 1.5);
  // And the wet sound is as loud as what enters.
  EXPECT_NEAR(test::rms_db(x.channel(0).subspan(96000)), test::rms_db(in.channel(0)), 1);
}

TEST(ReverbStandard, TheTailEndsInSilence) {
  for (const double decay : {0.1, 1.2, 12.0}) {
    const ChainStep step = space(decay);
    const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
    AudioBuffer in = test::words(0.5, 0.5);
    const auto tail = p->tail();
    AudioBuffer x(2, in.frames() + tail + 9600);
    std::ranges::copy(in.channel(0), x.channel(0).begin());
    for (Samples at = 0; at < x.frames(); at += 4096)
      p->process(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
    const auto end = static_cast<size_t>(in.frames() + tail);
    float loudest = 0, at_end = 0;
    for (size_t i = 0; i < end; ++i) loudest = std::max(loudest, std::abs(x.channel(0)[i]));
    for (size_t i = end - 480; i < end; ++i) at_end = std::max(at_end, std::abs(x.channel(0)[i]));
    EXPECT_LT(20 * std::log10(at_end / loudest), -90) << decay;
    for (size_t i = end; i < x.channel(0).size(); ++i) ASSERT_EQ(x.channel(0)[i], 0.0F);
  }
}

}  // namespace
}  // namespace drevan
