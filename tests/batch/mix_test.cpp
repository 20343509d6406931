// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/mix.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sndfile.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "audio/error.h"
#include "batch/report.h"
#include "batch/rules.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

// Three clips, two groups, overlapping; one of them stereo, one with its place between samples.
Reel small_reel(const TempFolder& t) {
  Reel reel = test::reel_of(t, {{"0", "Ines"}, {"1", "Boat", 2}, {"2", "Ines"}}, 1.5);
  reel.name = "Skerry";
  reel.clips[0].place = ReelTime{0.25};
  reel.clips[1].place = ReelTime{1.0};
  reel.clips[2].place = ReelTime{61.0 / 48000};
  reel.clips[0].chain.steps = {test::with("limiter", {{"ceiling_db", -20}})};
  reel.groups[0].chain.steps = {test::with("gain", {{"gain_db", 3}})};
  return reel;
}

BatchOptions into(const TempFolder& t) {
  BatchOptions o;
  o.folder = t / "out";
  o.samples = SampleType::float32;
  return o;
}

TEST(Mix, StemsSumToItBelowMinus120dB) {
  const TempFolder t;
  const Reel reel = small_reel(t);
  FindingStore store;
  const CancelToken never{};
  const auto result = render_mix(reel, into(t), {true, true, std::nullopt}, store, never);
  ASSERT_EQ(result.files.size(), 3U);
  EXPECT_EQ(result.files[0].output.filename(), "Skerry mix.wav");
  EXPECT_EQ(result.files[1].output.filename(), "Skerry Ines.wav");
  const AudioBuffer mix = test::read_all(result.files[0].output);
  AudioBuffer sum = test::read_all(result.files[1].output);
  ASSERT_EQ(mix.channels(), 2);
  ASSERT_EQ(sum.frames(), mix.frames());
  EXPECT_EQ(mix.frames(), 48000 + 72000);
  test::add(sum, test::read_all(result.files[2].output), 0);
  double error = 0, power = 0;
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < sum.channel(c).size(); ++i) {
      const double d = sum.channel(c)[i] - mix.channel(c)[i];
      error += d * d;
      power += mix.channel(c)[i] * mix.channel(c)[i];
    }
  EXPECT_LT(10 * std::log10(error / power + 1e-30), -120);
  // Nothing of the clips' way is left.
  EXPECT_EQ(test::names_in(t / "out").size(), 3U);
  EXPECT_TRUE(test::left_over(t / "out").empty());
}

// What is told of a file is what is in it: of the mix and of each stem.
TEST(Mix, EachFilesLevelsAreThoseOfTheFile) {
  const TempFolder t;
  FindingStore store;
  const auto result = render_mix(small_reel(t), into(t), {true, true, std::nullopt}, store, {});
  ASSERT_EQ(result.files.size(), 3U);
  for (const MixFile& file : result.files) {
    const AudioBuffer sound = test::read_all(file.output);
    LevelMeter meter({48000, sound.channels(), static_cast<int>(sound.frames())}, Detail::full);
    AudioBuffer heard = sound;
    meter.hear(heard.block());
    const Levels there = meter.levels();
    ASSERT_TRUE(there.sample_peak_dbfs && there.loudness_lufs && there.true_peak_dbtp);
    EXPECT_NEAR(file.levels.sample_peak_dbfs.value_or(99), *there.sample_peak_dbfs, 0.01)
        << file.output;
    EXPECT_NEAR(file.levels.loudness_lufs.value_or(99), *there.loudness_lufs, 0.05) << file.output;
    EXPECT_NEAR(file.levels.true_peak_dbtp.value_or(99), *there.true_peak_dbtp, 0.05)
        << file.output;
  }
}

