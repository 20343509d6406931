// SPDX-License-Identifier: GPL-3.0-or-later
// What a step hears beside its own sound, and steps that come out as loud as they went in: by steps
// of the test's own.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "audio/error.h"
#include "engine/rendering/kept_level.h"
#include "engine/playing/play_run.h"
#include "engine/rendering/render.h"
#include "measure/levels.h"
#include "reel/edits/edits.h"
#include "reel/sides.h"
#include "support/extent.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;

// Multiplies its sound by the first channel of what it hears beside it; halves it where there is
// nothing.
class Multiply final : public Processor {
 public:
  explicit Multiply(StreamFormat format) : side_(1, format.max_block) {}
  void hear_side(int side, const AudioBlock& block) noexcept override {
    EXPECT_EQ(side, 0);
    heard_ = block.frames();
    side_.block(0, block.frames()).copy_from(block.first(1));
  }
  void process(const AudioBlock& block) noexcept override {
    for (int c = 0; c < block.channels(); ++c)
      for (size_t i = 0; i < block.channel(c).size(); ++i)
        block.channel(c)[i] *= heard_ == block.frames() ? side_.channel(0)[i] : 0.5F;
    heard_ = 0;
  }
  void reset() noexcept override {}
  void set(int, double) noexcept override {}

 private:
  AudioBuffer side_;
  int heard_ = 0;
};

const StepType& multiply() {
  static const StepType type = [] {
    StepType t;
    t.id = "test-multiply";
    t.label = "Multiply";
    t.parameters = {{.id = "unused_db", .label = "Unused", .most = 1}};
    t.sides = {{"other", "Other", "What it is multiplied by."}};
    t.make = [](const Settings&, const Findings&, StreamFormat f) -> std::unique_ptr<Processor> {
      return std::make_unique<Multiply>(f);
    };
    t.brief = [](const Settings&) { return std::string("x"); };
    return t;
  }();
  static const bool known = (make_known(type), true);
  (void)known;
  return type;
}

ChainStep step_of(const StepType& type) {
  ChainStep s;
  s.type = &type;
  s.settings = standard_settings(type);
  return s;
}

class Sides : public testing::Test {
 protected:
  Sides() {
    x = test::noise(0.2, 1.5, 1);
    y = test::noise(0.2, 1.0, 2);
    test::write_wav(t / "x.wav", x);
    test::write_wav(t / "y.wav", y);
    for (const char* name : {"x.wav", "y.wav"}) add_clip(reel, examine_source(t / name), "G");
    reel.clips[0].chain.steps = {step_of(multiply())};
    settle_step_ids(reel);
  }
  StepId id() const { return reel.clips[0].chain.steps[0].id; }
  Reel with_side(ClipId clip) const {
    return edits::set_side(reel, 1, id(), 0, {SideChoice::From::clip, clip, {}, {}}).next;
  }
  AudioBuffer processed(const ClipPlan& plan, std::vector<std::string>* told = nullptr) {
    ProcessOptions options;
    options.store = &store;
    options.cancel = &never;
    options.warn = [&](const std::string& s) {
      if (told) told->push_back(s);
    };
    AudioBuffer out(1, x.frames());
    Samples at = 0;
    process_clip(plan, options, [&](const AudioBlock& b) {
      const auto n = static_cast<int>(std::min<Samples>(b.frames(), out.frames() - at));
      if (n > 0) out.block(at, n).copy_from(b);
      at += n;
    });
    return out;
  }

