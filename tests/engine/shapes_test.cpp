// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds that change length, channels and clock on their way through a chain.
#include <gtest/gtest.h>

#include <cmath>

#include "audio/decibel.h"
#include "engine/listening/level_path.h"
#include "engine/playing/play_run.h"
#include "engine/making/print.h"
#include "engine/rendering/render.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
using test::with;

class Shapes : public testing::Test {
 protected:
  // Clicks at 0.5, 1.0 and 1.7 s of two.
  ClipSound clicks(int channels = 1) {
    AudioBuffer x(channels, 96000);
    for (const int at : {24000, 48000, 81600})
      for (int c = 0; c < channels; ++c) x.channel(c)[static_cast<size_t>(at)] = 0.5F;
    test::write_wav(t / "clicks.wav", x);
    return {t / "clicks.wav", 0, -1, 48000, {}};
  }
  struct Made {
    std::vector<std::vector<float>> data;
    Processed done;
  };
  Made process(const ClipPlan& plan, StageStore* cache = nullptr) {
    Made made;
    made.data.resize(max_channels);
    ProcessOptions o;
    o.store = &store;
    o.cancel = &never;
    o.cache = cache;
    made.done = process_clip(plan, o, [&](const AudioBlock& b) {
      for (int c = 0; c < b.channels(); ++c)
        made.data[static_cast<size_t>(c)].insert(made.data[static_cast<size_t>(c)].end(),
                                                 b.channel(c).begin(), b.channel(c).end());
    });
    return made;
  }
  static std::vector<double> peaks(const std::vector<float>& x) {
    std::vector<double> out;
    for (size_t i = 0; i < x.size(); ++i) {
      if (std::abs(x[i]) < 0.1F) continue;
      size_t top = i;
      for (size_t k = i; k < std::min(i + 2000, x.size()); ++k)
        if (std::abs(x[k]) > std::abs(x[top])) top = k;
      out.push_back(static_cast<double>(top) / 48000);
      i += 4000;
    }
    return out;
  }
  AudioBuffer render(const RenderRequest& request) {
    render_clip(request, store, never);
    return test::read_all(request.output);
  }

  TempFolder t;
  FindingStore store;
  const CancelToken never{};
};

TEST_F(Shapes, ReversedTwiceIsAsItWas) {
  const auto plain = process({clicks()});
  const auto once = process(plan_of(clicks(), {{with("reverse", {})}}));
  const auto twice = process(plan_of(clicks(), {{with("reverse", {}), with("reverse", {})}}));
  EXPECT_EQ(twice.data, plain.data);
  EXPECT_TRUE(twice.done.stages.back().from_clip.identity());
  ASSERT_EQ(once.data[0].size(), 96000U);
  for (size_t i = 0; i < 96000; ++i) ASSERT_EQ(once.data[0][i], plain.data[0][95999 - i]);
  EXPECT_TRUE(once.done.stages.back().from_clip.backwards());
  EXPECT_NEAR(once.done.stages.back().from_clip.out_of(0.5), 1.5, 1e-9);
}

// What rings into a reverse comes before the sound when it is turned back: a rising echo, by the chain alone.
TEST_F(Shapes, WhatRingsIntoARewriterIsPartOfIt) {
  const ChainStep ringing =
      with("cut", {{"low_hz", 20}, {"low_slope_db", 3}, {"high_hz", 200}, {"high_slope_db", 3}});
  AudioBuffer x(1, 4800);
  x.channel(0)[4700] = 0.9F;
  test::write_wav(t / "x.wav", x);
  const ClipSound sound{t / "x.wav", 0, -1, 48000, {}};
  const auto out = process(plan_of(sound, {{with("reverse", {}), ringing, with("reverse", {})}}));
  const Stage& last = out.done.stages.back();
  const double lead = last.from_clip.out_of(0);
  EXPECT_GT(lead, 0.001);
  EXPECT_EQ(last.shape.frames, 4800 + std::llround(lead * 48000));
  EXPECT_FALSE(last.from_clip.backwards());
  // The click sounds where the map says, to the few milliseconds that the filter itself is late.
  const auto top = std::ranges::max_element(out.data[0], {}, [](float v) { return std::abs(v); }) -
                   out.data[0].begin();
  EXPECT_NEAR(static_cast<double>(top) / 48000, last.from_clip.out_of(4700.0 / 48000), 0.01);
}

