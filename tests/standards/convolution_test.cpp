// SPDX-License-Identifier: GPL-3.0-or-later
// Convolution against its definition; sweeps after A. Farina, AES 108th Convention, 2000; decay
// after M. R. Schroeder, JASA 37, 1965.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/biquad.h"
#include "dsp/convolver.h"
#include "dsp/response_shape.h"
#include "engine/making/response_making.h"
#include "media/response_file.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;
using testing::HasSubstr;

// Chance that dies away, with a direct sound.
AudioBuffer room(double t60_s, double seconds, int channels = 1, double at_rate = rate) {
  AudioBuffer x = test::noise(0.1, seconds, 5, at_rate, channels);
  for (int c = 0; c < channels; ++c) {
    const auto y = x.channel(c);
    for (size_t i = 0; i < y.size(); ++i)
      y[i] *= static_cast<float>(std::pow(10.0, -3 * static_cast<double>(i) / at_rate / t60_s));
    y[0] = 1;
  }
  return x;
}

ChainStep through_file(const std::filesystem::path& file,
                       std::initializer_list<std::pair<std::string_view, double>> values = {}) {
  ChainStep s = test::with("convolution", values);
  s.settings.values[static_cast<size_t>(parameter_index(*s.type, "mix_pct"))] = 100;
  s.settings.texts[0] = file.string();
  return s;
}

// As wide as it comes out, its latency taken out.
AudioBuffer run(const ChainStep& step, const AudioBuffer& in) {
  AudioBuffer x(channels_out(*step.type, step.settings, in.channels()), in.frames());
  const auto p = make_processor(*step.type, step.settings, {}, {rate, in.channels(), 4096});
  const Samples late = p->latency();
  AudioBuffer all(x.channels(), x.frames() + late);
  for (int c = 0; c < in.channels(); ++c) std::ranges::copy(in.channel(c), all.channel(c).begin());
  for (Samples at = 0; at < all.frames(); at += 4096)
    p->process(all.block(at, static_cast<int>(std::min<Samples>(4096, all.frames() - at))));
  for (int c = 0; c < x.channels(); ++c)
    std::copy_n(all.channel(c).begin() + late, x.frames(), x.channel(c).begin());
  return x;
}

double worst_difference(std::span<const float> a, std::span<const double> b) {
  double worst = 0;
  for (size_t i = 0; i < a.size(); ++i)
    worst = std::max(worst, std::abs(static_cast<double>(a[i]) - b[i]));
  return worst;
}

// By its definition, the sum of products.
std::vector<double> convolved(std::span<const float> x, std::span<const float> h) {
  std::vector<double> y(x.size());
  for (size_t i = 0; i < x.size(); ++i)
    for (size_t k = 0; k < h.size() && k <= i; ++k)
      y[i] += static_cast<double>(h[k]) * static_cast<double>(x[i - k]);
  return y;
}

TEST(ConvolutionStandard, IsTheSumOfProductsToTheSample) {
  const test::TempFolder folder;
  AudioBuffer h = room(0.3, 0.12, 2);
  test::write_wav(folder / "a room, left and right.wav", h);
  const AudioBuffer x = test::noise(0.1, 0.35, 9);
  const auto y =
      run(through_file(folder / "a room, left and right.wav", {{"gain", 1}, {"out", 1}}), x);
  ASSERT_EQ(y.channels(), 2);
  for (int c = 0; c < 2; ++c)
    EXPECT_LT(worst_difference(y.channel(c), convolved(x.channel(0), h.channel(c))), 2e-5) << c;
}

