// SPDX-License-Identifier: GPL-3.0-or-later
// The player heard through the simulated device, whose clock is moved by hand: what a user would hear, exactly.
#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <functional>
#include <thread>

#include "dsp/fft.h"
#include "engine/listening/level_path.h"
#include "engine/playing/player.h"
#include "engine/making/test_sounds.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;
using test::TempFolder;

ChainStep gain(double db) {
  ChainStep s = make_step("gain");
  s.settings.values[0] = db;
  return s;
}

class PlayerTest : public testing::Test {
 protected:
  void SetUp() override {
    AudioBuffer x = test::sine(1000, 0.1, 4);
    test::write_wav(folder_ / "tone.wav", x);
    auto device = std::make_unique<SimulatedDevice>(48000, SimulatedDevice::Clock::by_hand);
    device_ = device.get();
    player_ = std::make_unique<Player>(std::move(device), 48000);
  }
  // Until the player has done all it can without time going on.
  void catch_up() {
    const auto until = std::chrono::steady_clock::now() + 20s;
    while (!player_->caught_up() && std::chrono::steady_clock::now() < until)
      std::this_thread::sleep_for(50us);
    ASSERT_TRUE(player_->caught_up());
  }
  // Lets time go on.
  void hear(int ms) {
    for (int i = 0; i < ms / 10; ++i) {
      catch_up();
      device_->advance();
    }
    catch_up();
  }
  PlayPlan plan(Chain chain) {
    PlayPlan p;
    p.clip = plan_of({folder_ / "tone.wav", 0, -1, 48000, {}}, chain);
    p.findings.resize(p.clip.steps.size());
    return p;
  }
  // Level of the last `ms` that were played, left channel, dB.
  double heard_db(int ms) const {
    const auto all = device_->played();
    const auto n = std::min(all.size() / 2, static_cast<size_t>(48 * ms));
    std::vector<float> left;
    for (size_t i = all.size() / 2 - n; i < all.size() / 2; ++i) left.push_back(all[2 * i]);
    return test::rms_db(left);
  }
  // Frames until the level of 10 ms has passed `db`; -1: never.
  static long first_over(const std::vector<float>& all, size_t from, double db) {
    for (size_t i = from; i + 480 < all.size() / 2; i += 48) {
      std::vector<float> part;
      for (size_t k = i; k < i + 480; ++k) part.push_back(all[2 * k]);
      if (test::rms_db(part) > db) return static_cast<long>(i);
    }
    return -1;
  }
  void wait_stopped() {
    for (int i = 0; i < 1000 && player_->playing(); ++i) hear(10);
  }

  TempFolder folder_;
  SimulatedDevice* device_ = nullptr;
  std::unique_ptr<Player> player_;
};

constexpr double tone_db = -23.01;  // a sine of 0.1

TEST_F(PlayerTest, PlaysBeforeAfterAndRemoved) {
  auto p = plan({{gain(-12)}});
  player_->load(p);
  player_->set_matched(false);
  player_->set_listen(Listen::before);
  player_->play();
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db, 0.1);
  player_->set_listen(Listen::after);
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db - 12, 0.1);
  player_->set_listen(Listen::removed);
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db + 20 * std::log10(1 - std::pow(10, -12.0 / 20)), 0.1);
  player_->pause();
  hear(300);
  EXPECT_FALSE(player_->playing());
  EXPECT_LT(heard_db(100), -150);
  EXPECT_EQ(player_->underruns(), 0);
}

TEST_F(PlayerTest, LevelMatchMakesBeforeAsLoudAsAfterAndRemovedLeavesOutGain) {
  auto p = plan({{gain(9)}});
  p.match_db = 9;
  p.fitted_gain = std::pow(10, 9.0 / 20);
  p.before_peak_db = -20;
  p.after_peak_db = -11;
  player_->load(p);
  player_->set_listen(Listen::before);
  player_->play();
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db + 9, 0.1);
  player_->set_listen(Listen::removed);
  hear(400);
  EXPECT_LT(heard_db(100), -90);
}