TEST_F(Shapes, StretchAndSpeedPutMomentsWhereTheMapSays) {
  for (const auto& step :
       {with("stretch", {{"length_pct", 150}}), with("speed", {{"speed_pct", 50}}),
        with("stretch", {{"length_s", 3}})}) {
    const auto out = process(plan_of(clicks(), {{step}}));
    const Stage& last = out.done.stages.back();
    EXPECT_EQ(static_cast<Samples>(out.data[0].size()), last.shape.frames);
    EXPECT_EQ(stages_of(plan_of(clicks(), {{step}}), {48000, 1, 96000}).back().shape, last.shape);
    const auto found = peaks(out.data[0]);
    ASSERT_EQ(found.size(), 3U) << step.type->id;
    size_t i = 0;
    for (const double at : {0.5, 1.0, 1.7})
      EXPECT_NEAR(found[i++], last.from_clip.out_of(at), 0.006) << step.type->id;
  }
}

TEST_F(Shapes, MonoBecomesStereoBehindPan) {
  AudioBuffer x = test::sine(1000, 0.5, 1);
  test::write_wav(t / "tone.wav", x);
  const ClipPlan plan =
      plan_of({t / "tone.wav", 0, -1, 48000, {}},
              {{with("gain", {}), with("pan", {{"pan_pct", -100}}), with("limiter", {})}});
  const AudioBuffer out = render({plan, t / "out.wav", Container::wav, SampleType::float32});
  ASSERT_EQ(out.channels(), 2);
  EXPECT_GT(
      out.channel(0)[20000] * out.channel(0)[20000] + out.channel(0)[20012] * out.channel(0)[20012],
      0.1F);
  for (const float v : out.channel(1)) ASSERT_NEAR(v, 0, 1e-6F);
  LevelStore levels;
  const auto path = measure_level_path(plan, {&store, &levels, nullptr, &never, {}, 1});
  EXPECT_EQ(path.sounds[1].shape.channels, 1);
  EXPECT_EQ(path.sounds[2].shape.channels, 2);
  EXPECT_NEAR(*path.stages[2].sample_peak_dbfs, *path.stages[1].sample_peak_dbfs, 0.01);
}

TEST_F(Shapes, KeptStagesGiveTheSameBits) {
  const Chain chain{{with("normalise", {}), with("stretch", {{"length_pct", 80}}),
                     with("reverse", {}), with("pan", {{"pan_pct", 40}}), with("normalise", {})}};
  const ClipSound sound = clicks();
  StageStore cache;
  const auto first = process(plan_of(sound, chain), &cache);
  LevelStore levels;
  const auto path =
      measure_level_path(plan_of(sound, chain), {&store, &levels, &cache, &never, {}, {}});
  // Late changes begin at a kept stage.
  Chain later = chain;
  later.steps[4] = with("normalise", {{"target_db", -9}});
  const auto from_kept =
      measure_level_path(plan_of(sound, later), {&store, &levels, &cache, &never, {}, {}});
  EXPECT_NEAR(*from_kept.stages.back().sample_peak_dbfs, -9, 0.01);
  EXPECT_EQ(from_kept.rewritten, path.rewritten);
  EXPECT_EQ(from_kept.rewritten_stage, 3U);
  EXPECT_EQ(from_kept.sounds.back().from_clip, first.done.stages.back().from_clip);
  EXPECT_EQ(process(plan_of(sound, later)).data, process(plan_of(sound, later), &cache).data);
}

TEST_F(Shapes, APlayerHearsWhatARenderWrites) {
  const Chain chain{{with("stretch", {{"length_pct", 130}}), with("gain", {{"gain_db", -3}}),
                     with("pan", {{"pan_pct", 20}})}};
  const ClipPlan clip = plan_of(clicks(), chain);
  LevelStore levels;
  const auto path = measure_level_path(clip, {&store, &levels, nullptr, &never, {}, {}});
  auto plan = std::make_shared<PlayPlan>();
  plan->clip = clip;
  plan->findings = path.findings;
  plan->rewritten = path.rewritten;
  plan->rewritten_stage = path.rewritten_stage;
  plan->from_clip = path.sounds.back().from_clip;
  PlayRun run(plan);
  EXPECT_EQ(run.channels(), 2);
  EXPECT_FALSE(run.comparable());
  EXPECT_EQ(run.end(), 124800);
  const AudioBuffer rendered = render({clip, t / "out.wav", Container::wav, SampleType::float32});
  run.seek(30000);
  AudioBuffer before(2, PlayRun::block), after(2, PlayRun::block);
  for (Samples at = 30000; at + PlayRun::block < 124800; at += PlayRun::block) {
    run.next(before.block(), after.block(), -1);
    for (size_t i = 0; i < PlayRun::block; ++i)
      ASSERT_NEAR(after.channel(1)[i], rendered.channel(1)[static_cast<size_t>(at) + i], 1e-6F)
          << at;
  }
  // Before leads: it plays as it was, and time follows.
  run.seek(62400);
  run.let_before_lead(true);
  run.next(before.block(), after.block(), -1);
  EXPECT_NEAR(before.channel(0)[0], 0.5F, 1e-6F);  // the click at 1 s
  EXPECT_EQ(run.position(), 62400 + std::llround(1.3 * PlayRun::block));
}

