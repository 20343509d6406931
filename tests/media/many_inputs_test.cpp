// SPDX-License-Identifier: GPL-3.0-or-later
// Inputs of several devices at once, on simulated ones.
#include "media/many_inputs.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <mutex>
#include <random>
#include <thread>
#include <tuple>

#include "audio/error.h"
#include "engine/recording/recorder.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;

std::unique_ptr<SimulatedDevice> microphone(const std::string& name, AudioBuffer sound) {
  auto device = std::make_unique<SimulatedDevice>(48000);
  device->hear({.sound = std::move(sound)}, name);
  return device;
}

// Keeps all that comes in.
class Keeps final : public SoundSource {
 public:
  void take(const float* in, int channels, int frames) noexcept override {
    const std::lock_guard lock(mutex_);
    channels_ = channels;
    all_.insert(all_.end(), in, in + channels * frames);
  }
  void pull(float* out, int frames) noexcept override { std::fill_n(out, 2 * frames, 0.0F); }
  std::vector<float> channel(int c) const {
    const std::lock_guard lock(mutex_);
    std::vector<float> one;
    for (size_t i = static_cast<size_t>(c); i < all_.size(); i += static_cast<size_t>(channels_))
      one.push_back(all_[i]);
    return one;
  }
  // Of the last tenth of a second.
  double level_db(int c) const {
    const auto one = channel(c);
    return test::rms_db(std::span(one).last(4800));
  }
  size_t frames() const {
    const std::lock_guard lock(mutex_);
    return channels_ == 0 ? 0 : all_.size() / static_cast<size_t>(channels_);
  }
  bool wait_for(size_t frames_more) const {
    const size_t goal = frames() + frames_more;
    for (int i = 0; i < 3000 && frames() < goal; ++i) std::this_thread::sleep_for(10ms);
    return frames() >= goal;
  }

 private:
  mutable std::mutex mutex_;
  std::vector<float> all_;
  int channels_ = 0;
};

// By the times at which it rises through zero, found between the frames.
double hz_of(std::span<const float> x) {
  double first = -1, last = -1;
  int times = -1;
  for (size_t i = 1; i < x.size(); ++i) {
    if (!(x[i - 1] < 0 && x[i] >= 0)) continue;
    last = static_cast<double>(i) - static_cast<double>(x[i] / (x[i] - x[i - 1]));
    if (++times == 0) first = last;
  }
  return times < 1 ? 0 : 48000.0 * times / (last - first);
}

// A device whose time goes on by hand, 10 ms at a time of its own clock, up to 2 ms late.
struct ByHand {
  double ppm;
  std::unique_ptr<SimulatedDevice> owned;
  SimulatedDevice* device = owned.get();
  long calls = 0;
  double call_s = 0;

  void next(std::mt19937& random) {
    const double due_s = static_cast<double>(++calls) * 0.01 / (1 + ppm * 1e-6);
    call_s = std::max(call_s, due_s + std::uniform_real_distribution(0.0, 0.002)(random));
  }
};

// A clock that is much too fast gives a tone that is as much too high, and so it is recorded: by the
// first device's clock, without a gap.
TEST(ManyInputs, EachDeviceIsHeardByTheFirstOnesClock) {
  const auto by_hand = [](const std::string& name, double hz, double ppm) {
    auto device = std::make_unique<SimulatedDevice>(48000, SimulatedDevice::Clock::by_hand);
    device->hear({.sound = test::sine(hz, 0.1, 30)}, name);
    return ByHand{ppm, std::move(device)};
  };
  std::array all = {by_hand("first", 250, 0), by_hand("fast", 1000, 800),
                    by_hand("slow", 500, -800)};
  std::vector<std::unique_ptr<AudioDevice>> more;
  more.push_back(std::move(all[1].owned));
  more.push_back(std::move(all[2].owned));
  double now_s = 0;
  const auto device =
      with_inputs(std::move(all[0].owned), std::move(more), 48000, 480, [&] { return now_s; });
  EXPECT_EQ(device->inputs(), 3);
  EXPECT_EQ(device->input_name(), "first");
  Keeps keeps;
  device->start(keeps);
  std::mt19937 random(3);
  for (auto& one : all) one.next(random);
  while (keeps.frames() < 25 * 48000) {
    auto& one = *std::ranges::min_element(all, {}, &ByHand::call_s);
    now_s = one.call_s;
    one.device->advance();
    one.next(random);
  }
  const auto sources = device->input_sources();
  device->stop();
  ASSERT_EQ(sources.size(), 3U);
  EXPECT_EQ(sources[0], (InputSource{"first", 1}));
  EXPECT_EQ(sources[1].name, "fast");
  EXPECT_EQ(sources[2].name, "slow");
  for (const auto& far : {sources[1], sources[2]}) {
    EXPECT_GT(far.lag, 480);
    EXPECT_LE(far.lag, 9840);
    EXPECT_EQ(far.problem, "");
  }
  for (const auto& [c, hz, within] :
       {std::tuple{0, 250.0, 0.001}, {1, 1000.8, 0.2}, {2, 499.6, 0.1}}) {
    const auto heard = keeps.channel(c);
    for (size_t second = 3; second < 24; ++second)
      EXPECT_NEAR(hz_of(std::span(heard).subspan(second * 48000, 48000)), hz, within) << second;
  }
}