  TempFolder t;
  AudioBuffer x, y;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

std::string told_by(auto&& what) {
  try {
    what();
  } catch (const Error& e) {
    return e.what();
  }
  return {};
}

TEST_F(Sides, AnotherClipIsHeardInStepToTheSampleThroughItsOwnChain) {
  Reel both = with_side(2);
  both.clips[1].chain.steps = {test::with("gain", {{"gain_db", -6}})};
  both.chain.steps = {test::with("gain", {{"gain_db", -60}})};  // the reel's is not of it
  const AudioBuffer out = processed(own_plan_of(both, both.clips[0]));
  const float gain = std::pow(10.0F, -0.3F);
  for (size_t i = 0; i < x.channel(0).size(); ++i) {
    const float side =
        i < y.channel(0).size() ? gain * y.channel(0)[i] : 0.0F;  // silence where it has ended
    ASSERT_NEAR(out.channel(0)[i], x.channel(0)[i] * side, 1e-6) << i;
  }
}

TEST_F(Sides, PlayingFromAnywhereHearsTheSame) {
  const Reel both = with_side(2);
  const auto clip = plan_of(both, both.clips[0]);
  const AudioBuffer whole = processed(clip);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &never;
  const auto done = process_clip(clip, options, {});
  auto plan = std::make_shared<PlayPlan>();
  plan->clip = clip;
  plan->findings = done.findings;
  plan->sides = done.sides;
  PlayRun run(plan);
  AudioBuffer before(1, PlayRun::block), after(1, PlayRun::block);
  for (const Samples at : {Samples{0}, Samples{12345}, Samples{47900}}) {
    run.seek(at);
    run.next(before.block(), after.block(), -1);
    for (int i = 0; i < PlayRun::block; ++i)
      ASSERT_EQ(after.channel(0)[static_cast<size_t>(i)],
                whole.channel(0)[static_cast<size_t>(at + i)])
          << at << " + " << i;
  }
}

TEST_F(Sides, AFileIsHeardAsWellAlsoWithoutAReel) {
  Chain chain{{step_of(multiply())}};
  chain.steps[0].sides = {{SideChoice::From::file, 0, {}, t / "y.wav"}};
  const AudioBuffer out = processed(plan_of({t / "x.wav", 0, -1, 48000, {}}, chain));
  ASSERT_NEAR(out.channel(0)[5000], x.channel(0)[5000] * y.channel(0)[5000], 1e-6);
  chain.steps[0].sides[0].file = t / "gone.wav";
  EXPECT_NE(told_by([&] {
              processed(plan_of({t / "x.wav", 0, -1, 48000, {}}, chain));
            }).find("gone.wav"),
            std::string::npos);
}

TEST_F(Sides, ItsKeyIsPartOfTheStagesAndOfWhatSoundsTheSame) {
  const Reel both = with_side(2);
  Reel louder = both;
  louder.clips[1].chain.steps = {make_step("gain")};
  const auto key = [](const Reel& r) { return stage_keys(plan_of(r, r.clips[0])).back(); };
  EXPECT_NE(key(both), key(louder));
  EXPECT_NE(key(both), key(reel));
  EXPECT_FALSE(sounds_the_same(both, louder, 1));
  EXPECT_TRUE(sounds_the_same(both, both, 1));
}

TEST_F(Sides, ItselfAndRingsAreRefusedAndOneThatIsGoneIsTold) {
  EXPECT_NE(told_by([&] { with_side(1); }).find("the clip itself"), std::string::npos);
  Reel ring = with_side(2);
  ring.clips[1].chain.steps = {step_of(multiply())};
  settle_step_ids(ring);
  const StepId second = ring.clips[1].chain.steps[0].id;
  EXPECT_NE(told_by([&] {
              edits::set_side(ring, 2, second, 0, {SideChoice::From::clip, 1, {}, {}});
            }).find("in turn"),
            std::string::npos);
  // Also where it comes by no edit.
  ring.clips[1].chain.steps[0].sides = {{SideChoice::From::clip, 1, "x", {}}};
  EXPECT_NE(told_by([&] { plan_of(ring, ring.clips[0]); }).find("in turn"), std::string::npos);
  EXPECT_NE(told_by([&] {
              reel_from_text(reel_to_text(ring, t.path()), t.path(), "r.reel");
            }).find("in turn"),
            std::string::npos);

  Reel gone = with_side(2);
  const ClipId two[] = {2};
  remove_clips(gone, two);
  std::vector<std::string> told;
  const AudioBuffer out = processed(plan_of(gone, gone.clips[0]), &told);
  ASSERT_EQ(told.size(), 1U);
  EXPECT_NE(told[0].find("y is not in the reel"), std::string::npos) << told[0];
  EXPECT_EQ(out.channel(0)[700], 0.5F * x.channel(0)[700]);
}

// The vocoder of the catalogue: other rates and more channels, a silent and a short carrier, one
// that is gone.
TEST_F(Sides, AVocoderTakesAnyCarrier) {
  AudioBuffer voice = test::words(0.4, 1.5), wind = test::noise(0.1, 1.5, 5, 192000, 6),
              low = test::noise(0.1, 0.4, 6, 8000), silent = test::silence(1.5);
  test::write_wav(t / "voice.wav", voice);
  test::write_wav(t / "wind.wav", wind, 192000);
  test::write_wav(t / "low.wav", low, 8000);
  test::write_wav(t / "silent.wav", silent);
  ClipSound sound;
  sound.file = t / "voice.wav";
  const auto spoken = [&](const char* carrier) {
    ChainStep step = test::with("vocoder", {{"carrier", 5}, {"level", 1}});
    step.sides = {{SideChoice::From::file, 0, {}, t / carrier}};
    return processed(plan_of(sound, {{step}}));
  };
  const auto level = [](const AudioBuffer& of, size_t from, size_t to) {
    return test::rms_db(of.channel(0).subspan(from, to - from));
  };
  EXPECT_GT(level(spoken("wind.wav"), 2000, 60000), -60);
  const AudioBuffer brief = spoken("low.wav");
  EXPECT_GT(level(brief, 2000, 16000), -60);
  EXPECT_LT(level(brief, 30000, 70000), -90);
  const AudioBuffer none_heard = spoken("silent.wav");
  for (const float v : none_heard.channel(0)) ASSERT_LT(std::abs(v), 1e-6F);
  EXPECT_NE(told_by([&] { spoken("gone.wav"); }).find("gone.wav: there is no such file"),
            std::string::npos);
  // None was chosen: noise takes its place.
  const ChainStep none = test::with("vocoder", {{"carrier", 5}, {"level", 1}});
  EXPECT_GT(level(processed(plan_of(sound, {{none}})), 2000, 60000), -60);
}

TEST_F(Sides, AreKeptInReelsByIdAndInRecipesByNameAndFilesByTheWayToThem) {
  Reel both = with_side(2);
  ChainStep file = step_of(multiply());
  file.sides = {{SideChoice::From::file, 0, {}, t / "y.wav"}};
  both.clips[0].chain.steps.push_back(file);
  settle_step_ids(both);
  const auto text = reel_to_text(both, t.path());
  EXPECT_NE(text.find("\"file\": \"y.wav\""), std::string::npos) << text;
  const Reel read = reel_from_text(text, t.path(), "r.reel");
  EXPECT_EQ(read.clips[0].chain, both.clips[0].chain);
  // A recipe knows no reel: the clip is looked for by its name where it is used.
  Recipe recipe{"R", "", for_everyone(both.clips[0].chain), {}};
  recipe.chain.steps.pop_back();
  save_recipe(recipe, t / "r.recipe");
  const auto used =
      edits::use_recipe(reel, 1, ChainOwner::clip, load_recipe(t / "r.recipe"), false);
  EXPECT_EQ(side_clip(used.next, used.next.clips[0].chain.steps[0].sides[0])->id.number(), 2);
  const auto wrong = [&](const std::string& sides) {
    return told_by([&] {
      recipe_from_text(
          R"({"drevan_recipe":2,"name":"R","steps":[{"step":"test-multiply","sides":)" + sides +
              "}]}",
          "r.recipe");
    });
  };
  EXPECT_NE(wrong(R"({"carrier":{"clip":"y"}})").find("carrier"), std::string::npos);
  EXPECT_NE(wrong(R"({"other":{}})").find("\"file\" or a \"clip\""), std::string::npos);
  EXPECT_NE(wrong(R"({"other":{"clip":"y","file":"z"}})").find("\"file\" or a \"clip\""),
            std::string::npos);
  EXPECT_NE(wrong(R"({"other":{"klip":"y"}})").find("klip"), std::string::npos);
}

// --- keeping the level ---

// A gain that is told to keep the level: it changes nothing but the shape of what its curve does.
const StepType& level_gain() {
  static const StepType type = [] {
    StepType t = *find_step("gain");
    t.id = "test-level-gain";
    t.traits.keeps_level = [](const Settings&) { return true; };
    return t;
  }();
  return type;
}

class KeepsLevel : public Sides {
 protected:
  static double loudness(const AudioBuffer& sound) {
    AudioBuffer copy = sound;
    LevelMeter meter({48000, copy.channels(), static_cast<int>(copy.frames())}, Detail::quick);
    meter.hear(copy.block());
    return *meter.levels().loudness_lufs;
  }
};

TEST_F(KeepsLevel, WhatLeavesIsAsLoudAsWhatEntersWhateverItIsSetTo) {
  const double before = loudness(x);
  for (const double db : {-20.0, -3.0, 0.0, 9.0}) {
    ChainStep step = step_of(level_gain());
    step.settings.values[0] = db;
    EXPECT_NEAR(loudness(processed(plan_of({t / "x.wav", 0, -1, 48000, {}}, {{step}}))), before,
                0.05);
    // Also with a curve, and behind other steps.
    step.curves = {{0, std::make_shared<const Curve>(Curve{{{0, -30}, {1.5, 0}}})}};
    const Chain chain{{test::with("gain", {{"gain_db", -8}}), step}};
    EXPECT_NEAR(loudness(processed(plan_of({t / "x.wav", 0, -1, 48000, {}}, chain))), before - 8,
                0.05);
  }
}

// All devices and drives, on a real voice.
TEST_F(KeepsLevel, EveryLoudspeakerIsAsLoudAsTheVoiceThatEnters) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  x = test::continuous_speech("en_US_f_Allison", 6);
  test::write_wav(t / "voice.wav", x);
  const double before = loudness(processed(plan_of({t / "voice.wav", 0, -1, 48000, {}}, {})));
  const StepType& type = *find_step("loudspeaker");
  for (size_t device = 0; device < type.parameters[0].choices.size(); ++device)
    for (const double drive : {-12.0, 0.0, 20.0}) {
      const auto step =
          test::with("loudspeaker", {{"device", static_cast<double>(device)}, {"drive_db", drive}});
      EXPECT_NEAR(loudness(processed(plan_of({t / "voice.wav", 0, -1, 48000, {}}, {{step}}))),
                  before, 1.0)
          << type.parameters[0].choices[device].id << ", " << drive;
    }
}