TEST(Mix, EveryClipLiesAtItsPlaceToTheSample) {
  const TempFolder t;
  Reel reel = small_reel(t);
  for (auto& c : reel.clips.each()) {
    c.chain.steps = {
        test::with("limiter", {{"ceiling_db", 0}})};  // late by itself; changes nothing
    c.layered = true;
  }
  reel.groups[0].chain = {};
  FindingStore store;
  const CancelToken never{};
  const auto result = render_mix(reel, into(t), {true, false, std::nullopt}, store, never);
  AudioBuffer wanted(2, 48000 + 72000);
  const Samples at[] = {12000, 48000, 61};
  for (int i = 0; i < 3; ++i) {
    const AudioBuffer x = test::read_all(t / (std::to_string(i) + ".wav"));
    for (int c = 0; c < 2; ++c)
      for (Samples k = 0; k < x.frames(); ++k)
        wanted.channel(c)[static_cast<size_t>(at[i] + k)] +=
            (x.channels() == 1 ? std::sqrt(0.5F) : 1.0F) *
            x.channel(std::min(c, x.channels() - 1))[static_cast<size_t>(k)];
  }
  const AudioBuffer mix = test::read_all(result.files[0].output);
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < wanted.channel(c).size(); ++i)
      ASSERT_NEAR(mix.channel(c)[i], wanted.channel(c)[i], 3e-5) << i;
}

TEST(Mix, NamesNeverMeetNorFallOnASource) {
  const TempFolder t;
  Reel reel = small_reel(t);
  reel.groups[0].name = "mix";
  fs::create_directories(t / "out");
  fs::copy_file(t / "1.wav", t / "out" / "Skerry Boat.wav");
  reel.sources[1].path = t / "out" / "Skerry Boat.wav";
  const auto before = test::bytes(t / "out" / "Skerry Boat.wav");
  FindingStore store;
  const CancelToken never{};
  const auto result = render_mix(reel, into(t), {true, true, std::nullopt}, store, never);
  std::set<fs::path> files;
  for (const auto& f : result.files) EXPECT_TRUE(files.insert(f.output).second) << f.output;
  EXPECT_EQ(files.size(), 3U);
  EXPECT_TRUE(test::bytes(t / "out" / "Skerry Boat.wav") == before);
}

TEST(Mix, AFailedClipIsLeftOutAndCancelLeavesNothing) {
  const TempFolder t;
  const Reel reel = small_reel(t);
  fs::remove(t / "1.wav");
  FindingStore store;
  const CancelToken never{};
  const auto result = render_mix(reel, into(t), {true, false, std::nullopt}, store, never);
  EXPECT_EQ(result.clips[1].state, JobState::failed);
  EXPECT_EQ(test::read_all(result.files[0].output).channels(), 1);
  CancelToken now;
  now.cancel();
  BatchOptions o = into(t);
  o.folder = t / "none";
  EXPECT_THROW(render_mix(reel, o, {true, true, std::nullopt}, store, now), Cancelled);
  EXPECT_TRUE(fs::is_empty(t / "none"));
}

// EBU Tech 3285: bext holds the samples from midnight to the file's first; an editor lays it down there.
TEST(DropInPlace, RenderedClipsCarryTheirPlaceInSamples) {
  const TempFolder t;
  const Reel reel = small_reel(t);
  const std::vector<ClipId> ids{1, 2, 3};
  FindingStore store;
  const CancelToken never{};
  const auto results = run_batch(batch_jobs(reel, ids), into(t), store, never, {});
  const std::uint64_t places[] = {12000, 48000, 61};
  for (size_t i = 0; i < 3; ++i) {
    SF_INFO info{};
    SNDFILE* file = sf_open(results[i].output.c_str(), SFM_READ, &info);
    SF_BROADCAST_INFO bext{};
    ASSERT_EQ(sf_command(file, SFC_GET_BROADCAST_INFO, &bext, sizeof bext), SF_TRUE);
    EXPECT_EQ(
        (static_cast<std::uint64_t>(bext.time_reference_high) << 32) | bext.time_reference_low,
        places[i]);
    // As long as the clip: the limiter's delay is taken out, and nothing rings.
    EXPECT_EQ(info.frames, 72000);
    sf_close(file);
  }
}

