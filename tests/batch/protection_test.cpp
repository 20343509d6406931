// SPDX-License-Identifier: GPL-3.0-or-later
// What a batch may write over, and what it remembers of what it wrote.
#include <gtest/gtest.h>
#include <unistd.h>

#include <fstream>
#include <thread>

#include "audio/hash.h"
#include "batch/mix.h"
#include "batch/record.h"
#include "batch/report.h"
#include "engine/making/print.h"
#include "reel/files/json_file.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

class Protection : public testing::Test {
 protected:
  std::string cli(const std::string& arguments) {
    return "cd '" + t_.path().string() + "' && " DREVAN_CLI " " + arguments;
  }
  test::Ran call(const std::string& arguments) { return test::run(cli(arguments)); }
  void recipe(const char* name = "g.recipe", double db = -6) {
    save_recipe({"g", "", {{test::with("gain", {{"gain_db", db}})}}, {}}, t_ / name);
  }
  std::vector<BatchJob> all(const Reel& reel) {
    std::vector<ClipId> ids;
    for (const auto& c : reel.clips) ids.push_back(c.id);
    return batch_jobs(reel, ids);
  }
  TempFolder t_;
  FindingStore store_;
  const CancelToken never_{};
};

// After a print the clip stands on the printed file; the recording is version 0's.
TEST_F(Protection, TheRecordingBehindAPrintedVersionIsNeverReplaced) {
  Reel reel = test::reel_of(t_, {{"voice", "Voices"}, {"other", "Voices"}}, 1);
  const auto before = hash_file(t_ / "voice.wav"), other = hash_file(t_ / "other.wav");
  print_clip({plan_of(clip_sound(reel, reel.clips[0]), {{test::with("gain", {{"gain_db", -6}})}}),
              std::nullopt, 0.05, t_ / "printed.wav"},
             store_, never_);
  add_version(reel, 1, {.what = "printed"}, examine_source(t_ / "printed.wav"));
  save_reel(reel, t_ / "r.reel");
  const auto r = call("render --reel r.reel --out . --overwrite");
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(hash_file(t_ / "voice.wav"), before);
  EXPECT_EQ(hash_file(t_ / "other.wav"), other);
  EXPECT_TRUE(fs::exists(t_ / "voice-2.wav"));
  // Nor that of a clip that is not rendered, under whatever name it goes.
  fs::create_hard_link(t_ / "other.wav", t_ / "alias.wav");
  reel.clips[0].name = "alias";
  const std::vector<ClipId> first{1};
  BatchOptions o;
  o.folder = t_.path();
  o.overwrite = true;
  EXPECT_EQ(output_names(batch_jobs(reel, first), o)[0], t_ / "alias-2.wav");
}

TEST_F(Protection, OtherFormatsNeverReplaceASource) {
  AudioBuffer x = test::noise(0.1, 1, 3);
  {
    AudioWriter w(t_ / "voice.flac", {Container::flac, SampleType::int24, 48000, 1}, x.frames(),
                  {});
    w.write(x.block());
    w.commit();
  }
  recipe();
  const auto before = hash_file(t_ / "voice.flac");
  const auto r = call("render voice.flac --recipe g.recipe --out . --also flac:16");
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(hash_file(t_ / "voice.flac"), before);
  EXPECT_TRUE(fs::exists(t_ / "voice-2.wav") && fs::exists(t_ / "voice-2.flac"));
}

