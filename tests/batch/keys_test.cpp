// SPDX-License-Identifier: GPL-3.0-or-later
// What a rendered file is known by: each field of a job that its sound or its file depends on makes
// another key, each that it does not leaves it. One field at a time.
#include <gtest/gtest.h>

#include <functional>

#include "batch/record.h"
#include "support/steps.h"

namespace drevan {
namespace {

struct KeyCase {
  const char* what;
  std::function<void(BatchJob&, BatchOptions&)> change;
};

class KeysOfJobs : public testing::Test {
 protected:
  KeysOfJobs() {
    AudioBuffer x = test::noise(0.1, 1, 3);
    for (const char* name : {"a.wav", "b.wav"}) test::write_wav(t / name, x);
    job.clip = "a";
    job.plan = plan_of({t / "a.wav", 100, 40000, 48000, ClipRange{{0.1}, {0.7}}},
                       {{test::with("noise-reduction", {}), test::with("reverse", {}),
                         test::with("vocoder", {})}});
    job.plan.sound.place = ReelTime{3};
    job.plan.sound.fade_in = {0.1, CurveShape::line, 0.02, 0.3, 0.4};
    job.plan.sound.fade_out = {0.2, CurveShape::line, 0.01, 0.5, 0.6};
    job.plan.steps[2].tracks = {
        {0, std::make_shared<const Curve>(Curve{{{0.1, 1}, {0.5, 2, CurveShape::hold}}})}};
    options.also = {{Container::flac, SampleType::int16}};
    key = render_key(job, options);
  }
  std::uint64_t with(const KeyCase& one) const {
    BatchJob other = job;
    BatchOptions so = options;
    one.change(other, so);
    return render_key(other, so);
  }
  Curve curve_of(const BatchJob& of) const { return *of.plan.steps[2].tracks[0].curve; }
  void draw(BatchJob& of, Curve curve) const {
    of.plan.steps[2].tracks[0].curve = std::make_shared<const Curve>(std::move(curve));
  }
  test::TempFolder t;
  BatchJob job;
  BatchOptions options;
  std::uint64_t key = 0;
};

TEST_F(KeysOfJobs, EachFieldOfTheSoundMakesAnother) {
  const std::vector<KeyCase> cases = {
      {"file", [&](BatchJob& j, auto&) { j.plan.sound.file = t / "b.wav"; }},
      {"begin", [](BatchJob& j, auto&) { j.plan.sound.begin++; }},
      {"frames", [](BatchJob& j, auto&) { j.plan.sound.frames--; }},
      {"rate", [](BatchJob& j, auto&) { j.plan.sound.rate = 44100; }},
      {"room tone's beginning",
       [](BatchJob& j, auto&) { j.plan.sound.room_tone->begin.s += 0.01; }},
      {"room tone's end", [](BatchJob& j, auto&) { j.plan.sound.room_tone->end.s += 0.01; }},
      {"no room tone", [](BatchJob& j, auto&) { j.plan.sound.room_tone.reset(); }},
      {"a lent tone",
       [](BatchJob& j, auto&) {
         j.plan.sound.shared_tone = std::make_shared<const ClipSound>(j.plan.sound);
         j.plan.sound.room_tone.reset();
       }},
      {"place", [](BatchJob& j, auto&) { j.plan.sound.place = ReelTime{3.5}; }},
      {"no place", [](BatchJob& j, auto&) { j.plan.sound.place.reset(); }},
      {"a fade's length", [](BatchJob& j, auto&) { j.plan.sound.fade_in.seconds = 0.3; }},
      {"a fade's shape",
       [](BatchJob& j, auto&) { j.plan.sound.fade_out.shape = CurveShape::smooth; }},
      {"what of a fade is gone", [](BatchJob& j, auto&) { j.plan.sound.fade_in.gone_s = 0.03; }},
      {"how alike what crosses is", [](BatchJob& j, auto&) { j.plan.sound.fade_in.alike = 0.9; }},
      {"no crossfade", [](BatchJob& j, auto&) { j.plan.sound.fade_out.alike.reset(); }},
      {"a crossfade's middle", [](BatchJob& j, auto&) { j.plan.sound.fade_out.middle = 0.2; }},
      {"fades the other way round",
       [](BatchJob& j, auto&) { std::swap(j.plan.sound.fade_in, j.plan.sound.fade_out); }},
      {"whether a tone is looked for", [](BatchJob& j, auto&) { j.find_room_tone = true; }},
      {"a setting", [](BatchJob& j, auto&) { j.plan.steps[2].settings.values[2] *= 1.01; }},
      {"a text of a step's",
       [](BatchJob& j, auto&) { j.plan.steps[2].settings.texts = {"C3 E3 G3"}; }},
      {"the order of steps",
       [](BatchJob& j, auto&) { std::swap(j.plan.steps[0], j.plan.steps[2]); }},
      {"a step fewer", [](BatchJob& j, auto&) { j.plan.steps.pop_back(); }},
      {"no curve", [](BatchJob& j, auto&) { j.plan.steps[2].tracks.clear(); }},
      {"which setting a curve is of",
       [](BatchJob& j, auto&) { j.plan.steps[2].tracks[0].parameter = 1; }},
      {"where a curve counts from", [](BatchJob& j, auto&) { j.plan.steps[2].by_place = true; }},
      {"a point's moment",
       [&](BatchJob& j, auto&) {
         Curve c = curve_of(j);
         c.points[1].s += 0.01;
         draw(j, c);
       }},
      {"a point's value",
       [&](BatchJob& j, auto&) {
         Curve c = curve_of(j);
         c.points[1].value += 0.01;
         draw(j, c);
       }},
      {"a point's shape",
       [&](BatchJob& j, auto&) {
         Curve c = curve_of(j);
         c.points[0].shape = CurveShape::smooth;
         draw(j, c);
       }},
      {"a side",
       [](BatchJob& j, auto&) {
         j.plan.steps[2].sides = {{std::make_shared<const ClipPlan>(), 7, ""}};
       }},
  };
  for (const KeyCase& one : cases) EXPECT_NE(with(one), key) << one.what;
}

TEST_F(KeysOfJobs, EachFieldOfTheFileMakesAnother) {
  const std::vector<KeyCase> cases = {
      {"container", [](auto&, BatchOptions& o) { o.container = Container::flac; }},
      {"samples", [](auto&, BatchOptions& o) { o.samples = SampleType::int16; }},
      {"length", [](auto&, BatchOptions& o) { o.length = RenderLength::same; }},
      {"nothing else", [](auto&, BatchOptions& o) { o.also.clear(); }},
      {"another one's container",
       [](auto&, BatchOptions& o) { o.also[0].container = Container::wav; }},
      {"another one's samples",
       [](auto&, BatchOptions& o) { o.also[0].samples = SampleType::int24; }},
      {"one more", [](auto&, BatchOptions& o) { o.also.push_back(o.also[0]); }},
  };
  for (const KeyCase& one : cases) EXPECT_NE(with(one), key) << one.what;
}

// Names and who does the work say nothing of what is in a file: nothing is rendered again for them.
TEST_F(KeysOfJobs, WhatIsNotHeardLeavesIt) {
  const std::atomic<bool> pause{false};
  const std::vector<KeyCase> cases = {
      {"clip's name", [](BatchJob& j, auto&) { j.clip = "another"; }},
      {"group's name", [](BatchJob& j, auto&) { j.group = "another"; }},
      {"reel's name", [](BatchJob& j, auto&) { j.reel = "another"; }},
      {"subfolder", [](BatchJob& j, auto&) { j.subfolder = "x"; }},
      {"ids of steps", [](BatchJob& j, auto&) { j.plan.steps[0].id = 99; }},
      {"folder", [&](auto&, BatchOptions& o) { o.folder = t / "elsewhere"; }},
      {"pattern", [](auto&, BatchOptions& o) { o.pattern = "{number}"; }},
      {"workers", [](auto&, BatchOptions& o) { o.workers = 3; }},
      {"overwrite", [](auto&, BatchOptions& o) { o.overwrite = true; }},
      {"part", [](auto&, BatchOptions& o) { o.part = "1of2"; }},
      {"pause", [&](auto&, BatchOptions& o) { o.pause = &pause; }},
  };
  for (const KeyCase& one : cases) EXPECT_EQ(with(one), key) << one.what;
}

}  // namespace
}  // namespace drevan
