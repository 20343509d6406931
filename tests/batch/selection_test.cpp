// SPDX-License-Identifier: GPL-3.0-or-later
// Several clips as one: made into a clip, written as they are heard, stretched together.
#include "batch/selection.h"

#include <gtest/gtest.h>

#include "reel/scene/made.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "reel/edits/takes.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

const CancelToken not_cancelled;

class SelectionTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "One"}, {"b", "One"}, {"c", "Two"}}, 1);
    reel.clips[0].place = ReelTime{2};
    reel.clips[1].place = ReelTime{2.5};
    reel.clips[2].place = ReelTime{4};
    reel.groups[0].chain.steps = {test::with("gain", {{"gain_db", 3}})};
    reel.clips[1].chain.steps = {test::with("gain", {{"gain_db", -6}})};
    settle_step_ids(reel);
  }
  AudioBuffer mix_of(const Reel& of, const std::string& name) {
    BatchOptions options;
    options.folder = t / name;
    options.samples = SampleType::float32;
    return test::read_all(render_mix(of, options, {}, store, not_cancelled).files.front().output);
  }
  static float difference(const AudioBuffer& a, const AudioBuffer& b, Samples b_from = 0) {
    float most = 0;
    for (Samples i = 0; i < a.frames() && b_from + i < b.frames(); ++i)
      most = std::max(most, std::abs(a.channel(0)[static_cast<size_t>(i)] -
                                     b.channel(0)[static_cast<size_t>(b_from + i)]));
    return most;
  }
  test::TempFolder t;
  FindingStore store;
  Reel reel;
};

TEST_F(SelectionTest, OneClipMadeOfSeveralSoundsAsTheyDidAndComesApart) {
  const AudioBuffer before = mix_of(reel, "before");
  const ClipId ids[] = {1, 2};
  const RenderedPart one = render_one(reel, ids, t / "one.wav", store, not_cancelled);
  EXPECT_EQ(one.sound.frames, 72000);
  EXPECT_EQ(one.begin.s, 2);
  const Reel made = edits::make_one(reel, ids, one.sound, one.begin).next;
  const Clip& clip = made.clips.back();
  EXPECT_EQ(clip.name, "a and 1 more");
  EXPECT_EQ(clip.place.s, 2);
  EXPECT_EQ(clip.group.number(), 1) << "its group's chain comes once";
  EXPECT_EQ(rendered_clips(made), (std::vector<ClipId>{3, clip.id}));
  EXPECT_EQ(made_of(made, clip.id), (std::vector<ClipId>{1, 2}));
  const AudioBuffer after = mix_of(made, "after");
  ASSERT_EQ(after.frames(), before.frames());
  EXPECT_LT(difference(after, before), 1e-6F);
  // It is kept in the file.
  save_reel(made, t / "x.reel");
  EXPECT_EQ(made_of(load_reel(t / "x.reel"), clip.id), (std::vector<ClipId>{1, 2}));
  // Made again after a change of what it was made of.
  Reel changed = made;
  changed.clips[1].chain.steps[0].settings.values[0] = 0;
  const RenderedPart again =
      render_one(edits::take_apart(changed, clip.id).next, made_of(changed, clip.id), t / "two.wav",
                 store, not_cancelled);
  const Reel remade = edits::make_again(changed, clip.id, again.sound).next;
  EXPECT_GT(difference(mix_of(remade, "again"), before), 0.01F);
  EXPECT_EQ(remade.find(clip.id)->place.s, 2);
  // Apart again, or removed: nothing is lost.
  const Reel apart = edits::take_apart(made, clip.id).next;
  EXPECT_EQ(rendered_clips(apart), (std::vector<ClipId>{1, 2, 3}));
  const ClipId gone[] = {clip.id};
  EXPECT_EQ(rendered_clips(edits::remove_clips(made, gone).next), (std::vector<ClipId>{1, 2, 3}));
  EXPECT_THROW(edits::take_apart(reel, 1), Error);
  EXPECT_THROW(render_one(reel, ids, t / "one.wav", store, not_cancelled), Error);
}

// What crosses into, or out of, a clip that is not made one with them is whole in what is made: the
// clip that is made crosses in its place.
TEST_F(SelectionTest, WhatCrossesWithOthersIsWhole) {
  ASSERT_EQ(Crossings(reel).take().size(), 1U);
  for (const ClipId id : {ClipId{1}, ClipId{2}}) {
    const ClipId one[] = {id}, other[] = {id == 1 ? ClipId{2} : ClipId{1}};
    const auto name = std::to_string(id.number());
    render_one(reel, one, t / (name + "a.wav"), store, not_cancelled);
    render_one(edits::remove_clips(reel, other).next, one, t / (name + "b.wav"), store,
               not_cancelled);
    const AudioBuffer a = test::read_all(t / (name + "a.wav")),
                      b = test::read_all(t / (name + "b.wav"));
    ASSERT_EQ(a.frames(), b.frames());
    EXPECT_EQ(difference(a, b), 0) << name;
  }
}

