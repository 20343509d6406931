// SPDX-License-Identifier: GPL-3.0-or-later
// The reel as it plays against the reel as it is rendered.
#include "engine/scene/scene_run.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>

#include "audio/error.h"
#include "batch/bus_plan.h"
#include "batch/mix.h"
#include "engine/playing/player.h"
#include "engine/scene/scene_sound.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "support/extent.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::Feeder;
using test::TempFolder;
constexpr SpaceId hall = -2;

class Scene : public testing::Test {
 protected:
  Scene() {
    reel = test::reel_of(t, {{"0", "Ines"}, {"1", "Boat", 2}, {"2", "Wind"}}, 1.5);
    reel.name = "Skerry";
    reel.clips[0].place = ReelTime{0.25};
    reel.clips[1].place = ReelTime{1.0 + 61.0 / 48000};
    reel.clips[2].place = ReelTime{2.0};
    reel.clips[0].chain.steps = {test::with("compressor", {{"threshold_db", -40}}),
                                 test::with("normalise", {{"target_db", -6}})};
    reel.clips[2].chain.steps = {test::with("reverse", {}), test::with("delay", {})};
    reel.groups[1].chain.steps = {test::with("pan", {}), test::with("limiter", {})};
    reel = edits::add_space(reel, "Hall",
                            {{test::with("limiter", {}), test::with("reverb", {{"mix_pct", 100}})}})
               .next;
    reel = edits::add_space(reel, "Pair", {{test::with("doubler", {})}}).next;
    reel = edits::set_send(reel, GroupId{1}, hall, -6).next;
    reel = edits::set_send(reel, ClipId{2}, hall, -12).next;
    reel = edits::set_send(reel, ClipId{3}, -3, 0).next;
    reel = edits::set_direct(reel, ClipId{3}, false).next;
    reel = edits::set_space_level(reel, hall, -3).next;
    reel.mix.chain.steps = {test::with("gain", {{"gain_db", -2}}),
                            test::with("limiter", {{"ceiling_db", -3}})};
    settle_step_ids(reel);
  }
  std::shared_ptr<const PlayPlan> plan() {
    auto scene = std::make_shared<ScenePlan>();
    scene->rate = reel.rate;
    for (const auto& c : reel.clips)
      scene->voices.push_back(
          scene_voice(reel, c, scene_sound(plan_of(reel, c), store, t / "cache", never)));
    for (const auto& s : reel.spaces)
      scene->spaces.push_back(
          scene_space(reel, s, bus_plan(reel, s.clip.id, t / "aside", store, never)));
    scene->mix = bus_plan(reel, mix_clip_id, t / "aside", store, never);
    PlayPlan out;
    out.scene = scene;
    return std::make_shared<const PlayPlan>(out);
  }
  AudioBuffer rendered() {
    BatchOptions o;
    o.folder = t / "out";
    o.samples = SampleType::float32;
    return test::read_all(render_mix(reel, o, {}, store, never).files[0].output);
  }
  static AudioBuffer played(Programme& run, Samples frames) {
    AudioBuffer out(run.channels(), frames), before(run.channels(), Programme::block);
    for (Samples at = 0; at + Programme::block <= frames; at += Programme::block)
      run.next(before.block(), out.block(at, Programme::block), -1);
    return out;
  }
  static double most_apart(const AudioBuffer& a, Samples at, const AudioBuffer& b, Samples frames) {
    double most = 0;
    for (int c = 0; c < b.channels(); ++c)
      for (Samples i = 0; i < frames && at + i < a.frames(); ++i)
        most =
            std::max(most, std::abs(static_cast<double>(a.channel(c)[static_cast<size_t>(at + i)] -
                                                        b.channel(c)[static_cast<size_t>(i)])));
    return most;
  }

  TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

TEST_F(Scene, PlaysWhatARenderWrites) {
  const AudioBuffer wanted = rendered();
  SceneRun run(plan());
  ASSERT_EQ(run.channels(), wanted.channels());
  run.seek(0);
  const Samples frames = wanted.frames() / Programme::block * Programme::block;
  // A render ends a clip's ringing where it falls below -90 dBFS.
  EXPECT_LT(most_apart(wanted, 0, played(run, frames), frames), 4e-5);
  EXPECT_GE(run.end() + 4800, wanted.frames());
}

TEST_F(Scene, FromAnyPlaceItIsNearlyTheSame) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  reel.mix.chain.steps.resize(1);  // what has a memory longer than the run-in is another matter
  reel.spaces[0].clip.chain.steps.erase(reel.spaces[0].clip.chain.steps.begin() + 1);
  const AudioBuffer wanted = rendered();
  SceneRun run(plan());
  for (const Samples at : {Samples{12001}, Samples{60000}, Samples{100001}}) {
    run.seek(at);
    EXPECT_LT(most_apart(wanted, at, played(run, 24576), 24576), 1e-4) << at;
  }
}

