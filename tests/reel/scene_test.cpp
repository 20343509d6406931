// SPDX-License-Identifier: GPL-3.0-or-later
// What the Scene adds to a reel: its edits and its file.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <limits>

#include "reel/history.h"
#include "reel/files/json_file.h"
#include "reel/scene/scene_edits.h"
#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::Feeder;
using test::expect_impossible;
using test::TempFolder;
using testing::ElementsAre;

class SceneEdits : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Wind"}}, 0.1);
    for (auto& c : reel.clips.each()) c.place = ReelTime{2.0 * c.id.number()};
    reel = edits::add_space(reel, "Lamp room", {{make_step("gain")}}).next;
    reel = edits::add_space(reel, "Stairs").next;
    before = reel;
  }
  void TearDown() override { EXPECT_EQ(reel, before); }

  static constexpr SpaceId lamp_room = -2, stairs = -3;
  const Clip& clip(const Reel& of, ClipId id) const { return *of.find(id); }
  TempFolder t;
  Reel reel, before;
};

TEST_F(SceneEdits, ClipsMoveTogetherAndNoneBeforeTheBeginning) {
  const edits::PlacedClip places[] = {{1, -3}, {3, 1.5}};
  const auto edit = edits::place_clips(reel, places);
  EXPECT_DOUBLE_EQ(clip(edit.next, 1).place.s, 0);
  EXPECT_DOUBLE_EQ(clip(edit.next, 3).place.s, 4.5);
  EXPECT_DOUBLE_EQ(clip(edit.next, 2).place.s, 4) << "it stays";
  EXPECT_EQ(edit.label, "Move 2 clips");
  // A drag is one edit.
  History h(reel);
  for (const double s : {1.0, 1.2, 1.4}) {
    const edits::PlacedClip one[] = {{2, s}};
    const auto e = edits::place_clips(h.now(), one);
    h.edit(e.next, e.label, e.merge);
  }
  EXPECT_EQ(h.labels().size(), 2U);
  const edits::PlacedClip none[] = {{1, std::numeric_limits<double>::quiet_NaN()}};
  expect_impossible([&] { edits::place_clips(reel, none); }, "no number");
  const edits::PlacedClip bus[] = {{clip_of(lamp_room), 1}};
  expect_impossible([&] { edits::place_clips(reel, bus); }, "has no place");
}

TEST_F(SceneEdits, AFilmMovesWithItsOwnSound) {
  Reel with = edits::add_film(reel, "/films/one.mov", {0}).next;
  // Clip 1 is its sound, shot a little later; the others are not.
  with = edits::add_film(with, with.source_of(clip(with, 1)).path, {10}).next;
  const auto edit = edits::place_film(with, 1, {13});
  EXPECT_DOUBLE_EQ(edit.next.films[1].place.s, 13);
  EXPECT_DOUBLE_EQ(clip(edit.next, 1).place.s, 5);
  EXPECT_DOUBLE_EQ(clip(edit.next, 2).place.s, 4);
  EXPECT_EQ(edit.label, "Move " + with.films[1].path.filename().string());
  // Its sound holds it back at the reel's beginning, and films stay in the order of time.
  const auto early = edits::place_film(with, 1, {0});
  EXPECT_DOUBLE_EQ(clip(early.next, 1).place.s, 0);
  EXPECT_DOUBLE_EQ(early.next.films[1].place.s, 8);
  const auto last = edits::place_film(with, 0, {20});
  EXPECT_EQ(last.next.films[1].path, "/films/one.mov");
  expect_impossible([&] { edits::place_film(with, 2, {1}); }, "not in the reel");
  expect_impossible([&] { edits::place_film(with, 0, {std::numeric_limits<double>::quiet_NaN()}); },
                    "no number");
}

