// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "audio/error.h"
#include "dsp/stft.h"
#include "engine/listening/level_path.h"
#include "engine/listening/measure_file.h"
#include "dsp/noise_profile.h"
#include "engine/rendering/render.h"
#include "engine/rendering/side_listener.h"
#include "engine/rendering/kept_sound.h"
#include "steps/catalogue.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

ChainStep step(std::string_view id,
               std::initializer_list<std::pair<const char*, double>> values = {}) {
  ChainStep s = make_step(id);
  for (const auto& [name, v] : values)
    s.settings.values.at(static_cast<size_t>(parameter_index(*s.type, name))) = v;
  return s;
}

Chain five_steps() {
  return {{step("normalise"), step("noise-reduction"), step("cut"), step("compressor"),
           step("normalise")}};
}

// A noisy voice: a second of room, then words.
AudioBuffer noisy_voice(double seconds = 6) {
  AudioBuffer x = test::noise(0.002, seconds, 3);
  const AudioBuffer voice = test::words(0.2, seconds - 1);
  test::add(x, voice, 1);
  return x;
}

struct Heard {
  AudioBuffer sound;
  std::vector<Findings> findings;
};

Heard process(const ClipSound& sound, const Chain& chain, FindingStore& store,
              StageStore* cache = nullptr, size_t first_tap = 0) {
  const CancelToken never{};
  std::vector<float> out;
  ProcessOptions o;
  o.store = &store;
  o.cache = cache;
  o.cancel = &never;
  o.first_tap = first_tap;
  Heard h;
  int channels = 1;
  std::vector<std::vector<float>> data(max_channels);
  const auto done = process_clip(plan_of(sound, chain), o, [&](const AudioBlock& b) {
    channels = b.channels();
    for (int c = 0; c < channels; ++c)
      data[static_cast<size_t>(c)].insert(data[static_cast<size_t>(c)].end(), b.channel(c).begin(),
                                          b.channel(c).end());
  });
  h.findings = done.findings;
  h.sound = AudioBuffer(channels, static_cast<Samples>(data[0].size()));
  for (int c = 0; c < channels; ++c)
    std::ranges::copy(data[static_cast<size_t>(c)], h.sound.channel(c).begin());
  return h;
}

bool same(const AudioBuffer& a, const AudioBuffer& b) {
  if (a.frames() != b.frames() || a.channels() != b.channels()) return false;
  for (int c = 0; c < a.channels(); ++c)
    if (!std::ranges::equal(a.channel(c), b.channel(c))) return false;
  return true;
}

class Engine : public testing::Test {
 protected:
  void SetUp() override {
    AudioBuffer x = noisy_voice();
    test::write_wav(folder_ / "voice.wav", x);
    sound_ = {folder_ / "voice.wav", 0, -1, 48000, ClipRange{0.1, 0.9}};
  }
  TempFolder folder_;
  ClipSound sound_;
  FindingStore store_;
};

TEST_F(Engine, AnEmptyChainChangesNothing) {
  const AudioBuffer in = noisy_voice();
  EXPECT_TRUE(same(process(sound_, {}, store_).sound, in));
}

TEST_F(Engine, StepsThatAreOffAreBitExact) {
  Chain chain = five_steps();
  for (auto& s : chain.steps) s.on = false;
  EXPECT_TRUE(same(process(sound_, chain, store_).sound, noisy_voice()));
}

TEST_F(Engine, LatencyIsTakenOut) {
  // At depth 0 noise reduction is only late; the engine must hand it back in step.
  const Chain chain{{step("noise-reduction", {{"depth_db", 0}})}};
  const Heard h = process(sound_, chain, store_);
  const AudioBuffer in = noisy_voice();
  ASSERT_EQ(h.sound.frames(), in.frames());
  for (size_t i = 0; i < in.channel(0).size(); ++i)
    ASSERT_NEAR(h.sound.channel(0)[i], in.channel(0)[i], 1e-5) << i;
}