TEST_F(Scene, AKeptClipSoundsTheSameAndTakesOverWhileItPlays) {
  const auto plain = plan();
  auto scene = std::make_shared<ScenePlan>(*plain->scene);
  for (auto& v : scene->voices) v.plan = kept_plan(*v.plan, store, never);
  PlayPlan kept;
  kept.scene = scene;
  const auto with_kept = std::make_shared<const PlayPlan>(kept);
  SceneRun a(plain), b(with_kept), both(plain);
  for (SceneRun* run : {&a, &b, &both}) run->seek(0);
  const AudioBuffer wanted = played(a, 96256);
  EXPECT_LT(most_apart(wanted, 0, played(b, 96256), 96256), 4e-5);
  played(both, 48128);
  ASSERT_TRUE(both.update(with_kept));
  EXPECT_LT(most_apart(wanted, 48128, played(both, 48128), 48128), 4e-5);
}

// Two who stand in one room, one of them walking, one fading into it.
TEST_F(Scene, FeedsWithPlacesAndLevelsOverTimePlayAsTheyAreRendered) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  reel.spaces[0].clip.chain.steps = {test::with("acoustics", {{"level", 1}, {"distance_m", 3}}),
                                     test::with("gain", {{"gain_db", -1}})};
  settle_step_ids(reel);
  SendPlace left{-60, 0, 1.5}, walks{50, 0, 2};
  walks.azimuth = Curve{{{0, -70}, {1.2, 70}}};
  reel = edits::place_in_space(reel, GroupId{1}, hall, left).next;
  reel = edits::place_in_space(reel, ClipId{2}, hall, walks).next;
  reel = edits::draw_send(reel, ClipId{2}, hall, Curve{{{0, -40}, {1, -6}}}).next;
  ASSERT_TRUE(has_own_places(reel, reel.spaces[0]));
  const AudioBuffer wanted = rendered();
  SceneRun run(plan());
  ASSERT_EQ(run.channels(), wanted.channels());
  run.seek(0);
  const Samples frames = wanted.frames() / Programme::block * Programme::block;
  const AudioBuffer heard = played(run, frames);
  // A render begins a clip where it begins; a source between two samples rings one sample before.
  const Samples begin = 12000;
  AudioBuffer behind(heard.channels(), frames - begin);
  for (int c = 0; c < heard.channels(); ++c)
    std::ranges::copy(heard.channel(c).subspan(begin), behind.channel(c).begin());
  EXPECT_LT(most_apart(wanted, begin, behind, frames - begin), 2e-5);
  // Turned while it plays: another place, another curve.
  run.seek(0);
  played(run, 48128);
  reel.groups[0].sends[0].place->azimuth_deg = 30;
  reel.clips[1].sends[0].level = Curve{{{0, -20}, {1, -6}}};
  const auto turned = plan();
  ASSERT_TRUE(run.update(turned));
  played(run, 24064);
  SceneRun other(turned);
  other.seek(run.position());
  EXPECT_LT(most_apart(played(run, 24576), 0, played(other, 24576), 24576), 0.02);
}

TEST_F(Scene, WhatIsTurnedAndMovedIsTakenUpWhileItPlays) {
  const auto first = plan();
  SceneRun run(first);
  run.seek(0);
  played(run, 24576);
  // Everything that can be turned: a clip's step, a send, a space's level, the mix chain; a clip
  // moves.
  reel.clips[0].chain.steps[0].settings.values[0] = -30;
  reel.groups[0].sends[0].level_db = -20;
  reel.spaces[0].level_db = -9;
  reel.mix.chain.steps[0].settings.values[0] = -8;
  reel.clips[2].place = ReelTime{0.6};
  const auto turned = plan();
  ASSERT_TRUE(run.update(turned));
  played(run, 48128);
  SceneRun other(turned);
  other.seek(run.position());
  EXPECT_LT(most_apart(played(run, 24576), 0, played(other, 24576), 24576), 0.02);
  // Another chain of a bus is another programme; a row that is silent is not.
  auto silent = std::make_shared<PlayPlan>(*turned);
  auto scene = std::make_shared<ScenePlan>(*turned->scene);
  for (auto& v : scene->voices) v.gain = 0;
  silent->scene = scene;
  ASSERT_TRUE(run.update(silent));
  reel.mix.chain.steps.clear();
  EXPECT_FALSE(run.update(plan()));
}

