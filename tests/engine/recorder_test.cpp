// SPDX-License-Identifier: GPL-3.0-or-later
// Recording through the simulated device, whose clock is moved by hand: to the sample.
#include "engine/recording/recorder.h"

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <fstream>
#include <thread>

#include "audio/error.h"
#include "engine/playing/player.h"
#include "engine/making/test_sounds.h"
#include "media/growing_wav.h"
#include "media/reader.h"
#include "support/extent.h"
#include "support/full_disk.h"
#include "support/sanitized.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;
using test::TempFolder;
namespace fs = std::filesystem;

class RecorderTest : public testing::Test {
 protected:
  // A wire from the output to the input, `way` frames long.
  void wire(int way) { start({.sound = {}, .comes_back_after = way, .channels = 1}); }
  void start(SimulatedMicrophone microphone) {
    auto device = std::make_unique<SimulatedDevice>(48000, SimulatedDevice::Clock::by_hand);
    device->hear(std::move(microphone));
    device_ = device.get();
    player_ = std::make_unique<Player>(std::move(device), 48000);
    player_->keep_open(true);
    recorder_ = std::make_shared<Recorder>(48000);
    player_->inputs().hear_with(recorder_);
    catch_up();
  }
  void catch_up() {
    const auto until = std::chrono::steady_clock::now() + 20s;
    while (!player_->caught_up() && std::chrono::steady_clock::now() < until)
      std::this_thread::sleep_for(50us);
    ASSERT_TRUE(player_->caught_up());
  }
  void go_on(int ms) {
    for (int i = 0; i < ms / 10; ++i) {
      catch_up();
      device_->advance();
    }
    catch_up();
  }
  // Four seconds that are nowhere alike.
  void play_noise() {
    sound_ = test::noise(0.1, 4, 7);
    test::write_wav(folder_ / "noise.wav", sound_);
    PlayPlan p;
    p.clip = plan_of({folder_ / "noise.wav", 0, -1, 48000, {}}, Chain{});
    player_->set_matched(false);
    player_->load(p);
  }
  // How far a take is from what was played at its place: the largest difference.
  float difference(const RecordedTake& take, const fs::path& file) {
    const AudioBuffer all = test::read_all(file);
    float most = 0;
    for (Samples i = 0; i < take.frames; ++i)
      most = std::max(most, std::abs(all.channel(0)[static_cast<size_t>(take.begin + i)] -
                                     sound_.channel(0)[static_cast<size_t>(*take.position + i)]));
    return most;
  }

  TempFolder folder_;
  AudioBuffer sound_;
  SimulatedDevice* device_ = nullptr;
  std::unique_ptr<Player> player_;
  std::shared_ptr<Recorder> recorder_;
};

TEST_F(RecorderTest, TheLoopbackTellsTheLatencyToTheSample) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const int way : {480, 1234, 9001}) {
    wire(way);
    auto heard = std::make_shared<ChirpsHeard>(48000);
    player_->inputs().hear_with(heard);
    player_->play_over(latency_chirps(48000));
    for (int i = 0; i < 300 && !heard->done(); ++i) go_on(10);
    ASSERT_TRUE(heard->done());
    EXPECT_EQ(heard->latency(), way);
    EXPECT_GT(heard->peak(), 0.2F);
  }
}

TEST_F(RecorderTest, WithoutAWireThereIsNoLatency) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  start({.sound = test::noise(0.05, 10, 3)});
  auto heard = std::make_shared<ChirpsHeard>(48000);
  player_->inputs().hear_with(heard);
  player_->play_over(latency_chirps(48000));
  for (int i = 0; i < 1200 && !heard->done(); ++i) go_on(10);
  ASSERT_TRUE(heard->done());
  EXPECT_FALSE(heard->latency());
}

TEST_F(RecorderTest, WhatIsRecordedStandsWhereItWasHeardToTheSample) {
  wire(1234);
  play_noise();
  player_->seek(24000);
  recorder_->begin({{{0}, folder_ / "take.wav"}}, true);
  player_->play();
  go_on(1600);
  player_->pause();
  std::thread clock([this] {
    for (int i = 0; i < 20; ++i) std::this_thread::sleep_for(5ms), device_->advance();
  });
  const auto recording = recorder_->end(1234);
  clock.join();
  const auto takes = takes_of_recording(recording, 1234, RecordedInto{48000, 90000}, 48000);
  ASSERT_EQ(takes.size(), 1U);
  EXPECT_EQ(takes[0].position, 48000);
  EXPECT_EQ(takes[0].frames, 42000);
  EXPECT_LT(difference(takes[0], folder_ / "take.wav"), 1e-7F);
  // Without a range it begins where playing did.
  const auto whole = takes_of_recording(recording, 1234, {}, 48000);
  ASSERT_EQ(whole.size(), 1U);
  EXPECT_EQ(whole[0].position, 24000);
}