TEST_F(Engine, NormaliseReachesItsGoalBehindOtherSteps) {
  for (const double what : {0.0, 1.0, 2.0}) {
    const double goal = what == 2 ? -23 : -3;
    const Chain chain{
        {step("compressor"), step("normalise", {{"measure", what}, {"target_db", goal}})}};
    const Heard h = process(sound_, chain, store_);
    LevelMeter m({48000, 1, 1 << 20}, Detail::full);
    AudioBuffer y = h.sound;
    m.hear(y.block());
    const auto level = what == 0   ? m.levels().sample_peak_dbfs
                       : what == 1 ? m.levels().true_peak_dbtp
                                   : m.levels().loudness_lufs;
    EXPECT_NEAR(*level, goal, 0.02) << what;
  }
}

TEST_F(Engine, FindingsFollowWhatStandsBeforeThem) {
  // The room tone is learned behind a gain: +6 dB before means four times the power learned.
  const Heard plain = process(sound_, {{step("noise-reduction")}}, store_);
  const Heard louder =
      process(sound_, {{step("gain", {{"gain_db", 6.0206}}), step("noise-reduction")}}, store_);
  ASSERT_EQ(plain.findings[0].values.size(), 1281U + noise_bands(1281, 48000.0 / 2560).size());
  for (size_t k = 5; k < 1000; k += 50)
    EXPECT_NEAR(louder.findings[1].values[k] / plain.findings[0].values[k], 4, 0.01);
  // And so the result is the same, only louder.
  for (size_t i = 48000; i < 200000; i += 997)
    EXPECT_NEAR(louder.sound.channel(0)[i], 2 * plain.sound.channel(0)[i], 1e-4);
}

TEST_F(Engine, FindingsAreKeptAndStaleOnesAreNot) {
  const Chain chain = five_steps();
  const Heard first = process(sound_, chain, store_);
  const Heard again = process(sound_, chain, store_);  // all findings from the store
  EXPECT_TRUE(same(first.sound, again.sound));
  FindingStore fresh;
  Chain changed = chain;
  changed.steps[2] = step("cut", {{"low_hz", 300}});
  EXPECT_TRUE(same(process(sound_, changed, store_).sound, process(sound_, changed, fresh).sound));
  // Another file under the same name is not taken for the old one.
  AudioBuffer louder = noisy_voice(5);
  for (float& v : louder.channel(0)) v *= 0.5F;
  test::write_wav(folder_ / "voice.wav", louder);
  FindingStore fresh2;
  EXPECT_TRUE(same(process(sound_, chain, store_).sound, process(sound_, chain, fresh2).sound));
}

TEST_F(Engine, StageCacheGivesTheSameBits) {
  StageStore cache;
  Chain chain = five_steps();
  const Heard plain = process(sound_, chain, store_);
  EXPECT_TRUE(same(process(sound_, chain, store_, &cache).sound, plain.sound));
  EXPECT_TRUE(same(process(sound_, chain, store_, &cache, 5).sound, plain.sound));
  chain.steps[3] = step("compressor", {{"threshold_db", -30}});
  FindingStore fresh;
  const Heard changed = process(sound_, chain, fresh);
  EXPECT_TRUE(same(process(sound_, chain, store_, &cache, 4).sound, changed.sound));
  EXPECT_FALSE(same(changed.sound, plain.sound));
}

// Steps that reckon in blocks behind one that makes sound late; each keeps its level.
TEST_F(Engine, KeptStagesGiveTheSameBitsOnTheWayToTheListener) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const Chain chain{{step("telephone", {{"loss_pct", 5}}),
                     step("loudspeaker", {{"drive_db", 6}, {"age_pct", 60}}),
                     step("acoustics", {{"path", 4}, {"path_m", 2}, {"travel", 1}}),
                     step("wall", {{"opening_m2", 0.3}})}};
  const Heard plain = process(sound_, chain, store_);
  for (size_t reuse = 1; reuse <= 4; ++reuse) {
    StageStore cache;
    FindingStore fresh;
    process(sound_, chain, fresh, &cache, reuse);
    EXPECT_TRUE(same(process(sound_, chain, fresh, &cache, reuse).sound, plain.sound)) << reuse;
    FindingStore other;
    EXPECT_TRUE(same(process(sound_, chain, other, &cache, reuse).sound, plain.sound)) << reuse;
  }
}

