// SPDX-License-Identifier: GPL-3.0-or-later
// Transforms, dither and the noise estimator against theory and SciPy.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "dsp/fast_math.h"
#include "dsp/lsa_gain.h"
#include "dsp/stft.h"
#include "media/writer.h"
#include "support/sounds.h"

namespace drevan {
namespace {

// The definition of the discrete Fourier transform, summed up in double precision.
TEST(FftStandard, IsTheSumItIsDefinedAs) {
  for (const int size : {16, 22, 30, 50, 64, 240, 882, 1024, 2560}) {
    const auto n = static_cast<size_t>(size);
    const RealFft fft(size);
    const AudioBuffer noise = test::noise(0.3, 1, 3);
    FloatVector x(noise.channel(0).begin(), noise.channel(0).begin() + size), back(n);
    ComplexVector bins(n / 2 + 1);
    fft.forward(x, bins);
    for (size_t k = 0; k < bins.size(); ++k) {
      std::complex<double> sum = 0;
      for (size_t i = 0; i < n; ++i)
        sum += std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(k * i % n) / size) *
               static_cast<double>(x[i]);
      ASSERT_NEAR(std::abs(sum - std::complex<double>(bins[k])), 0, 3e-6 * std::sqrt(size))
          << size << " bin " << k;
    }
    fft.inverse(bins, back);
    for (size_t i = 0; i < n; ++i)
      ASSERT_NEAR(back[i] / static_cast<float>(size), x[i], 2e-6) << size << " sample " << i;
  }
}

TEST(StftStandard, UnchangedSpectraGiveBackTheInput) {
  struct Way {
    int overlap;
    Taper taper;
  };
  for (const Way way :
       {Way{2, Taper::square_root_hann}, Way{4, Taper::square_root_hann}, Way{4, Taper::hann}})
    for (const int size : {256, 2048, 2560, 4096}) {
      Stft stft(size, way.overlap, way.taper);
      AudioBuffer x = test::noise(0.3, 2, 5);
      const AudioBuffer in = x;
      stft.process(x.channel(0), [](auto) {});
      double error = 0, power = 0;
      const auto late = static_cast<size_t>(stft.latency());
      // The first window has no past; from then on it must be exact.
      for (size_t i = late + static_cast<size_t>(size); i < 96000; ++i) {
        const double d = x.channel(0)[i] - in.channel(0)[i - late];
        error += d * d;
        power += in.channel(0)[i] * in.channel(0)[i];
      }
      EXPECT_LT(10 * std::log10(error / power), -120) << size << " " << way.overlap;
    }
}

// TPDF dither of +-1 LSB (S. P. Lipshitz, R. A. Wannamaker, J. Vanderkooy, "Quantization and Dither:
// A Theoretical Survey", JAES 40(5), 1992): the total error has mean 0 and variance LSB^2 / 4,
// whatever the signal.
TEST(DitherStandard, ErrorIsAsTheorySays) {
  for (const int bits : {16, 24}) {
    const double lsb = 2.0 / std::pow(2, bits);
    for (const double level : {0.0, 0.3 * lsb, 0.5 * lsb, 0.2}) {
      std::vector<float> in(200000, static_cast<float>(level));
      std::vector<std::int32_t> out(in.size());
      std::uint64_t state = 7;
      EXPECT_EQ(quantise(in, out, bits, state), 0);
      double sum = 0, squares = 0;
      for (size_t i = 0; i < in.size(); ++i) {
        const double error =
            static_cast<double>(out[i]) / 2147483648.0 - static_cast<double>(in[i]);
        sum += error / lsb;
        squares += error * error / (lsb * lsb);
      }
      const double mean = sum / static_cast<double>(in.size());
      EXPECT_NEAR(mean, 0, 0.006) << bits << " " << level;
      EXPECT_NEAR(squares / static_cast<double>(in.size()) - mean * mean, 0.25, 0.004)
          << bits << " " << level;
    }
  }
}

TEST(DitherStandard, FullScaleIsClippedAndCounted) {
  const std::vector<float> in{2.0F, -2.0F, 0.0F, 1.5F};
  std::vector<std::int32_t> out(4);
  std::uint64_t state = 1;
  EXPECT_EQ(quantise(in, out, 16, state), 3);
  EXPECT_EQ(out[0], 32767 << 16);
  EXPECT_EQ(out[1], -32768 * 65536);
}

// Ephraim and Malah 1985, eq. 20, with SciPy's exp1.
TEST(LsaGainStandard, IsTheLogSpectralAmplitudeEstimator) {
  std::ifstream file(DREVAN_SOURCE_DIR "/tests/standards/reference/reference.json");
  const auto ref = nlohmann::json::parse(file);
  for (const auto& r : ref["log_spectral_gain"]) {
    const double xi = std::pow(10, r["xi_db"].get<double>() / 10);
    const double gamma = std::pow(10, r["gamma_db"].get<double>() / 10);
    const auto v = static_cast<float>(xi / (1 + xi) * gamma);
    const double ours =
        6.0206 * (std::log2(xi / (1 + xi)) + static_cast<double>(lsa_exponent_log2(v)));
    EXPECT_NEAR(ours, r["gain_db"].get<double>(), 0.01) << r.dump();
  }
}

TEST(FastMath, IsCloseEnough) {
  for (float x = 1e-30F; x < 1e30F; x *= 1.37F) EXPECT_NEAR(fast_log2(x), std::log2(x), 1e-4) << x;
  for (float x = -60; x < 60; x += 0.173F) EXPECT_NEAR(fast_exp2(x) / std::exp2(x), 1, 1e-5) << x;
}

}  // namespace
}  // namespace drevan
