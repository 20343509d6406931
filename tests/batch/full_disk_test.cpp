// SPDX-License-Identifier: GPL-3.0-or-later
// A disk that fills while something is written: a plain message, the old file as it was, nothing half
// written, nothing left lying about.
#include <gtest/gtest.h>

#include <fstream>

#include "audio/error.h"
#include "batch/batch.h"
#include "batch/mix.h"
#include "batch/report.h"
#include "engine/making/print.h"
#include "engine/listening/reference_voice.h"
#include "reel/files/history_file.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "reel/library/library.h"
#include "support/full_disk.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

using test::FullDisk;

class FullDiskTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(folder, {{"one", "Voices"}, {"two", "Others"}}, 3);
    reel.name = "Harbour";
    for (auto& c : reel.clips.each())
      c.chain.steps = {test::with("gain", {{"gain_db", -3}}), test::with("normalise", {})};
    fs::create_directory(out());
  }
  fs::path out() const { return folder / "out"; }
  // `work` fails with a sentence that names the file; what lay there before is untouched; nothing else is left.
  void expect_told(const fs::path& file, const std::function<void()>& work) {
    std::ofstream(file) << "as it was";
    try {
      const FullDisk full(20000);
      work();
      ADD_FAILURE() << file << " was written on a full disk";
    } catch (const Error& e) {
      EXPECT_EQ(e.kind(), Error::Kind::output) << e.what();
      EXPECT_NE(std::string(e.what()).find(file.filename().string()), std::string::npos)
          << e.what();
    }
    EXPECT_TRUE(read_text(file) == "as it was");
    int files = 0;
    for (const auto& entry : fs::recursive_directory_iterator(out()))
      files += entry.is_regular_file() ? 1 : 0;
    EXPECT_EQ(files, 1) << "something was left in " << out();
  }
  RenderRequest request(const fs::path& to) { return {own_plan_of(reel, reel.clips[0]), to}; }

  test::TempFolder folder;
  Reel reel;
  FindingStore store;
  const CancelToken never{};
};

TEST_F(FullDiskTest, ARenderSaysSo) {
  for (const auto container : {Container::wav, Container::flac}) {
    const auto file = out() / (container == Container::wav ? "voice.wav" : "voice.flac");
    expect_told(file, [&] {
      auto r = request(file);
      r.container = container;
      render_clip(r, store, never);
    });
    fs::remove(file);
  }
}

TEST_F(FullDiskTest, APrintSaysSo) {
  const auto file = out() / "version.wav";
  expect_told(file, [&] {
    print_clip({own_plan_of(reel, reel.clips[0]), ClipRange{1, 2}, 0.05, file}, store, never);
  });
}

TEST_F(FullDiskTest, AReelSaysSoAndTheOldOneStays) {
  for (int i = 0; i < 600; ++i) reel.clips[0].chain.steps.push_back(test::with("equaliser", {}));
  const auto file = out() / "harbour.reel";
  expect_told(file, [&] { save_reel(reel, file); });
  const auto list = history_file_of(out() / "other.reel");
  fs::remove(file);
  expect_told(list, [&] {
    save_history({{{std::make_shared<const Reel>(reel), "now"}}, 0}, out() / "other.reel", "text");
  });
}

TEST_F(FullDiskTest, RecipesAndReportsSaySo) {
  std::vector<BatchJob> jobs(300);
  std::vector<JobResult> results(300);
  for (auto& j : jobs) j.clip = "a name that is long enough to fill a little of the disk";
  for (const char* name : {"report.html", "report.csv", "report.json"}) {
    expect_told(out() / name, [&] { save_report(out() / name, {jobs, results}); });
    fs::remove(out() / name);
  }
  std::vector<Recipe> many;
  for (int i = 0; i < 400; ++i) {
    many.push_back(own_recipes()[static_cast<size_t>(i) % own_recipes().size()]);
    many.back().name += " " + std::to_string(i);
  }
  expect_told(out() / "set.zip", [&] { export_zip(many, out() / "set.zip"); });
}

