// SPDX-License-Identifier: GPL-3.0-or-later
// Spaces in the mix: what is fed into them, their stems, and what is only heard through them.
#include <gtest/gtest.h>

#include <cmath>

#include "audio/decibel.h"
#include "audio/error.h"
#include "batch/bus_plan.h"
#include "batch/mix.h"
#include "reel/scene/scene_edits.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::Feeder;
using test::TempFolder;
constexpr int hall_id = -2, echo = -3;

class Spaces : public testing::Test {
 protected:
  Spaces() {
    reel = test::reel_of(t, {{"0", "Ines"}, {"1", "Boat", 2}, {"2", "Wind"}}, 1.5);
    reel.name = "Skerry";
    for (int i = 0; i < 3; ++i) reel.clips[static_cast<size_t>(i)].place = ReelTime{0.5 * i};
    reel = edits::add_space(reel, "Hall", {{test::with("reverb", {{"mix_pct", 100}})}}).next;
    reel = edits::add_space(reel, "Echo",
                            {{test::with("limiter", {{"ceiling_db", -20}}), make_step("gain")}})
               .next;
    reel = edits::set_send(reel, GroupId{1}, hall_id, -6).next;
    reel = edits::set_send(reel, ClipId{2}, hall_id, -12).next;
    reel = edits::set_send(reel, ClipId{3}, echo, 0).next;
    reel = edits::set_direct(reel, ClipId{3}, false).next;
    reel = edits::set_space_level(reel, hall_id, -3).next;
    reel = edits::set_group_kind(reel, 2, GroupKind::effects).next;
  }
  std::map<std::string, AudioBuffer> mixed(MixOptions what) {
    BatchOptions o;
    o.folder = t / "out";
    o.samples = SampleType::float32;
    std::map<std::string, AudioBuffer> out;
    for (const auto& f : render_mix(reel, o, what, store, never).files)
      out[f.name] = test::read_all(f.output);
    EXPECT_TRUE(test::left_over(t / "out").empty());
    return out;
  }
  // Level of what of `sum` is not in `parts`, below `sum`, dB.
  static double missing_db(const AudioBuffer& sum, const std::vector<const AudioBuffer*>& parts) {
    double error = 0, power = 0;
    for (int c = 0; c < sum.channels(); ++c)
      for (size_t i = 0; i < sum.channel(c).size(); ++i) {
        double d = sum.channel(c)[i];
        power += d * d;
        for (const auto* p : parts) d -= static_cast<double>(p->channel(c)[i]);
        error += d * d;
      }
    return 10 * std::log10(error / power + 1e-30);
  }

  TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

TEST_F(Spaces, StemsAndSpacesSumToWhatEntersTheMixChain) {
  reel.mix.chain.steps = {test::with("gain", {{"gain_db", -6}})};
  settle_step_ids(reel);
  auto of = mixed({.mix = true, .stems = true, .mix_chain = false});
  ASSERT_EQ(of.size(), 5U) << "mix, two groups, two spaces; the wind is heard through one alone";
  const auto& mix = of.at("mix");
  EXPECT_LT(missing_db(mix, {&of.at("Ines"), &of.at("Boat"), &of.at("Hall"), &of.at("Echo")}),
            -120);
  EXPECT_GT(mix.frames(), 48000 * 25 / 10 + 9600) << "the hall rings past the last clip";
  auto kinds = mixed({.mix = true, .mix_chain = false, .kinds = true});
  EXPECT_LT(missing_db(mix, {&kinds.at("dialogue"), &kinds.at("effects"), &kinds.at("Hall"),
                             &kinds.at("Echo")}),
            -120);
}

// Against the sum and the step by themselves.
TEST_F(Spaces, ASpacesChainHearsTheSumOfWhatIsFed) {
  AudioBuffer fed(2, 48000 * 4);
  const auto feed = [&](const char* file, double at_s, double db) {
    const AudioBuffer x = test::read_all(t / file);
    const double gain = from_db(db) * (x.channels() == 1 ? std::sqrt(0.5) : 1);
    for (int c = 0; c < 2; ++c)
      for (size_t i = 0; i < x.channel(0).size(); ++i)
        fed.channel(c)[static_cast<size_t>(at_s * 48000) + i] += static_cast<float>(
            gain * static_cast<double>(x.channel(std::min(c, x.channels() - 1))[i]));
  };
  feed("0.wav", 0, -6);
  feed("1.wav", 0.5, -12);
  AudioBuffer wanted = fed;
  test::run_step(reel.spaces[0].clip.chain.steps[0], wanted);
  const AudioBuffer got = mixed({.mix = false, .stems = true}).at("Hall");
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < 48000 * 3; ++i)
      ASSERT_NEAR(got.channel(c)[i], from_db(-3) * static_cast<double>(wanted.channel(c)[i]), 3e-5)
          << i;
}

