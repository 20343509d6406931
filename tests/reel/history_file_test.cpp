// SPDX-License-Identifier: GPL-3.0-or-later
// The list of edits beside its reel: it comes back whole, or not at all.
#include "reel/files/history_file.h"

#include <gtest/gtest.h>

#include <fstream>

#include "reel/files/json_file.h"
#include "reel/library/version_files.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

class HistoryFile : public testing::Test {
 protected:
  void SetUp() override {
    Reel reel = test::reel_of(folder, {{"one", "Voices"}, {"two", "Voices"}}, 0.6);
    reel.name = "Harbour";
    history = History(reel);
    for (int i = 1; i <= 5; ++i) {
      Reel next = history.now();
      next.clips[0].chain.steps.push_back(test::with("gain", {{"gain_db", -i}}));
      history.edit(next, "Add gain " + std::to_string(i));
    }
    history.undo();
    save();
  }
  void save() {
    save_reel(history.now(), file());
    save_history({history.entries(), history.at()}, file(), read_text(file()));
  }
  fs::path file() const { return folder / "harbour.reel"; }
  std::vector<std::string> labels(const SavedHistory& h) const {
    std::vector<std::string> out;
    for (const auto& s : h.states) out.push_back(s.label);
    return out;
  }

  test::TempFolder folder;
  History history;
};

TEST_F(HistoryFile, EveryStateComesBackAsItWas) {
  const auto back = load_history(file());
  ASSERT_TRUE(back);
  EXPECT_EQ(back->at, 4U);
  const auto then = history.entries();
  ASSERT_EQ(back->states.size(), then.size());
  for (size_t i = 0; i < then.size(); ++i) {
    EXPECT_TRUE(*back->states[i].reel == *then[i].reel) << i;
    EXPECT_EQ(back->states[i].label, then[i].label);
    // What no edit changed is one in memory for all of them, as it was before.
    EXPECT_TRUE(back->states[i].reel->sources.same(back->states[0].reel->sources)) << i;
  }
  // And serves undo and redo of the next sitting.
  History next(load_reel(file()));
  next.put_before(back->states, back->at);
  EXPECT_EQ(next.undo_label(), "Add gain 4");
  EXPECT_EQ(next.redo_label(), "Add gain 5");
  next.undo();
  EXPECT_EQ(next.now().clips[0].chain.steps.size(), 3U);
}

TEST_F(HistoryFile, BelongsToTheReelAsItWasSavedOnly) {
  Reel other = history.now();
  other.name = "Changed elsewhere";
  save_reel(other, file());
  EXPECT_FALSE(load_history(file()));
  save_reel(history.now(), file());
  EXPECT_TRUE(load_history(file()));
  fs::remove(history_file_of(file()));
  EXPECT_FALSE(load_history(file()));
  EXPECT_FALSE(load_history(folder / "nowhere.reel"));
}

// Cut anywhere, or with any byte changed: all of the list or nothing of it, and never an exception.
TEST_F(HistoryFile, DamageLosesTheListAndNothingElse) {
  const auto whole = read_text(history_file_of(file()));
  const auto states = history.entries().size();
  for (size_t cut = 0; cut < whole.size(); cut += 37) {
    std::ofstream(history_file_of(file()), std::ios::binary) << whole.substr(0, cut);
    const auto back = load_history(file());
    // A cut between lines loses the newest states for redo alone.
    if (back) EXPECT_EQ(back->at, 4U) << cut;
  }
  for (size_t at = 0; at < whole.size(); at += 61) {
    auto bad = whole;
    bad[at] = bad[at] == 'x' ? 'y' : 'x';
    std::ofstream(history_file_of(file()), std::ios::binary) << bad;
    if (const auto back = load_history(file())) EXPECT_EQ(back->states.size(), states) << at;
  }
}

TEST_F(HistoryFile, AtMostAHundredStatesOnEitherSide) {
  for (int i = 0; i < 260; ++i) {
    Reel next = history.now();
    next.clips[1].name = "take " + std::to_string(i);
    history.edit(next, "Name " + std::to_string(i));
  }
  for (int i = 0; i < 120; ++i) history.undo();
  save();
  const auto back = load_history(file());
  ASSERT_TRUE(back);
  EXPECT_EQ(back->at, 100U);
  EXPECT_EQ(back->states.size(), 201U);
  EXPECT_TRUE(*back->states[back->at].reel == history.now());
}

// Files of cleared versions are gone after closing: no state that needs them may be led to.
TEST_F(HistoryFile, StatesWhosePrintedFilesAreGoneAreLeftOut) {
  fs::create_directories(versions_folder(file()));
  const auto printed = version_file(file(), history.now().clips[0]);
  fs::copy_file(folder / "one.wav", printed);
  Reel next = history.now();
  add_version(next, next.clips[0].id, {.what = "printed", .made_with = next.clips[0].chain},
              examine_source(printed));
  history.edit(next, "Print");
  next.clips[1].name = "renamed";
  history.edit(next, "Rename");
  const Reel without = *history.entries()[4].reel;
  history.edit(without, "Clear");
  next = history.now();
  next.clips[1].name = "again";
  history.edit(next, "Rename again");
  save();
  EXPECT_EQ(load_history(file())->states.size(), 9U);

  fs::remove(printed);
  const auto back = load_history(file());
  ASSERT_TRUE(back);
  EXPECT_EQ(labels(*back), (std::vector<std::string>{"Clear", "Rename again"}));
  EXPECT_EQ(back->at, 1U);
}

}  // namespace
}  // namespace drevan