// Silence before the first sound is no lateness: what was recorded late comes in time.
TEST(ConvolutionStandard, TheFirstSoundComesAtOnce) {
  const test::TempFolder folder;
  AudioBuffer h = test::silence(0.2);
  h.channel(0)[4321] = 0.5F;
  test::write_wav(folder / "late.wav", h);
  AudioBuffer x = test::noise(0.1, 0.5, 9);
  const auto y = run(through_file(folder / "late.wav", {{"gain", 1}}), x);
  for (size_t i = 0; i < y.channel(0).size(); ++i)
    ASSERT_NEAR(y.channel(0)[i], 0.5F * x.channel(0)[i], 1e-6) << i;
  const auto later =
      run(through_file(folder / "late.wav", {{"gain", 1}, {"pre_delay_ms", 100}}), x);
  for (size_t i = 4800; i < y.channel(0).size(); ++i)
    ASSERT_NEAR(later.channel(0)[i], y.channel(0)[i - 4800], 1e-6) << i;
}

TEST(ConvolutionStandard, FourChannelsAreLeftAndRightToLeftAndRight) {
  const test::TempFolder folder;
  AudioBuffer h(4, 100);
  const float gains[] = {0.9F, 0.4F, 0.3F, 0.8F};
  for (int c = 0; c < 4; ++c) h.channel(c)[0] = gains[c];
  test::write_wav(folder / "four.wav", h);
  AudioBuffer x = test::noise(0.1, 0.2, 9, rate, 2);
  const auto y = run(through_file(folder / "four.wav", {{"gain", 1}}), x);
  for (size_t i = 0; i < 5000; ++i) {
    const float l = x.channel(0)[i], r = x.channel(1)[i];
    ASSERT_NEAR(y.channel(0)[i], 0.9F * l + 0.3F * r, 1e-6);
    ASSERT_NEAR(y.channel(1)[i], 0.4F * l + 0.8F * r, 1e-6);
  }
}

TEST(ConvolutionStandard, DecayIsMeasuredWithin5Percent) {
  for (const double t60 : {0.3, 0.8, 2.5})
    EXPECT_NEAR(response_decay(room(t60, 2 * t60), rate).t60_s / t60, 1, 0.05) << t60;
  // So it is where the recording has noise 50 dB down, whose beginning is found.
  AudioBuffer noisy = room(0.8, 3);
  test::add(noisy, test::noise(0.1 * from_db(-50), 3, 77), 0);
  const auto decay = response_decay(noisy, rate);
  EXPECT_NEAR(decay.t60_s / 0.8, 1, 0.07);
  EXPECT_NEAR(decay.noise_s, 0.8 * 50 / 60, 0.1);
}

TEST(ConvolutionStandard, LengthAndDecayDoWhatTheySay) {
  const AudioBuffer h = room(0.8, 1.6, 2);
  const auto t60 = [&](const ResponseShape& shape) {
    return response_decay(shape_response(h, rate, shape, 1'000'000), rate).t60_s;
  };
  for (const double by : {0.4, 0.7, 1.5, 3.0}) {
    EXPECT_NEAR(t60({.length = by}) / (0.8 * by), 1, 0.08) << by;
    EXPECT_NEAR(t60({.length = by, .keeps_tone = false}) / (0.8 * by), 1, 0.05) << by;
  }
  for (const double by : {0.3, 0.7, 1.5})
    EXPECT_NEAR(t60({.decay = by}) / (0.8 * by), 1, 0.06) << by;
}

// Longer with its tone kept has the same balance of octaves, like tape moves it by the factor.
TEST(ConvolutionStandard, DrawnOutTheToneIsKeptOrDarkened) {
  AudioBuffer h = test::noise(0.1, 1.5, 5);
  Biquad narrow, dull;
  dull.set(design_biquad(BiquadKind::low_pass, 4000, 0.7, 0, rate));
  narrow.set(design_biquad(BiquadKind::bell, 2000, 4, 30, rate));
  const auto x = h.channel(0);
  for (size_t i = 0; i < x.size(); ++i)
    x[i] = static_cast<float>(narrow.process(dull.process(static_cast<double>(x[i]))) *
                              std::exp(-6.9 * static_cast<double>(i) / rate / 0.8));
  // Where most of the energy is, by zero crossings.
  const auto crossings_hz = [](const AudioBuffer& of) {
    const auto y = of.channel(0).first(20000).subspan(2000);
    int count = 0;
    for (size_t i = 1; i < y.size(); ++i) count += (y[i] > 0) != (y[i - 1] > 0);
    return count * rate / 2 / static_cast<double>(y.size());
  };
  const double own = crossings_hz(h);
  EXPECT_NEAR(crossings_hz(shape_response(h, rate, {.length = 2}, 500000)) / own, 1, 0.08);
  EXPECT_NEAR(
      crossings_hz(shape_response(h, rate, {.length = 2, .keeps_tone = false}, 500000)) / own, 0.5,
      0.03);
}

