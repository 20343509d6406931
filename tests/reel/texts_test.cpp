// SPDX-License-Identifier: GPL-3.0-or-later
// Settings that are words or files, by a step of the test's own.
#include <gtest/gtest.h>
#include <zip.h>

#include <fstream>

#include "audio/error.h"
#include "engine/rendering/process.h"
#include "reel/edits/edits.h"
#include "reel/library/library.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

// Words that must be notes; a file.
const StepType& singer() {
  static const StepType type = [] {
    StepType t = *find_step("gain");
    t.id = "test-singer";
    t.label = "Singer";
    t.texts = {{.id = "chord",
                .label = "Chord",
                .standard = "C E G",
                .fault = [](std::string_view words) -> std::string {
                  const auto bad = words.find_first_not_of("ABCDEFG ");
                  if (bad == words.npos) return {};
                  return "has no note " + std::string(words.substr(bad, 1));
                }},
               {.id = "voice", .label = "Voice", .files = "*.wav"}};
    return t;
  }();
  static const bool known = (make_known(type), true);
  (void)known;
  return type;
}

class Texts : public testing::Test {
 protected:
  Texts() {
    AudioBuffer x = test::sine(440, 0.5, 1);
    test::write_wav(t / "a.wav", x);
    test::write_wav(t / "voice.wav", x);
    add_clip(reel, examine_source(t / "a.wav"), "G");
    ChainStep step;
    step.type = &singer();
    step.settings = standard_settings(singer());
    reel.clips[0].chain.steps = {step};
    settle_step_ids(reel);
  }
  StepId id() const { return reel.clips[0].chain.steps[0].id; }
  Recipe recipe(const fs::path& voice) const {
    Recipe r{"Choir", "", for_everyone(reel.clips[0].chain), {}};
    r.chain.steps[0].settings.texts = {"A C E", voice.string()};
    return r;
  }
  static std::string read_wrong(const std::string& settings) {
    try {
      recipe_from_text(
          R"({"drevan_recipe":2,"name":"R","steps":[{"step":"test-singer","settings":)" + settings +
              "}]}",
          "r.recipe");
    } catch (const Error& e) {
      return e.what();
    }
    return {};
  }

  TempFolder t;
  Reel reel;
};

TEST_F(Texts, AreReadWrittenAndRefusedWithASentence) {
  EXPECT_EQ(standard_settings(singer()).texts, (std::vector<std::string>{"C E G", ""}));
  const auto set = edits::set_text(reel, 1, id(), 0, "D F A");
  EXPECT_EQ(set.label, "Singer: chord");
  const Reel read = reel_from_text(reel_to_text(set.next, t.path()), t.path(), "r.reel");
  EXPECT_EQ(read, set.next);
  EXPECT_FALSE(read == reel);
  EXPECT_THROW(edits::set_text(reel, 1, id(), 0, "D H"), Error);
  EXPECT_NE(read_wrong(R"({"chord":"D H"})").find("\"chord\" has no note H"), std::string::npos);
  EXPECT_NE(read_wrong(R"({"chord":3})").find("allowed is text"), std::string::npos);
  EXPECT_NE(read_wrong(R"({"voice":true})").find("the path of a file"), std::string::npos);
  EXPECT_NE(read_wrong(R"({"choir":"x"})").find("chord, voice"), std::string::npos);
  EXPECT_EQ(read_wrong(R"({"chord":"D F"})"), "");
}

TEST_F(Texts, AFileIsStoredByTheWayToItAndEntersTheKey) {
  const auto set = edits::set_text(reel, 1, id(), 1, (t / "voice.wav").string()).next;
  const auto text = reel_to_text(set, t.path());
  EXPECT_NE(text.find("\"voice\": \"voice.wav\""), std::string::npos) << text;
  const auto elsewhere = reel_from_text(text, "/else", "r.reel");
  EXPECT_EQ(elsewhere.clips[0].chain.steps[0].settings.texts[1], "/else/voice.wav");
  const auto key = [](const Reel& r) { return stage_keys(plan_of(r, r.clips[0])).back(); };
  const auto before = key(set);
  EXPECT_NE(before, key(reel));
  AudioBuffer other = test::sine(220, 0.5, 2);
  test::write_wav(t / "voice.wav", other);
  EXPECT_NE(key(set), before);
}