TEST_F(PlayerTest, SwitchingDoesNotClick) {
  player_->load(plan({{gain(-20)}}));
  player_->set_matched(false);
  player_->play();
  for (const auto what : {Listen::before, Listen::removed, Listen::after, Listen::before}) {
    hear(120);
    player_->set_listen(what);
  }
  hear(200);
  const auto all = device_->played();
  // The steepest slope of the tone itself is w A = 0.0131; a click jumps further.
  for (size_t i = 2; i + 2 < all.size(); i += 2)
    ASSERT_LT(std::abs(all[i] - all[i - 2]), 0.02F) << i / 2;
}

TEST_F(PlayerTest, ATurnedKnobIsHeardWithinATenthOfASecond) {
  player_->load(plan({{gain(-40)}}));
  player_->play();
  hear(400);
  const auto at = device_->played().size() / 2;
  player_->load(plan({{gain(0)}}));
  hear(400);
  const long heard = first_over(device_->played(), at, tone_db - 6);
  ASSERT_GT(heard, 0);
  // Ring of 64 ms, a device block of 10 ms, the glide.
  EXPECT_LT((static_cast<double>(heard) - static_cast<double>(at)) / 48, 100);
  EXPECT_EQ(player_->underruns(), 0);
}

TEST_F(PlayerTest, AnotherChainIsCrossfaded) {
  player_->load(plan({{gain(-6)}}));
  player_->set_matched(false);
  player_->play();
  hear(300);
  ChainStep cut = make_step("cut");
  player_->load(plan({{cut, gain(-6)}}));
  hear(300);
  EXPECT_NEAR(heard_db(100), tone_db - 6, 0.1);
  const auto all = device_->played();
  for (size_t i = 2; i + 2 < all.size(); i += 2)
    ASSERT_LT(std::abs(all[i] - all[i - 2]), 0.02F) << i / 2;
}

TEST_F(PlayerTest, StopsAtTheEndAndGoesBack) {
  player_->load(plan({}));
  player_->seek(48000 * 7 / 2);
  player_->play();
  hear(100);
  EXPECT_TRUE(player_->playing());
  wait_stopped();
  EXPECT_FALSE(player_->playing());
  EXPECT_EQ(player_->position(), 48000 * 7 / 2);
}

// A loop that is set while playing behind its end begins at once, and goes round.
TEST_F(PlayerTest, ALoopThatIsSetBehindWhereItPlaysIsGoneTo) {
  AudioBuffer x = test::sine(1000, 0.1, 6);
  test::write_wav(folder_ / "tone.wav", x);
  player_->load(plan({}));
  player_->seek(3 * 48000);
  player_->play();
  hear(300);
  ASSERT_GT(player_->position(), 3 * 48000);
  player_->set_loop(FrameRange{48000, 72000});
  for (int i = 0; i < 5; ++i) {
    hear(300);
    EXPECT_TRUE(player_->playing());
    EXPECT_GE(player_->position(), 48000);
    EXPECT_LE(player_->position(), 72000 + 256);
  }
}

TEST_F(PlayerTest, LoopsTheSelectionToTheSample) {
  // A tone only within the loop: anything from beyond it would be heard as a gap.
  AudioBuffer x = test::silence(4);
  test::add(x, test::sine(1000, 0.1, 0.5), 1);
  test::write_wav(folder_ / "tone.wav", x);
  player_->load(plan({}));
  player_->set_loop(FrameRange{48000, 72000});
  player_->seek(48000);
  player_->play();
  hear(1700);
  const auto all = device_->played();
  const long start = first_over(all, 0, tone_db - 10);
  ASSERT_GE(start, 0);
  int gaps = 0;
  for (size_t i = static_cast<size_t>(start) + 2400; i + 2400 < all.size() / 2; i += 480) {
    std::vector<float> part;
    for (size_t k = i; k < i + 960; ++k) part.push_back(all[2 * k]);
    if (test::rms_db(part) < tone_db - 3) ++gaps;
  }
  // Only the 3 ms fades at the seams.
  EXPECT_EQ(gaps, 0);
  EXPECT_GE(player_->position(), 48000);
  EXPECT_LE(player_->position(), 72000 + 256);
  EXPECT_EQ(player_->underruns(), 0);
}

