// SPDX-License-Identifier: GPL-3.0-or-later
// drevan-cli as a user calls it: exit codes, messages, files.
#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "audio/decibel.h"
#include "batch/batch.h"
#include "reel/reel.h"
#include "support/extent.h"
#include "support/sounds.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::run;
using test::TempFolder;
namespace fs = std::filesystem;

const std::string cli = DREVAN_CLI;
const std::string demo = DREVAN_SOURCE_DIR "/demo";

test::Ran call(const std::string& arguments) { return run(cli + " " + arguments); }

nlohmann::json json_of(const std::string& arguments) {
  const auto r = run(cli + " " + arguments + " 2>/dev/null");
  return nlohmann::json::parse(r.out);
}

TEST(Cli, RendersTheDemoThroughTheFiveSteps) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const TempFolder t;
  const auto r =
      call("render --recipe " + demo + "/five.recipe --room-tone auto --out " +
           (t / "out").string() + " --report " + (t / "r.json").string() + " " + demo + "/*.flac");
  EXPECT_EQ(r.code, 0) << r.out;
  const auto after = json_of("measure --json " + (t / "out").string() + "/*.wav");
  const auto before = json_of("measure --json " + demo + "/*.flac");
  ASSERT_EQ(after.size(), before.size());
  ASSERT_GE(after.size(), 10U);
  int noisy = 0;
  for (size_t i = 0; i < after.size(); ++i) {
    EXPECT_NEAR(after[i]["sample_peak_dbfs"].get<double>(), -3.0, 0.1) << after[i];
    const std::string file = before[i]["file"];
    const bool is_noisy = file.find("lamp-room") != std::string::npos ||
                          file.find("stairs") != std::string::npos ||
                          file.find("log-entry") != std::string::npos;
    if (!is_noisy) continue;
    ++noisy;
    const auto relative = [](const nlohmann::json& m) {
      return m["noise_floor_dbfs"].get<double>() - m["loudness_lufs"].get<double>();
    };
    EXPECT_GE(relative(before[i]) - relative(after[i]), 8) << file;
  }
  EXPECT_EQ(noisy, 4);
}

// A clip's own room tone is what is learned, not the quietest stretch: a fan that runs for a second is
// taken out because it was marked.
TEST(Cli, RendersAReelByItsOwnRoomTone) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.0005, 6, 1);
  test::add(x, test::noise(0.01, 2, 2), 1);
  test::add(x, test::words(0.4, 2), 3.5);
  test::write_wav(t / "fan, then talk.wav", x);
  Reel reel;
  add_clip(reel, examine_source(t / "fan, then talk.wav"), "Ines");
  reel.clips[0].chain.steps = {test::with("noise-reduction", {{"depth_db", 20}})};
  settle_step_ids(reel);
  const auto fan_db = [](const AudioBuffer& of) {
    return test::rms_db(of.channel(0).subspan(72000, 48000));
  };
  for (const bool marked : {true, false}) {
    if (marked)
      reel.clips[0].room_tone = ClipRange{{1.2}, {2.8}};
    else
      reel.clips[0].room_tone.reset();
    save_reel(reel, t / "x.reel");
    const auto out = t / (marked ? "marked" : "found");
    const auto r =
        call("render --reel " + (t / "x.reel").string() + " --bits 32f --out " + out.string() +
             " --name '{group} {clip}' --report " + (out.string() + ".csv"));
    ASSERT_EQ(r.code, 0) << r.out;
    const double fell = fan_db(x) - fan_db(test::read_all(out / "Ines fan, then talk.wav"));
    if (marked) {
      EXPECT_GT(fell, 16);
      EXPECT_NE(r.out.find("room tone 1.20-2.80 s"), std::string::npos) << r.out;
    } else {
      EXPECT_LT(fell, 6) << "the quiet room was found, which knows of no fan";
    }
  }
}