// A film that stands in the reel twice: each has the sound that lies at it.
TEST_F(SceneEdits, OfTwoFilmsOfOneFileEachMovesWithItsOwnSound) {
  const auto file = reel.source_of(clip(reel, 1)).path;
  Reel with = edits::add_film(edits::add_film(reel, file, {10}).next, file, {100}).next;
  const Source source = with.source_of(clip(with, 1));
  with = edits::add_clip_at(with, source, "Film sound", {10}).next;
  const ClipId first = with.clips.back().id;
  with = edits::add_clip_at(with, source, "Film sound", {100}).next;
  const ClipId second = with.clips.back().id;
  // The second was cut: what is left of it still belongs to its film.
  Clip& cut = *with.find(second);
  cut.begin = static_cast<Samples>(0.05 * source.rate);
  cut.frames -= cut.begin;
  cut.place = {100.05};
  const Reel moved = edits::place_film(with, 1, {130}).next;
  EXPECT_DOUBLE_EQ(moved.films[1].place.s, 130);
  EXPECT_DOUBLE_EQ(clip(moved, second).place.s, 130.05);
  EXPECT_DOUBLE_EQ(clip(moved, first).place.s, 10);
  EXPECT_DOUBLE_EQ(moved.films[0].place.s, 10);
}

TEST_F(SceneEdits, EventsStayInTheOrderOfTime) {
  Reel r = edits::add_event(reel, {5, "  turns "}).next;
  r = edits::add_event(r, {2, "door"}).next;
  r = edits::add_event(r, {2, "at the same time"}).next;
  const auto names = [](const Reel& of) {
    std::vector<std::string> out;
    for (const auto& e : of.events) out.push_back(e.name);
    return out;
  };
  EXPECT_THAT(names(r), ElementsAre("door", "at the same time", "turns"));
  EXPECT_THAT(names(edits::move_event(r, 2, {9}).next),
              ElementsAre("at the same time", "turns", "door"));
  EXPECT_DOUBLE_EQ(edits::move_event(r, 2, {-1}).next.events[0].at.s, 0);
  EXPECT_EQ(edits::rename_event(r, 1, "lamp").next.events[2].name, "lamp");
  const EventId gone[] = {2, 1};
  EXPECT_THAT(names(edits::remove_events(r, gone).next), ElementsAre("at the same time"));
  expect_impossible([&] { edits::add_event(r, {1, " "}); }, "needs a name");
  expect_impossible([&] { edits::move_event(r, 4, {1}); }, "not in the reel any more");
}

TEST_F(SceneEdits, ClipsAndGroupsFeedSpaces) {
  Reel r = edits::set_send(reel, GroupId{1}, lamp_room, -12).next;
  r = edits::set_send(r, ClipId{2}, lamp_room, -20).next;
  r = edits::set_send(r, ClipId{2}, stairs, 5).next;
  EXPECT_THAT(sends_of(r, clip(r, 1)), ElementsAre(Send{lamp_room, -12}));
  EXPECT_THAT(sends_of(r, clip(r, 2)), ElementsAre(Send{stairs, 0}, Send{lamp_room, -20}))
      << "its own stands in place of its group's";
  EXPECT_THAT(sends_of(r, clip(r, 3)), ElementsAre());
  // Off for one clip, whatever its group does.
  const Reel off = edits::set_send(r, ClipId{1}, lamp_room, off_send_db).next;
  EXPECT_THAT(sends_of(off, clip(off, 1)), ElementsAre());
  EXPECT_EQ(clip(off, 1).sends.size(), 1U);
  EXPECT_TRUE(edits::set_send(r, ClipId{2}, stairs, -80).next.clips[1].sends.size() == 1);
  EXPECT_TRUE(edits::set_send(r, GroupId{1}, lamp_room, -60).next.groups[0].sends.empty());
  const Reel through = edits::set_direct(r, GroupId{1}, false).next;
  EXPECT_FALSE(heard_direct(through, clip(through, 1)));
  EXPECT_TRUE(heard_direct(through, clip(through, 3)));
  expect_impossible([&] { edits::set_send(r, ClipId{1}, -9, 0); }, "not in the reel");
  expect_impossible([&] { edits::set_send(r, clip_of(lamp_room), stairs, 0); },
                    "A space feeds no space");
  // With its space a clip that was heard through it alone is heard again.
  const Reel gone = edits::remove_space(through, lamp_room).next;
  EXPECT_TRUE(heard_direct(gone, clip(gone, 1)));
  EXPECT_THAT(sends_of(gone, clip(gone, 2)), ElementsAre(Send{stairs, 0}));
  EXPECT_EQ(edits::add_space(gone, "Sea").next.spaces.back().id().number(), -4)
      << "no id comes again";
}

