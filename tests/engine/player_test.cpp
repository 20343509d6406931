// The player heard through the simulated device: what a user would hear, by a real clock.
#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <thread>

#include "dsp/fft.h"
#include "engine/level_path.h"
#include "engine/player.h"
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
    auto device = std::make_unique<SimulatedDevice>(48000);
    device_ = device.get();
    player_ = std::make_unique<Player>(std::move(device), 48000);
  }
  PlayPlan plan(Chain chain) {
    PlayPlan p;
    p.sound = {folder_ / "tone.wav", 0, -1, 48000, {}};
    p.findings.resize(chain.steps.size());
    p.chain = std::move(chain);
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
    for (int i = 0; i < 300 && player_->playing(); ++i) std::this_thread::sleep_for(10ms);
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
  std::this_thread::sleep_for(400ms);
  EXPECT_NEAR(heard_db(100), tone_db, 0.1);
  player_->set_listen(Listen::after);
  std::this_thread::sleep_for(400ms);
  EXPECT_NEAR(heard_db(100), tone_db - 12, 0.1);
  player_->set_listen(Listen::removed);
  std::this_thread::sleep_for(400ms);
  EXPECT_NEAR(heard_db(100), tone_db + 20 * std::log10(1 - std::pow(10, -12.0 / 20)), 0.1);
  player_->pause();
  std::this_thread::sleep_for(300ms);
  EXPECT_FALSE(player_->playing());
  EXPECT_LT(heard_db(100), -150);
  EXPECT_EQ(player_->underruns(), 0);
}

TEST_F(PlayerTest, LevelMatchMakesBeforeAsLoudAsAfterAndRemovedLeavesOutGain) {
  auto p = plan({{gain(9)}});
  p.match_db = 9;
  p.like_gain = std::pow(10, 9.0 / 20);
  p.before_peak_db = -20;
  p.after_peak_db = -11;
  player_->load(p);
  player_->set_listen(Listen::before);
  player_->play();
  std::this_thread::sleep_for(400ms);
  EXPECT_NEAR(heard_db(100), tone_db + 9, 0.1);
  player_->set_listen(Listen::removed);
  std::this_thread::sleep_for(400ms);
  EXPECT_LT(heard_db(100), -90);
}

TEST_F(PlayerTest, SwitchingDoesNotClick) {
  player_->load(plan({{gain(-20)}}));
  player_->set_matched(false);
  player_->play();
  for (const auto what : {Listen::before, Listen::removed, Listen::after, Listen::before}) {
    std::this_thread::sleep_for(120ms);
    player_->set_listen(what);
  }
  std::this_thread::sleep_for(200ms);
  const auto all = device_->played();
  // The steepest slope of the tone itself is w A = 0.0131; a click jumps further.
  for (size_t i = 2; i + 2 < all.size(); i += 2) ASSERT_LT(std::abs(all[i] - all[i - 2]), 0.02F) << i / 2;
}

TEST_F(PlayerTest, ATurnedKnobIsHeardWithinATenthOfASecond) {
  player_->load(plan({{gain(-40)}}));
  player_->play();
  std::this_thread::sleep_for(400ms);
  const auto at = device_->played().size() / 2;
  player_->load(plan({{gain(0)}}));
  std::this_thread::sleep_for(400ms);
  const long heard = first_over(device_->played(), at, tone_db - 6);
  ASSERT_GT(heard, 0);
  // Ring of 64 ms, a device block of 10 ms, the glide; a busy machine may add a block.
  EXPECT_LT((static_cast<double>(heard) - static_cast<double>(at)) / 48, 110);
  EXPECT_EQ(player_->underruns(), 0);
}

TEST_F(PlayerTest, AnotherChainIsCrossfaded) {
  player_->load(plan({{gain(-6)}}));
  player_->set_matched(false);
  player_->play();
  std::this_thread::sleep_for(300ms);
  ChainStep cut = make_step("cut");
  player_->load(plan({{cut, gain(-6)}}));
  std::this_thread::sleep_for(300ms);
  EXPECT_NEAR(heard_db(100), tone_db - 6, 0.1);
  const auto all = device_->played();
  for (size_t i = 2; i + 2 < all.size(); i += 2) ASSERT_LT(std::abs(all[i] - all[i - 2]), 0.02F) << i / 2;
}

