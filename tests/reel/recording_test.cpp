// SPDX-License-Identifier: GPL-3.0-or-later
// What becomes of a recording in the reel, and of one whose program was killed.
#include "reel/scene/recording.h"

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "audio/error.h"
#include "reel/scene/scene_edits.h"
#include "reel/library/source_files.h"
#include "reel/edits/takes.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

class RecordingTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"stairs", "Ines"}, {"lamp", "Ines"}, {"wind", "Sea"}}, 2);
    reel.name = "x";
    reel.clips[0].chain.steps.push_back(make_step("gain"));
    settle_step_ids(reel);
  }
  RecordedPart part(double from_s, double seconds, double place_s) {
    return {reel.sources[2],
            static_cast<Samples>(from_s * 48000),
            static_cast<Samples>(seconds * 48000),
            {place_s}};
  }
  test::TempFolder t;
  Reel reel;
};

TEST_F(RecordingTest, ALineOfItsOwnIsATakeWithItsText) {
  const RecordedPart parts[] = {part(0, 1.5, 12.25)};
  const auto edit = edits::add_recording(reel, {"The light", "Ines", "It is on."}, parts);
  EXPECT_EQ(edit.label, "Record The light, take 1");
  const Clip& c = edit.next.clips.back();
  EXPECT_EQ(c.name, "The light, take 1");
  EXPECT_EQ(c.text, "It is on.");
  EXPECT_EQ(edit.next.group_of(c).name, "Ines");
  EXPECT_EQ(c.place.s, 12.25);
  EXPECT_EQ(c.frames, 72000);
  EXPECT_FALSE(left_out(edit.next, c));
  // Another one of it.
  const RecordedPart more[] = {part(0.25, 1, 13)};
  const auto next = edits::add_recording(edit.next, {.take_of = c.id}, more).next;
  const Clip& second = next.clips.back();
  EXPECT_EQ(second.name, "The light, take 2");
  EXPECT_EQ(second.text, "It is on.");
  EXPECT_TRUE(left_out(next, *next.find(c.id)));
  EXPECT_FALSE(left_out(next, second));
  EXPECT_EQ(takes_of(next, second).size(), 2U);
}

TEST_F(RecordingTest, TakesInALoopHaveTheChainOfTheClipAndAWholeOneIsChosen) {
  const RecordedPart parts[] = {part(0, 0.6, 3), part(0.6, 0.6, 3), part(1.2, 0.3, 3)};
  const auto next = edits::add_recording(reel, {.take_of = reel.clips[0].id}, parts).next;
  ASSERT_EQ(next.clips.size(), 6U);
  std::vector<std::string> names;
  for (const auto& c : next.clips) names.push_back(c.name);
  EXPECT_EQ(names[3], "stairs, take 2");
  EXPECT_EQ(names[5], "stairs, take 4");
  EXPECT_TRUE(left_out(next, next.clips[0]));
  EXPECT_FALSE(left_out(next, next.clips[4]));
  EXPECT_TRUE(left_out(next, next.clips[5]));
  std::set<StepId> ids;
  for (const size_t i : {0U, 3U, 4U, 5U}) {
    ASSERT_EQ(next.clips[i].chain.steps.size(), 1U);
    ids.insert(next.clips[i].chain.steps[0].id);
  }
  EXPECT_EQ(ids.size(), 4U);
}

// Another take is heard where the one before was: in its spaces, and directly or not.
TEST_F(RecordingTest, ATakeIsSentWhereItsLineIs) {
  Reel with = edits::add_space(reel, "Hall", {{make_step("reverb")}}).next;
  const ClipId of = with.clips[0].id;
  with = edits::set_send(with, of, with.spaces[0].id(), -9).next;
  with = edits::set_direct(with, of, false).next;
  const RecordedPart parts[] = {part(0, 0.6, 3)};
  const Reel next = edits::add_recording(with, {.take_of = of}, parts).next;
  EXPECT_EQ(next.clips.back().sends, with.clips[0].sends);
  EXPECT_EQ(next.clips.back().sends.size(), 1U);
  EXPECT_FALSE(next.clips.back().direct);
}

