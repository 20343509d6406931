// SPDX-License-Identifier: GPL-3.0-or-later
// What reels share, what an edit costs, and what is told of it.
#include "reel/change.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <thread>

#include "reel/edits/groups.h"
#include "reel/history.h"
#include "reel/edits/many.h"
#include "reel/files/reel_json.h"
#include "reel/scene/scene_edits.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

TEST(SharedListTest, ACopyIsNotChangedAndOnlyWhatIsTouchedIsCopied) {
  SharedList<std::string> a{"one", "two", "three"};
  SharedList<std::string> b = a;
  EXPECT_TRUE(a.same(b));
  b[1] = "other";
  EXPECT_EQ(a, (SharedList<std::string>{"one", "two", "three"}));
  EXPECT_EQ(b, (SharedList<std::string>{"one", "other", "three"}));
  EXPECT_TRUE(a.same(0, b, 0));
  EXPECT_FALSE(a.same(1, b, 1));
  EXPECT_TRUE(a.same(2, b, 2));
  b.change_where([](const std::string& s) { return s == "three"; },
                 [](std::string& s) { s = "last"; });
  EXPECT_EQ(std::as_const(a).back(), "three");
  erase_if(b, [](const std::string& s) { return s == "one"; });
  b.insert(b.begin(), "first");
  for (std::string& s : b.each()) s += "!";
  EXPECT_EQ(b, (SharedList<std::string>{"first!", "other!", "last!"}));
  EXPECT_EQ(a, (SharedList<std::string>{"one", "two", "three"}));
  SharedList<std::string> none;
  for (std::string& s : none.each()) s += "!";
  EXPECT_TRUE(none.empty() && none == SharedList<std::string>{} && none.same({}));
}

// As the journal's thread reads what the window goes on changing. ThreadSanitizer looks on.
TEST(SharedListTest, OneThreadReadsWhatAnotherChangesInItsOwnCopy) {
  SharedList<std::string> now;
  for (int i = 0; i < 100; ++i) now.push_back("x");
  for (int round = 0; round < 200; ++round) {
    std::thread reader([copy = now] {
      size_t length = 0;
      for (const std::string& s : copy) length += s.size();
      EXPECT_GE(length, 100U);
    });
    now[static_cast<size_t>(round) % now.size()] += "y";
    reader.join();
    now[0] += "z";
  }
}

class ChangeTest : public testing::Test {
 protected:
  ChangeTest() {
    reel = test::reel_of(t, {{"take 1", "Ines"}, {"take 2", "Bruno"}}, 1);
    const Source sources[] = {reel.sources[0], reel.sources[1]};
    for (size_t i = 0; i < 38; ++i) add_clip(reel, sources[i % 2], i % 2 ? "Bruno" : "Ines");
    for (Clip& c : reel.clips.each())
      c.chain.steps = {test::with("gain", {{"gain_db", -3}}), test::with("cut", {})};
    history = History(reel);
  }
  Change after(edits::Edit edit) {
    const Reel before = history.now();
    history.edit(std::move(edit.next), edit.label);
    return difference(before, history.now());
  }
  const Reel& now() { return history.now(); }
  test::TempFolder t;
  Reel reel;
  History history;
};

TEST_F(ChangeTest, ATurnIsOfOneClipAndOfNoRow) {
  const Change change =
      after(edits::turn(now(), now().clips[4].id, now().clips[4].chain.steps[0].id, 0, -9.0));
  Change wanted;
  wanted.clips = {now().clips[4].id};
  EXPECT_EQ(change, wanted);
  EXPECT_TRUE(may_sound_otherwise(change, now(), now().clips[4]));
  EXPECT_FALSE(may_sound_otherwise(change, now(), now().clips[5]));
  EXPECT_TRUE(may_sound_otherwise(change, now(), now().mix)) << "a bus sums them all";
}

TEST_F(ChangeTest, AMoveIsOfItsRowAndAStretchToo) {
  const edits::PlacedClip to[] = {{now().clips[4].id, {50}}};
  EXPECT_EQ(after(edits::place_clips(now(), to)).rows,
            (std::vector<GroupId>{now().clips[4].group}));
  EXPECT_EQ(
      after(edits::turn(now(), now().clips[5].id, now().clips[5].chain.steps[0].id, 0, 1)).rows,
      std::vector<GroupId>{});
  const ClipId one[] = {now().clips[6].id};
  EXPECT_EQ(after(edits::paste_steps(now(), one, {"x", "", {{make_step("reverse")}}, {}}, 0)).rows,
            (std::vector<GroupId>{now().clips[6].group}));
}

// An edit costs what it changed: all else is one in memory with the state before, also where an
// edit wrote it anew with the same content.
TEST_F(ChangeTest, WhatAnEditDoesNotChangeIsShared) {
  const Reel before = now();
  Reel next = now();
  for (Clip& c : next.clips.each()) c.name += "";
  next.clips[3].name = "another";
  history.edit(std::move(next), "Name");
  size_t shared = 0;
  for (size_t i = 0; i < before.clips.size(); ++i) shared += before.clips.same(i, now().clips, i);
  EXPECT_EQ(shared, before.clips.size() - 1);
  EXPECT_TRUE(before.sources.same(now().sources));
  EXPECT_TRUE(before.groups.same(now().groups));
}

// One clip's setting: a line of one operation, whatever the reel's size; a move within the list
// two.
TEST_F(ChangeTest, AJournalLineHoldsWhatChanged) {
  const Reel before = now();
  after(edits::turn(now(), now().clips[4].id, now().clips[4].chain.steps[0].id, 0, -9.0));
  EXPECT_EQ(reel_patch(before, now(), t.path()).size(), 1U);
  const Reel turned = now();
  const ClipId one[] = {now().clips[0].id};
  after(edits::move_clips(now(), one, now().clips[0].group, 0));
  EXPECT_EQ(reel_patch(turned, now(), t.path()).size(), 2U);
}

}  // namespace
}  // namespace drevan