TEST_F(Protection, ForeignFilesGetANumberUnlessAsked) {
  AudioBuffer x = test::noise(0.1, 1, 3);
  test::write_wav(t_ / "voice.wav", x);
  recipe();
  fs::create_directory(t_ / "out");
  write_text(t_ / "out" / "voice.wav", "somebody's");
  auto r = call("render voice.wav --recipe g.recipe --out out");
  EXPECT_EQ(r.code, 0);
  EXPECT_NE(r.out.find("was made by no batch of Drevan"), std::string::npos) << r.out;
  EXPECT_EQ(read_text(t_ / "out" / "voice.wav"), "somebody's");
  EXPECT_TRUE(fs::exists(t_ / "out" / "voice-2.wav"));
  // Its own it replaces, under the same name again.
  r = call("render voice.wav --recipe g.recipe --out out");
  EXPECT_EQ(test::names_in(t_ / "out"), (std::vector<std::string>{"voice-2.wav", "voice.wav"}))
      << r.out;
  EXPECT_EQ(call("render voice.wav --recipe g.recipe --out out --overwrite").code, 0);
  EXPECT_NE(read_text(t_ / "out" / "voice.wav"), "somebody's");
  // One that was changed by hand since is somebody's again.
  std::ofstream(t_ / "out" / "voice.wav", std::ios::app) << "edited";
  call("render voice.wav --recipe g.recipe --out out");
  EXPECT_TRUE(read_text(t_ / "out" / "voice.wav").ends_with("edited"));
}

TEST_F(Protection, MixStemsAndReportsReplaceNoSourceEither) {
  Reel reel = test::reel_of(t_, {{"Reel mix", "A"}, {"b", "B"}}, 0.5);
  reel.name = "Reel";
  const auto before = hash_file(t_ / "Reel mix.wav");
  save_reel(reel, t_ / "Reel.reel");
  EXPECT_EQ(call("render --reel Reel.reel --mix --stems --out . --overwrite").code, 0);
  EXPECT_EQ(hash_file(t_ / "Reel mix.wav"), before);
  EXPECT_TRUE(fs::exists(t_ / "Reel mix-2.wav"));
  write_text(t_ / "list.csv", "mine");
  EXPECT_EQ(call("render --reel Reel.reel --out out --report list.csv").code, 0);
  EXPECT_EQ(read_text(t_ / "list.csv"), "mine");
  EXPECT_TRUE(fs::exists(t_ / "list-2.csv"));
  EXPECT_EQ(call("render --reel Reel.reel --out out --report list-2.csv").code, 0);
  EXPECT_FALSE(fs::exists(t_ / "list-2-2.csv"));
  for (const char* ending : {".html", ".json", ".csv"}) {
    save_report(t_ / ("a" + std::string(ending)), {});
    EXPECT_EQ(free_report_name(t_ / ("a" + std::string(ending)), {}, false),
              t_ / ("a" + std::string(ending)));
  }
}

// A folder rendered into itself is not rendered again.
TEST_F(Protection, ResultsAreNotTakenForInputs) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  test::write_wav(t_ / "a.wav", x);
  recipe();
  for (int i = 0; i < 2; ++i) {
    EXPECT_EQ(call("render . --recipe g.recipe").code, 0);
    EXPECT_EQ(test::names_in(t_ / "rendered"), std::vector<std::string>{"a.wav"});
    EXPECT_EQ(call("render . --recipe g.recipe --out . --name '{clip} out'").code, 0);
    EXPECT_EQ(test::names_in(t_.path()),
              (std::vector<std::string>{"a out.wav", "a.wav", "g.recipe", "rendered"}));
  }
}

TEST_F(Protection, AlsoTakesOneValueAndLeavesTheInputs) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  test::write_wav(t_ / "a.wav", x);
  recipe();
  const auto r = call("render --recipe g.recipe --also flac:16 --also wav:32f a.wav");
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_TRUE(fs::exists(t_ / "rendered" / "a.flac"));
}