TEST_F(RecordingTest, IsKeptInTheFile) {
  Reel next = edits::set_line_text(reel, 1, "Nineteen, twenty.").next;
  next = edits::set_recording_format(next, {true, true, t / "takes"}).next;
  next = edits::set_reference(next, t / "finished.wav").next;
  save_reel(next, t / "x.reel");
  EXPECT_EQ(load_reel(t / "x.reel"), next);
  EXPECT_TRUE(is_source(t / "finished.wav", source_files(next)));
  EXPECT_NE(test::bytes(t / "x.reel").size(), 0U);
}

TEST_F(RecordingTest, ADamagedFormatIsTold) {
  save_reel(reel, t / "x.reel");
  for (const std::string wrong :
       {"\"recording\": 3,", "\"recording\": {\"bits\": 3},", "\"reference\": \"x.wav\",",
        "\"recording\": {\"folder\": {}},"}) {
    std::ifstream in(t / "x.reel");
    std::string text((std::istreambuf_iterator<char>(in)), {});
    text.insert(text.find("\"name\""), wrong);
    EXPECT_THROW(reel_from_text(text, t.path(), "x.reel"), Error) << wrong;
  }
}

TEST(LineName, LeavesOutTheTake) {
  EXPECT_EQ(line_name("Line 4, take 12"), "Line 4");
  EXPECT_EQ(line_name("Line 4, take it"), "Line 4, take it");
  EXPECT_EQ(line_name("Line 4"), "Line 4");
  EXPECT_EQ(line_name(", take 3"), ", take 3");
}

TEST_F(RecordingTest, GoesBesideTheReelOrWhereItIsTold) {
  EXPECT_EQ(recordings_folder(reel, t / "a.reel", "/unsaved"), t / "a.recordings");
  EXPECT_EQ(recordings_folder(reel, {}, "/unsaved"), "/unsaved");
  reel.recording.folder = "/takes";
  EXPECT_EQ(recordings_folder(reel, t / "a.reel", "/unsaved"), "/takes");
  EXPECT_EQ(recording_file(t.path(), "Line 4"), t / "Line 4.wav");
  std::ofstream(t / "Line 4.wav") << "x";
  std::ofstream(t / "Line 4 2.wav.recording") << "x";
  EXPECT_EQ(recording_file(t.path(), "Line 4"), t / "Line 4 3.wav");
}

TEST_F(RecordingTest, OneThatWasKilledIsFoundAndOneAtWorkIsLeftAlone) {
  std::ofstream(t / "mine.wav") << "x";
  std::ofstream(t / "lost.wav") << "x";
  std::ofstream(t / "torn.wav") << "x";
  std::ofstream(t / "other.wav") << "x";
  std::ofstream(t / "torn.wav.recording") << "{\"na";
  std::ofstream(t / "gone.wav.recording") << "{}";
  std::optional<RecordingNote> mine(std::in_place, t / "mine.wav", t / "a.reel",
                                    RecordedLine{"A", "Ines", "text", 3}, RecordedWhere{{4.5}});
  const pid_t child = ::fork();
  if (child == 0) {
    const RecordingNote lost(t / "lost.wav", t / "a.reel", {"Line", "Sea", "Hear, hear", 2},
                             {{1.5}, true, ReelTime{9}, 44100, 700, 12});
    const RecordingNote other(t / "other.wav", t / "b.reel", {"Other", "Sea"}, {});
    ::_exit(0);
  }
  ::waitpid(child, nullptr, 0);
  const auto broken = broken_recordings(t.path(), t / "a.reel");
  ASSERT_EQ(broken.size(), 2U);
  EXPECT_EQ(broken[0].audio, t / "lost.wav");
  EXPECT_EQ(broken[0].line, (RecordedLine{"Line", "Sea", "Hear, hear", 2}));
  EXPECT_EQ(broken[0].where, (RecordedWhere{{1.5}, true, ReelTime{9}, 44100, 700, 12}));
  EXPECT_EQ(broken[1].line.name, "torn");
  EXPECT_FALSE(fs::exists(t / "gone.wav.recording"));
  EXPECT_THROW(RecordingNote(t / "mine.wav", {}, {}, {}), Error);
  mine->remove();
  EXPECT_FALSE(fs::exists(t / "mine.wav.recording"));
  EXPECT_TRUE(broken_recordings(t / "nowhere", {}).empty());
}

}  // namespace
}  // namespace drevan