TEST_F(Texts, AFileThatIsNotThereIsTold) {
  Chain chain = reel.clips[0].chain;
  chain.steps[0].settings.texts[1] = (t / "gone.wav").string();
  FindingStore store;
  const CancelToken never;
  ProcessOptions options;
  options.store = &store;
  options.cancel = &never;
  std::vector<std::string> told;
  options.warn = [&](const std::string& s) { told.push_back(s); };
  process_clip(plan_of({t / "a.wav", 0, -1, 48000, {}}, chain), options, {});
  ASSERT_EQ(told.size(), 1U);
  EXPECT_NE(told[0].find("gone.wav"), std::string::npos);
}

// From one who has the file to one who has not: in the zip, by its hash; into the library, beside
// the recipe.
TEST_F(Texts, ARecipeCarriesItsFilesInItsZip) {
  const Recipe both[] = {recipe(t / "voice.wav"), [&] {
                           Recipe r = recipe(t / "voice.wav");
                           r.name = "Another";
                           return r;
                         }()};
  export_zip(both, t / "choir.zip");
  const auto content = test::bytes(t / "voice.wav");
  fs::remove(t / "voice.wav");
  const fs::path zip[] = {t / "choir.zip"};
  auto incoming = look_at_incoming(zip, {});
  ASSERT_EQ(incoming.size(), 2U);
  EXPECT_EQ(incoming[0].state, Incoming::State::fresh);
  ASSERT_TRUE(incoming[0].files);
  EXPECT_EQ(incoming[0].files->size(), 1U);  // both need the same
  const fs::path library = t / "library";
  const auto file = take_in(incoming[0], Decision::keep_both, library);
  const Recipe taken = load_recipe(file);
  const fs::path voice = taken.chain.steps[0].settings.texts[1];
  EXPECT_EQ(voice.parent_path(), library / "files");
  EXPECT_EQ(test::bytes(voice), content);
  EXPECT_EQ(taken.chain.steps[0].settings.texts[0], "A C E");
  // The same zip again holds nothing new.
  const auto again = look_at_incoming(zip, read_library(library));
  EXPECT_EQ(again[0].state, Incoming::State::same);
  // One that is gone cannot be packed; nothing is left half-written.
  const Recipe gone[] = {recipe(t / "gone.wav")};
  EXPECT_THROW(export_zip(gone, t / "gone.zip"), Error);
  EXPECT_FALSE(fs::exists(t / "gone.zip"));
  EXPECT_TRUE(test::left_over(t.path()).empty());
}

TEST_F(Texts, AZipThatLacksAFileOrHoldsAnotherIsRefused) {
  const Recipe one[] = {recipe(t / "voice.wav")};
  export_zip(one, t / "choir.zip");
  int code = 0;
  zip_t* zip = zip_open((t / "choir.zip").c_str(), 0, &code);
  ASSERT_NE(zip, nullptr);
  for (zip_int64_t i = 0; i < zip_get_num_entries(zip, 0); ++i)
    if (std::string_view(zip_get_name(zip, static_cast<zip_uint64_t>(i), 0)).starts_with("files/"))
      zip_file_replace(zip, static_cast<zip_uint64_t>(i), zip_source_buffer(zip, "other", 5, 0), 0);
  zip_close(zip);
  const fs::path what[] = {t / "choir.zip"};
  const auto incoming = look_at_incoming(what, {});
  ASSERT_EQ(incoming.size(), 1U);
  EXPECT_THROW(take_in(incoming[0], Decision::keep_both, t / "library"), Error);
  EXPECT_FALSE(fs::exists(t / "library" / "files"));
}

}  // namespace
}  // namespace drevan