TEST_F(Engine, WithoutRoomToneNoiseReductionDoesNothingAndTheRenderSaysSo) {
  sound_.room_tone.reset();
  const CancelToken never{};
  const auto r = render_clip({plan_of(sound_, {{step("noise-reduction")}}), folder_ / "out.wav",
                              Container::wav, SampleType::float32},
                             store_, never);
  ASSERT_EQ(r.warnings.size(), 1U);
  EXPECT_NE(r.warnings[0].find("no room tone"), std::string::npos);
  EXPECT_NEAR(*r.after.loudness_lufs, *r.before.loudness_lufs, 0.01);
}

TEST_F(Engine, RoomToneMustFitTheClip) {
  for (const ClipRange r : {ClipRange{0.1, 0.3}, ClipRange{5, 9}, ClipRange{20, 30}}) {
    sound_.room_tone = r;
    try {
      process(sound_, {{step("noise-reduction")}}, store_);
      FAIL() << r.begin.s;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("room tone"), std::string::npos);
      EXPECT_NE(std::string(e.what()).find("voice.wav"), std::string::npos);
    }
  }
}

TEST_F(Engine, NoiseReductionLowersThePausesByItsDepthAndKeepsTheWords) {
  const AudioBuffer in = noisy_voice();
  for (const double depth : {6.0, 12.0, 20.0}) {
    const Heard h = process(sound_, {{step("noise-reduction", {{"depth_db", depth}})}}, store_);
    const auto pause = [](const AudioBuffer& x) {
      return test::rms_db(x.channel(0).subspan(9600, 33600));
    };
    EXPECT_NEAR(pause(in) - pause(h.sound), depth, 0.5);
    const auto words = [](const AudioBuffer& x) {
      return test::rms_db(x.channel(0).subspan(48000));
    };
    EXPECT_NEAR(words(in) - words(h.sound), 0, 0.2);
  }
}

// Warble: after Uemura and others 2008, musical noise shows as a raised kurtosis of the power
// spectrum; the log ratio of kurtosis after and before stays small in the pauses at 12 dB.
TEST_F(Engine, NoiseReductionDoesNotWarbleAtTwelveDecibels) {
  AudioBuffer x = test::noise(0.01, 8, 12);
  test::write_wav(folder_ / "noise.wav", x);
  ClipSound s{folder_ / "noise.wav", 0, -1, 48000, ClipRange{0.0, 1.0}};
  const Heard h = process(s, {{step("noise-reduction", {{"depth_db", 12}})}}, store_);
  const auto kurtosis = [](const AudioBuffer& y) {
    double m2 = 0, m4 = 0;
    long n = 0;
    Stft stft(1024, 2);
    AudioBuffer copy = y;
    stft.process(copy.channel(0).subspan(72000), [&](std::span<std::complex<float>> bins) {
      for (size_t k = 10; k < 500; ++k) {
        const double p = std::norm(bins[k]);
        m2 += p * p;
        m4 += p * p * p * p;
        ++n;
      }
    });
    return (m4 / static_cast<double>(n)) / std::pow(m2 / static_cast<double>(n), 2);
  };
  EXPECT_LT(std::abs(std::log(kurtosis(h.sound) / kurtosis(x))), 0.15);
}