TEST_F(Protection, ResumeLooksAtAllFilesOfAClip) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  test::write_wav(t_ / "a.wav", x);
  recipe();
  const std::string base = "render --recipe g.recipe --also flac:16 --out out --resume a.wav";
  EXPECT_EQ(call(base).code, 0);
  EXPECT_NE(call(base).out.find("unchanged"), std::string::npos);
  fs::remove(t_ / "out" / "a.flac");
  EXPECT_EQ(call(base).out.find("unchanged"), std::string::npos);
  EXPECT_TRUE(fs::exists(t_ / "out" / "a.flac"));
  EXPECT_NE(call(base).out.find("unchanged"), std::string::npos);
  std::ofstream(t_ / "out" / "a.flac", std::ios::trunc);
  EXPECT_EQ(call(base).out.find("unchanged"), std::string::npos);
}

// An upgrade that changes a step's sound raises its revision: nothing of before is taken for it.
TEST_F(Protection, TheCodesRevisionIsPartOfEveryKey) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  test::write_wav(t_ / "a.wav", x);
  static StepType newer = *find_step("normalise");
  newer.revision += 1;
  const ClipSound sound{t_ / "a.wav", 0, -1, 48000, {}};
  const Chain then{{test::with("normalise", {})}};
  Chain now = then;
  now.steps[0].type = &newer;
  EXPECT_NE(stage_keys(plan_of(sound, then))[1], stage_keys(plan_of(sound, now))[1]);
  BatchJob a{"a", "", "", plan_of(sound, then), false, ""},
      b{"a", "", "", plan_of(sound, now), false, ""};
  EXPECT_NE(render_key(a, {}), render_key(b, {}));
}

// Written bytes by the kernel's own count (proc(5), /proc/PID/io).
std::uint64_t bytes_written() {
  std::ifstream in("/proc/self/io");
  std::string word;
  std::uint64_t value = 0;
  while (in >> word >> value)
    if (word == "wchar:") return value;
  return 0;
}

TEST_F(Protection, TheRecordOfManyClipsIsWrittenOnce) {
  JobResult r;
  r.state = JobState::done;
  r.render.before_outline.assign(Outline::columns, {-0.5F, 0.5F});
  r.render.after_outline = r.render.before_outline;
  const auto from = bytes_written();
  {
    BatchRecord record(t_.path(), "", BatchRecord::Use::writing);
    for (int i = 0; i < 600; ++i) {
      r.output = t_ / (std::to_string(i) + ".wav");
      record.keep(r, static_cast<std::uint64_t>(i));
    }
  }
  const auto written = bytes_written() - from;
  const auto size = fs::file_size(t_ / ".drevan-batch.json");
  std::printf("  600 clips: a record of %.2f MB, %.2f MB written\n",
              static_cast<double>(size) / 1e6, static_cast<double>(written) / 1e6);
  EXPECT_LE(written, 2 * size);
  EXPECT_GT(written, 0U);
}

TEST_F(Protection, AnOldRecordAndHalfALineAreRead) {
  Reel reel = test::reel_of(t_, {{"a", "A"}, {"b", "A"}}, 0.3);
  BatchOptions o;
  o.folder = t_ / "out";
  o.only_changed = true;
  run_batch(all(reel), o, store_, never_, {});
  const auto file = t_ / "out" / ".drevan-batch.json";
  const auto lines = read_text(file);
  // As a batch that was killed leaves it.
  std::ofstream(file, std::ios::trunc | std::ios::binary) << lines.substr(0, lines.size() - 30);
  auto results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_EQ(results[0].kept + results[1].kept, 1);
  results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_EQ(results[0].kept + results[1].kept, 2);
  // Version 1 was one object.
  std::string old = "{\"drevan_batch\": 1, \"files\": {\n";
  for (size_t at = lines.find('\n') + 1; at < lines.size(); at = lines.find('\n', at) + 1) {
    const auto line = parse_json(lines.substr(at, lines.find('\n', at) - at), "x");
    old += (old.ends_with("{\n") ? "" : ",\n") + nlohmann::json(line.at("file")).dump() + ": " +
           line.dump();
  }
  std::ofstream(file, std::ios::trunc | std::ios::binary) << old << "\n}}\n";
  results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_EQ(results[0].kept + results[1].kept, 2);
}