TEST_F(FullDiskTest, EveryClipOfABatchFailsAloneAndTheBatchEnds) {
  BatchOptions options;
  options.folder = out();
  const std::vector<ClipId> ids{reel.clips[0].id, reel.clips[1].id};
  const auto jobs = batch_jobs(reel, ids);
  std::vector<JobResult> results;
  {
    const FullDisk full(20000);
    results = run_batch(jobs, options, store, never, {});
  }
  for (size_t i = 0; i < results.size(); ++i) {
    EXPECT_EQ(results[i].state, JobState::failed);
    EXPECT_NE(results[i].problem.find(jobs[i].clip), std::string::npos) << results[i].problem;
  }
  for (const auto& entry : fs::directory_iterator(out()))
    EXPECT_NE(entry.path().extension(), ".wav") << entry.path();
  // With room again it does all of them.
  for (const auto& r : run_batch(jobs, options, store, never, {}))
    EXPECT_EQ(r.state, JobState::done) << r.problem;
}

TEST_F(FullDiskTest, AMixSaysSoAndLeavesNoTemporaryFolder) {
  BatchOptions options;
  options.folder = out();
  {
    const FullDisk full(20000);
    EXPECT_THROW(render_mix(reel, options, {true, true, {}}, store, never), Error);
  }
  EXPECT_TRUE(fs::is_empty(out()));
}

// What is put aside between passes is computed again when there is no room for it.
TEST_F(FullDiskTest, WithoutRoomForWhatIsPutAsideTheResultIsTheSame) {
  AudioBuffer x = test::noise(0.05, 3, 70, 48000, 2);
  test::write_wav(folder / "wide.wav", x);
  ClipSound sound;
  sound.file = folder / "wide.wav";
  const Chain chain{{test::with("gain", {{"gain_db", -3}}), test::with("normalise", {}),
                     test::with("compressor", {}), test::with("normalise", {})}};
  const auto heard = [&] {
    std::vector<float> all;
    FindingStore fresh;
    ProcessOptions options;
    options.store = &fresh;
    options.cancel = &never;
    process_clip(plan_of(sound, chain), options, [&](const AudioBlock& b) {
      all.insert(all.end(), b.channel(1).begin(), b.channel(1).end());
    });
    return all;
  };
  const auto free = heard();
  const FullDisk full(0);
  EXPECT_EQ(heard(), free);
}

// The journal cannot say anything where it stands; the edits stay in memory, and with room again go on.
TEST_F(FullDiskTest, AJournalThatCannotBeWrittenHarmsNothing) {
  const auto file = out() / "harbour.reel";
  save_reel(reel, file);
  Journal journal(file, read_text(file));
  {
    const FullDisk full(0);
    reel.clips[0].name = "first";
    journal.tell(std::make_shared<const Reel>(reel), "First");
    journal.flush();
  }
  reel.clips[0].name = "second";
  journal.tell(std::make_shared<const Reel>(reel), "Second");
  journal.flush();
  ASSERT_TRUE(recover(file));
  EXPECT_EQ(recover(file)->reel.clips[0].name, "second");
  // In the middle of a line: what comes after it is not lost with it.
  {
    const FullDisk full(fs::file_size(Journal::file_of(file)) + 40);
    reel.clips[0].name = "third";
    journal.tell(std::make_shared<const Reel>(reel), "Third");
    journal.flush();
    EXPECT_NE(journal.take_problem().text.find("harbour.reel.journal"), std::string::npos);
  }
  EXPECT_EQ(recover(file)->reel.clips[0].name, "second");
  reel.clips[1].name = "fourth";
  journal.tell(std::make_shared<const Reel>(reel), "Fourth");
  journal.flush();
  ASSERT_TRUE(recover(file));
  EXPECT_EQ(recover(file)->reel.clips[0].name, "third");
  EXPECT_EQ(recover(file)->reel.clips[1].name, "fourth");
  journal.end();
}

TEST_F(FullDiskTest, TheReferenceVoiceIsNotLeftHalf) {
  const auto home = folder / "voice";
  {
    const FullDisk full(20000);
    EXPECT_THROW(reference_voice(home), Error);
  }
  EXPECT_GT(fs::file_size(reference_voice(home).file), 100000U);
}

}  // namespace
}  // namespace drevan