TEST_F(PlayerTest, SeeksWhilePlaying) {
  player_->load(plan({}));
  player_->play();
  hear(150);
  player_->seek(96000);
  hear(300);
  EXPECT_GT(player_->position(), 96000);
  EXPECT_LT(player_->position(), 96000 + 48000);
}

// Whether the ring is full or not at that moment, a seek is done.
TEST_F(PlayerTest, NoSeekIsLost) {
  player_->load(plan({}));
  player_->play();
  hear(100);
  for (int i = 0; i < 12; ++i) {
    const Samples to = i % 2 == 0 ? 96000 : 4800;
    player_->seek(to);
    hear(150);
    EXPECT_GE(player_->position(), to) << i;
    EXPECT_LT(player_->position(), to + 48000) << i;
  }
}

// The pieces are heard where the playhead is dragged, and it stays there; nothing counts as playing.
TEST_F(PlayerTest, ADraggedPlayheadIsHeardWhereItIs) {
  const AudioBuffer parts[] = {test::sine(500, 0.1, 2), test::sine(2000, 0.1, 2)};
  AudioBuffer both = test::join(parts);
  test::write_wav(folder_ / "tone.wav", both);
  player_->load(plan({}));
  hear(20);
  player_->scrub(120000);
  hear(60);
  EXPECT_FALSE(player_->playing());
  EXPECT_EQ(player_->position(), 120000);
  EXPECT_NEAR(heard_db(40), tone_db, 0.5);
  const auto all = device_->played();
  std::vector<float> left;
  for (size_t i = all.size() / 2 - 1920; i < all.size() / 2; ++i) left.push_back(all[2 * i]);
  const auto crossings = [](const std::vector<float>& x) {
    int n = 0;
    for (size_t i = 1; i < x.size(); ++i) n += x[i - 1] < 0 && x[i] >= 0;
    return n;
  };
  EXPECT_NEAR(crossings(left), 80, 3);  // 2000 Hz for 40 ms
  hear(150);
  EXPECT_LT(heard_db(50), -100);  // it was a short piece
  EXPECT_EQ(player_->position(), 120000);
}

TEST_F(PlayerTest, DraggingOnIsHeardWithoutClicksAndPlayingStartsThere) {
  player_->load(plan({}));
  hear(20);
  const size_t before = device_->played().size();
  for (int i = 0; i < 60; ++i) {
    player_->scrub(24000 + i * 1000);
    hear(20);
  }
  EXPECT_FALSE(player_->playing());
  EXPECT_EQ(player_->underruns(), 0);
  EXPECT_EQ(player_->position(), 24000 + 59 * 1000);
  EXPECT_GT(heard_db(1000), tone_db - 3);
  // A step of the tone itself is 0.013; pieces begin and end by fades of 3 ms.
  const auto all = device_->played();
  float steepest = 0;
  for (size_t i = before + 2; i < all.size(); i += 2)
    steepest = std::max(steepest, std::abs(all[i] - all[i - 2]));
  EXPECT_LT(steepest, 0.03F);
  player_->play();
  hear(200);
  EXPECT_TRUE(player_->playing());
  EXPECT_GT(player_->position(), 83000);
  EXPECT_LT(player_->position(), 83000 + 12000);
  // While it plays, it goes on from where the playhead is dropped.
  player_->scrub(4800);
  hear(150);
  EXPECT_LT(player_->position(), 4800 + 9600);
  EXPECT_TRUE(player_->playing());
}

TEST_F(PlayerTest, DraggedBeyondTheEndNothingIsHeard) {
  player_->load(plan({}));
  for (const Samples at : {Samples{4 * 48000}, Samples{90 * 48000}}) {
    player_->scrub(at);
    hear(100);
    EXPECT_LT(heard_db(100), -100);
    EXPECT_EQ(player_->position(), at);
  }
  EXPECT_TRUE(player_->take_error().empty());
}