TEST_F(Protection, ResumedClipsAreJudgedByTheTargetAgain) {
  Reel reel = test::reel_of(t_, {{"a", "A"}}, 1);
  BatchOptions o;
  o.folder = t_ / "out";
  o.only_changed = true;
  o.target = find_target("podcast");
  EXPECT_FALSE(run_batch(all(reel), o, store_, never_, {})[0].missed.empty());
  const auto again = run_batch(all(reel), o, store_, never_, {});
  EXPECT_TRUE(again[0].kept);
  EXPECT_FALSE(again[0].missed.empty());
}

TEST_F(Protection, ACancelledBatchLeavesNoHiddenPartEither) {
  Reel reel = test::reel_of(t_, {{"a", "A"}, {"b", "A"}, {"c", "A"}}, 30);
  for (auto& c : reel.clips.each()) c.chain.steps.push_back(test::with("limiter", {}));
  BatchOptions o;
  o.folder = t_ / "out";
  CancelToken cancel;
  std::jthread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(60));
    cancel.cancel();
  });
  const auto results = run_batch(all(reel), o, store_, cancel, {});
  EXPECT_GT(std::ranges::count(results, JobState::cancelled, &JobResult::state), 0);
  EXPECT_TRUE(test::left_over(t_ / "out").empty());
}

TEST_F(Protection, CutOffAndChangedSourcesAreToldInRowReportAndExitCode) {
  Reel reel = test::reel_of(t_, {{"cut", "A"}, {"changed", "A"}, {"fine", "A"}}, 2);
  save_reel(reel, t_ / "r.reel");
  fs::resize_file(t_ / "cut.wav", fs::file_size(t_ / "cut.wav") / 2);
  AudioBuffer x = test::noise(0.05, 2, 99);
  test::write_wav(t_ / "changed.wav", x);
  const auto r = call("render --reel r.reel --out out --report r.json");
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("cut.wav has become shorter"), std::string::npos) << r.out;
  EXPECT_NE(r.out.find("changed.wav has changed since"), std::string::npos) << r.out;
  const auto report = parse_json(read_text(t_ / "r.json"), "r");
  EXPECT_FALSE(report["clips"][0].value("whole", true));
  EXPECT_FALSE(report["clips"][1].value("whole", true));
  EXPECT_TRUE(report["clips"][2].value("whole", true));
}

// A file of another rate or other channels under the old name.
TEST_F(Protection, AReplacedSourceIsTold) {
  Reel reel = test::reel_of(t_, {{"a", "A"}}, 2);
  AudioBuffer x = test::noise(0.05, 2, 99, 44100, 2);
  test::write_wav(t_ / "a.wav", x, 44100);
  BatchOptions o;
  o.folder = t_ / "out";
  const auto results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_FALSE(results[0].whole);
  ASSERT_FALSE(results[0].render.warnings.empty());
  EXPECT_NE(results[0].render.warnings[0].find("2 channels at 44100 Hz, not 1 at 48000 Hz"),
            std::string::npos)
      << results[0].render.warnings[0];
}

TEST_F(Protection, AGroupLearnsWithoutTheSourceThatIsMissing) {
  Reel reel = test::reel_of(t_, {{"a", "A"}, {"b", "A"}, {"gone", "A"}}, 1);
  reel.groups[0].chain.steps.push_back(test::with("normalise", {{"target_db", -3}, {"over", 1}}));
  fs::remove(t_ / "gone.wav");
  BatchOptions o;
  o.folder = t_ / "out";
  const auto results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_EQ(results[0].state, JobState::done) << results[0].problem;
  EXPECT_EQ(results[1].state, JobState::done);
  EXPECT_EQ(results[2].state, JobState::failed);
  ASSERT_FALSE(results[0].render.warnings.empty());
  EXPECT_NE(results[0].render.warnings[0].find("learned without gone"), std::string::npos)
      << results[0].render.warnings[0];
  EXPECT_NEAR(std::max(*results[0].render.after.sample_peak_dbfs,
                       *results[1].render.after.sample_peak_dbfs),
              -3, 0.01);
}