TEST_F(RecorderTest, EachPassOfALoopIsATake) {
  wire(777);
  play_noise();
  player_->set_loop(FrameRange{48000, 72000});
  player_->seek(48000);
  recorder_->begin({{{0}, folder_ / "takes.wav"}}, true);
  player_->play();
  go_on(1700);
  player_->pause();
  std::thread clock([this] {
    for (int i = 0; i < 20; ++i) std::this_thread::sleep_for(5ms), device_->advance();
  });
  const auto recording = recorder_->end(777);
  clock.join();
  const auto takes = takes_of_recording(recording, 777, RecordedInto{48200, 71800}, 48000);
  ASSERT_GE(takes.size(), 3U);
  for (size_t i = 0; i < 3; ++i) {
    EXPECT_EQ(takes[i].position, 48200);
    EXPECT_EQ(takes[i].frames, 23600);
    EXPECT_LT(difference(takes[i], folder_ / "takes.wav"), 1e-7F) << i;
  }
}

TEST_F(RecorderTest, ThreeBeepsCountToTheLineAlsoBeforeTheBeginning) {
  wire(480);
  play_noise();
  player_->set_listen(Listen::before);
  player_->seek(0);
  recorder_->begin({{{0}, folder_ / "take.wav"}}, false);
  player_->play(Player::CountIn{.lead = 3 * 48000, .to = 0});
  go_on(3600);
  player_->pause();
  go_on(200);
  const auto recording = recorder_->end();
  const auto all = device_->played();
  // Beeps of 0.08 s at 0, 1 and 2 s after the lead begins, silence between.
  const auto level = [&](double from_s, double to_s) {
    std::vector<float> part;
    for (auto i = static_cast<size_t>(from_s * 48000); i < static_cast<size_t>(to_s * 48000); ++i)
      part.push_back(all[2 * i]);
    return test::rms_db(part);
  };
  size_t lead = 0;  // where the first beep begins
  while (all[2 * lead] == 0) ++lead;
  const double first = static_cast<double>(lead - 1) / 48000;
  for (int k = 0; k < 3; ++k) {
    EXPECT_NEAR(level(first + k + 0.02, first + k + 0.06), -23.01, 0.3) << k;
    EXPECT_LT(level(first + k + 0.1, first + k + 0.98), -150) << k;
  }
  EXPECT_GT(level(first + 3.02, first + 3.1), -30);
  const auto takes = takes_of_recording(recording, 480, RecordedInto{1000, 20000}, 48000);
  ASSERT_EQ(takes.size(), 1U);
  EXPECT_LT(difference(takes[0], folder_ / "take.wav"), 1e-6F);
}

TEST_F(RecorderTest, APauseEndsTheCountInAtOnce) {
  wire(480);
  play_noise();
  player_->play(Player::CountIn{.lead = 10 * 48000, .to = 0});
  go_on(300);
  EXPECT_TRUE(player_->playing());
  player_->pause();
  go_on(200);
  EXPECT_FALSE(player_->playing());
}

TEST_F(RecorderTest, SeveralInputsGoEachToItsOwnFileAndTwoIntoAStereoOne) {
  AudioBuffer three(3, 48000);
  for (int c = 0; c < 3; ++c) {
    const auto one = test::sine(200.0 * (c + 1), 0.1 * (c + 1), 1);
    std::ranges::copy(one.channel(0), three.channel(c).begin());
  }
  start({.sound = three});
  recorder_->begin({{{0}, folder_ / "a.wav"}, {{2, 1}, folder_ / "b.wav"}}, true);
  go_on(900);
  const auto recording = recorder_->end();
  EXPECT_EQ(recording.frames, 43200);
  const auto takes = takes_of_recording(recording, 500, {}, 48000);
  ASSERT_EQ(takes.size(), 1U);
  EXPECT_FALSE(takes[0].position);
  EXPECT_EQ(takes[0].frames, recording.frames);
  const auto a = test::read_all(folder_ / "a.wav"), b = test::read_all(folder_ / "b.wav");
  ASSERT_EQ(b.channels(), 2);
  for (size_t i = 0; i < 43200; ++i) {
    ASSERT_EQ(a.channel(0)[i], three.channel(0)[i]);
    ASSERT_EQ(b.channel(0)[i], three.channel(2)[i]);
    ASSERT_EQ(b.channel(1)[i], three.channel(1)[i]);
  }
}