TEST_F(PlayerTest, OverLampLightsAndStaysUntilCleared) {
  player_->load(plan({{gain(24)}}));
  player_->set_matched(false);
  player_->play();
  hear(250);
  EXPECT_TRUE(player_->over());
  player_->load(plan({{gain(0)}}));
  hear(250);
  EXPECT_TRUE(player_->over());
  player_->clear_over();
  hear(100);
  EXPECT_FALSE(player_->over());
}

TEST_F(PlayerTest, ReadingsComeFromTheStepInFocus) {
  ChainStep c = make_step("compressor");
  c.settings.values[static_cast<size_t>(parameter_index(*c.type, "threshold_db"))] = -40;
  player_->load(plan({{gain(0), c}}));
  player_->set_focus(1);
  player_->play();
  hear(400);
  std::array<float, max_readings> r{};
  ASSERT_EQ(player_->readings(r), 2);
  EXPECT_GT(r[1], 5);
  std::array<float, 4096> in{}, out{};
  ASSERT_GT(player_->focus_in().read(in), 256U);
  ASSERT_GT(player_->focus_out().read(out), 256U);
}

TEST_F(PlayerTest, TenStepsInStereoWithoutAGap) {
  AudioBuffer x = test::noise(0.05, 4, 3, 48000, 2);
  test::write_wav(folder_ / "tone.wav", x);
  Chain chain;
  for (const auto* id : {"gain", "cut", "equaliser", "compressor", "gain"})
    for (int n = 0; n < 2; ++n) chain.steps.push_back(make_step(id));
  player_->load(plan(chain));
  player_->play();
  hear(1500);
  EXPECT_TRUE(player_->playing());
  EXPECT_EQ(player_->underruns(), 0);
}

// Two quick presses of the space bar: the worker may not have seen the first before the second.
TEST_F(PlayerTest, PlayAndPauseAtOnceEndsPaused) {
  player_->load(plan({}));
  for (int i = 0; i < 300; ++i) {
    player_->play();
    if (i % 3 == 1) std::this_thread::sleep_for(std::chrono::microseconds(i));
    if (i % 3 == 2) catch_up();
    player_->pause();
    hear(100);
    ASSERT_FALSE(player_->playing()) << i;
  }
}

TEST_F(PlayerTest, PauseAndPlayAtOnceEndsPlaying) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  player_->load(plan({}));
  player_->set_loop(FrameRange{0, 24000});
  for (int i = 0; i < 300; ++i) {
    player_->play();
    if (i % 4 != 0) hear(10 * (i % 9));
    player_->pause();
    if (i % 3 == 1) std::this_thread::sleep_for(std::chrono::microseconds(i));
    if (i % 3 == 2) catch_up();
    player_->play();
    // What was queued before the pause has been heard by now, the pause's end too.
    hear(100);
    ASSERT_TRUE(player_->playing()) << i;
    player_->pause();
    hear(100);
    ASSERT_FALSE(player_->playing()) << i;
  }
}

// Devices that are unplugged: one says so, one only falls silent.
class LostDevice : public PlayerTest, public testing::WithParamInterface<bool> {
 protected:
  void SetUp() override {
    PlayerTest::SetUp();
    auto device = std::make_unique<SimulatedDevice>(48000);
    device_ = device.get();
    player_ = std::make_unique<Player>(
        std::move(device), 48000, [this]() -> std::unique_ptr<AudioDevice> {
          ++asked_;
          return there_ ? std::make_unique<SimulatedDevice>(48000) : nullptr;
        });
    player_->load(plan({}));
  }
  bool wait_for(const std::function<bool()>& done) {
    for (int i = 0; i < 1000; ++i) {
      if (done()) return true;
      std::this_thread::sleep_for(10ms);
    }
    return false;
  }
  std::string next_error() {
    Problem error;
    wait_for([&] { return !(error = player_->take_error()).empty(); });
    return error.text;
  }
  std::atomic<bool> there_{false};
  std::atomic<int> asked_{0};
};

