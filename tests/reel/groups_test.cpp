// SPDX-License-Identifier: GPL-3.0-or-later
// Groups and the order of clips, without a window.
#include "reel/edits/groups.h"

#include <gtest/gtest.h>

#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::expect_impossible;

using test::TempFolder;

class Groups : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(
        t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Buoy"}, {"d", "Buoy"}, {"e", "Wind"}}, 0.1);
    before = reel;
  }
  void TearDown() override { EXPECT_EQ(reel, before); }

  static std::string order(const Reel& reel) {
    std::string out;
    for (const Group& g : reel.groups) {
      out += (out.empty() ? "" : " ") + g.name + ":";
      for (const auto& c : reel.clips)
        if (c.group == g.id) out += c.name;
    }
    return out;
  }

  TempFolder t;
  Reel reel, before;
};

TEST_F(Groups, ClipsMoveBetweenGroupsAndIntoAnOrder) {
  const ClipId ad[] = {4, 1};
  EXPECT_EQ(order(edits::move_clips(reel, ad, 1, 2).next), "Ines:adb Buoy:c Wind:e");
  EXPECT_EQ(order(edits::move_clips(reel, ad, 2, 0).next), "Ines:b Buoy:cad Wind:e");
  const ClipId c[] = {3};
  EXPECT_EQ(order(edits::move_clips(reel, c, 2, 3).next), "Ines:ab Buoy:cd Wind:e");
  // A group that is left empty goes, unless there is something in it to lose.
  const ClipId e[] = {5};
  EXPECT_EQ(order(edits::move_clips(reel, e, 1, 0).next), "Ines:abe Buoy:cd");
  const auto noted = edits::set_group_note(reel, 3, "from the pier", GroupMark::ring).next;
  EXPECT_EQ(order(edits::move_clips(noted, e, 1, 0).next), "Ines:abe Buoy:cd Wind:");
  expect_impossible([&] { edits::move_clips(reel, e, 8, 0); }, "not in the reel any more");
}

TEST_F(Groups, WhoLeavesAGroupLendsAndSitsOutOfNothingThere) {
  reel.clips[0].room_tone = ClipRange{0, 0.05};
  reel.groups[0].room_tone_clip = 1;
  reel.groups[0].chain.steps = {make_step("gain")};
  settle_step_ids(reel);
  sit_out_of_group(reel, 1, true);
  sit_out_of_step(reel.groups[0].chain.steps[0], 1, true);
  before = reel;
  const ClipId a[] = {1};
  const auto next = edits::move_clips(reel, a, 2, 0).next;
  EXPECT_EQ(next.groups[0].room_tone_clip.number(), 0);
  EXPECT_TRUE(next.groups[0].sits_out.empty());
  EXPECT_TRUE(next.groups[0].chain.steps[0].sits_out.empty());
}

TEST_F(Groups, AreMadeNamedMovedAndRemoved) {
  const ClipId bd[] = {2, 4};
  const auto made = edits::new_group(reel, "  Pier ", bd);
  EXPECT_EQ(order(made.next), "Ines:a Buoy:c Wind:e Pier:bd");
  EXPECT_EQ(order(edits::new_group(reel, "Later", {}).next), "Ines:ab Buoy:cd Wind:e Later:");
  expect_impossible([&] { edits::new_group(reel, "Buoy", bd); }, "already");
  expect_impossible([&] { edits::new_group(reel, " \t", bd); }, "needs a name");
  expect_impossible([&] { edits::new_group(reel, std::string(1000, 'x'), bd); }, "too long");
  EXPECT_EQ(order(edits::rename_group(reel, 1, "Keeper").next), "Keeper:ab Buoy:cd Wind:e");
  EXPECT_EQ(order(edits::rename_group(reel, 1, "Ines").next), order(reel));
  expect_impossible([&] { edits::rename_group(reel, 1, "Wind"); }, "already");
  EXPECT_EQ(order(edits::move_group(reel, 3, 1).next), "Wind:e Ines:ab Buoy:cd");
  EXPECT_EQ(order(edits::move_group(reel, 1, 3).next), "Buoy:cd Wind:e Ines:ab");
  EXPECT_EQ(order(edits::move_group(reel, 2, 2).next), order(reel));
  const auto removed = edits::remove_group(reel, 2);
  EXPECT_EQ(order(removed.next), "Ines:abcd Wind:e");
  EXPECT_EQ(removed.told, "2 clips went to Ines");
  EXPECT_EQ(order(edits::remove_group(reel, 1).next), "Buoy:abcd Wind:e");
}