TEST_F(Engine, RenderIsDeterministicAndAtomic) {
  const CancelToken never{};
  for (const char* name : {"a.wav", "b.wav"}) {
    FindingStore fresh;
    render_clip({plan_of(sound_, five_steps()), folder_ / name, Container::wav, SampleType::int24},
                fresh, never);
  }
  EXPECT_EQ(test::bytes(folder_ / "a.wav"), test::bytes(folder_ / "b.wav"));
  CancelToken cancelled;
  cancelled.cancel();
  EXPECT_THROW(render_clip({plan_of(sound_, five_steps()), folder_ / "c.wav", Container::wav,
                            SampleType::int24},
                           store_, cancelled),
               Cancelled);
  EXPECT_EQ(std::distance(fs::directory_iterator(folder_.path()), {}), 3);  // voice, a, b
}

TEST_F(Engine, SoundRingsOnOnlyAsLongAsItIsHeard) {
  AudioBuffer x = test::sine(100, 0.5, 1);  // ends at full level: a filter rings on
  test::write_wav(folder_ / "tone.wav", x);
  const CancelToken never{};
  const Chain chain{
      {step("equaliser", {{"band1_hz", 100}, {"band1_gain_db", 12}, {"band1_q", 16}})}};
  render_clip({plan_of({folder_ / "tone.wav", 0, -1, 48000, {}}, chain), folder_ / "out.wav",
               Container::wav, SampleType::float32},
              store_, never);
  const AudioBuffer y = test::read_all(folder_ / "out.wav");
  EXPECT_GT(y.frames(), 48000 + 4800);
  EXPECT_GT(std::abs(y.channel(0).back()), 3e-5F);
  // A clip that ends in silence gets nothing added.
  for (size_t i = 24000; i < 48000; ++i) x.channel(0)[i] = 0;
  test::write_wav(folder_ / "tone.wav", x);
  render_clip({plan_of({folder_ / "tone.wav", 0, -1, 48000, {}}, {{step("cut")}}),
               folder_ / "out.wav", Container::wav, SampleType::float32},
              store_, never);
  EXPECT_EQ(test::read_all(folder_ / "out.wav").frames(), 48000);
}

TEST_F(Engine, KeepsThePlaceOfBroadcastWaves) {
  AudioBuffer x = test::noise(0.1, 1, 3, 44100);
  test::write_wav(folder_ / "b.wav", x, 44100, SampleType::int24, {"Stairs", 44100 * 10});
  const CancelToken never{};
  render_clip({{{folder_ / "b.wav", 22050, -1, 48000, {}}, {}},
               folder_ / "out.wav",
               Container::wav,
               SampleType::int24},
              store_, never);
  const auto info = open_audio(folder_ / "out.wav")->info();
  EXPECT_EQ(info.time_reference, 480000 + 24000);  // ten seconds, and half a second into the source
  EXPECT_EQ(info.description, "Stairs");
  EXPECT_EQ(info.frames, 24000);
}

TEST_F(Engine, ClippingIsReportedForIntegerFiles) {
  const CancelToken never{};
  const Chain loud{{step("normalise"), step("gain", {{"gain_db", 9}})}};
  auto r = render_clip(
      {plan_of(sound_, loud), folder_ / "o.wav", Container::wav, SampleType::int16}, store_, never);
  EXPECT_GT(r.clipped, 0);
  ASSERT_FALSE(r.warnings.empty());
  EXPECT_NE(r.warnings.back().find("0 dBFS"), std::string::npos);
  r = render_clip({plan_of(sound_, loud), folder_ / "o.wav", Container::wav, SampleType::float32},
                  store_, never);
  EXPECT_EQ(r.clipped, 0);
  EXPECT_NEAR(*r.after.sample_peak_dbfs, 6, 0.01);
}