TEST_F(PlayerTest, StopsAtTheEndAndGoesBack) {
  player_->load(plan({}));
  player_->seek(48000 * 7 / 2);
  player_->play();
  std::this_thread::sleep_for(100ms);
  EXPECT_TRUE(player_->playing());
  wait_stopped();
  EXPECT_FALSE(player_->playing());
  EXPECT_EQ(player_->position(), 48000 * 7 / 2);
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
  std::this_thread::sleep_for(1700ms);
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
  std::this_thread::sleep_for(150ms);
  player_->seek(96000);
  std::this_thread::sleep_for(300ms);
  EXPECT_GT(player_->position(), 96000);
  EXPECT_LT(player_->position(), 96000 + 48000);
}

// Whether the ring is full or not at that moment, a seek is done.
TEST_F(PlayerTest, NoSeekIsLost) {
  player_->load(plan({}));
  player_->play();
  std::this_thread::sleep_for(100ms);
  for (int i = 0; i < 12; ++i) {
    const Samples to = i % 2 == 0 ? 96000 : 4800;
    player_->seek(to);
    std::this_thread::sleep_for(150ms);
    EXPECT_GE(player_->position(), to) << i;
    EXPECT_LT(player_->position(), to + 48000) << i;
  }
}

TEST_F(PlayerTest, OverLampLightsAndStaysUntilCleared) {
  player_->load(plan({{gain(24)}}));
  player_->set_matched(false);
  player_->play();
  std::this_thread::sleep_for(250ms);
  EXPECT_TRUE(player_->over());
  player_->load(plan({{gain(0)}}));
  std::this_thread::sleep_for(250ms);
  EXPECT_TRUE(player_->over());
  player_->clear_over();
  std::this_thread::sleep_for(100ms);
  EXPECT_FALSE(player_->over());
}

TEST_F(PlayerTest, ReadingsComeFromTheStepInFocus) {
  ChainStep c = make_step("compressor");
  c.settings.values[static_cast<size_t>(parameter_index(*c.type, "threshold_db"))] = -40;
  player_->load(plan({{gain(0), c}}));
  player_->set_focus(1);
  player_->play();
  std::this_thread::sleep_for(400ms);
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
  std::this_thread::sleep_for(1500ms);
  EXPECT_TRUE(player_->playing());
  EXPECT_EQ(player_->underruns(), 0);
}

// Two quick presses of the space bar: the worker may not have seen the first before the second.
TEST_F(PlayerTest, PlayAndPauseAtOnceEndsPaused) {
  player_->load(plan({}));
  for (int i = 0; i < 60; ++i) {
    player_->play();
    if (i % 3 != 0) std::this_thread::sleep_for(std::chrono::microseconds(i * 7));
    player_->pause();
    for (int k = 0; k < 100 && player_->playing(); ++k) std::this_thread::sleep_for(5ms);
    ASSERT_FALSE(player_->playing()) << i;
  }
}

TEST_F(PlayerTest, PauseAndPlayAtOnceEndsPlaying) {
  player_->load(plan({}));
  player_->set_loop(FrameRange{0, 24000});
  for (int i = 0; i < 60; ++i) {
    player_->play();
    std::this_thread::sleep_for(std::chrono::microseconds(2000 + i * 500));
    player_->pause();
    if (i % 3 != 0) std::this_thread::sleep_for(std::chrono::microseconds(i * 60));
    player_->play();
    // What was queued before the pause has been heard by now, the pause's end too.
    std::this_thread::sleep_for(100ms);
    ASSERT_TRUE(player_->playing()) << i;
    player_->pause();
    for (int k = 0; k < 100 && player_->playing(); ++k) std::this_thread::sleep_for(5ms);
    ASSERT_FALSE(player_->playing()) << i;
  }
}

TEST_F(PlayerTest, ALostFileStopsWithAMessage) {
  auto p = plan({});
  p.sound.file = folder_ / "gone.wav";
  player_->load(p);
  player_->play();
  wait_stopped();
  EXPECT_FALSE(player_->playing());
  EXPECT_NE(player_->take_error().find("gone.wav"), std::string::npos);
}

TEST(PlayerDevice, WithoutASoundCardThereIsASimulatedOne) {
  ::setenv("DREVAN_AUDIO", "simulated", 1);
  EXPECT_TRUE(open_device(48000)->simulated());
}

}  // namespace
}  // namespace drevan