// EBU Tech 3341, test 1: a stereo sine of 1 kHz at -23 dBFS is -23.0 LUFS.
TEST(Cli, MeasuresWhatIsThere) {
  const TempFolder t;
  const double amplitude = std::pow(10, -23 / 20.0);
  AudioBuffer x = test::sine(1000, amplitude, 12, 48000, 2);
  test::write_wav(t / "calibration.wav", x);
  const auto m = json_of("measure --json " + (t / "calibration.wav").string())[0];
  EXPECT_NEAR(m["sample_peak_dbfs"].get<double>(), -23, 0.01);
  EXPECT_NEAR(m["true_peak_dbtp"].get<double>(), -23, 0.1);
  EXPECT_NEAR(m["loudness_lufs"].get<double>(), -23, 0.1);
  EXPECT_NEAR(m["loudness_range_lu"].get<double>(), 0, 0.1);
  EXPECT_EQ(m["duration_s"], 12.0);
  EXPECT_EQ(m["channels"], 2);
  EXPECT_EQ(m["rate_hz"], 48000);
  EXPECT_EQ(m["clipped_samples"], 0);
  // A word in a room whose noise is known; a mono file; one that was driven into its end.
  AudioBuffer y = test::noise(from_db(-60), 6, 1, 44100);
  test::add(y, test::sine(500, 1.5, 1, 44100), 2, 44100);
  for (float& v : y.channel(0)) v = std::clamp(v, -1.0F, 1.0F);
  test::write_wav(t / "driven.wav", y, 44100);
  const auto driven = json_of("measure --json " + (t / "driven.wav").string())[0];
  EXPECT_NEAR(driven["noise_floor_dbfs"].get<double>(), -60, 1.5);
  EXPECT_NEAR(driven["sample_peak_dbfs"].get<double>(), 0, 0.001);
  EXPECT_EQ(driven["channels"], 1);
  EXPECT_EQ(driven["rate_hz"], 44100);
  // A sine of 1.5 is beyond 1 for 1 - 2 asin(1 / 1.5) / pi of the time.
  const double share = 1 - 2 * std::asin(1 / 1.5) / std::numbers::pi;
  EXPECT_NEAR(driven["clipped_samples"].get<double>() / 44100, share, 0.02);
}

// What `steps` prints of a step is what a recipe may say of it, to both ends and not beyond.
TEST(Cli, WhereNobodyReadsOnItEndsWithoutAWord) {
  const auto r = run("bash -c '" + cli + " steps --json | head -c 1; echo ${PIPESTATUS[0]}'");
  EXPECT_EQ(r.out, "[141\n");
}

TEST(Cli, StepsPrintsWhatRecipesMaySay) {
  const TempFolder t;
  const auto plain = call("steps").out;
  std::string good, bad;
  int refused = 0;
  const auto write = [&](const nlohmann::json& step, const nlohmann::json& values,
                         std::string& to) {
    const auto file =
        t / (std::to_string(to.size()) + (&to == &good ? "-good" : "-bad") + ".recipe");
    std::ofstream(file) << nlohmann::json{
        {"drevan_recipe", 1},
        {"name", "x"},
        {"steps", {{{"step", step["step"]}, {"settings", values}}}}};
    to += " " + file.string();
  };
  for (const auto& step : json_of("steps --json")) {
    const std::string id = step["step"];
    EXPECT_NE(plain.find(id), std::string::npos);
    nlohmann::json least, most, standard;
    for (const auto& s : step["settings"]) {
      const std::string name = s["id"];
      standard[name] = s["standard"];
      if (s.contains("choices")) {
        least[name] = s["choices"].front()["id"];
        most[name] = s["choices"].back()["id"];
      } else if (s.contains("least")) {
        least[name] = s["least"];
        most[name] = s["most"];
        const double beyond = s["most"].get<double>() + 1;
        write(step, {{name, beyond}}, bad);
        ++refused;
      }
    }
    for (const auto& values : {least, most, standard})
      if (!values.is_null()) write(step, values, good);
    for (const auto& point : step["starting_points"]) write(step, point["settings"], good);
  }
  const auto r = call("recipe check" + good);
  EXPECT_EQ(r.code, 0) << r.out;
  const auto all_bad = call("recipe check" + bad);
  EXPECT_EQ(all_bad.code, 2);
  int told = 0;
  for (size_t at = 0; (at = all_bad.out.find("allowed is", at)) != std::string::npos; ++at) ++told;
  EXPECT_EQ(told, refused);
  EXPECT_GT(refused, 100);
}