TEST_F(Engine, LevelPathMeasuresEveryStage) {
  LevelStore levels;
  StageStore cache;
  const CancelToken never{};
  LevelPathOptions o{&store_, &levels, &cache, &never, {}, 3};
  const Chain chain = five_steps();
  const LevelPath path = measure_level_path(plan_of(sound_, chain), o);
  ASSERT_EQ(path.stages.size(), 6U);
  EXPECT_NEAR(*path.stages[1].sample_peak_dbfs, -3, 0.01);
  EXPECT_NEAR(*path.stages[1].noise_floor_dbfs - *path.stages[2].noise_floor_dbfs, 12, 1);
  EXPECT_LT(*path.stages[4].sample_peak_dbfs, *path.stages[3].sample_peak_dbfs - 2);
  EXPECT_NEAR(*path.stages[5].sample_peak_dbfs, -3, 0.01);
  EXPECT_EQ(path.first_over, 0U);
  EXPECT_FALSE(path.spectrum_in.empty());
  // Measured again from caches it says the same.
  const LevelPath again = measure_level_path(plan_of(sound_, chain), o);
  for (size_t i = 0; i < 6; ++i)
    EXPECT_EQ(again.stages[i].loudness_lufs, path.stages[i].loudness_lufs);
  EXPECT_EQ(again.after->frames(), path.after->frames());
  EXPECT_NEAR(again.fitted_gain, path.fitted_gain, 1e-9);
}

TEST_F(Engine, TheResultAloneIsTheLevelPathsLastAndKeepsTheBorder) {
  LevelStore levels, others;
  StageStore cache;
  const CancelToken never{};
  Chain chain = five_steps();
  const auto path =
      measure_level_path(plan_of(sound_, chain), {&store_, &levels, nullptr, &never, {}, {}, true});
  const LevelPathOptions o{&store_, &others, &cache, &never, {}, {}, true};
  const Levels alone = measure_result(plan_of(sound_, chain), 3, o);
  EXPECT_EQ(alone.loudness_lufs, path.stages.back().loudness_lufs);
  EXPECT_EQ(alone.true_peak_dbtp, path.stages.back().true_peak_dbtp);
  EXPECT_NEAR(*alone.noise_floor_dbfs, *path.stages.back().noise_floor_dbfs, 1e-4);
  const auto keys = stage_keys(plan_of(sound_, chain));
  for (size_t i = 0; i < keys.size(); ++i) EXPECT_EQ(cache.get(keys[i]) != nullptr, i == 3) << i;
  // A change behind the border starts there: what is kept is what is heard.
  auto silent = std::make_shared<KeptSound>(48000, 1);
  AudioBuffer nothing(1, 4096);
  for (int i = 0; i < 70; ++i) silent->write(nothing.block());
  silent->finish();
  chain.steps[4] = step("gain", {{"gain_db", -20}});
  StageStore fake;
  fake.put(keys[3], silent);
  fake.put_facts({keys[3], silent->shape(), {}});
  EXPECT_FALSE(
      measure_result(plan_of(sound_, chain), 3, {&store_, &others, &fake, &never, {}, {}, false})
          .sample_peak_dbfs);
  // What is known is looked up, also when it would cost nothing to hear it again.
  EXPECT_FALSE(
      measure_result({{"/nowhere.wav", 0, -1, 48000, {}}}, 0,
                     [&] {
                       others.put(stage_keys({{"/nowhere.wav", 0, -1, 48000, {}}}).back(), {});
                       return o;
                     }())
          .sample_peak_dbfs);
}

TEST_F(Engine, LevelPathNamesTheFirstStageThatIsOver) {
  LevelStore levels;
  const CancelToken never{};
  const Chain chain{
      {step("normalise"), step("gain", {{"gain_db", 9}}), step("gain", {{"gain_db", -9}})}};
  const LevelPath path =
      measure_level_path(plan_of(sound_, chain), {&store_, &levels, nullptr, &never, {}, {}});
  EXPECT_EQ(path.first_over, 2U);
}

TEST_F(Engine, RemovedByPureGainIsNothing) {
  LevelStore levels;
  const CancelToken never{};
  const LevelPath path = measure_level_path(plan_of(sound_, {{step("gain", {{"gain_db", 7}})}}),
                                            {&store_, &levels, nullptr, &never, {}, {}});
  EXPECT_NEAR(20 * std::log10(path.fitted_gain), 7, 1e-4);
}