// Each of the steps learns over the whole group, and each hears what those before it did.
double seconds_of_nested(const TempFolder& t, int steps) {
  Reel reel = test::reel_of(t, {{"a", "A"}, {"b", "A"}}, 2);
  for (int i = 0; i < steps; ++i)
    reel.groups[0].chain.steps.push_back(
        test::with("normalise", {{"target_db", -3.0 - i % 7}, {"over", 1}}));
  FindingStore store;
  const CancelToken never{};
  const auto from = std::chrono::steady_clock::now();
  const auto clip = reel.clips[0];
  ProcessOptions options;
  options.store = &store;
  options.cancel = &never;
  double peak = 0;
  process_clip(plan_of(reel, clip), options, [&](const AudioBlock& b) {
    for (const float v : b.channel(0)) peak = std::max(peak, static_cast<double>(std::abs(v)));
  });
  EXPECT_LT(20 * std::log10(peak), -3.0 - (steps - 1) % 7 + 0.01);
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}

TEST_F(Protection, NestedGroupStepsTakeTimeByTheirNumber) {
  seconds_of_nested(t_, 2);
  double best7 = 1e9, best28 = 1e9;
  for (int i = 0; i < 8; ++i) {
    best7 = std::min(best7, seconds_of_nested(t_, 7));
    best28 = std::min(best28, seconds_of_nested(t_, 28));
  }
  std::printf("  7 steps %.3f s, 28 steps %.3f s: %.1f times\n", best7, best28, best28 / best7);
  EXPECT_LT(best28, 8 * best7);
}

TEST_F(Protection, TheSameSoundIsTheSameFileASecondLater) {
  Reel reel = test::reel_of(t_, {{"a", "A"}}, 0.5);
  save_reel(reel, t_ / "r.reel");
  for (const char* format : {"--bits 32f", "--bits 24", "--bits 16", "--format flac"}) {
    EXPECT_EQ(call(std::string("render --reel r.reel --out one ") + format).code, 0);
    std::this_thread::sleep_for(std::chrono::milliseconds(1100));
    EXPECT_EQ(call(std::string("render --reel r.reel --out two ") + format).code, 0);
    for (const auto& name : test::names_in(t_ / "one"))
      EXPECT_EQ(test::bytes(t_ / "one" / name), test::bytes(t_ / "two" / name)) << format << name;
  }
}

TEST_F(Protection, SpreadsheetsReckonNothingAndTerminalsAreNotSteered) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  recipe();
  const std::string names[] = {"=SUM(A1)", "+1", "-2", "@x", "plain", "esc\x1b[31mred"};
  std::string files;
  for (const auto& name : names) {
    test::write_wav(t_ / (name + ".wav"), x);
    files += " './" + name + ".wav'";
  }
  const auto r = call("render --recipe g.recipe --report r.csv" + files);
  EXPECT_EQ(r.out.find('\x1b'), std::string::npos);
  EXPECT_NE(r.out.find("\\x1b[31mred"), std::string::npos) << r.out;
  const auto csv = read_text(t_ / "r.csv");
  for (const char* cell : {"\n'=SUM", "\n'+1,", "\n'-2,", "\n'@x,", "\nplain,"})
    EXPECT_NE(csv.find(cell), std::string::npos) << cell << csv;
  EXPECT_EQ(csv.find('\x1b'), std::string::npos);
  // Numbers stay numbers.
  EXPECT_NE(csv.find(",-"), std::string::npos);
  EXPECT_EQ(call("measure './" + names[5] + ".wav' gone-\x1b]0;x").out.find('\x1b'),
            std::string::npos);
}