TEST_F(RecorderTest, LevelsClippedSamplesAndDigitalSilenceAreTold) {
  AudioBuffer x = test::sine(100, 0.5, 3);
  for (size_t i = 1000; i < 1007; ++i) x.channel(0)[i] = 1;
  for (size_t i = 48000; i < 144000; ++i) x.channel(0)[i] = 0;
  start({.sound = x});
  go_on(500);
  auto level = recorder_->take_level(0);
  EXPECT_EQ(level.peak, 1.0F);
  EXPECT_EQ(level.clipped, 7);
  EXPECT_FALSE(level.silent);
  go_on(1300);
  EXPECT_FALSE(recorder_->take_level(0).silent);
  go_on(300);
  level = recorder_->take_level(0);
  EXPECT_TRUE(level.silent);
  EXPECT_EQ(level.peak, 0);
  EXPECT_TRUE(recorder_->take_level(5).silent);
}

// Quiet sound is no digital silence, whatever stands between its samples.
TEST_F(RecorderTest, ZerosWithinASoundAreNoSilence) {
  AudioBuffer x(1, 4 * 48000);
  for (size_t i = 0; i < x.channel(0).size(); i += 2) x.channel(0)[i] = 1e-4F;
  start({.sound = x});
  go_on(3000);
  EXPECT_FALSE(recorder_->take_level(0).silent);
}

// Playing stands still exactly where the take is to end: what comes back later is none of it.
TEST(TakesOfRecording, AHoleAtTheEndOfATakeIsNoneOfIt) {
  const Recording recording{{}, 110000, {{0, 48000, 0, true}, {52800, 57200, 48000, true}}};
  const auto takes = takes_of_recording(recording, 0, {0, 48000}, 48000, 0);
  ASSERT_EQ(takes.size(), 1U);
  EXPECT_EQ(takes[0].begin, 0);
  EXPECT_EQ(takes[0].frames, 48000);
  EXPECT_TRUE(takes[0].holes.empty());
}

TEST_F(RecorderTest, OnesOwnVoiceIsHeardOnlyWhenItIsWanted) {
  start({.sound = test::sine(440, 0.1, 5)});
  go_on(200);
  EXPECT_LT(test::rms_db(device_->played()), -150);
  player_->inputs().set_own_voice(1, 0);
  device_->forget();
  go_on(200);
  const auto all = device_->played();
  std::vector<float> left, right;
  for (size_t i = 0; i < all.size(); i += 2) {
    left.push_back(all[i]);
    right.push_back(all[i + 1]);
  }
  EXPECT_NEAR(test::rms_db(left), -23.01, 0.2);
  EXPECT_LT(test::rms_db(right), -150);
}

TEST_F(RecorderTest, A24BitConvertersBitsAreKept) {
  AudioBuffer x(1, 48000);
  for (size_t i = 0; i < 48000; ++i)
    x.channel(0)[i] =
        static_cast<float>((static_cast<long>(i) * 7919 * 31) % 16777216 - 8388608) / 8388608.0F;
  start({.sound = x});
  recorder_->begin({{{0}, folder_ / "take.wav"}}, false);
  go_on(900);
  recorder_->end();
  const auto got = test::read_all(folder_ / "take.wav");
  for (size_t i = 0; i < 43200; ++i) ASSERT_EQ(got.channel(0)[i], x.channel(0)[i]) << i;
}

// What a converter gives between two steps of 24 bits is the nearest of them.
TEST(GrowingWavTest, RoundsToTheNearest) {
  const test::TempFolder t;
  constexpr float step = 1.0F / 8388608;
  const std::vector<float> in{0.6F * step,  0.4F * step,   -0.6F * step,
                              -0.4F * step, 100.7F * step, 0};
  GrowingWav wav(t / "x.wav", {48000, 1, false});
  wav.write(in);
  wav.settle(true);
  const AudioBuffer out = test::read_all(t / "x.wav");
  const float wanted[] = {1, 0, -1, 0, 101, 0};
  ASSERT_EQ(out.frames(), 6);
  for (size_t i = 0; i < 6; ++i) EXPECT_EQ(out.channel(0)[i], wanted[i] * step) << i;
}