TEST_F(Engine, ReadsAPartOfASource) {
  sound_.begin = 48000;
  sound_.frames = 24000;
  sound_.room_tone.reset();
  const AudioBuffer in = noisy_voice();
  const Heard h = process(sound_, {}, store_);
  ASSERT_EQ(h.sound.frames(), 24000);
  for (size_t i = 0; i < 24000; ++i) ASSERT_EQ(h.sound.channel(0)[i], in.channel(0)[48000 + i]);
}

// An echo rings on after the clip's end and fades: that is quieter than any room.
TEST(LevelPathTest, TheNoiseFloorIsThatOfTheClipNotOfItsRinging) {
  const TempFolder temp;
  AudioBuffer x = noisy_voice();
  test::write_wav(temp / "voice.wav", x);
  const Chain chain{{step("delay", {{"time_1_ms", 400}, {"feedback_1_pct", 80}})}};
  FindingStore findings;
  LevelStore levels;
  const CancelToken never{};
  LevelPathOptions options;
  options.store = &findings;
  options.levels = &levels;
  options.cancel = &never;
  ClipSound sound;
  sound.file = temp / "voice.wav";
  const auto path = measure_level_path(plan_of(sound, chain), options);
  const double before = path.stages[0].noise_floor_dbfs.value_or(0);
  EXPECT_GT(path.stages[1].noise_floor_dbfs.value_or(-200), before - 1);
}

TEST(KeptSound, GoesToDiskAndComesBackFromAnyPlace) {
  AudioBuffer x = test::noise(0.3, 2, 5, 48000, 2);
  for (const size_t limit : {size_t{1000}, size_t{128} << 20}) {
    const auto sound = std::make_shared<KeptSound>(48000, 2, limit);
    for (Samples at = 0; at < 96000; at += 5000)
      ASSERT_TRUE(sound->write(x.block(at, static_cast<int>(std::min<Samples>(5000, 96000 - at)))));
    ASSERT_TRUE(sound->finish());
    EXPECT_EQ(sound->shape(), (SoundShape{48000, 2, 96000}));
    // Two readers do not disturb each other.
    const auto one = reader_of(sound), other = reader_of(sound);
    AudioBuffer y(2, 96000), z(2, 100);
    Samples done = 0;
    for (int n = 0; done < 96000 && (n = one->read(y.block(done, static_cast<int>(std::min<Samples>(
                                                                     777, 96000 - done))))) > 0;) {
      done += n;
      other->seek(96000 - done);
      ASSERT_GT(other->read(z.block()), 0);
      ASSERT_EQ(z.channel(1)[0], x.channel(1)[static_cast<size_t>(96000 - done)]);
    }
    EXPECT_TRUE(same(x, y));
  }
}

// Files without a name that this process holds open.
long nameless_files() {
  long count = 0;
  for (const auto& entry : std::filesystem::directory_iterator("/proc/self/fd")) {
    std::error_code gone;
    const auto to = std::filesystem::read_symlink(entry.path(), gone).string();
    count += to.ends_with(" (deleted)") ? 1 : 0;
  }
  return count;
}

TEST(KeptSound, HoldsNoMoreInMemoryThanItsLimit) {
  AudioBuffer x = test::noise(0.3, 1, 5);
  for (const size_t limit : {size_t{100000}, size_t{128} << 20}) {
    const long before = nameless_files();
    KeptSound sound(48000, 1, limit);
    ASSERT_TRUE(sound.write(x.block()));
    EXPECT_EQ(nameless_files() - before, limit < 48000 * sizeof(float) ? 1 : 0) << limit;
  }
}

