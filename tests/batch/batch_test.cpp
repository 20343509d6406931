// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "audio/error.h"
#include "batch/batch.h"
#include "batch/report.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

class BatchTest : public testing::Test {
 protected:
  std::vector<BatchJob> jobs(int count) {
    std::vector<BatchJob> out;
    for (int i = 0; i < count; ++i) {
      const auto file = folder_ / ("clip" + std::to_string(i) + ".wav");
      AudioBuffer x = test::noise(0.01, 1.5, static_cast<unsigned>(i));
      test::write_wav(file, x, 48000, SampleType::int16);
      out.push_back({"clip" + std::to_string(i), "Voices", "Reel",
                     plan_of({file, 0, -1, 48000, {}},
                             {{make_step("noise-reduction"), make_step("normalise")}}),
                     true, ""});
    }
    return out;
  }
  BatchOptions options() const {
    BatchOptions o;
    o.folder = folder_ / "out";
    return o;
  }
  // Rendered files; the batch's own record is hidden.
  long rendered() const { return static_cast<long>(test::names_in(folder_ / "out").size()); }
  TempFolder folder_;
  FindingStore store_;
  CancelToken cancel_;
};

TEST_F(BatchTest, OneBrokenFileOfTenDoesNotStopTheOthers) {
  auto all = jobs(10);
  std::ofstream(all[3].plan.sound.file, std::ios::trunc) << "not sound at all";
  std::set<size_t> told;
  const auto results =
      run_batch(all, options(), store_, cancel_, [&](size_t i, const JobResult& r) {
        if (r.state == JobState::done || r.state == JobState::failed) told.insert(i);
      });
  EXPECT_EQ(told.size(), 10U);
  for (size_t i = 0; i < 10; ++i) {
    EXPECT_EQ(results[i].state, i == 3 ? JobState::failed : JobState::done) << i;
    EXPECT_EQ(fs::exists(results[i].output), i != 3);
    if (i != 3) EXPECT_NEAR(*results[i].render.after.sample_peak_dbfs, -3, 0.05);
  }
  EXPECT_NE(results[3].problem.find("clip3.wav"), std::string::npos);
  EXPECT_EQ(rendered(), 9);
}

TEST_F(BatchTest, ManyWorkersGiveTheSameBitsAsOne) {
  const auto all = jobs(6);
  BatchOptions one = options(), many = options();
  one.workers = 1;
  many.workers = 4;
  many.folder = folder_ / "many";
  FindingStore a, b;
  const auto x = run_batch(all, one, a, cancel_, {});
  const auto y = run_batch(all, many, b, cancel_, {});
  for (size_t i = 0; i < 6; ++i) EXPECT_EQ(test::bytes(x[i].output), test::bytes(y[i].output));
}

TEST_F(BatchTest, CancelLeavesWholeFilesOnly) {
  const auto all = jobs(8);
  BatchOptions o = options();
  o.workers = 2;
  int done = 0;
  const auto results = run_batch(all, o, store_, cancel_, [&](size_t, const JobResult& r) {
    if (r.state == JobState::done && ++done == 2) cancel_.cancel();
  });
  long whole = 0, cancelled = 0;
  for (const auto& r : results) {
    whole += r.state == JobState::done;
    cancelled += r.state == JobState::cancelled;
    EXPECT_EQ(fs::exists(r.output), r.state == JobState::done);
  }
  EXPECT_GE(whole, 2);
  EXPECT_GE(cancelled, 1);
  EXPECT_EQ(rendered(), whole);
}

TEST_F(BatchTest, NamesAreFilledSafeAndUnique) {
  auto all = jobs(3);
  all[0].clip = all[1].clip = "same";
  all[2].clip = "../up/../../etc";
  BatchOptions o = options();
  o.pattern = "{reel}_{group}_{clip}";
  auto names = output_names(all, o);
  EXPECT_EQ(names[0].filename(), "Reel_Voices_same.wav");
  EXPECT_EQ(names[1].filename(), "Reel_Voices_same-2.wav");
  EXPECT_EQ(names[2].parent_path(), o.folder);
  o.pattern = "{number}";
  EXPECT_EQ(output_names(all, o)[2].filename(), "003.wav");
  o.pattern = "{kilp}";
  EXPECT_THROW(output_names(all, o), Error);
  // Never over a source.
  o.pattern = "{clip}";
  o.folder = folder_.path();
  all = jobs(1);
  EXPECT_EQ(output_names(all, o)[0].filename(), "clip0-2.wav");
}

TEST_F(BatchTest, AFolderThatCannotBeMadeIsSaidAtOnce) {
  std::ofstream(folder_ / "file") << "x";
  BatchOptions o = options();
  o.folder = folder_ / "file" / "out";
  EXPECT_THROW(run_batch(jobs(1), o, store_, cancel_, {}), Error);
}