TEST_F(KeepsLevel, TheGainIsAFindingOfAllThatItDependsOn) {
  ChainStep step = step_of(level_gain());
  const auto key = [&](const Chain& chain) {
    const auto plan = plan_of({t / "x.wav", 0, -1, 48000, {}}, chain);
    return finding_key(stage_keys(plan)[chain.steps.size() - 1], plan, chain.steps.size() - 1);
  };
  const auto standard = key({{step}});
  EXPECT_EQ(key({{step}}), standard);
  EXPECT_NE(key({{make_step("cut"), step}}), standard);
  step.settings.values[0] = 3;
  const auto turned = key({{step}});
  EXPECT_NE(turned, standard);
  step.curves = {{0, std::make_shared<const Curve>(Curve{{{0, -30}, {1.5, 0}}})}};
  EXPECT_NE(key({{step}}), turned);
}

// While a knob turns the old gain stays; the new one comes without a click. By the second
// difference, as elsewhere.
TEST_F(KeepsLevel, ANewGainGlides) {
  const StreamFormat format{48000, 1, 64};
  auto kept = keep_level(find_step("gain")->make({{0}}, {}, format), {{0.0F}}, 1, 48000);
  AudioBuffer tone = test::sine(100, 0.5, 1);
  double roughest = 0;
  const auto second = [&](size_t i) {
    const auto s = tone.channel(0);
    return std::abs(s[i] - 2 * s[i - 1] + s[i - 2]);
  };
  for (size_t i = 2; i < 1000; ++i) roughest = std::max<double>(roughest, second(i));
  for (Samples at = 0; at + 64 <= tone.frames(); at += 64) {
    if (at == 24000 - 24000 % 64) kept->set_findings({{-12.0F}});
    kept->process(tone.block(at, 64));
  }
  double now = 0;
  for (size_t i = 20000; i < tone.channel(0).size() - 64; ++i)
    now = std::max<double>(now, second(i));
  EXPECT_LT(now, 1.5 * roughest);
  EXPECT_NEAR(test::rms_db(tone.channel(0).subspan(40000, 4800)),
              20 * std::log10(0.5 / std::numbers::sqrt2) - 12, 0.05);
}