// One at a time: among several, one that is not taken up would not be missed.
TEST_F(Scene, EachTurnByItselfIsTakenUpWhileItPlays) {
  Reel lasting = test::reel_of(t, {{"0", "Ines"}, {"1", "Boat", 2}, {"2", "Wind"}}, 6);
  for (auto& c : lasting.clips.each()) c.place = ReelTime{0};
  lasting.clips[0].chain.steps = {test::with("compressor", {{"threshold_db", -40}})};
  lasting.groups[1].chain.steps = {test::with("pan", {})};
  lasting.groups[2].chain.steps = {test::with("gain", {{"gain_db", -3}})};
  lasting = edits::add_space(lasting, "Hall",
                             {{test::with("reverb", {{"mix_pct", 100}, {"decay_s", 0.3}})}})
                .next;
  lasting = edits::set_send(lasting, GroupId{1}, hall, -6).next;
  lasting = edits::set_send(lasting, ClipId{2}, hall, -12).next;
  lasting.mix.chain.steps = {test::with("gain", {{"gain_db", -2}})};
  settle_step_ids(lasting);
  const auto set = [](std::vector<ChainStep>& steps, const char* id, double value) {
    steps[0].settings.values[static_cast<size_t>(parameter_index(*steps[0].type, id))] = value;
  };
  const std::pair<const char*, std::function<void(Reel&)>> turns[] = {
      {"a clip's step", [&](Reel& r) { set(r.clips[0].chain.steps, "threshold_db", -20); }},
      {"a group's step", [&](Reel& r) { set(r.groups[1].chain.steps, "pan_pct", 60); }},
      {"another group's", [&](Reel& r) { set(r.groups[2].chain.steps, "gain_db", -9); }},
      {"a group's send", [](Reel& r) { r.groups[0].sends[0].level_db = -20; }},
      {"a clip's send", [](Reel& r) { r.clips[1].sends[0].level_db = -2; }},
      {"a space's level", [](Reel& r) { r.spaces[0].level_db = -9; }},
      {"a space's step", [&](Reel& r) { set(r.spaces[0].clip.chain.steps, "mix_pct", 40); }},
      {"the mix", [&](Reel& r) { set(r.mix.chain.steps, "gain_db", -8); }},
      {"a clip's place", [](Reel& r) { r.clips[2].place = ReelTime{0.125}; }},
      {"what is heard directly", [](Reel& r) { r.groups[0].direct = false; }},
  };
  constexpr Samples before = 24576, until = 48000 * 7 / 2 / Programme::block * Programme::block;
  constexpr Samples asked = 48128;
  reel = lasting;
  const auto first = plan();
  SceneRun still(first);
  still.seek(0);
  played(still, until);
  const AudioBuffer unturned = played(still, asked);
  const auto apart_db = [](const AudioBuffer& a, const AudioBuffer& b) {
    double power = 1e-20;
    for (int c = 0; c < a.channels(); ++c)
      for (size_t i = 0; i < a.channel(c).size(); ++i) {
        const auto d = static_cast<double>(a.channel(c)[i] - b.channel(c)[i]);
        power += d * d;
      }
    return 10 * std::log10(power);
  };
  for (const auto& [what, turn] : turns) {
    reel = lasting;
    turn(reel);
    const auto turned = plan();
    SceneRun live(first), anew(turned);
    live.seek(0);
    anew.seek(0);
    played(live, before);
    ASSERT_TRUE(live.update(turned)) << what;
    played(live, until - before);
    played(anew, until);
    const AudioBuffer heard = played(live, asked), wanted = played(anew, asked);
    const double effect = apart_db(wanted, unturned), left = apart_db(wanted, heard);
    EXPECT_GT(effect, -20) << what << " makes no difference";
    EXPECT_LT(left, effect - 40) << what;
  }
}