TEST(Cli, WrongCallsEndWithTwo) {
  for (const char* c : {"", "render", "render --recipe nothing.recipe", "render --bits 20 x.wav",
                        "rander", "measure", "render --recipe a --reel b", "render --rate 5 x.wav"})
    EXPECT_NE(call(c).code, 0) << c;
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe").code, 2);
  EXPECT_EQ(call("rander").code, 2);
  EXPECT_EQ(
      call("render --recipe " + demo + "/five.recipe --room-tone 3 " + demo + "/foghorn.flac").code,
      2);
  const auto r = call("render --recipe " + demo + "/five.recipe --room-tone 1.0-1.2 " + demo +
                      "/foghorn.flac");
  EXPECT_EQ(r.code, 2);
  EXPECT_NE(r.out.find("too short"), std::string::npos) << r.out;
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe --format flac --bits 32f " + demo +
                 "/foghorn.flac")
                .code,
            2);
  EXPECT_EQ(call("--help").code, 0);
}

TEST(Cli, RecipeCheckSaysGoodOrWhatIsWrong) {
  const TempFolder t;
  EXPECT_EQ(call("recipe check " + demo + "/five.recipe").code, 0);
  std::ofstream(t / "bad.recipe")
      << R"({"drevan_recipe":1,"name":"x","steps":[{"step":"compressor","settings":{"ratio":99}}]})";
  const auto r = call("recipe check " + demo + "/five.recipe " + (t / "bad.recipe").string());
  EXPECT_EQ(r.code, 2);
  EXPECT_NE(r.out.find("bad.recipe, step 1 (compressor): \"ratio\" is 99, allowed is 1 to 20"),
            std::string::npos)
      << r.out;
  EXPECT_EQ(call("recipe check " + (t / "none.recipe").string()).code, 3);
}

TEST(Cli, BadInputsAreNamedAndTheOthersRendered) {
  const TempFolder t;
  std::ofstream(t / "letter.wav") << "text";
  AudioBuffer none(1, 0), good = test::noise(0.1, 2, 3);
  test::write_wav(t / "zero.wav", none);
  test::write_wav(t / "cut.wav", good, 48000, SampleType::int16);
  fs::resize_file(t / "cut.wav", fs::file_size(t / "cut.wav") / 2);
  AudioBuffer wide = test::sine(500, 0.1, 1, 192000, 6);
  test::write_wav(t / "wide.wav", wide, 192000);
  good.channel(0)[7] = std::numeric_limits<float>::quiet_NaN();
  test::write_wav(t / "nan.wav", good);
  const auto r = call("render --recipe " + demo + "/five.recipe --out " + (t / "out").string() +
                      " " + t.path().string() + "/*.wav");
  EXPECT_EQ(r.code, 3);
  for (const char* words :
       {"letter.wav: this is not a sound", "zero.wav: it holds no sound", "cut.wav is cut off"})
    EXPECT_NE(r.out.find(words), std::string::npos) << words << "\n" << r.out;
  EXPECT_TRUE(fs::exists(t / "out" / "wide.wav"));
  EXPECT_TRUE(fs::exists(t / "out" / "nan.wav"));
  EXPECT_TRUE(fs::exists(t / "out" / "cut.wav"));
  EXPECT_EQ(test::read_all(t / "out" / "wide.wav").channels(), 6);
}

TEST(Cli, RoomToneBeyondAClipFailsThatClipOnly) {
  const TempFolder t;
  const auto r = call("render --recipe " + demo + "/five.recipe --room-tone 5-6 --out " +
                      t.path().string() + " " + demo + "/door-slam.flac " + demo + "/foghorn.flac");
  EXPECT_EQ(r.code, 3);
  EXPECT_NE(r.out.find("does not lie within the clip"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::exists(t / "foghorn.wav"));
  EXPECT_FALSE(fs::exists(t / "door-slam.wav"));
}

// A disk that is full in the middle of a file: a limit on file size does the same to a writer.
TEST(Cli, AFullDiskLeavesNothingHalfWritten) {
  const TempFolder t;
  const auto r = run("bash -c \"ulimit -f 200; trap '' XFSZ; " + cli + " render --recipe " + demo +
                     "/five.recipe --out " + t.path().string() + " " + demo + "/foghorn.flac\"");
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("foghorn.wav cannot be written"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::is_empty(t.path()));
}

// The real thing, where the machine lets us mount a small disk.
TEST(Cli, ASmallDiskThatFillsUpIsSaidSo) {
  const TempFolder t;
  if (run("mount -t tmpfs -o size=300k none " + t.path().string()).code != 0)
    GTEST_SKIP() << "no right to mount here";
  const auto r = call("render --recipe " + demo + "/five.recipe --out " + t.path().string() + " " +
                      demo + "/foghorn.flac");
  const bool empty = fs::is_empty(t.path());
  run("umount " + t.path().string());
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("the disk is full"), std::string::npos) << r.out;
  EXPECT_TRUE(empty);
}