TEST_F(RecorderTest, NothingIsRecordedOverAndNoHalfOfItStays) {
  start({.sound = test::sine(440, 0.1, 1)});
  std::ofstream(folder_ / "b.wav") << "old";
  EXPECT_THROW(recorder_->begin({{{0}, folder_ / "a.wav"}, {{0}, folder_ / "b.wav"}}, false),
               Error);
  EXPECT_FALSE(recorder_->recording());
  EXPECT_FALSE(fs::exists(folder_ / "a.wav"));
  EXPECT_EQ(test::bytes(folder_ / "b.wav").size(), 3U);
  EXPECT_THROW(recorder_->begin({{{0}, "/proc/none/take.wav"}}, false), Error);
}

TEST_F(RecorderTest, AFullDiskIsToldAndWhatWasRecordedStays) {
  start({.sound = test::noise(0.1, 20, 5)});
  recorder_->begin({{{0}, folder_ / "take.wav"}}, true);
  Problem problem;
  {
    const test::FullDisk disk(400000);
    for (int i = 0; i < 400 && problem.empty(); ++i) {
      go_on(10);
      std::this_thread::sleep_for(1ms);
      problem = recorder_->take_problem();
    }
  }
  EXPECT_NE(problem.text.find("what was recorded is kept"), std::string::npos) << problem.text;
  EXPECT_NE(problem.text.find("take.wav"), std::string::npos) << problem.text;
  EXPECT_EQ(problem.cause, Cause::disk_full);
  EXPECT_FALSE(recorder_->recording());
  const auto recording = recorder_->end();
  EXPECT_GT(recording.frames, 48000);
  EXPECT_GE(open_audio(folder_ / "take.wav")->info().frames, 48000);
}

TEST_F(RecorderTest, AKilledProgramLeavesAllButTheLastMoment) {
#ifdef DREVAN_SANITIZED
  GTEST_SKIP() << "too slow for its times";
#else
  for (int round = 0; round < 10; ++round) {
    const fs::path file = folder_ / ("take" + std::to_string(round) + ".wav");
    int told[2];
    ASSERT_EQ(::pipe(told), 0);
    const pid_t child = ::fork();
    if (child == 0) {
      Recorder recorder(48000);
      recorder.begin({{{0}, file}}, round % 2 == 0);
      const std::vector<float> block(480, 0.25F);
      for (int i = 1;; ++i) {
        recorder.hear({block.data(), 1, 480, {}, -1});
        if (::write(told[1], &i, sizeof i) < 0) ::_exit(4);
        std::this_thread::sleep_for(1ms);
      }
    }
    ::close(told[1]);
    // By what it has done, not by the clock: a busy machine may let it wait.
    int blocks = 0;
    for (int i = 0; blocks < 150 + 17 * round && ::read(told[0], &i, sizeof i) == sizeof i;)
      blocks = i;
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
    for (int i = 0; ::read(told[0], &i, sizeof i) == sizeof i;) blocks = i;
    ::close(told[0]);
    const auto got = test::read_all(file);
    // Ten times as fast as it would be; written every 30 ms.
    EXPECT_GE(got.frames(), (blocks - 120) * 480) << round << ": " << blocks;
    ASSERT_GT(got.frames(), 480);
    for (Samples i = 0; i < got.frames(); ++i)
      ASSERT_EQ(got.channel(0)[static_cast<size_t>(i)], 0.25F);
  }
#endif
}

TEST(Microphone, PlaysAFileOfAnotherRate) {
  const TempFolder folder;
  AudioBuffer x = test::sine(1000, 0.1, 1, 44100);
  test::write_wav(folder / "mic.wav", x, 44100);
  const auto microphone = microphone_of_file(folder / "mic.wav", 48000);
  EXPECT_EQ(microphone.sound.frames(), 48000);
  EXPECT_NEAR(test::rms_db(microphone.sound.channel(0)), -23.01, 0.1);
}