TEST_F(Shapes, AsLongAsTheClipOnDemand) {
  const ChainStep ringing = with("cut", {{"low_hz", 20}, {"high_hz", 200}, {"high_slope_db", 3}});
  AudioBuffer x = test::sine(150, 0.5, 1);
  test::write_wav(t / "x.wav", x);
  const ClipSound sound{t / "x.wav", 0, -1, 48000, {}};
  RenderRequest request{plan_of(sound, {{ringing}}), t / "ring.wav", Container::wav,
                        SampleType::float32};
  const AudioBuffer ring = render(request);
  EXPECT_GT(ring.frames(), 48000);
  request.output = t / "same.wav";
  request.length = RenderLength::same;
  const AudioBuffer same = render(request);
  ASSERT_EQ(same.frames(), 48000);
  for (size_t i = 0; i < 47520; ++i) ASSERT_EQ(same.channel(0)[i], ring.channel(0)[i]);
  for (size_t i = 47520; i < 48000; ++i)
    ASSERT_LE(std::abs(same.channel(0)[i]), std::abs(ring.channel(0)[i]));
  EXPECT_EQ(same.channel(0)[47999], 0.0F);
  // What does not ring is not faded; what is too short is filled, what is too long is cut.
  request.plan = {sound};
  EXPECT_EQ(render(request).channel(0)[47990], x.channel(0)[47990]);
  for (const double pct : {50.0, 200.0}) {
    request.plan = plan_of(sound, {{with("speed", {{"speed_pct", pct}})}});
    EXPECT_EQ(render(request).frames(), 48000) << pct;
  }
}

TEST_F(Shapes, ASelectionIsTurnedRoundAndWidened) {
  AudioBuffer x = test::noise(0.2, 2, 5);
  test::write_wav(t / "x.wav", x);
  const ClipSound sound{t / "x.wav", 0, -1, 48000, {}};
  print_clip(
      {plan_of(sound, {{with("reverse", {}), with("pan", {{"pan_pct", 100}, {"law_db", 2}})}}),
       ClipRange{0.5, 1.5}, 0, t / "v" / "p.wav"},
      store, never);
  const AudioBuffer out = test::read_all(t / "v" / "p.wav");
  ASSERT_EQ(out.channels(), 2);
  ASSERT_EQ(out.frames(), 96000);
  for (size_t i = 0; i < 24000; ++i) {
    ASSERT_EQ(out.channel(0)[i], x.channel(0)[i]);
    ASSERT_EQ(out.channel(1)[i], x.channel(0)[i]);
    ASSERT_EQ(out.channel(1)[72000 + i], x.channel(0)[72000 + i]);
  }
  for (size_t i = 0; i < 48000; ++i) {
    ASSERT_NEAR(out.channel(0)[24000 + i], 0, 1e-6F);
    ASSERT_NEAR(out.channel(1)[24000 + i], x.channel(0)[71999 - i], 1e-6F);
  }
  // What changes the length has no place in a selection.
  try {
    print_clip({plan_of(sound, {{with("speed", {{"speed_pct", 50}})}}), ClipRange{0.5, 1.5}, 0,
                t / "v" / "q.wav"},
               store, never);
    ADD_FAILURE();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("print the whole clip"), std::string::npos) << e.what();
  }
}

TEST(TimeMaps, GoThereAndBack) {
  const TimeMap bent({{0, 0}, {1, 2}, {3, 3}});
  for (const double s : {-0.5, 0.0, 0.3, 1.0, 2.5, 3.0, 4.0})
    EXPECT_NEAR(bent.in_of(bent.out_of(s)), s, 1e-12);
  EXPECT_NEAR(bent.out_of(2), 2.5, 1e-12);
  EXPECT_NEAR(bent.out_of(5), 4, 1e-12);  // it goes on as at its end
  const auto turned = bent.then(TimeMap::reversed(3));
  EXPECT_TRUE(turned.backwards());
  EXPECT_NEAR(turned.out_of(0), 3, 1e-12);
  EXPECT_NEAR(turned.in_of(turned.out_of(1.7)), 1.7, 1e-12);
  EXPECT_TRUE(turned.then(TimeMap::reversed(3)).then(TimeMap({{0, 0}, {2, 1}, {3, 3}})).identity());
}

}  // namespace
}  // namespace drevan