TEST(Formats, SeveralAtOnceAreTheSameSound) {
  const TempFolder t;
  const Reel reel = small_reel(t);
  const std::vector<ClipId> ids{1};
  BatchOptions o = into(t);
  o.samples = SampleType::int24;
  o.also = {{Container::flac, SampleType::int24}, {Container::wav, SampleType::int16}};
  FindingStore store;
  const CancelToken never{};
  const auto results = run_batch(batch_jobs(reel, ids), o, store, never, {});
  ASSERT_EQ(results[0].also.size(), 2U);
  EXPECT_EQ(results[0].also[0], t / "out" / "0.flac");
  EXPECT_EQ(results[0].also[1], t / "out" / "16-bit" / "0.wav");
  const AudioBuffer wav = test::read_all(results[0].output),
                    flac = test::read_all(results[0].also[0]),
                    small = test::read_all(results[0].also[1]);
  ASSERT_EQ(wav.frames(), flac.frames());
  for (size_t i = 0; i < 72000; ++i) {
    ASSERT_EQ(wav.channel(0)[i], flac.channel(0)[i]);
    ASSERT_NEAR(wav.channel(0)[i], small.channel(0)[i], 2.1 / 32768);
  }
  // Run again: all is there, nothing is done; one format gone: it is made again.
  o.only_changed = true;
  EXPECT_TRUE(run_batch(batch_jobs(reel, ids), o, store, never, {})[0].kept);
  fs::remove(results[0].also[1]);
  EXPECT_FALSE(run_batch(batch_jobs(reel, ids), o, store, never, {})[0].kept);
  EXPECT_TRUE(fs::exists(results[0].also[1]));
}

TEST(Pause, HoldsABatchAndLetsItGoOn) {
  const TempFolder t;
  const Reel reel = small_reel(t);
  const std::vector<ClipId> ids{1, 2, 3};
  std::atomic<bool> pause{true};
  BatchOptions o = into(t);
  o.pause = &pause;
  FindingStore store;
  const CancelToken never{};
  std::atomic<bool> ended{false};
  std::thread run([&] {
    run_batch(batch_jobs(reel, ids), o, store, never, {});
    ended = true;
  });
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  EXPECT_FALSE(ended);
  EXPECT_TRUE(fs::is_empty(t / "out"));
  pause = false;
  run.join();
  EXPECT_TRUE(fs::exists(t / "out" / "2.wav"));
}

TEST(ShareDone, GoesByLength) {
  std::vector<BatchJob> jobs(2);
  jobs[0].plan.sound.frames = 1000;
  jobs[1].plan.sound.frames = 9000;
  std::vector<JobResult> results(2);
  results[0].state = JobState::done;
  EXPECT_NEAR(share_done(jobs, results), 0.1, 1e-9);
  results[1].state = JobState::running;
  results[1].progress = 0.5;
  EXPECT_NEAR(share_done(jobs, results), 0.55, 1e-9);
}

TEST(Rules, PatternsMatchWholeNames) {
  EXPECT_TRUE(pattern_matches("*", ""));
  EXPECT_TRUE(pattern_matches("ines*", "Ines, near"));
  EXPECT_TRUE(pattern_matches("*lamp*room*", "The lamp in the room"));
  EXPECT_TRUE(pattern_matches("take-?", "take-3"));
  EXPECT_FALSE(pattern_matches("take-?", "take-31"));
  EXPECT_FALSE(pattern_matches("ines", "ines 2"));
  // Letters, not bytes, and whatever the language.
  EXPECT_TRUE(pattern_matches("ÉTÉ*", "été à Noirmoutier"));
  EXPECT_FALSE(pattern_matches("stra?e", "STRAßE"));  // it folds to "strasse"
  EXPECT_TRUE(pattern_matches("straSSe", "Straße"));
  EXPECT_TRUE(pattern_matches("?t?", "été"));
  EXPECT_TRUE(pattern_matches("e\u0301t\u00e9", "\u00c9te\u0301"));  // composed or not
  EXPECT_TRUE(pattern_matches("ГОЛОС ?", "голос 1"));
  EXPECT_TRUE(pattern_matches("a?*", "A\xff broken"));
  EXPECT_FALSE(pattern_matches("??", "\xc3\xa9"));
  // No pattern takes long.
  EXPECT_FALSE(pattern_matches(std::string(200, '*') + "b", std::string(20000, 'a')));
}