TEST(TakesOfARecording, PartsThatAreTooShortAreNone) {
  Recording r;
  r.frames = 100000;
  r.runs = {{0, 50000, 0, true}, {50000, 5000, 0, true}, {55000, 45000, 0, true}};
  EXPECT_EQ(takes_of_recording(r, 0, RecordedInto{0, 50000}, 48000).size(), 2U);
  EXPECT_EQ(takes_of_recording(r, 0, RecordedInto{50000, 90000}, 48000).size(), 0U);
  r.runs.clear();
  EXPECT_EQ(takes_of_recording(r, 0, {}, 48000).size(), 1U);
}

// A dropout while it is recorded against the picture: one take, with its hole told; what is said
// behind it, and before the next look, is not lost.
TEST(TakesOfRecording, ARunWithHolesIsOneTake) {
  // Played from 0 for 96000 frames, 4800 of nothing, then on; recorded into from 48000.
  const Recording r{
      {}, 300000, {{0, 96000, 0, true}, {96000, 4800, 0, false}, {100800, 150000, 96000, true}}};
  const auto takes = takes_of_recording(r, 700, {48000, 200000}, 48000);
  ASSERT_EQ(takes.size(), 1U);
  EXPECT_EQ(takes[0].position, 48000);
  EXPECT_EQ(takes[0].begin, 48700);
  EXPECT_EQ(takes[0].frames, 152000 + 4800);
  EXPECT_EQ(takes[0].holes, (std::vector<RecordedHole>{{96000, 4800}}));
  // A hole within the first moments of a pass neither moves the take nor shortens it.
  const Recording early{{},
                        300000,
                        {{0, 100, 0, true},
                         {100, 3696, 0, false},
                         {3796, 96000, 100, true},
                         {99796, 96000, 0, true}}};
  const auto passes = takes_of_recording(early, 0, {50, 96000}, 48000);
  ASSERT_EQ(passes.size(), 2U);
  EXPECT_EQ(passes[0].position, 50);
  EXPECT_EQ(passes[0].frames, 95950 + 3696);
  EXPECT_TRUE(passes[1].holes.empty());
  EXPECT_EQ(passes[1].frames, 95950);
}

// Fewer inputs come than were there when it began: each file keeps its own, the missing one is silent.
TEST_F(RecorderTest, InputsThatComeAndGoStayInTheirFiles) {
  Recorder recorder(48000);
  recorder.begin({{{0}, folder_ / "first.wav"}, {{1}, folder_ / "second.wav"}}, true);
  std::vector<float> two(960), one(480, 0.25F);
  for (size_t i = 0; i < 480; ++i) two[2 * i] = 0.25F, two[2 * i + 1] = -0.5F;
  for (int i = 0; i < 40; ++i) {
    const bool both = i % 3 != 0;
    recorder.hear({both ? two.data() : one.data(), both ? 2 : 1, 480, {}, -1});
  }
  const auto recording = recorder.end();
  EXPECT_EQ(recording.frames, 40 * 480);
  const AudioBuffer first = test::read_all(folder_ / "first.wav"),
                    second = test::read_all(folder_ / "second.wav");
  for (Samples i = 0; i < recording.frames; ++i) {
    const bool both = i / 480 % 3 != 0;
    ASSERT_EQ(first.channel(0)[static_cast<size_t>(i)], 0.25F) << i;
    ASSERT_EQ(second.channel(0)[static_cast<size_t>(i)], both ? -0.5F : 0.0F) << i;
  }
}

// What was played while it was recorded is told piece by piece; that nothing was, too.
TEST(Recorder, TellsWherePlayingStoodStill) {
  const TempFolder t;
  Recorder recorder(48000);
  recorder.begin({{{0}, t / "take.wav"}}, false);
  const std::vector<float> silence(480);
  const auto hear = [&](PlayedPiece piece) {
    recorder.hear({silence.data(), 1, 480, std::span(&piece, 1), -1});
  };
  for (int i = 0; i < 3; ++i) hear({0, 1000 + 480 * i, true});
  for (int i = 0; i < 3; ++i) hear({0, 0, false});
  for (int i = 0; i < 3; ++i) hear({0, 5000 + 480 * i, true});
  const auto marks = recorder.marks();
  ASSERT_EQ(marks.size(), 3U);
  const std::array<Samples, 3> at{0, 1440, 2880};
  for (size_t i = 0; i < 3; ++i) {
    EXPECT_EQ(marks[i].at, at[i]);
    EXPECT_EQ(marks[i].playing, i != 1);
  }
  EXPECT_EQ(marks[0].position, 1000);
  EXPECT_EQ(marks[2].position, 5000);
  recorder.end();
}

}  // namespace
}  // namespace drevan