// A name that is no UTF-8 spoils nothing for the others, and the file is found again.
TEST_F(Protection, NamesOfAnyBytes) {
  AudioBuffer x = test::noise(0.1, 0.5, 3);
  const std::string bad = "gr\xfc\xdf";
  test::write_wav(t_ / (bad + ".wav"), x);
  test::write_wav(t_ / "after.wav", x);
  recipe();
  const auto r = call("render --recipe g.recipe --report r.json './" + bad + ".wav' after.wav");
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_TRUE(fs::exists(t_ / "rendered" / (bad + ".wav")) &&
              fs::exists(t_ / "rendered" / "after.wav"));
  EXPECT_EQ(call("measure --json './" + bad + ".wav'").code, 0);
  Reel reel;
  add_clip(reel, examine_source(t_ / (bad + ".wav")), "A");
  save_reel(reel, t_ / "r.reel");
  EXPECT_EQ(load_reel(t_ / "r.reel").sources[0].path, t_ / (bad + ".wav"));
  EXPECT_EQ(call("render --reel r.reel --out out").code, 0);
}

TEST_F(Protection, LongNamesAreCutBetweenCharacters) {
  std::string snow;
  for (int i = 0; i < 90; ++i) snow += "☃";
  Reel reel = test::reel_of(t_, {{"a", "A"}}, 0.5);
  reel.clips[0].name = snow;
  BatchOptions o;
  o.folder = t_ / "out";
  const auto results = run_batch(all(reel), o, store_, never_, {});
  EXPECT_EQ(results[0].state, JobState::done) << results[0].problem;
  EXPECT_TRUE(fs::exists(results[0].output));
}

TEST_F(Protection, PlacesBeyondAllBoundsAreTold) {
  Reel reel = test::reel_of(t_, {{"a", "A"}}, 0.5);
  save_reel(reel, t_ / "good.reel");
  const auto good = read_text(t_ / "good.reel");
  for (const char* place : {"1e300", "-100", "1e12", "-0.001"}) {
    auto text = good;
    text.replace(text.find("\"place_s\": 0.0"), 14, "\"place_s\": " + std::string(place));
    std::ofstream(t_ / "bad.reel") << text;
    const auto r = call("render --reel bad.reel --mix --out out");
    EXPECT_EQ(r.code, 2) << r.out;
    EXPECT_NE(r.out.find("place_s"), std::string::npos) << r.out;
  }
  reel.clips[0].place = ReelTime{1e300};
  BatchOptions o;
  o.folder = t_ / "out";
  EXPECT_THROW(render_mix(reel, o, {}, store_, never_), Error);
}

// kill -INT: exit 130 (bash's 128 + the signal), nothing left behind.
TEST_F(Protection, CtrlCEndsWithItsCodeAndLeavesNothing) {
  Reel reel = test::reel_of(t_, {{"a", "A"}, {"b", "B"}}, 60);
  for (auto& c : reel.clips.each()) c.chain.steps.push_back(test::with("limiter", {}));
  save_reel(reel, t_ / "r.reel");
  for (const auto& [signal, code] : {std::pair("INT", 130), std::pair("TERM", 143)})
    for (const char* what : {"", "--mix --stems"}) {
      fs::remove_all(t_ / "out");
      const auto r = test::run("cd '" + t_.path().string() +
                               "'; " DREVAN_CLI " render --reel r.reel --out out " + what +
                               " & p=$!; for i in $(seq 1000); do ls -A out 2>/dev/null | grep -q "
                               "'drevan-[0-9m]' && break; sleep 0.01; done; kill -" +
                               signal + " $p; wait $p");
      EXPECT_EQ(r.code, code) << what << r.out;
      EXPECT_TRUE(test::left_over(t_ / "out").empty()) << what;
      EXPECT_TRUE(test::names_in(t_ / "out").empty()) << what;
    }
}

}  // namespace
}  // namespace drevan