TEST_F(BatchTest, MissingSourceFailsAloneWithItsName) {
  auto all = jobs(2);
  all[0].problem = "clip0: its source is missing.";
  const auto r = run_batch(all, options(), store_, cancel_, {});
  EXPECT_EQ(r[0].state, JobState::failed);
  EXPECT_EQ(r[1].state, JobState::done);
}

TEST_F(BatchTest, ReportsHoldWhatHappened) {
  auto all = jobs(2);
  all[1].clip = "quote \" and, comma";
  all[1].problem = "gone";
  const auto r = run_batch(all, options(), store_, cancel_, {});
  const auto json = report_json({all, r});
  EXPECT_EQ(json["clips"][0]["result"], "done");
  EXPECT_NEAR(json["clips"][0]["after"]["sample_peak_dbfs"].get<double>(), -3, 0.05);
  EXPECT_TRUE(json["clips"][0].contains("room_tone_s"));
  EXPECT_EQ(json["clips"][1]["problem"], "gone");
  EXPECT_TRUE(json["clips"][1]["output"].is_null());
  const auto csv = report_csv({all, r});
  EXPECT_NE(csv.find("\"quote \"\" and, comma\",failed"), std::string::npos);
  EXPECT_EQ(std::ranges::count(csv, '\n'), 3);
  EXPECT_THROW(save_report(folder_ / "r.txt", {all, r}), Error);
  save_report(folder_ / "r.json", {all, r});
  EXPECT_TRUE(fs::exists(folder_ / "r.json"));
}

TEST(TimeLeft, IsSharedOut) {
  EXPECT_LT(time_left(0, 10), 0);
  EXPECT_NEAR(time_left(0.25, 10), 30, 1e-9);
  EXPECT_NEAR(time_left(1, 10), 0, 1e-9);
}

// Run again, only what changed is rendered: another setting, a changed source, a touched or lost file.
TEST_F(BatchTest, RunAgainItDoesOnlyWhatChanged) {
  auto all = jobs(5);
  BatchOptions o = options();
  o.only_changed = true;
  const auto kept = [&] {
    std::string out;
    const auto results = run_batch(all, o, store_, cancel_, {});
    for (const auto& r : results) {
      EXPECT_EQ(r.state, JobState::done);
      EXPECT_NEAR(*r.render.after.sample_peak_dbfs, -3, 0.05);
      // The pictures of the report are there, rendered or kept.
      EXPECT_EQ(r.render.before_outline.size(), Outline::columns);
      float high = 0;
      for (const auto& cell : r.render.after_outline) high = std::max({high, cell.high, -cell.low});
      EXPECT_NEAR(high, 0.708, 0.01);
      EXPECT_TRUE(fs::exists(r.output));
      out += r.kept ? 'k' : 'R';
    }
    return out;
  };
  EXPECT_EQ(kept(), "RRRRR");
  EXPECT_EQ(kept(), "kkkkk");
  all[1].plan.steps[0].settings = test::with("noise-reduction", {{"depth_db", 6}}).settings;
  EXPECT_EQ(kept(), "kRkkk");
  fs::remove(folder_ / "out" / "clip2.wav");
  std::ofstream(folder_ / "out" / "clip3.wav", std::ios::app) << "x";
  AudioBuffer other = test::noise(0.02, 1.6, 77);
  test::write_wav(all[4].plan.sound.file, other, 48000, SampleType::int16);
  EXPECT_EQ(kept(), "kkRRR");
  // As long as it was, but another.
  {
    std::fstream touched(folder_ / "out" / "clip1.wav",
                         std::ios::in | std::ios::out | std::ios::binary);
    touched.seekp(-400, std::ios::end);
    touched << "some other sound";
  }
  EXPECT_EQ(kept(), "kRkkk");
  o.samples = SampleType::int16;
  EXPECT_EQ(kept(), "RRRRR");
  o.only_changed = false;
  EXPECT_EQ(kept(), "RRRRR");
  std::ofstream(folder_ / "out" / ".drevan-batch.json", std::ios::trunc) << "{ cut off";
  o.only_changed = true;
  EXPECT_EQ(kept(), "RRRRR");
}

TEST_F(BatchTest, SharesTogetherAreTheWholeBatch) {
  auto all = jobs(7);
  all[5].clip = all[2].clip;  // the same name: numbered alike in every share
  const auto names = output_names(all, options());
  std::set<fs::path> seen;
  for (int share = 1; share <= 3; ++share)
    for (const auto& job : share_of(all, options(), share, 3))
      EXPECT_TRUE(seen.insert(job.output).second);
  EXPECT_EQ(seen, std::set<fs::path>(names.begin(), names.end()));
}

}  // namespace
}  // namespace drevan