TEST(Cli, AReadOnlyFolderIsSaidSo) {
  const TempFolder t;
  // /proc refuses new files even to root.
  auto r =
      call("render --recipe " + demo + "/five.recipe --out /proc/self " + demo + "/foghorn.flac");
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("cannot be written"), std::string::npos) << r.out;
  if (::geteuid() == 0) return;  // root may write anywhere else
  fs::permissions(t.path(), fs::perms::owner_read | fs::perms::owner_exec);
  r = call("render --recipe " + demo + "/five.recipe --out " + t.path().string() + " " + demo +
           "/foghorn.flac");
  EXPECT_NE(r.out.find("read-only"), std::string::npos) << r.out;
}

TEST(Cli, AReelWithAMissingSourceRendersTheRest) {
  const TempFolder t;
  Reel reel;
  for (const char* name : {"a", "b"}) {
    AudioBuffer x = test::noise(0.1, 1, 3);
    test::write_wav(t / (std::string(name) + ".wav"), x);
    add_clip(reel, examine_source(t / (std::string(name) + ".wav")), "G");
  }
  save_reel(reel, t / "x.reel");
  fs::remove(t / "a.wav");
  const auto r =
      call("render --reel " + (t / "x.reel").string() + " --out " + (t / "out").string());
  EXPECT_EQ(r.code, 3);
  EXPECT_NE(r.out.find("missing"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::exists(t / "out" / "b.wav"));
}

TEST(Cli, CheckAndRenderJudgeByATarget) {
  const test::TempFolder temp;
  AudioBuffer tone = test::sine(1000, 0.5, 3);
  test::write_wav(temp / "tone.wav", tone);
  std::ofstream(temp / "gain.recipe")
      << R"({"drevan_recipe":1,"steps":[{"step":"normalise","settings":{"target_db":-3}}]})";
  const std::string wav = (temp / "tone.wav").string(),
                    out = " --out " + (temp / "out").string() + " ";
  EXPECT_EQ(call("check --target peak-3 " + wav).code, 1);
  const auto render =
      call("render --recipe " + (temp / "gain.recipe").string() + " --target peak-3" + out + wav);
  EXPECT_EQ(render.code, 0) << render.out;
  EXPECT_EQ(call("check --target peak-3 " + (temp / "out/tone.wav").string()).code, 0);
  const auto loud = call("render --recipe " + (temp / "gain.recipe").string() +
                         " --target podcast --report " + (temp / "r.json").string() + out + wav);
  EXPECT_EQ(loud.code, 1) << loud.out;
  EXPECT_NE(loud.out.find("misses the target: loudness"), std::string::npos) << loud.out;
  const auto report = nlohmann::json::parse(std::ifstream(temp / "r.json"));
  EXPECT_EQ(report["clips"][0]["missed"].size(), 1U);
  EXPECT_EQ(call("check --target nonsense " + wav).code, 2);
  EXPECT_EQ(call("check --target peak-3 " + wav + " /nowhere.wav").code, 3);
}

TEST(Cli, AdviseTellsOfARecipeAndOfWhatItDoesToAFile) {
  const test::TempFolder temp;
  std::ofstream(temp / "odd.recipe")
      << R"({"drevan_recipe":1,"steps":[{"step":"compressor"},{"step":"noise-reduction"},{"step":"normalise"}]})";
  const auto alone = call("advise --recipe " + (temp / "odd.recipe").string());
  EXPECT_EQ(alone.code, 0);
  EXPECT_NE(alone.out.find("Move it before the compressor"), std::string::npos) << alone.out;
  EXPECT_NE(call("advise --recipe " + demo + "/five.recipe").out.find("nothing to say"),
            std::string::npos);
  // The quiet take never reaches a threshold of -15 dB.
  std::ofstream(temp / "high.recipe")
      << R"({"drevan_recipe":1,"steps":[{"step":"compressor"},{"step":"normalise"}]})";
  const auto file =
      call("advise --recipe " + (temp / "high.recipe").string() + " " + demo + "/stairs-03.flac");
  EXPECT_NE(file.out.find("does nothing here"), std::string::npos) << file.out;
}

TEST(Cli, FoldersKeepTheirSubfoldersAndSharesAndResumeWork) {
  const TempFolder t;
  fs::create_directories(t / "season" / "one");
  fs::create_directories(t / "season" / "two" / "deep");
  fs::create_directories(t / "season" / ".hidden");
  AudioBuffer x = test::words(0.2, 1);
  for (const char* name :
       {"one/a.wav", "one/b.wav", "two/a.wav", "two/deep/c.wav", ".hidden/d.wav"})
    test::write_wav(t / "season" / name, x);
  std::ofstream(t / "season" / "notes.txt") << "not sound";
  const std::string base = "render --recipe " + demo + "/five.recipe --out " +
                           (t / "out").string() + " " + (t / "season").string();
  for (const char* share : {"1/2", "2/2"}) EXPECT_EQ(call(base + " --share " + share).code, 0);
  for (const char* name : {"one/a.wav", "one/b.wav", "two/a.wav", "two/deep/c.wav"})
    EXPECT_TRUE(fs::exists(t / "out" / name)) << name;
  EXPECT_FALSE(fs::exists(t / "out" / ".hidden"));
  const auto again = call(base + " --resume");
  EXPECT_EQ(again.code, 0);
  size_t unchanged = 0;
  for (size_t at = 0; (at = again.out.find("unchanged", at)) != std::string::npos; ++at)
    ++unchanged;
  EXPECT_EQ(unchanged, 4U) << again.out;
  EXPECT_EQ(call(base + " --share 3/2").code, 2);
  fs::create_directories(t / "empty");
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe " + (t / "empty").string()).code, 2);
}

TEST(Cli, MixAndStemsAreWrittenAndWhatIsAboutClipsIsRefusedWithoutThem) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const TempFolder t;
  const std::string base = "render --reel " + demo +
                           "/skerry-light.reel --mix --stems --bits 32f --out " +
                           (t / "out").string();
  for (const char* about_clips :
       {" --resume", " --share 1/2", " --also flac:16", " --room-tone none"}) {
    const auto r = call(base + about_clips);
    EXPECT_EQ(r.code, 2) << about_clips << ": " << r.out;
    EXPECT_FALSE(fs::exists(t / "out"));
  }
  const auto r = call(base);
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(test::names_in(t / "out").size(), 6U) << r.out;  // the mix and five groups
}

TEST(Cli, TheMixGoesThroughItsChainUnlessItIsLeftOut) {
  const TempFolder t;
  AudioBuffer tone = test::sine(440, 0.25, 1);
  test::write_wav(t / "tone.wav", tone);
  Reel reel;
  reel.name = "Tone";
  add_clip(reel, examine_source(t / "tone.wav"), "G");
  reel.mix.chain.steps = {make_step("gain")};
  reel.mix.chain.steps[0].settings.values[0] = -12;
  save_reel(reel, t / "tone.reel");
  const std::string base = "render --reel " + (t / "tone.reel").string() + " --mix --out ";
  const auto with = call(base + (t / "with").string());
  EXPECT_EQ(with.code, 0) << with.out;
  EXPECT_NE(with.out.find("through the mix chain: Gain"), std::string::npos) << with.out;
  const auto without = call(base + (t / "without").string() + " --no-mix-chain");
  EXPECT_EQ(without.code, 0) << without.out;
  const auto level = [](const fs::path& file) {
    return test::rms_db(test::read_all(file).channel(0));
  };
  EXPECT_NEAR(level(t / "without" / "Tone mix.wav") - level(t / "with" / "Tone mix.wav"), 12, 0.01);
}

}  // namespace
}  // namespace drevan