TEST_F(KeepsLevel, SilenceIsLeftAsItIs) {
  AudioBuffer nothing = test::silence(1);
  test::write_wav(t / "x.wav", nothing);
  x = nothing;
  const AudioBuffer out =
      processed(plan_of({t / "x.wav", 0, -1, 48000, {}}, {{step_of(level_gain())}}));
  EXPECT_EQ(test::rms(out.channel(0)), 0);
}

// What a step says of itself is so, for every step there is.
TEST(Traits, AreTrueForEveryStep) {
  for (const StepType* type : catalogue()) {
    const Traits& traits = type->traits;
    if (traits.keeps_level) EXPECT_EQ(type->hears, Hears::nothing) << type->id;
    if (traits.bends_level) EXPECT_NE(traits.tells, Tells::nothing) << type->id;
    if (!type->make) {
      EXPECT_EQ(traits.tells, Tells::nothing) << type->id;
      EXPECT_TRUE(type->sides.empty()) << type->id;
      continue;
    }
    const auto processor = make_processor(*type, standard_settings(*type), {}, {48000, 2, 4096});
    AudioBuffer x = test::noise(0.2, 0.1, 1, 48000, 2);
    processor->process(x.block(0, 4096));
    std::array<float, max_readings> readings{};
    const int n = processor->readings(readings);
    if (traits.tells == Tells::reduction) EXPECT_GE(n, 2) << type->id;
    if (traits.tells == Tells::reduction_per_band) {
      EXPECT_GE(n, 4) << type->id;
      EXPECT_EQ(n % 2, 0) << type->id;
    }
  }
}

}  // namespace
}  // namespace drevan