TEST(Rules, TheFirstThatMatchesDecides) {
  const TempFolder t;
  save_recipe({"near", "", {{make_step("gate")}}, {}}, t / "near.recipe");
  const std::string text =
      R"({"drevan_rules":1,"rules":[{"group":"ines","name":"2","recipe":"near.recipe","append":true},
    {"group":"ines","recipe":"Hum and buzz out"}]})";
  const auto rules = rules_from_text(text, t.path(), "x.rules");
  Reel reel = small_reel(t);
  EXPECT_EQ(apply_rules(reel, rules), 2);
  EXPECT_EQ(reel.clips[0].chain.steps[0].type->id, "hum-removal");
  EXPECT_TRUE(reel.clips[1].chain.steps.empty());
  EXPECT_EQ(reel.clips[2].chain.steps[0].type->id, "gate");
  // A rule that comes first may keep the steps as they are.
  const auto kept = rules_from_text(
      R"({"drevan_rules":1,"rules":[{"name":"0","keep":true},{"recipe":"near.recipe"}]})", t.path(),
      "x.rules");
  const Chain own = reel.clips[0].chain;
  apply_rules(reel, kept);
  EXPECT_EQ(reel.clips[0].chain, own);
  EXPECT_EQ(reel.clips[1].chain.steps[0].type->id, "gate");
  const auto error = [&](const std::string& bad) {
    try {
      rules_from_text(bad, t.path(), "x.rules");
    } catch (const Error& e) {
      return std::string(e.what());
    }
    return std::string();
  };
  EXPECT_NE(error(R"({"drevan_rules":1,"rules":[{"group":"a"}]})")
                .find("x.rules, rule 1: \"recipe\" is missing"),
            std::string::npos);
  EXPECT_NE(
      error(R"({"drevan_rules":1,"rules":[{"recipe":"nowhere.recipe"}]})").find("nowhere.recipe"),
      std::string::npos);
  EXPECT_NE(error(R"({"drevan_rules":1,"rules":[{"keep":true,"recipe":"x"}]})").find("keep"),
            std::string::npos);
  EXPECT_NE(error(R"({"drevan_rules":1,"rules":[{"groop":"a","recipe":"x"}]})").find("groop"),
            std::string::npos);
}

TEST(Rules, StepsAreAppendedToWhatIsThereOrStandInItsPlace) {
  const TempFolder t;
  save_recipe({"near", "", {{make_step("gate")}}, {}}, t / "near.recipe");
  Reel reel = small_reel(t);
  for (size_t i = 0; i < reel.clips.size(); ++i) reel.clips[i].chain.steps = {make_step("cut")};
  for (const bool append : {true, false}) {
    const auto rules = rules_from_text(
        fmt::format(R"({{"drevan_rules":1,"rules":[{{"recipe":"near.recipe","append":{}}}]}})",
                    append),
        t.path(), "x.rules");
    apply_rules(reel, rules);
    ASSERT_EQ(reel.clips[0].chain.steps.size(), append ? 2U : 1U);
    EXPECT_EQ(reel.clips[0].chain.steps.back().type->id, "gate");
  }
}

TEST(Report, MixAndStemsAreOnThePageAndInTheFiles) {
  std::vector<MixFile> files(2);
  files[0].name = "mix";
  files[0].output = "out/Reel mix.wav";
  files[0].levels.sample_peak_dbfs = -2.5;
  files[0].missed = {"loudness -20.0 LUFS, wanted -17.0 to -15.0"};
  files[1].name = "mix";  // a group may be called so
  files[1].stem = true;
  files[1].output = "out/Reel mix-2.wav";
  const Report report{{}, {}, find_target("podcast"), files};
  const auto page = report_html(report);
  for (const char* part :
       {"Reel and stems mixed", "the whole reel", "stem", "off target", "Reel mix-2.wav"})
    EXPECT_NE(page.find(part), std::string::npos) << part;
  const auto json = report_json(report);
  ASSERT_EQ(json["files"].size(), 2U);
  EXPECT_EQ(json["files"][0]["levels"]["sample_peak_dbfs"], -2.5);
  EXPECT_EQ(json["files"][0]["missed"].size(), 1U);
  const auto csv = report_csv(report);
  EXPECT_NE(csv.find("mix,done,out/Reel mix.wav,,-2.50,"), std::string::npos) << csv;
  // As many fields as the head has.
  for (size_t begin = 0; begin < csv.size();) {
    const auto end = csv.find("\r\n", begin);
    const auto line = csv.substr(begin, end - begin);
    bool quoted = false;
    int fields = 1;
    for (const char c : line) {
      if (c == '"') quoted = !quoted;
      if (c == ',' && !quoted) ++fields;
    }
    EXPECT_EQ(fields, 11) << line;
    begin = end + 2;
  }
}

