// SPDX-License-Identifier: GPL-3.0-or-later
// What older versions of Drevan wrote opens for ever: tests/old/ holds files of theirs.
#include <gtest/gtest.h>

#include <set>

#include <nlohmann/json.hpp>

#include "audio/error.h"
#include "reel/edits/groups.h"
#include "reel/files/history_file.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "support/reels.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test::TempFolder;

const fs::path old = fs::path(DREVAN_SOURCE_DIR) / "tests" / "old";

std::vector<StepId> ids_of(Reel reel) {
  std::vector<StepId> out;
  for (const auto* chain : live_chains(reel))
    for (const auto& step : chain->steps) out.push_back(step.id);
  return out;
}

TEST(OldFiles, AReelOfVersion1OpensAndItsStepsGetIds) {
  const Reel reel = load_reel(old / "version-1.reel");
  EXPECT_EQ(reel.clips.size(), 14U);
  for (const auto& source : reel.sources)
    EXPECT_EQ(check_source(source, false), SourceState::fine) << source.path;
  const auto ids = ids_of(reel);
  EXPECT_EQ(ids.size(), 5U);
  EXPECT_EQ(std::set(ids.begin(), ids.end()).size(), ids.size());
  EXPECT_GT(*std::ranges::min_element(ids), StepId{});
  // As the newest version it keeps them.
  const TempFolder t;
  save_reel(reel, t / "new.reel");
  EXPECT_EQ(parse_json(read_text(t / "new.reel"), "x").at("drevan_reel"), 8);
  const Reel again = load_reel(t / "new.reel");
  EXPECT_EQ(ids_of(again), ids);
  EXPECT_EQ(again, reel);
}

TEST(OldFiles, AReelOfVersion2OpensWithItsCurvesAndIds) {
  const Reel reel = load_reel(old / "version-2.reel");
  EXPECT_EQ(reel.clips.size(), 14U);
  const auto& gain = reel.clips[0].chain.steps.at(0);
  ASSERT_EQ(gain.curves.size(), 1U);
  EXPECT_EQ(gain.curves[0].curve->points.size(), 3U);
  EXPECT_EQ(reel.mix.chain.steps.size(), 1U);
  for (const auto& clip : reel.clips) EXPECT_EQ(clip.fade_in, EdgeFade{});
}

TEST(OldFiles, AReelOfVersion3OpensAndHasNoSpaces) {
  const Reel reel = load_reel(old / "version-3.reel");
  EXPECT_EQ(reel.clips.size(), 14U);
  EXPECT_EQ(reel.clips[0].fade_in, (EdgeFade{0.05, CurveShape::smooth}));
  EXPECT_FALSE(reel.clips[1].chosen);
  EXPECT_EQ(reel.groups[0].mark, GroupMark::ring);
  EXPECT_TRUE(reel.spaces.empty() && reel.films.empty() && reel.events.empty());
  for (const auto& clip : reel.clips) EXPECT_TRUE(heard_direct(reel, clip));
}

TEST(OldFiles, AReelOfVersion4OpensAndIsRecordedAsUsual) {
  const Reel reel = load_reel(old / "version-4.reel");
  EXPECT_EQ(reel.spaces.size(), 2U);
  EXPECT_EQ(reel.films.size(), 1U);
  EXPECT_EQ(reel.recording, RecordingFormat{});
  EXPECT_TRUE(reel.reference.empty());
  for (const auto& clip : reel.clips) EXPECT_TRUE(clip.text.empty());
}

TEST(OldFiles, AReelOfVersion5OpensAndItsSendsStandStill) {
  const Reel reel = load_reel(old / "version-5.reel");
  EXPECT_TRUE(reel.recording.floating);
  EXPECT_EQ(reel.reference.filename(), "finished.wav");
  EXPECT_EQ(reel.clips[0].text, "Twenty past nine.");
  EXPECT_TRUE(reel.crossfades.empty());
  for (const auto& clip : reel.clips) {
    for (const Send& s : clip.sends) EXPECT_FALSE(s.level || s.place);
  }
}

// Before version 8 clips named groups and files by their places.
TEST(OldFiles, AReelOfVersion7OpensAndItsGroupsAndFilesGetIds) {
  const auto file = parse_json(read_text(old / "version-7.reel"), "x");
  const Reel reel = load_reel(old / "version-7.reel");
  ASSERT_EQ(reel.clips.size(), file.at("clips").size());
  for (size_t i = 0; i < reel.clips.size(); ++i) {
    const Clip& clip = reel.clips[i];
    const auto& told = file.at("clips")[i];
    EXPECT_EQ(reel.group_of(clip).name, file.at("groups")[told.at("group").get<size_t>()]["name"]);
    EXPECT_EQ(reel.source_of(clip).hash, reel.sources[told.at("source").get<size_t>()].hash);
    EXPECT_EQ(check_source(reel.source_of(clip), false), SourceState::fine) << clip.name;
  }
  for (size_t i = 0; i < reel.groups.size(); ++i) {
    EXPECT_EQ(reel.groups[i].id.number(), static_cast<int>(i) + 1);
    EXPECT_EQ(reel.groups[i].sends.size(),
              file.at("groups")[i].value("sends", json::array()).size());
  }
  EXPECT_EQ(reel.last_group_id.number(), static_cast<int>(reel.groups.size()));
  EXPECT_EQ(reel.last_source_id.number(), static_cast<int>(reel.sources.size()));
  EXPECT_EQ(reel.crossfades.size(), 1U);
  // As the newest version it keeps them, also where a group has moved and another is gone.
  const TempFolder t;
  Reel moved = edits::move_group(reel, reel.groups[2].id, reel.groups[0].id).next;
  moved = edits::remove_group(moved, moved.groups[1].id).next;
  save_reel(moved, t / "new.reel");
  EXPECT_EQ(load_reel(t / "new.reel"), moved);
  EXPECT_NE(moved.groups[0].id, GroupId{1});
}

