// SPDX-License-Identifier: GPL-3.0-or-later
// Panning, speed and stretch against what is known of them outside.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "support/buffer_reader.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;
constexpr double pi = std::numbers::pi;

std::pair<double, double> panned(double position, double law) {
  const ChainStep step = test::with("pan", {{"pan_pct", position}, {"law_db", law}});
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 64});
  AudioBuffer x(2, 64);
  std::ranges::fill(x.channel(0), 1.0F);
  p->process(x.block());
  return {x.channel(0)[63], x.channel(1)[63]};
}

// Constant power: sine and cosine, the sum of squares stays; the others by their loss in the middle: -6 dB is a constant
// sum, -4.5 dB lies between (D. Griesinger, "Stereo and surround panning in practice", AES 112, 2002).
TEST(PanStandard, LawsKeepWhatTheySay) {
  for (double position = -100; position <= 100; position += 12.5) {
    const auto [l3, r3] = panned(position, 0);
    EXPECT_NEAR(l3 * l3 + r3 * r3, 1, 1e-6) << position;
    EXPECT_NEAR(std::atan2(r3, l3), (position + 100) / 200 * pi / 2, 1e-6) << position;
    const auto [l6, r6] = panned(position, 2);
    EXPECT_NEAR(l6 + r6, 1, 1e-6) << position;
    const auto [l45, r45] = panned(position, 1);
    EXPECT_NEAR(l45 * l45, l3 * l6, 1e-6) << position;
    EXPECT_NEAR(r45 * r45, r3 * r6, 1e-6) << position;
  }
  EXPECT_NEAR(to_db(panned(0, 0).first), -3.01, 0.01);
  EXPECT_NEAR(to_db(panned(0, 1).first), -4.52, 0.01);
  EXPECT_NEAR(to_db(panned(0, 2).first), -6.02, 0.01);
}

AudioBuffer sine(double hz, double seconds) {
  AudioBuffer x(1, static_cast<Samples>(seconds * rate));
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    x.channel(0)[i] =
        static_cast<float>(0.5 * std::sin(2 * pi * hz * static_cast<double>(i) / rate));
  return x;
}

std::unique_ptr<Rewriter> make(const ChainStep& step) {
  return step.type->rewrite(step.settings, {{rate, 1, 4096}, step.curves});
}

// Level of one tone in the middle of a sound, and of all the rest, dB re a sine of 0.5.
std::pair<double, double> tone_and_rest(const AudioBuffer& x, double hz) {
  const auto all = x.channel(0);
  const size_t first = 8000, n = all.size() - 2 * first;
  // Least squares of a sine and a cosine.
  double ss = 0, cc = 0, sc = 0, xs = 0, xc = 0;
  for (size_t i = 0; i < n; ++i) {
    const double a = 2 * pi * hz * static_cast<double>(i) / rate, s = std::sin(a), c = std::cos(a),
                 v = all[first + i];
    ss += s * s, cc += c * c, sc += s * c, xs += v * s, xc += v * c;
  }
  const double d = ss * cc - sc * sc, a = (xs * cc - xc * sc) / d, b = (xc * ss - xs * sc) / d;
  double rest = 0;
  for (size_t i = 0; i < n; ++i) {
    const double w = 2 * pi * hz * static_cast<double>(i) / rate;
    rest += std::pow(all[first + i] - a * std::sin(w) - b * std::cos(w), 2);
  }
  return {to_db(std::hypot(a, b) / 0.5),
          10 * std::log10(rest / static_cast<double>(n) / 0.125 + 1e-20)};
}

// Band-limited interpolation (Smith and Gossett 1984): what is heard is the tone at another pitch, and nothing else; what
// would lie beyond half the rate is not heard at all.
TEST(SpeedStandard, NothingIsHeardThatWasNotThere) {
  for (const double pct : {33.0, 50.0, 80.0, 131.0, 200.0, 400.0}) {
    const double up = std::max(1.0, pct / 100);
    for (const double hz : {97.0, 997.0, 4999.0, 9973.0, 19001.0, 23500.0}) {
      const auto rewriter = make(test::with("speed", {{"speed_pct", pct}}));
      const AudioBuffer out = test::rewritten(*rewriter, sine(hz, 1.2 * up), rate);
      const double now = hz * pct / 100;
      const auto [tone, rest] = tone_and_rest(out, now);
      // Between 0.94 and 1 times half the slower rate the filter falls.
      if (hz * up < 0.94 * rate / 2) EXPECT_NEAR(tone, 0, 0.1) << pct << " %, " << hz << " Hz";
      if (hz * up < 0.94 * rate / 2 || hz * up > rate / 2)
        EXPECT_LT(rest, -90) << pct << " %, " << hz << " Hz";
    }
  }
}