TEST(ManyInputs, OneThatGoesGivesSilenceAndIsTold) {
  auto second = microphone("second", test::sine(1000, 0.1, 30));
  auto* far = second.get();
  std::vector<std::unique_ptr<AudioDevice>> more;
  more.push_back(std::move(second));
  const auto device =
      with_inputs(microphone("first", test::sine(250, 0.1, 30)), std::move(more), 48000, 480);
  Keeps keeps;
  device->start(keeps);
  ASSERT_TRUE(keeps.wait_for(2 * 48000));
  EXPECT_GT(keeps.level_db(1), -30);
  far->unplug(true);
  ASSERT_TRUE(keeps.wait_for(48000));
  EXPECT_LT(keeps.level_db(1), -200);
  EXPECT_GT(keeps.level_db(0), -30) << "the first goes on";
  EXPECT_FALSE(device->lost());
  const auto told = device->input_sources()[1].problem;
  EXPECT_NE(told.find("The input second is gone"), std::string::npos) << told;
  device->stop();
}

// An input that does not start.
class Broken final : public AudioDevice {
 public:
  std::string name() const override { return ""; }
  void start(SoundSource&) override { throw Error(Error::Kind::device, "It does not start."); }
  void stop() override {}
  int inputs() const override { return 12; }
  std::string input_name() const override { return "broken"; }
};

TEST(ManyInputs, OneThatDoesNotStartLeavesTheOthersAndThereAreSixteenAtMost) {
  std::vector<std::unique_ptr<AudioDevice>> more;
  more.push_back(std::make_unique<Broken>());
  more.push_back(microphone("third", AudioBuffer(6, 48000)));
  more.push_back(microphone("too much", AudioBuffer(1, 48000)));
  const auto device =
      with_inputs(microphone("first", test::sine(250, 0.1, 3)), std::move(more), 48000, 480);
  EXPECT_EQ(device->inputs(), most_inputs);
  Keeps keeps;
  device->start(keeps);
  ASSERT_TRUE(keeps.wait_for(9600));
  const auto sources = device->input_sources();
  device->stop();
  ASSERT_EQ(sources.size(), 3U);
  EXPECT_EQ(sources[1].problem, "It does not start.");
  EXPECT_EQ(sources[2].channels, 3) << "so many were left";
  EXPECT_GT(keeps.level_db(0), -30);
}

TEST(ManyInputs, WithoutInputsOfItsOwnADeviceStaysAsItIs) {
  std::vector<std::unique_ptr<AudioDevice>> more;
  more.push_back(microphone("second", AudioBuffer(1, 48000)));
  const auto device =
      with_inputs(std::make_unique<SimulatedDevice>(48000), std::move(more), 48000, 480);
  EXPECT_EQ(device->inputs(), 0);
  EXPECT_TRUE(device->input_sources().empty());
}

// What lags is taken earlier by so much, also where nothing was played.
TEST(ManyInputs, ALagIsTakenOutOfTheTakes) {
  Recording recording;
  recording.frames = 100000;
  const auto alone = takes_of_recording(recording, 700, {}, 48000, 1500);
  ASSERT_EQ(alone.size(), 1U);
  EXPECT_EQ(alone[0].begin, 1500);
  EXPECT_EQ(alone[0].frames, 98500);
  recording.runs = {{0, 90000, 48000, true}};
  const auto played = takes_of_recording(recording, 700, {60000, 90000}, 48000, 1500);
  ASSERT_EQ(played.size(), 1U);
  EXPECT_EQ(played[0].begin, 12000 + 700 + 1500);
  EXPECT_EQ(played[0].frames, 30000);
  EXPECT_EQ(played[0].position, 60000);
}

}  // namespace
}  // namespace drevan