TEST_F(SceneEdits, ASpaceIsWorkedOnAsAClip) {
  ASSERT_TRUE(reel.find(clip_of(lamp_room)));
  const StepId gain = reel.find(clip_of(lamp_room))->chain.steps[0].id;
  EXPECT_TRUE(gain);
  const auto turned = edits::turn(reel, clip_of(lamp_room), gain, 0, -3);
  EXPECT_DOUBLE_EQ(turned.next.spaces[0].clip.chain.steps[0].settings[0], -3);
  EXPECT_NE(turned.next, reel);
  const auto added = edits::add_step(reel, clip_of(stairs), {ChainOwner::clip, 0},
                                     *test::with("limiter", {}).type);
  EXPECT_EQ(added.next.spaces[1].clip.chain.steps.size(), 1U);
  EXPECT_EQ(running_steps(reel, *reel.find(clip_of(lamp_room))).size(), 1U);
  expect_impossible([&] { edits::rename_space(reel, stairs, "Lamp room"); }, "another name");
  expect_impossible(
      [&] {
        edits::add_step(reel, clip_of(stairs), {ChainOwner::group, 0}, *make_step("gain").type);
      },
      "chain of their own alone");
}

TEST_F(SceneEdits, AFilmsOwnSoundIsAClipWhereItWasShot) {
  const auto edit = edits::add_clip_at(reel, reel.sources[0], "Film sound", {12.5});
  EXPECT_DOUBLE_EQ(edit.next.clips.back().place.s, 12.5);
  EXPECT_EQ(edit.next.groups.back().name, "Film sound");
  EXPECT_EQ(edit.next.sources.size(), reel.sources.size());
  expect_impossible([&] { edits::add_clip_at(reel, reel.sources[0], " ", {1}); }, "needs a name");
}

TEST_F(SceneEdits, AllOfItIsInTheReelsFileAndComesBack) {
  Reel r = edits::add_film(reel, t / "sub folder" / "first film.mkv", {1.5}).next;
  r = edits::add_film(r, "/elsewhere/second.mov", {0}).next;
  r = edits::add_event(r, {5, "turns, \"slowly\""}).next;
  r = edits::set_send(r, GroupId{1}, lamp_room, -12).next;
  r = edits::set_send(r, ClipId{3}, stairs, -3).next;
  r = edits::set_direct(r, ClipId{3}, false).next;
  r = edits::set_group_kind(r, 2, GroupKind::effects).next;
  r = edits::set_space_level(r, stairs, -4.5).next;
  r = edits::remove_space(edits::add_space(r, "Gone").next, -4).next;
  save_reel(r, t / "x.reel");
  const Reel again = load_reel(t / "x.reel");
  r.name = again.name;
  EXPECT_EQ(again, r);
  EXPECT_EQ(again.films[0].path, "/elsewhere/second.mov");
  EXPECT_EQ(again.last_space_id.number(), -4);
  EXPECT_EQ(again.find(clip_of(lamp_room))->chain.steps[0].id,
            reel.find(clip_of(lamp_room))->chain.steps[0].id);
  // On the same tree a path is relative.
  EXPECT_NE(read_text(t / "x.reel").find("\"sub folder/first film.mkv\""), std::string::npos);
}

TEST_F(SceneEdits, WhatIsWrongInAFileIsRefused) {
  Reel r = edits::add_film(reel, t / "f.mkv", {1}).next;
  r = edits::add_event(r, {5, "turns"}).next;
  r = edits::set_send(r, ClipId{3}, stairs, -3).next;
  r = edits::set_group_kind(r, 2, GroupKind::effects).next;
  const std::string text = reel_to_text(r, t.path());
  const std::vector<std::pair<std::string, std::string>> changes{
      {"\"space\": -3", "\"space\": -7"},
      {"\"level_db\": -3.0", "\"level_db\": -61"},
      {"\"s\": 5.0", "\"s\": -1"},
      {"\"s\": 5.0", "\"s\": 1e99"},
      {"\"kind\": \"effects\"", "\"kind\": 3"},
      {"\"kind\": \"effects\"", "\"kind\": \"noise\""},
      {"\"id\": -3", "\"id\": -2"},
      {"\"id\": -3", "\"id\": 4"},
      {"\"path\": \"f.mkv\"", "\"path\": \"\""},
      {"\"events\": [", "\"events\": 3, \"x\": ["}};
  test::expect_refused(text, t.path(), changes);
}

}  // namespace
}  // namespace drevan