// What was measured without true peak is not taken for all: whoever asks for it gets it, with the same stores.
TEST_F(Engine, LevelsThatAreKnownWithoutTruePeakAreMeasuredAgainForIt) {
  const auto plan = plan_of(sound_, Chain{{step("gain", {{"gain_db", -3}})}});
  const CancelToken never;
  LevelStore levels;
  LevelPathOptions options;
  options.store = &store_;
  options.levels = &levels;
  options.cancel = &never;
  for (const bool wanted : {false, true, false}) {
    options.true_peak = wanted;
    const LevelPath path = measure_level_path(plan, options);
    if (wanted) {
      ASSERT_TRUE(path.stages.back().true_peak_dbtp);
      EXPECT_GE(*path.stages.back().true_peak_dbtp, *path.stages.back().sample_peak_dbfs - 0.1);
    }
  }
}

TEST(MeasureFile, SaysWhatIsThere) {
  const TempFolder t;
  AudioBuffer x = test::sine(997, 0.5, 2, 44100, 2);
  test::write_wav(t / "x.wav", x, 44100, SampleType::int24);
  const CancelToken never{};
  const auto m = measure_file(t / "x.wav", never);
  EXPECT_NEAR(*m.levels.sample_peak_dbfs, -6.02, 0.01);
  EXPECT_EQ(m.info.rate, 44100);
  EXPECT_EQ(m.info.frames, 88200);
}

TEST(SideListener, HearsEveryLineWholeAndInOrder) {
  const StreamFormat format{48000, 2, 64};
  std::array<std::vector<float>, 7> heard;
  SideListener side(format, [&](size_t line, const AudioBlock& b) {
    for (const float x : b.channel(1)) heard[line].push_back(x);
  });
  AudioBuffer block(2, 64);
  float next = 0;
  for (int round = 0; round < 200; ++round) {
    const int n = 1 + round % 64;
    for (int i = 0; i < n; ++i) block.channel(1)[static_cast<size_t>(i)] = next++;
    for (size_t line = 0; line < heard.size(); ++line) side.tell(line, block.block(0, n));
  }
  side.finish();
  for (const auto& h : heard) {
    ASSERT_EQ(h.size(), static_cast<size_t>(next));
    for (size_t i = 0; i < h.size(); ++i) ASSERT_EQ(h[i], static_cast<float>(i));
  }
}

// On whichever thread it is thrown: who tells learns of it, and nothing hangs.
TEST(SideListener, WhatIsThrownThereIsThrownHere) {
  AudioBuffer block(1, 64);
  for (const size_t throwing : {size_t{0}, size_t{2}, size_t{5}}) {
    SideListener side({48000, 1, 64}, [&](size_t line, const AudioBlock&) {
      if (line == throwing) throw std::bad_alloc();
    });
    EXPECT_THROW(
        {
          for (int round = 0; round < 200; ++round)
            for (size_t line = 0; line < 7; ++line) side.tell(line, block.block());
          side.finish();
        },
        std::bad_alloc)
        << throwing;
  }
}

// Exactly as long as the clip: what still rings there goes out over the last 10 ms instead of being cut off.
TEST_F(Engine, AtTheClipsLengthWhatRingsFadesOut) {
  AudioBuffer x = test::noise(0.2, 1, 3);
  test::write_wav(folder_ / "noise.wav", x);
  RenderRequest request{plan_of({folder_ / "noise.wav", 0, -1, 48000, {}},
                                Chain{{step("reverb", {{"mix_pct", 100}})}}),
                        folder_ / "out.wav", Container::wav, SampleType::float32};
  request.length = RenderLength::same;
  const CancelToken never;
  render_clip(request, store_, never);
  const AudioBuffer out = test::read_all(folder_ / "out.wav");
  ASSERT_EQ(out.frames(), 48000);
  for (int c = 0; c < out.channels(); ++c) {
    const auto all = out.channel(c);
    EXPECT_EQ(all.back(), 0);
    const double before = test::rms(all.subspan(47000, 400)), end = test::rms(all.subspan(47952));
    EXPECT_GT(before, 0.001);
    EXPECT_LT(end, before / 8);
  }
}

}  // namespace
}  // namespace drevan