TEST_F(Spaces, ASpaceWithoutStepsOrFeedsAndOneThatNobodyHears) {
  reel.spaces[1].clip.chain = {};
  auto of = mixed({.mix = false, .stems = true});
  // Without steps it is what is fed: the wind at its place.
  const AudioBuffer wind = test::read_all(t / "2.wav");
  for (size_t i = 0; i < wind.channel(0).size(); i += 7)
    ASSERT_NEAR(of.at("Echo").channel(0)[48000 + i], std::sqrt(0.5F) * wind.channel(0)[i], 1e-6);
  reel = edits::set_send(reel, ClipId{3}, echo, off_send_db).next;
  of = mixed({.mix = true, .stems = true});
  EXPECT_FALSE(of.contains("Echo")) << "nothing is fed";
  EXPECT_FALSE(of.contains("Wind")) << "and it is not heard directly";
  EXPECT_THROW(render_sum(reel, t / "aside" / "sum.wav", store, never, {}, echo), Error);
}

TEST_F(Spaces, AClipRenderedAloneIsItsPartBeforeTheSumBitForBit) {
  for (auto& c : reel.clips.each()) c.sends.clear();
  for (auto& g : reel.groups.each()) g.sends.clear();
  reel.clips[1].chain.steps = {test::with("compressor", {}), test::with("cut", {})};
  settle_step_ids(reel);
  const AudioBuffer stem = mixed({.mix = false, .stems = true}).at("Boat");
  BatchOptions o;
  o.folder = t / "alone";
  o.samples = SampleType::float32;
  const ClipId ids[] = {2};
  const auto alone = run_batch(batch_jobs(reel, ids), o, store, never, {});
  const AudioBuffer x = test::read_all(alone[0].output);
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < x.channel(c).size(); ++i)
      ASSERT_EQ(x.channel(c)[i], stem.channel(c)[24000 + i]) << i;
}

TEST_F(Spaces, KeysTellWhatASumIsMadeOf) {
  const auto mix = sum_key(reel), fed = sum_key(reel, hall_id);
  EXPECT_NE(sum_key(edits::set_space_level(reel, hall_id, -9).next), mix);
  EXPECT_EQ(sum_key(edits::set_space_level(reel, hall_id, -9).next, hall_id), fed);
  EXPECT_NE(sum_key(edits::set_send(reel, ClipId{1}, hall_id, -9).next, hall_id), fed);
  EXPECT_NE(sum_key(edits::set_direct(reel, ClipId{3}, true).next), mix);
}

// Only where a step must hear is anything rendered.
TEST_F(Spaces, ABusIsMadeReadyToBePlayed) {
  EXPECT_FALSE(bus_must_hear(reel, echo));
  const BusPlan plain = bus_plan(reel, echo, t / "aside", store, never);
  EXPECT_EQ(plain.steps.size(), 2U);
  EXPECT_FALSE(std::filesystem::exists(t / "aside"));
  reel.mix.chain.steps = {make_step("normalise")};
  settle_step_ids(reel);
  EXPECT_TRUE(bus_must_hear(reel, mix_clip_id));
  const BusPlan learned = bus_plan(reel, mix_clip_id, t / "aside", store, never);
  ASSERT_EQ(learned.findings.size(), 1U);
  EXPECT_NE(learned.findings[0], Findings{});
}

}  // namespace
}  // namespace drevan