// Every response leaves a voice about as loud as it was.
TEST(ConvolutionStandard, EvenedResponsesAreAsLoudAsWhatEnters) {
  const test::TempFolder folder;
  const AudioBuffer voice = test::continuous_speech("en_US_f_Allison", 8);
  AudioBuffer in(2, voice.frames());
  for (int c = 0; c < 2; ++c) std::ranges::copy(voice.channel(0), in.channel(c).begin());
  for (const double t60 : {0.01, 0.3, 1.5}) {
    AudioBuffer h = room(t60, t60 + 0.2, 2);
    for (int c = 0; c < 2; ++c)
      for (float& v : h.channel(c)) v *= 0.03F;
    test::write_wav(folder / "h.wav", h);
    const auto y = run(through_file(folder / "h.wav"), in);
    EXPECT_NEAR(test::rms_db(y.channel(0)), test::rms_db(in.channel(0)), 2.5) << t60;
  }
}

// A file at another rate has the same gain at each frequency.
TEST(ConvolutionStandard, RatesDoNotChangeTheSound) {
  const test::TempFolder folder;
  const auto tone_gain = [&](double file_rate) {
    AudioBuffer h(1, static_cast<Samples>(0.1 * file_rate));
    Biquad bell;
    bell.set(design_biquad(BiquadKind::bell, 1000, 1, 12, file_rate));
    for (size_t i = 0; i < h.channel(0).size(); ++i)
      h.channel(0)[i] = static_cast<float>(bell.process(i == 100 ? 1 : 0));
    test::write_wav(folder / "h.wav", h, file_rate);
    const AudioBuffer x = test::sine(1000, 0.1, 1);
    const auto y = run(through_file(folder / "h.wav", {{"gain", 1}}), x);
    return test::rms_db(y.channel(0).subspan(20000)) - test::rms_db(x.channel(0).subspan(20000));
  };
  for (const double file_rate : {8000.0, 44100.0, 96000.0, 192000.0})
    EXPECT_NEAR(tone_gain(file_rate), 12, 0.15) << file_rate;
}

