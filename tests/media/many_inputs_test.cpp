// Inputs of several devices at once, on simulated ones whose clocks run by themselves.
#include "media/many_inputs.h"

#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <functional>
#include <mutex>
#include <thread>

#include "audio/error.h"
#include "engine/recorder.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;

std::unique_ptr<SimulatedDevice> microphone(const std::string& name, AudioBuffer sound,
                                            double ppm = 0) {
  auto device = std::make_unique<SimulatedDevice>(48000);
  device->hear({.sound = std::move(sound)}, name);
  device->set_clock_ppm(ppm);
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

// A clock that is much too fast gives a tone that is as much too high, and so it is recorded: by the
// first device's clock, without a gap.
TEST(ManyInputs, EachDeviceIsHeardByTheFirstOnesClock) {
  std::vector<std::unique_ptr<AudioDevice>> more;
  more.push_back(microphone("fast", test::sine(1000, 0.1, 30), 800));
  more.push_back(microphone("slow", test::sine(500, 0.1, 30), -800));
  const auto device =
      with_inputs(microphone("first", test::sine(250, 0.1, 30)), std::move(more), 48000, 480);
  EXPECT_EQ(device->inputs(), 3);
  EXPECT_EQ(device->input_name(), "first");
  Keeps keeps;
  device->start(keeps);
  ASSERT_TRUE(keeps.wait_for(9 * 48000));
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
  // A device of a machine that stood still was moved on by its simulation: where that happened, the
  // tone has a corner, and the frequency of the second is another. The median second counts.
  const auto median_hz = [&](int c) {
    const auto all = keeps.channel(c);
    std::vector<double> seconds;
    for (size_t at = 3 * 48000; at + 48000 <= all.size(); at += 24000)
      seconds.push_back(hz_of(std::span(all).subspan(at, 48000)));
    std::ranges::nth_element(seconds, seconds.begin() + std::ssize(seconds) / 2);
    return seconds[seconds.size() / 2];
  };
  EXPECT_NEAR(median_hz(0), 250, 0.01);
  EXPECT_NEAR(median_hz(1), 1000.8, 0.2);
  EXPECT_NEAR(median_hz(2), 499.6, 0.1);
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