TEST(OldFiles, AJournalAndAListOfEditsOfVersion1AreBroughtBack) {
  const TempFolder t;
  fs::copy_file(old / "version-1.reel", t / "version-1.reel");
  fs::copy_file(old / "version-1.reel.history", t / "version-1.reel.history");
  fs::copy_file(old / "version-1.journal.kept", t / "version-1.reel.journal");
  const auto found = recover(t / "version-1.reel");
  ASSERT_TRUE(found);
  EXPECT_EQ(found->edits, 2);
  EXPECT_EQ(found->last_label, "Remove the last step");
  EXPECT_EQ(found->reel.clips[0].name, "stairs-01 renamed");
  const auto history = load_history(t / "version-1.reel");
  ASSERT_TRUE(history);
  EXPECT_EQ(history->states.size(), 3U);
  EXPECT_EQ(history->states[1].label, "Rename clip");
  EXPECT_EQ(history->states[2].reel->groups[0].sits_out, std::vector<ClipId>{2});
  // Edits of it now, whose lines speak of version 2, come back as well.
  Reel next = load_reel(t / "version-1.reel");
  next.clips[1].chain.steps.push_back(make_step("gain"));
  settle_step_ids(next);
  {
    Journal journal(t / "version-1.reel", read_text(t / "version-1.reel"));
    journal.tell(std::make_shared<const Reel>(next), "Add gain");
  }
  const auto now = recover(t / "version-1.reel");
  ASSERT_TRUE(now);
  EXPECT_EQ(now->reel, next);
  EXPECT_EQ(ids_of(now->reel), ids_of(next));
}

TEST(StepIds, AreGivenOnceAndStayWithTheirStep) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}}, 1);
  reel.clips[0].chain.steps = {make_step("cut"), make_step("gate")};
  History h(reel);
  const auto first = ids_of(h.now());
  Reel next = h.now();
  std::swap(next.clips[0].chain.steps[0], next.clips[0].chain.steps[1]);
  next.clips[0].chain.steps.push_back(make_step("gain"));
  copy_chain(next, 1, std::vector<ClipId>{2});
  h.edit(next, "Move, add and copy");
  const auto& steps = h.now().clips[0].chain.steps;
  EXPECT_EQ(steps[0].id, first[1]);
  EXPECT_EQ(steps[1].id, first[0]);
  const auto all = ids_of(h.now());
  EXPECT_EQ(std::set(all.begin(), all.end()).size(), 6U);
  // An id that is gone comes to no other step.
  next = h.now();
  next.clips[1].chain = {};
  h.edit(next, "Clear");
  next.clips[1].chain.steps = {make_step("gain")};
  h.edit(next, "Add");
  EXPECT_GT(h.now().clips[1].chain.steps[0].id, *std::ranges::max_element(all));
  EXPECT_EQ(place_of(h.now(), h.now().clips[0], first[0]), (StepPlace{ChainOwner::clip, 1}));
  EXPECT_EQ(place_of(h.now(), h.now().clips[1], first[0]), std::nullopt);
}

TEST(StepIds, TwoOfOneIdAreRefused) {
  const auto reel = [](const std::string& a, const std::string& b) {
    return R"({"drevan_reel":2,"name":"x","sources":[],"clips":[],"groups":[{"name":"g","chain":[{"step":"gain")" +
           a + R"(}]}],"chain":[{"step":"gate")" + b + "}]}";
  };
  EXPECT_NO_THROW(reel_from_text(reel(R"(,"id":3)", R"(,"id":4)"), ".", "x"));
  EXPECT_NO_THROW(reel_from_text(reel("", ""), ".", "x"));
  const std::pair<std::string, const char*> wrong[] = {
      {reel(R"(,"id":3)", R"(,"id":3)"), "two steps have the id 3"},
      {reel(R"(,"id":0)", ""), "allowed is 1 to"},
      {reel(R"(,"id":"a")", ""), "id"}};
  for (const auto& [text, why] : wrong) {
    try {
      reel_from_text(text, ".", "x.reel");
      ADD_FAILURE() << text;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find(why), std::string::npos) << e.what();
    }
  }
  EXPECT_THROW(recipe_from_text(R"({"drevan_recipe":1,"steps":[{"step":"gain","id":1}]})", "x"),
               Error);
}

}  // namespace
}  // namespace drevan