struct Played {
  AudioBuffer recording;
  AudioBuffer truth;  // the response, from its first sound on
};
// What a room makes of a sweep: late, noisy, distorted.
Played play(const AudioBuffer& sweep, double noise_db, double third) {
  Played out{test::silence(0), room(0.4, 0.6)};
  AudioBuffer bent = sweep;
  for (float& v : bent.channel(0)) v += static_cast<float>(third) * v * v * v;
  std::vector<float> h(out.truth.channel(0).begin(), out.truth.channel(0).end());
  LongConvolver through(h);
  out.recording = AudioBuffer(1, sweep.frames() + 9000);
  std::vector<float> late(static_cast<size_t>(out.recording.frames()));
  std::ranges::copy(bent.channel(0), late.begin() + 5000);
  through.add(late, out.recording.channel(0));
  test::add(out.recording, test::noise(from_db(noise_db), 12, 3), 0);
  return out;
}
// Below 10 kHz, where the sweep is flat, at whatever gain it was recorded.
double error_db(const AudioBuffer& found, const AudioBuffer& truth) {
  const auto x = found.channel(0);
  const auto at = std::distance(
      x.begin(), std::ranges::max_element(x, {}, [](float v) { return std::abs(v); }));
  const auto low = [](std::span<const float> of, std::ptrdiff_t from, Samples frames) {
    std::vector<double> out;
    std::array<Biquad, 2> sections;
    for (auto& b : sections) b.set(design_biquad(BiquadKind::low_pass, 10000, 0.7, 0, rate));
    for (std::ptrdiff_t i = -100; i < frames; ++i) {
      const auto k = static_cast<size_t>(i + from);
      double v = i + from >= 0 && k < of.size() ? static_cast<double>(of[k]) : 0;
      for (auto& b : sections) v = b.process(v);
      out.push_back(v);
    }
    return out;
  };
  const auto want = low(truth.channel(0), 0, truth.frames()), got = low(x, at, truth.frames());
  double both = 0, own = 0, all = 0, error = 0;
  for (size_t i = 0; i < want.size(); ++i) both += want[i] * got[i], own += got[i] * got[i];
  for (size_t i = 0; i < want.size(); ++i) {
    error += std::pow(want[i] - both / own * got[i], 2);
    all += want[i] * want[i];
  }
  return power_to_db(error / all);
}

// The response of a known room comes back from the sweep.
TEST(SweepStandard, GivesTheRoomBack) {
  const AudioBuffer sweep = make_sweep({.seconds = 6, .silence_s = 1.5}, rate);
  const Played clean = play(sweep, -120, 0);
  const auto found = response_of_sweep(sweep, clean.recording, rate, 30, {});
  ASSERT_TRUE(found);
  EXPECT_LT(error_db(*found, clean.truth), -35);
  EXPECT_NEAR(response_decay(*found, rate).t60_s, 0.4, 0.02);
  // Third harmonics 20 dB down and noise 50 dB down are not in the response: they come before it.
  const Played bad = play(sweep, -60, 0.8);
  const auto again = response_of_sweep(sweep, bad.recording, rate, 30, {});
  ASSERT_TRUE(again);
  EXPECT_NEAR(response_decay(*again, rate).t60_s, 0.4, 0.04);
  EXPECT_LT(error_db(*again, clean.truth), -25);
  EXPECT_FALSE(response_of_sweep(sweep, test::noise(0.1, 9, 4), rate, 30, {}));
  EXPECT_FALSE(response_of_sweep(sweep, test::silence(9), rate, 30, {}));
}

// Rises by the same interval every second, from corner to corner.
TEST(SweepStandard, IsExponential) {
  const AudioBuffer sweep = make_sweep({.from_hz = 100, .to_hz = 6400, .seconds = 6}, rate);
  const auto x = sweep.channel(0);
  for (const double s : {1.0, 2.0, 3.0, 4.0, 5.0}) {
    int crossings = 0;
    const auto at = static_cast<size_t>((0.5 + s - 0.05) * rate);
    for (size_t i = at; i < at + 4800; ++i) crossings += (x[i] > 0) != (x[i - 1] > 0);
    const double octaves = std::log2(crossings / 0.2 / 100);
    EXPECT_NEAR(octaves, s, 0.08) << s;
  }
  EXPECT_NEAR(test::rms_db(x.subspan(96000, 96000)), -9.03, 0.05);
}