// A tape that slows down: the curve's integral is the clock. From 100 % to 50 % in the 2 s of the sound, straight in the
// parameter's scale (a logarithm): 2 s x (2 - 1) / ln 2.
TEST(SpeedStandard, ATapeThatSlowsDown) {
  ChainStep step = test::with("speed", {});
  step.curves = {{0, std::make_shared<const Curve>(Curve{{{0, 100}, {2, 50}}})}};
  const auto rewriter = make(step);
  EXPECT_NEAR(static_cast<double>(rewriter->length(96000)) / rate, 2 / std::numbers::ln2, 1e-4);
  // In the middle of the sound it runs at 70.7 %: 1000 Hz are 707 there.
  const AudioBuffer out = test::rewritten(*rewriter, sine(1000, 2), rate);
  const auto at = static_cast<size_t>(rewriter->map(96000).out_of(1) * rate);
  double crossings = 0, first = 0, last = 0;
  for (size_t i = at - 2400; i < at + 2400; ++i) {
    const double a = out.channel(0)[i], b = out.channel(0)[i + 1];
    if (!(a < 0 && b >= 0)) continue;
    last = static_cast<double>(i) + a / (a - b);
    if (crossings++ == 0) first = last;
  }
  EXPECT_NEAR((crossings - 1) / (last - first) * rate, 707.1, 2);
}

// The library's own best, measured when this was planned: 1.8 ms to 150 %, 4.7 to 200 %, 22 ms to 400 %.
TEST(StretchStandard, BeginningsStandWhereTheMapSays) {
  for (const auto& [pct, limit_s] : {std::pair(50.0, 0.005),
                                     {75.0, 0.005},
                                     {125.0, 0.005},
                                     {150.0, 0.005},
                                     {200.0, 0.012},
                                     {400.0, 0.025}}) {
    // Bursts of noise with a sharp beginning, like hard consonants.
    AudioBuffer x = test::silence(4, rate, 1);
    const AudioBuffer burst = test::noise(0.2, 0.06, 4, rate, 1);
    const double at[] = {0.5, 1.13, 1.9, 2.6, 3.31};
    for (const double s : at)
      for (size_t i = 0; i < burst.channel(0).size(); ++i)
        x.channel(0)[static_cast<size_t>(s * rate) + i] =
            burst.channel(0)[i] * static_cast<float>(std::exp(-static_cast<double>(i) / 900));
    const auto rewriter = make(test::with("stretch", {{"length_pct", pct}}));
    const AudioBuffer out = test::rewritten(*rewriter, x, rate);
    ASSERT_EQ(out.frames(), std::llround(4 * rate * pct / 100));
    const auto map = rewriter->map(x.frames());
    for (const double s : at) {
      // Where the level first passes a fourth of its largest near there.
      const double want = map.out_of(s);
      const auto from = static_cast<size_t>((want - 0.15) * rate),
                 to = static_cast<size_t>((want + 0.15) * rate);
      float most = 0;
      for (size_t i = from; i < to; ++i) most = std::max(most, std::abs(out.channel(0)[i]));
      size_t begin = from;
      while (std::abs(out.channel(0)[begin]) < most / 4) ++begin;
      EXPECT_NEAR(static_cast<double>(begin) / rate, want, limit_s) << pct << " %, " << s << " s";
    }
  }
}