TEST_P(LostDevice, ItSaysSoPausesAndComesBack) {
  player_->play();
  ASSERT_TRUE(wait_for([&] { return player_->position() > 4800; }));
  device_->unplug(GetParam());
  EXPECT_NE(next_error().find("is gone, so playing is paused"), std::string::npos);
  EXPECT_FALSE(player_->playing());
  const Samples at = player_->position();
  EXPECT_GT(at, 4800);
  // As long as there is none, playing says so and stays paused.
  player_->play();
  EXPECT_NE(next_error().find("No sound device is there"), std::string::npos);
  EXPECT_FALSE(player_->playing());
  // It comes back by itself, and playing goes on where it was.
  there_ = true;
  EXPECT_NE(next_error().find("is there; play on"), std::string::npos);
  EXPECT_FALSE(player_->playing());
  player_->play();
  EXPECT_TRUE(wait_for([&] { return player_->position() > at; }));
  EXPECT_TRUE(player_->playing());
  auto& device = dynamic_cast<SimulatedDevice&>(player_->device());
  EXPECT_TRUE(wait_for([&] { return device.played().size() > 48000; }));
}

TEST_P(LostDevice, PlaysOnByItselfWhereThatIsWished) {
  player_->set_plays_on(true);
  there_ = true;
  player_->play();
  ASSERT_TRUE(wait_for([&] { return player_->position() > 4800; }));
  device_->unplug(GetParam());
  std::string told;
  while (told.find("plays on") == std::string::npos) {
    const auto next = next_error();
    ASSERT_FALSE(next.empty());
    told = next;
  }
  const Samples at = player_->position();
  EXPECT_TRUE(wait_for([&] { return player_->position() > at + 4800; }));
}

INSTANTIATE_TEST_SUITE_P(Player, LostDevice, testing::Bool(),
                         [](const auto& given) { return given.param ? "TellsIt" : "FallsSilent"; });

// The files' size and time are not asked for while a chain plays: a folder that is slow would be felt.
TEST_F(PlayerTest, TheDiskIsAskedForTheSourceAtMostTwiceASecond) {
  auto p = plan({{gain(0)}});
  bool playing = false;
  // A machine that stands still for so long would let the half second pass.
  for (int tries = 0; tries < 10; ++tries) {
    std::this_thread::sleep_for(600ms);
    const auto from = std::chrono::steady_clock::now();
    player_->load(p);
    player_->play();
    hear(100);
    // A changed file is noticed by the first load half a second later, no sooner: then it is another sound.
    const auto sounds = identity_of_sounds(p);
    std::filesystem::last_write_time(folder_ / "tone.wav",
                                     std::filesystem::last_write_time(folder_ / "tone.wav") + 5s);
    ASSERT_NE(identity_of_sounds(p), sounds);
    playing = true;
    for (int i = 0; i < 20; ++i) {
      player_->load(plan({{gain(-i)}}));
      hear(10);
      playing = playing && player_->playing();
    }
    if (std::chrono::steady_clock::now() - from < 450ms) break;
  }
  EXPECT_TRUE(playing);
  std::this_thread::sleep_for(600ms);
  player_->load(plan({{gain(0)}}));
  hear(200);
  EXPECT_FALSE(player_->playing());
}

TEST_F(PlayerTest, ALostFileStopsWithAMessage) {
  auto p = plan({});
  p.clip.sound.file = folder_ / "gone.wav";
  player_->load(p);
  player_->play();
  wait_stopped();
  EXPECT_FALSE(player_->playing());
  EXPECT_NE(player_->take_error().text.find("gone.wav"), std::string::npos);
}