TEST(Report, APageNamesEveryClipAndWhy) {
  std::vector<BatchJob> jobs(2);
  jobs[0].clip = "a <b>";
  jobs[1].clip = "gone";
  std::vector<JobResult> results(2);
  results[0].state = JobState::done;
  results[0].render.after.sample_peak_dbfs = -3;
  results[0].missed = {"loudness -14.9 LUFS, wanted -17.0 to -15.0"};
  results[1].state = JobState::failed;
  results[1].problem = "gone.wav cannot be read.";
  const auto page = report_html({jobs, results, find_target("podcast")});
  for (const char* part : {"a &lt;b&gt;", "off target", "wanted -17.0 to -15.0",
                           "gone.wav cannot be read.", "1 of 2 clips rendered", "<svg"})
    EXPECT_NE(page.find(part), std::string::npos) << part;
  EXPECT_EQ(page.find("<b>"), std::string::npos);
  EXPECT_EQ(page.find("http"), std::string::npos);  // nothing is fetched
}

// Reversed, made to ring and reversed again, a sound begins before its clip: the clip stays where it is.
TEST(Mix, WhatRisesBeforeAClipDoesNotMoveIt) {
  const TempFolder t;
  AudioBuffer x(1, 9600);
  x.channel(0)[4800] = 0.9F;
  test::write_wav(t / "click.wav", x);
  for (const double place_s : {2.0, 0.0}) {
    Reel reel;
    reel.name = "Reel";
    add_clip(reel, examine_source(t / "click.wav"), "G");
    reel.clips[0].place = ReelTime{place_s};
    const auto top = [&](bool rising) {
      reel.clips[0].chain.steps = {
          test::with("cut", {{"low_hz", 20}, {"high_hz", 400}, {"high_slope_db", 3}})};
      if (rising) {
        reel.clips[0].chain.steps.insert(reel.clips[0].chain.steps.begin(), make_step("reverse"));
        reel.clips[0].chain.steps.push_back(make_step("reverse"));
      }
      FindingStore store;
      const CancelToken never;
      const auto mixed = render_mix(reel, into(t), {true, false, {}}, store, never);
      const AudioBuffer out = test::read_all(mixed.files[0].output);
      const auto all = out.channel(0);
      return std::ranges::max_element(all, {}, [](float v) { return std::abs(v); }) - all.begin();
    };
    const auto click = std::llround((place_s + 0.1) * 48000);
    // The filter is late by itself; turned round it is early by as much.
    EXPECT_NEAR(static_cast<double>(top(false) - click), static_cast<double>(click - top(true)), 2)
        << place_s;
    EXPECT_GT(top(false), click);
  }
}

// What sounds before the reel begins is left out; the rest stands where it is heard elsewhere.
TEST(Mix, AtTheBeginningOfTheReelNothingMoves) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 0.5, 4);
  test::write_wav(t / "x.wav", x);
  const auto mix_at = [&](double place_s) {
    Reel reel;
    reel.name = "Reel";
    add_clip(reel, examine_source(t / "x.wav"), "G");
    reel.clips[0].place = ReelTime{place_s};
    reel.clips[0].chain.steps = {test::with("reverb", {{"decay_s", 0.6}}), make_step("reverse")};
    settle_step_ids(reel);
    FindingStore store;
    const CancelToken never;
    return test::read_all(
        render_mix(reel, into(t), {true, false, {}}, store, never).files[0].output);
  };
  const AudioBuffer late = mix_at(2), early = mix_at(0);
  EXPECT_GT(test::rms_db(late.channel(0).subspan(84000, 12000)), -70) << "it begins before";
  ASSERT_EQ(early.frames() + 96000, late.frames());
  for (size_t i = 0; i < early.channel(0).size(); ++i)
    ASSERT_EQ(early.channel(0)[i], late.channel(0)[i + 96000]) << i;
}

}  // namespace
}  // namespace drevan