// A tone whose clip moves or gets another chain goes over within a block, without a click.
TEST_F(Scene, WhatIsOpenedAnewDoesNotClick) {
  AudioBuffer tone = test::sine(200, 0.3, 4);
  test::write_wav(t / "tone.wav", tone);
  Reel only;
  add_clip(only, examine_source(t / "tone.wav"), "Tone");
  reel = only;
  SceneRun run(plan());
  run.seek(24000);
  std::vector<float> heard;
  const auto hear = [&] {
    const AudioBuffer x = played(run, 12800);
    heard.insert(heard.end(), x.channel(0).begin(), x.channel(0).end());
  };
  hear();
  reel.clips[0].chain.steps = {test::with("cut", {{"low_hz", 80}})};
  settle_step_ids(reel);
  ASSERT_TRUE(run.update(plan()));
  hear();
  reel.clips[0].place = ReelTime{0.2513};
  ASSERT_TRUE(run.update(plan()));
  hear();
  reel.clips.clear();
  ASSERT_TRUE(run.update(plan()));
  hear();
  // The tone's own second difference is 0.0002; a step of 1 dB at its crest would be 0.03.
  for (size_t i = 1; i + 1 < heard.size(); ++i)
    ASSERT_LT(std::abs(heard[i + 1] - 2 * heard[i] + heard[i - 1]), 0.006) << i;
  EXPECT_LT(test::rms_db(std::span(heard).last(4096)), -90);
}

TEST_F(Scene, AnEmptyReelAndOneWithoutBusesPlay) {
  reel.clips.clear();
  auto nothing = plan();
  SceneRun empty(nothing);
  EXPECT_EQ(empty.end(), 0);
  EXPECT_TRUE(empty.ended());
  empty.seek(1000);
  EXPECT_EQ(test::rms_db(played(empty, 512).channel(0)),
            test::rms_db(AudioBuffer(1, 512).channel(0)));
}

// Heard through the player and its simulated device.
TEST_F(Scene, APlayerPlaysIt) {
  const AudioBuffer wanted = rendered();
  auto device = std::make_unique<SimulatedDevice>(48000, SimulatedDevice::Clock::by_hand);
  SimulatedDevice& heard = *device;
  Player player(std::move(device), 48000);
  player.set_matched(false);
  player.load(*plan());
  player.play();
  const auto until = std::chrono::steady_clock::now() + std::chrono::seconds(60);
  while (heard.played().size() < 2 * 96000 && std::chrono::steady_clock::now() < until) {
    if (!player.caught_up()) {
      std::this_thread::sleep_for(std::chrono::microseconds(100));
      continue;
    }
    heard.advance();
  }
  const auto all = heard.played();
  ASSERT_GE(all.size(), 2U * 96000);
  EXPECT_EQ(player.underruns(), 0);
  // Where it begins in what was played is the device's matter.
  size_t lead = 0, first = 0;
  while (lead < 48000 && all[2 * lead] == 0) ++lead;
  while (wanted.channel(0)[first] == 0) ++first;
  double most = 0;
  for (size_t i = lead + 200; i < 96000; ++i)
    most = std::max(
        most, std::abs(static_cast<double>(all[2 * i] - wanted.channel(0)[i - lead + first])));
  EXPECT_LT(most, 4e-5);
}

TEST_F(Scene, ACourseIsKeptAndTakenAgain) {
  const ClipPlan of = plan_of(reel, reel.clips[1]);
  const SceneSound first = scene_sound(of, store, t / "cache", never);
  EXPECT_EQ(test::names_in(t / "cache").size(), 1U);
  const SceneSound again = scene_sound(of, store, t / "cache", never);
  ASSERT_EQ(again.course->peak_db.size(), first.course->peak_db.size());
  for (size_t i = 0; i < first.course->peak_db.size(); ++i)
    ASSERT_NEAR(again.course->peak_db[i], first.course->peak_db[i], 0.006);
  // A damaged one is made anew.
  const auto file = t / "cache" / test::names_in(t / "cache")[0];
  std::filesystem::resize_file(file, 33);
  EXPECT_EQ(*scene_sound(of, store, t / "cache", never).course, *first.course);
}

// The course of a clip lasts as long as it is heard, not as long as a step might ring.
TEST_F(Scene, ACourseEndsWithWhatIsHeard) {
  reel.clips[1].chain = {{test::with("reverb", {{"mix_pct", 20}})}};
  settle_step_ids(reel);
  const ClipPlan of = plan_of(reel, std::as_const(reel).clips[1]);
  const SceneSound sound = scene_sound(of, store, t / "cache", never);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &never;
  Samples heard = 0, all = 0;
  RingTrim trim(stages_of(of, ClipReader(of.sound).shape()).back().shape.frames,
                [&](const AudioBlock& b) { heard += b.frames(); });
  process_clip(of, options, [&](const AudioBlock& b) {
    all += b.frames();
    trim.hear(b);
  });
  ASSERT_GT(all, heard + 4800) << "the step's tail must be longer than what is heard of it";
  EXPECT_NEAR(static_cast<double>(sound.course->peak_db.size()) * SoundCourse::cell_s,
              static_cast<double>(heard) / reel.rate, 1.01 * SoundCourse::cell_s);
}

}  // namespace
}  // namespace drevan