TEST(SweepStandard, FilesAndFaults) {
  const test::TempFolder folder;
  write_sweep(folder / "sweep.wav", {.seconds = 3, .silence_s = 1}, rate);
  AudioBuffer sweep = test::read_all(folder / "sweep.wav");
  // Recorded at another rate, in stereo, with a long name.
  AudioBuffer back = test::read_all(folder / "sweep.wav");
  const auto name = folder / "ÜBUNG – what came back, microphone 2 (take 3).wav";
  {
    AudioBuffer two(2, back.frames());
    for (int c = 0; c < 2; ++c) std::ranges::copy(back.channel(0), two.channel(c).begin());
    test::write_wav(name, two, rate, SampleType::int24);
  }
  const auto made = make_response(folder / "sweep.wav", name, folder / "response.wav", {});
  EXPECT_EQ(made.channels, 2);
  EXPECT_EQ(response_fault((folder / "response.wav").string()), "");
  const auto complains = [&](const std::filesystem::path& recording, const char* what) {
    try {
      make_response(folder / "sweep.wav", recording, folder / "none.wav", {});
      ADD_FAILURE() << "made of " << recording;
    } catch (const Error& e) {
      EXPECT_THAT(e.what(), HasSubstr(what));
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "none.wav"));
  };
  AudioBuffer other = test::noise(0.1, 4, 8);
  test::write_wav(folder / "other.wav", other);
  complains(folder / "other.wav", "does not hold the sweep");
  complains(folder / "gone.wav", "gone.wav");
  EXPECT_THROW(write_sweep(folder / "x.wav", {.from_hz = 30000}, rate), Error);
  EXPECT_THROW(write_sweep(folder / "no folder" / "x.wav", {}, rate), Error);
  CancelToken stop;
  stop.cancel();
  EXPECT_THROW(make_response(folder / "sweep.wav", name, folder / "none.wav", stop), Cancelled);
}

TEST(Convolution, FilesThatAreNoResponsesAreToldAndHarmless) {
  const test::TempFolder folder;
  const auto file = folder / "h.wav";
  const auto fault = [&](AudioBuffer x) {
    std::filesystem::remove(file);
    test::write_wav(file, x);
    // Within one tick of the clock a file may look the same.
    std::filesystem::rename(file, folder / ("h" + std::to_string(x.frames()) + ".wav"));
    return response_fault((folder / ("h" + std::to_string(x.frames()) + ".wav")).string());
  };
  EXPECT_THAT(fault(AudioBuffer(1, 0)), testing::Not(testing::IsEmpty()));
  EXPECT_EQ(fault(test::silence(0.1)), "is silent");
  AudioBuffer one(1, 1);
  one.channel(0)[0] = 1;
  EXPECT_EQ(fault(one), "");
  AudioBuffer nan(1, 777);
  std::ranges::fill(nan.channel(0), std::nanf(""));
  EXPECT_EQ(fault(nan), "is silent");
  EXPECT_THAT(fault(test::noise(0.1, 10'000'000 / rate, 1)), HasSubstr("longer than 30 s"));
  std::ofstream(folder / "words.sofa") << "words";
  EXPECT_THAT(response_fault((folder / "words.sofa").string()), HasSubstr("is no SOFA file"));
  EXPECT_THAT(response_fault((folder / "gone.wav").string()), HasSubstr("cannot be read"));
  // What enters comes through as it is.
  const AudioBuffer x = test::noise(0.1, 0.3, 2);
  const auto y = run(through_file(folder / "words.sofa"), x);
  for (size_t i = 0; i < x.channel(0).size(); ++i) ASSERT_EQ(y.channel(0)[i], x.channel(0)[i]);
}

// The standard head of libmysofa: two ears, the measurement that is asked for, the last beyond.
TEST(Convolution, ReadsSofaFiles) {
  const std::filesystem::path head = "/usr/share/libmysofa/default.sofa";
  const auto first = load_response(head, 1, rate), other = load_response(head, 100, rate);
  EXPECT_EQ(first->channels(), 2);
  EXPECT_NE(test::rms(first->channel(0)), test::rms(other->channel(0)));
  const auto beyond = load_response(head, 1000, rate);
  EXPECT_GT(test::rms(beyond->channel(1)), 0);
  const auto y =
      run(through_file(head, {{"out", 1}, {"measurement", 100}}), test::noise(0.1, 0.3, 2));
  EXPECT_GT(test::rms(y.channel(0)), 0.01);
}

}  // namespace
}  // namespace drevan
