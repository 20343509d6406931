// drevan-cli as a user calls it: exit codes, messages, files.
#include <gtest/gtest.h>
#include <unistd.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "reel/reel.h"
#include "batch/batch.h"
#include "support/sounds.h"

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
  const TempFolder t;
  const auto r = call("render --recipe " + demo + "/five.recipe --room-tone auto --out " + (t / "out").string() +
                      " --report " + (t / "r.json").string() + " " + demo + "/*.flac");
  EXPECT_EQ(r.code, 0) << r.out;
  const auto after = json_of("measure --json " + (t / "out").string() + "/*.wav");
  const auto before = json_of("measure --json " + demo + "/*.flac");
  ASSERT_EQ(after.size(), before.size());
  ASSERT_GE(after.size(), 10U);
  int noisy = 0;
  for (size_t i = 0; i < after.size(); ++i) {
    EXPECT_NEAR(after[i]["sample_peak_dbfs"].get<double>(), -3.0, 0.1) << after[i];
    const std::string file = before[i]["file"];
    const bool is_noisy = file.find("lamp-room") != std::string::npos || file.find("stairs") != std::string::npos ||
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

TEST(Cli, RendersAReelAndKeepsItsRoomTone) {
  const TempFolder t;
  const auto r = call("render --reel " + demo + "/skerry-light.reel --out " + t.path().string() +
                      " --format flac --bits 16 --name '{group} {clip}' --report " + (t / "r.csv").string());
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_TRUE(fs::exists(t / "Ines dialogue lamp-room-04.flac"));
  EXPECT_NE(r.out.find("room tone 0.20-1.20 s"), std::string::npos) << r.out;
}

TEST(Cli, MeasurePrintsEveryPromisedMember) {
  const auto m = json_of("measure --json " + demo + "/stairs-02.flac");
  for (const char* key : {"sample_peak_dbfs", "true_peak_dbtp", "loudness_lufs", "loudness_range_lu", "noise_floor_dbfs",
                          "duration_s", "channels", "rate_hz", "clipped_samples"})
    EXPECT_TRUE(m[0].contains(key)) << key;
  EXPECT_EQ(m[0]["channels"], 1);
}

TEST(Cli, StepsListsTheCatalogue) {
  const auto all = json_of("steps --json");
  EXPECT_GE(all.size(), 6U);
  for (const auto& s : all) {
    EXPECT_EQ(s["starting_points"].empty(), s["settings"].empty()) << s["step"];
    EXPECT_NE(call("steps").out.find(s["step"].get<std::string>()), std::string::npos);
  }
}

TEST(Cli, WrongCallsEndWithTwo) {
  for (const char* c : {"", "render", "render --recipe nothing.recipe", "render --bits 20 x.wav", "rander", "measure",
                        "render --recipe a --reel b", "render --rate 5 x.wav"})
    EXPECT_NE(call(c).code, 0) << c;
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe").code, 2);
  EXPECT_EQ(call("rander").code, 2);
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe --room-tone 3 " + demo + "/foghorn.flac").code, 2);
  const auto r = call("render --recipe " + demo + "/five.recipe --room-tone 1.0-1.2 " + demo + "/foghorn.flac");
  EXPECT_EQ(r.code, 2);
  EXPECT_NE(r.out.find("too short"), std::string::npos) << r.out;
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe --format flac --bits 32f " + demo + "/foghorn.flac").code, 2);
  EXPECT_EQ(call("--help").code, 0);
}

TEST(Cli, RecipeCheckSaysGoodOrWhatIsWrong) {
  const TempFolder t;
  EXPECT_EQ(call("recipe check " + demo + "/five.recipe").code, 0);
  std::ofstream(t / "bad.recipe") << R"({"drevan_recipe":1,"name":"x","steps":[{"step":"compressor","settings":{"ratio":99}}]})";
  const auto r = call("recipe check " + demo + "/five.recipe " + (t / "bad.recipe").string());
  EXPECT_EQ(r.code, 2);
  EXPECT_NE(r.out.find("bad.recipe, step 1 (compressor): \"ratio\" is 99, allowed is 1 to 20"), std::string::npos) << r.out;
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
  const auto r = call("render --recipe " + demo + "/five.recipe --out " + (t / "out").string() + " " + t.path().string() + "/*.wav");
  EXPECT_EQ(r.code, 3);
  for (const char* words : {"letter.wav: this is not a sound", "zero.wav: it holds no sound", "cut.wav is cut off"})
    EXPECT_NE(r.out.find(words), std::string::npos) << words << "\n" << r.out;
  EXPECT_TRUE(fs::exists(t / "out" / "wide.wav"));
  EXPECT_TRUE(fs::exists(t / "out" / "nan.wav"));
  EXPECT_TRUE(fs::exists(t / "out" / "cut.wav"));
  EXPECT_EQ(test::read_all(t / "out" / "wide.wav").channels(), 6);
}

TEST(Cli, RoomToneBeyondAClipFailsThatClipOnly) {
  const TempFolder t;
  const auto r = call("render --recipe " + demo + "/five.recipe --room-tone 5-6 --out " + t.path().string() + " " + demo +
                      "/door-slam.flac " + demo + "/foghorn.flac");
  EXPECT_EQ(r.code, 3);
  EXPECT_NE(r.out.find("does not lie within the clip"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::exists(t / "foghorn.wav"));
  EXPECT_FALSE(fs::exists(t / "door-slam.wav"));
}

// A disk that is full in the middle of a file: a limit on file size does the same to a writer.
TEST(Cli, AFullDiskLeavesNothingHalfWritten) {
  const TempFolder t;
  const auto r = run("bash -c \"ulimit -f 200; trap '' XFSZ; " + cli + " render --recipe " + demo + "/five.recipe --out " +
                     t.path().string() + " " + demo + "/foghorn.flac\"");
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("foghorn.wav cannot be written"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::is_empty(t.path()));
}

// The real thing, where the machine lets us mount a small disk.
TEST(Cli, ASmallDiskThatFillsUpIsSaidSo) {
  const TempFolder t;
  if (run("mount -t tmpfs -o size=300k none " + t.path().string()).code != 0) GTEST_SKIP() << "no right to mount here";
  const auto r = call("render --recipe " + demo + "/five.recipe --out " + t.path().string() + " " + demo + "/foghorn.flac");
  const bool empty = fs::is_empty(t.path());
  run("umount " + t.path().string());
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("the disk is full"), std::string::npos) << r.out;
  EXPECT_TRUE(empty);
}

TEST(Cli, AReadOnlyFolderIsSaidSo) {
  const TempFolder t;
  // /proc refuses new files even to root.
  auto r = call("render --recipe " + demo + "/five.recipe --out /proc/self " + demo + "/foghorn.flac");
  EXPECT_EQ(r.code, 3) << r.out;
  EXPECT_NE(r.out.find("cannot be written"), std::string::npos) << r.out;
  if (::geteuid() == 0) return;  // root may write anywhere else
  fs::permissions(t.path(), fs::perms::owner_read | fs::perms::owner_exec);
  r = call("render --recipe " + demo + "/five.recipe --out " + t.path().string() + " " + demo + "/foghorn.flac");
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
  const auto r = call("render --reel " + (t / "x.reel").string() + " --out " + (t / "out").string());
  EXPECT_EQ(r.code, 3);
  EXPECT_NE(r.out.find("missing"), std::string::npos) << r.out;
  EXPECT_TRUE(fs::exists(t / "out" / "b.wav"));
}

TEST(Cli, CheckAndRenderJudgeByATarget) {
  const test::TempFolder temp;
  AudioBuffer tone = test::sine(1000, 0.5, 3);
  test::write_wav(temp / "tone.wav", tone);
  std::ofstream(temp / "gain.recipe") << R"({"drevan_recipe":1,"steps":[{"step":"normalise","settings":{"target_db":-3}}]})";
  const std::string wav = (temp / "tone.wav").string(), out = " --out " + (temp / "out").string() + " ";
  EXPECT_EQ(call("check --target peak-3 " + wav).code, 1);
  const auto render = call("render --recipe " + (temp / "gain.recipe").string() + " --target peak-3" + out + wav);
  EXPECT_EQ(render.code, 0) << render.out;
  EXPECT_EQ(call("check --target peak-3 " + (temp / "out/tone.wav").string()).code, 0);
  const auto loud = call("render --recipe " + (temp / "gain.recipe").string() + " --target podcast --report " + (temp / "r.json").string() + out + wav);
  EXPECT_EQ(loud.code, 1) << loud.out;
  EXPECT_NE(loud.out.find("misses the target: loudness"), std::string::npos) << loud.out;
  const auto report = nlohmann::json::parse(std::ifstream(temp / "r.json"));
  EXPECT_EQ(report["clips"][0]["missed"].size(), 1U);
  EXPECT_EQ(call("check --target nonsense " + wav).code, 2);
  EXPECT_EQ(call("check --target peak-3 " + wav + " /nowhere.wav").code, 3);
}

TEST(Cli, AdviseTellsOfARecipeAndOfWhatItDoesToAFile) {
  const test::TempFolder temp;
  std::ofstream(temp / "odd.recipe") << R"({"drevan_recipe":1,"steps":[{"step":"compressor"},{"step":"noise-reduction"},{"step":"normalise"}]})";
  const auto alone = call("advise --recipe " + (temp / "odd.recipe").string());
  EXPECT_EQ(alone.code, 0);
  EXPECT_NE(alone.out.find("Move it before the compressor"), std::string::npos) << alone.out;
  EXPECT_NE(call("advise --recipe " + demo + "/five.recipe").out.find("nothing to say"), std::string::npos);
  // The quiet take never reaches a threshold of -15 dB.
  std::ofstream(temp / "high.recipe") << R"({"drevan_recipe":1,"steps":[{"step":"compressor"},{"step":"normalise"}]})";
  const auto file = call("advise --recipe " + (temp / "high.recipe").string() + " " + demo + "/stairs-03.flac");
  EXPECT_NE(file.out.find("does nothing here"), std::string::npos) << file.out;
}

TEST(Cli, FoldersKeepTheirSubfoldersAndSharesAndResumeWork) {
  const TempFolder t;
  fs::create_directories(t / "season" / "one");
  fs::create_directories(t / "season" / "two" / "deep");
  fs::create_directories(t / "season" / ".hidden");
  AudioBuffer x = test::words(0.2, 1);
  for (const char* name : {"one/a.wav", "one/b.wav", "two/a.wav", "two/deep/c.wav", ".hidden/d.wav"}) test::write_wav(t / "season" / name, x);
  std::ofstream(t / "season" / "notes.txt") << "not sound";
  const std::string base = "render --recipe " + demo + "/five.recipe --out " + (t / "out").string() + " " + (t / "season").string();
  for (const char* share : {"1/2", "2/2"}) EXPECT_EQ(call(base + " --share " + share).code, 0);
  for (const char* name : {"one/a.wav", "one/b.wav", "two/a.wav", "two/deep/c.wav"}) EXPECT_TRUE(fs::exists(t / "out" / name)) << name;
  EXPECT_FALSE(fs::exists(t / "out" / ".hidden"));
  const auto again = call(base + " --resume");
  EXPECT_EQ(again.code, 0);
  size_t unchanged = 0;
  for (size_t at = 0; (at = again.out.find("unchanged", at)) != std::string::npos; ++at) ++unchanged;
  EXPECT_EQ(unchanged, 4U) << again.out;
  EXPECT_EQ(call(base + " --share 3/2").code, 2);
  fs::create_directories(t / "empty");
  EXPECT_EQ(call("render --recipe " + demo + "/five.recipe " + (t / "empty").string()).code, 2);
}

TEST(Cli, MixAndStemsAreWrittenAndWhatIsAboutClipsIsRefusedWithoutThem) {
  const TempFolder t;
  const std::string base = "render --reel " + demo + "/skerry-light.reel --mix --stems --bits 32f --out " + (t / "out").string();
  for (const char* about_clips : {" --resume", " --share 1/2", " --also flac:16", " --room-tone none"}) {
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