// Whatever a step throws where it is made: playing stops and says why, and the next clip plays.
TEST_F(PlayerTest, AStepThatThrowsStopsWithAMessageAndTheNextOnePlays) {
  static const auto type_that = [](auto make) {
    StepType type = *gain(0).type;
    type.make = make;
    return type;
  };
  static const StepType hungry =
      type_that([](const Settings&, const Findings&, StreamFormat) -> std::unique_ptr<Processor> {
        throw std::bad_alloc();
      });
  static const StepType strange =
      type_that([](const Settings&, const Findings&, StreamFormat) -> std::unique_ptr<Processor> {
        throw 7;
      });
  for (const StepType* type : {&hungry, &strange}) {
    auto bad = plan({{gain(-6)}});
    bad.clip.steps[0].type = type;
    player_->load(bad);
    player_->play();
    wait_stopped();
    EXPECT_FALSE(player_->playing());
    const Problem told = player_->take_error();
    EXPECT_FALSE(told.empty());
    EXPECT_EQ(told.cause, type == &hungry ? Cause::memory : Cause::other);
    player_->load(plan({{gain(-12)}}));
    player_->set_matched(false);
    player_->play();
    hear(400);
    EXPECT_NEAR(heard_db(100), tone_db - 12, 0.1);
    player_->pause();
    hear(300);
  }
}

// Level matching must not make either side clip: both are lowered together.
TEST_F(PlayerTest, LevelMatchGuardsAgainstClipping) {
  auto p = plan({{gain(20)}});
  p.match_db = 20;
  p.before_peak_db = -20;
  p.after_peak_db = 3;  // 3 dB over: after and before both go down by it
  player_->load(p);
  player_->play();
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db + 20 - 3, 0.1);
  player_->set_listen(Listen::before);
  hear(400);
  EXPECT_NEAR(heard_db(100), tone_db + 20 - 3, 0.1);
}

TEST_F(PlayerTest, AnotherDeviceGoesOnWhereTheFirstWas) {
  player_->load(plan({}));
  player_->play();
  hear(500);
  const Samples at = player_->position();
  SimulatedDevice* other = nullptr;
  player_->use_device([&other]() -> std::unique_ptr<AudioDevice> {
    auto made = std::make_unique<SimulatedDevice>(48000, SimulatedDevice::Clock::by_hand);
    other = made.get();
    return made;
  });
  catch_up();
  ASSERT_NE(other, nullptr);
  device_ = other;
  hear(500);
  EXPECT_TRUE(player_->playing());
  EXPECT_NEAR(static_cast<double>(player_->position() - at), 24000, 4800);
  EXPECT_NEAR(heard_db(200), -23.01, 0.1);
  EXPECT_TRUE(player_->take_error().empty());

  // One that is not there is told, and playing waits.
  player_->use_device([] { return std::unique_ptr<AudioDevice>(); });
  catch_up();
  EXPECT_NE(player_->take_error().text.find("is not there"), std::string::npos);
  EXPECT_TRUE(player_->device_facts().lost);
  EXPECT_FALSE(player_->playing());
}

TEST_F(PlayerTest, TheTestToneIsHeardLeftThenRightWithoutAClip) {
  player_->play_over(test_tone(48000));
  for (int i = 0; i < 230; ++i) {
    catch_up();
    device_->advance();
  }
  const auto all = device_->played();
  const auto level = [&](double from_s, size_t channel) {
    std::vector<float> part;
    for (auto i = static_cast<size_t>(from_s * 48000);
         i < static_cast<size_t>((from_s + 0.5) * 48000); ++i)
      part.push_back(all[2 * i + channel]);
    return test::rms_db(part);
  };
  ASSERT_GT(all.size(), size_t{2} * 48000 * 2);
  EXPECT_NEAR(level(0.25, 0), -23.01, 0.2);
  EXPECT_LT(level(0.25, 1), -100);
  EXPECT_NEAR(level(1.25, 1), -23.01, 0.2);
  EXPECT_LT(level(1.25, 0), -100);
}

TEST(PlayerDevice, WithoutASoundCardThereIsASimulatedOne) {
  ::setenv("DREVAN_AUDIO", "simulated", 1);
  EXPECT_TRUE(open_device(48000)->simulated());
}

}  // namespace
}  // namespace drevan