TEST_F(Groups, AreSortedAndProposedByNames) {
  const ClipId all[] = {1, 2, 3, 4, 5};
  const auto by =
      edits::group_by(reel, all, [](const Clip& c) { return c.name < "c" ? "Front" : "Back"; });
  EXPECT_EQ(order(by.next), "Front:ab Back:cde");
  const auto sorted = edits::sort_clips(
      reel, [](const Clip& a, const Clip& b) { return a.name > b.name; }, "name");
  EXPECT_EQ(order(sorted.next), "Ines:ba Buoy:dc Wind:e");
}

TEST_F(Groups, NotesAndMarksAreKeptInTheFile) {
  const auto noted = edits::set_group_note(reel, 2, "over the radio", GroupMark::diamond).next;
  const Reel again = reel_from_text(reel_to_text(noted, "/"), "/", "x.reel");
  EXPECT_EQ(again, noted);
  EXPECT_EQ(again.groups[1].mark, GroupMark::diamond);
  test::expect_refused(reel_to_text(noted, t.path()), t.path(),
                       std::vector<std::pair<std::string, std::string>>{
                           {"\"diamond\"", "\"pentagon\""}, {"\"mark\"", "\"marks\""}});
}

TEST(Names, AreSortedAsPeopleCount) {
  for (const auto& [a, b] : {std::pair{"take 9", "take 10"},
                             {"Take 2", "take 3"},
                             {"a", "B"},
                             {"take 02", "take 3"},
                             {"x1y2", "x1y10"},
                             {"a", "a1"},
                             {"a001b", "a1bc"}}) {
    EXPECT_TRUE(edits::before_by_name(a, b)) << a << " " << b;
    EXPECT_FALSE(edits::before_by_name(b, a)) << a << " " << b;
  }
  EXPECT_FALSE(edits::before_by_name("same", "same"));
}

TEST(Names, BeginBeforeTheirNumber) {
  for (const auto& [name, beginning] : {std::pair{"ines_take-012", "ines_take"},
                                        {"Buoy 3", "Buoy"},
                                        {"wind (2)", "wind"},
                                        {"0042", "0042"},
                                        {"door", "door"},
                                        {"mic 2 take 17", "mic 2 take"},
                                        {"", ""},
                                        {" ", " "}})
    EXPECT_EQ(edits::name_beginning(name), beginning) << name;
}

// A group's curve counts by the reel's clock, a clip's own by the clip's: who takes the group's chain along hears each
// point where it was.
TEST(TakeGroupChain, CurvesStayWhereTheyAreHeard) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"0", "Ines"}}, 2);
  reel.clips[0].place = ReelTime{3};
  ChainStep gain = make_step("gain");
  gain.curves.push_back({0, std::make_shared<const Curve>(
                                Curve{{{3.5, -6, CurveShape::line}, {4.5, 0, CurveShape::line}}})});
  reel.groups[0].chain.steps.push_back(gain);
  Clip clip = std::as_const(reel).clips[0];
  take_group_chain(reel, clip);
  ASSERT_EQ(clip.chain.steps.size(), 1U);
  const Curve& curve = *clip.chain.steps[0].curves.at(0).curve;
  EXPECT_EQ(curve.points[0].s, 0.5);
  EXPECT_EQ(curve.points[1].s, 1.5);
}

}  // namespace
}  // namespace drevan