TEST(StretchStandard, PitchStaysWithinTwoCents) {
  for (const double pct : {50.0, 92.0, 130.0, 300.0})
    for (const double hz : {110.0, 440.0, 2093.0}) {
      const auto rewriter = make(test::with("stretch", {{"length_pct", pct}}));
      const AudioBuffer out = test::rewritten(*rewriter, sine(hz, 2), rate);
      const auto all = out.channel(0);
      // Periods counted between crossings far apart.
      double first = -1, last = 0;
      int periods = -1;
      for (size_t i = all.size() / 4; i + 1 < all.size() * 3 / 4; ++i) {
        const double a = all[i], b = all[i + 1];
        if (!(a < 0 && b >= 0)) continue;
        last = static_cast<double>(i) + a / (a - b);
        if (first < 0) first = last;
        ++periods;
      }
      EXPECT_NEAR(1200 * std::log2(periods / (last - first) * rate / hz), 0, 2)
          << pct << " %, " << hz << " Hz";
    }
}

// To the first and the last frame, where a block that begins elsewhere is easily missed: in both
// channels, which are unlike. Every sound here begins and ends within some 2 000 frames.
class RewriterEdges : public testing::Test {
 protected:
  static constexpr size_t edge = 2000, frames = 31007;
  static double at(int channel, double frame) {
    const double from_end = std::min(frame, static_cast<double>(frames - 1) - frame);
    if (from_end <= 0) return 0;
    const double rise = std::min(1.0, from_end / 1500);
    return 0.4 * std::pow(std::sin(pi / 2 * rise), 2) *
           std::sin(2 * pi * (channel == 0 ? 313 : 731) * frame / rate + channel);
  }
  RewriterEdges() {
    for (int c = 0; c < 2; ++c)
      for (size_t i = 0; i < frames; ++i)
        in.channel(c)[i] = static_cast<float>(at(c, static_cast<double>(i)));
  }
  static AudioBuffer made(const ChainStep& step, const AudioBuffer& of) {
    const auto rewriter = step.type->rewrite(step.settings, {{rate, 2, 4096}, step.curves});
    return test::rewritten(*rewriter, of, rate);
  }
  AudioBuffer in{2, static_cast<Samples>(frames)};
};

TEST_F(RewriterEdges, AReversedSoundIsTheSameBackwards) {
  const AudioBuffer out = made(test::with("reverse", {}), in);
  ASSERT_EQ(out.frames(), in.frames());
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < frames; ++i)
      ASSERT_EQ(out.channel(c)[i], in.channel(c)[frames - 1 - i]) << c << " " << i;
}
TEST_F(RewriterEdges, ATapeRunsAtItsSpeedFromTheFirstFrameToTheLast) {
  for (const double pct : {37.0, 50.0, 99.0, 150.0, 200.0, 310.0}) {
    const AudioBuffer out = made(test::with("speed", {{"speed_pct", pct}}), in);
    const auto all = static_cast<size_t>(out.frames());
    ASSERT_EQ(out.frames(), std::llround(static_cast<double>(frames) * 100 / pct));
    for (int c = 0; c < 2; ++c)
      for (size_t i = 0; i < all; ++i)
        if (i < edge || i + edge >= all)
          ASSERT_NEAR(out.channel(c)[i], at(c, static_cast<double>(i) * pct / 100), 4e-4)
              << pct << " %, channel " << c << ", frame " << i << " of " << all;
  }
}
// What is stretched has its level from the beginning to the end: of noise, as loud all along.
TEST_F(RewriterEdges, AStretchedSoundIsAsLoudAtItsEdges) {
  AudioBuffer steady = test::noise(0.1, 2, 3, rate, 2);
  for (float& v : steady.channel(1)) v *= 0.25F;
  for (const double pct : {40.0, 90.0, 110.0, 250.0}) {
    const AudioBuffer out = made(test::with("stretch", {{"length_pct", pct}}), steady);
    ASSERT_EQ(out.frames(), std::llround(96000 * pct / 100));
    for (int c = 0; c < 2; ++c) {
      const auto x = out.channel(c);
      const double middle = test::rms_db(x.subspan(x.size() / 4, x.size() / 2));
      EXPECT_NEAR(middle, test::rms_db(steady.channel(c)), 3) << pct << " % " << c;
      EXPECT_NEAR(test::rms_db(x.first(edge)), middle, 3) << pct << " % " << c;
      EXPECT_NEAR(test::rms_db(x.last(edge)), middle, 3) << pct << " % " << c;
    }
  }
}

}  // namespace
}  // namespace drevan