TEST_F(SelectionTest, OfSeveralGroupsItBringsTheirChainsAlong) {
  reel.clips[1].layered = true;  // in a group of its own it would cross nothing of its old row
  const AudioBuffer before = mix_of(reel, "before");
  const ClipId ids[] = {2, 3};
  const RenderedPart one = render_one(reel, ids, t / "one.wav", store, not_cancelled);
  const Reel made = edits::make_one(reel, ids, one.sound, one.begin).next;
  EXPECT_EQ(made.group_of(made.clips.back()).name, "Made of several");
  EXPECT_LT(difference(mix_of(made, "after"), before), 1e-6F);
  const ClipId fewer[] = {1};
  EXPECT_THROW(edits::make_one(reel, fewer, one.sound, one.begin), Error);
  EXPECT_THROW(edits::make_one(made, ids, one.sound, one.begin), Error) << "they are left out";
}

TEST_F(SelectionTest, WhatIsMarkedIsWrittenAsItIsHeardInTheMix) {
  reel = edits::add_space(reel, "Hall", {{test::with("gain", {{"gain_db", -12}})}}).next;
  reel = edits::set_send(reel, ClipId{1}, reel.spaces[0].id(), 0).next;
  reel.mix.chain.steps = {test::with("gain", {{"gain_db", 2}})};
  settle_step_ids(reel);
  const ClipId ids[] = {1};
  const MixFile file = render_selection(reel, ids, t / "marked.wav", Container::wav,
                                        SampleType::float32, store, not_cancelled);
  EXPECT_TRUE(file.levels.loudness_lufs);
  const AudioBuffer written = test::read_all(t / "marked.wav");
  EXPECT_EQ(written.frames(), 48000);
  EXPECT_EQ(open_audio(t / "marked.wav")->info().time_reference, 96000);
  // Whatever is learned over a group, heard beside from a clip that is not marked, or crossed: what
  // is written of each sums to the mix.
  ChainStep normalise = test::with("normalise", {{"target_db", -20}});
  reel.groups[0].chain.steps = {normalise};
  ChainStep beside = make_step("compressor");
  if (!beside.type->sides.empty()) {
    beside.sides.resize(beside.type->sides.size());
    beside.sides[0] = {SideChoice::From::clip, 3, "c"};
    reel.clips[0].chain.steps.push_back(beside);
  }
  settle_step_ids(reel);
  const AudioBuffer whole = mix_of(reel, "whole");
  AudioBuffer sum(whole.channels(), whole.frames());
  for (const Clip& c : reel.clips) {
    const ClipId one[] = {c.id};
    const auto part = t / ("part" + std::to_string(c.id.number()) + ".wav");
    render_selection(reel, one, part, Container::wav, SampleType::float32, store, not_cancelled);
    const AudioBuffer x = test::read_all(part);
    const auto from = static_cast<size_t>(*open_audio(part)->info().time_reference);
    for (int k = 0; k < sum.channels(); ++k)
      for (size_t i = 0; i < x.channel(0).size() && from + i < sum.channel(k).size(); ++i)
        sum.channel(k)[from + i] += x.channel(std::min(k, x.channels() - 1))[i];
  }
  EXPECT_LT(difference(sum, whole), 1e-6F);
  EXPECT_THROW(render_selection(reel, {}, t / "none.wav", Container::wav, SampleType::int24, store,
                                not_cancelled),
               Error);
  EXPECT_THROW(render_selection(reel, ids, reel.sources[0].path, Container::wav, SampleType::int24,
                                store, not_cancelled),
               Error);
}

TEST_F(SelectionTest, MarkedClipsStretchByOneFactorAboutTheirCommonStart) {
  const edits::SoundingClip clips[] = {{1, 1}, {2, 1}};
  const Reel next = edits::stretch_together(reel, clips, 1.5).next;
  EXPECT_DOUBLE_EQ(next.clips[0].place.s, 2);
  EXPECT_DOUBLE_EQ(next.clips[1].place.s, 2.75);
  EXPECT_DOUBLE_EQ(next.clips[2].place.s, 4);
  const AudioBuffer mix = mix_of(next, "stretched");
  EXPECT_NEAR(static_cast<double>(mix.frames()) / 48000, 5, 0.01) << "c still ends last";
  for (const ClipId id : {ClipId{1}, ClipId{2}})
    EXPECT_EQ(edits::stretch_way(*next.find(id)), edits::StretchWay::pitch);
  // One that is stretched like tape stays so; past what one can, none is stretched.
  const Reel tape = edits::stretch_to(reel, 2, HeardSpan{1.2}, edits::StretchWay::tape).next;
  const edits::SoundingClip now[] = {{1, 1}, {2, 1.2}};
  const Reel both = edits::stretch_together(tape, now, 0.5).next;
  EXPECT_EQ(edits::stretch_way(*both.find(ClipId{2})), edits::StretchWay::tape);
  EXPECT_THROW(edits::stretch_together(reel, clips, 20), Error);
}

}  // namespace
}  // namespace drevan
