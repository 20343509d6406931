// SPDX-License-Identifier: GPL-3.0-or-later
// A device one listens on.
#include <gtest/gtest.h>

#include "engine/playing/listening_device.h"
#include "support/steps.h"

namespace drevan {
namespace {

std::vector<float> through(ListeningDevice& device, double hz, int packets) {
  std::vector<float> out;
  const AudioBuffer x = test::sine(hz, 0.1, 256.0 * packets / 48000);
  for (int p = 0; p < packets; ++p) {
    std::array<float, 512> packet;
    for (size_t i = 0; i < packet.size(); ++i)
      packet[i] = x.channel(0)[static_cast<size_t>(p) * 256 + i / 2];
    device.process(packet);
    for (size_t i = 0; i < 256; ++i) out.push_back(packet[2 * i]);
  }
  return out;
}

std::shared_ptr<const ListeningDevice::Choice> toy() {
  const auto step = test::with("loudspeaker", {{"device", 12}});
  return std::make_shared<ListeningDevice::Choice>(
      ListeningDevice::Choice{step.type, step.settings});
}

TEST(ListeningDevice, NothingIsNothingAndAToyHasNoBass) {
  ListeningDevice device(48000, 256);
  const AudioBuffer x = test::sine(100, 0.1, 1);
  const auto as_it_is = through(device, 100, 20);
  for (size_t i = 0; i < as_it_is.size(); ++i) ASSERT_EQ(as_it_is[i], x.channel(0)[i]);
  device.choose(toy());
  const auto on_toy = through(device, 100, 40);
  EXPECT_LT(test::rms_db(std::span(on_toy).subspan(5000)), test::rms_db(x.channel(0)) - 25);
}

// Chosen and put back while it plays: no step larger than those of the sounds before and after.
TEST(ListeningDevice, ComesAndGoesWithoutAClick) {
  ListeningDevice device(48000, 256);
  const auto largest = [](std::span<const float> x) {
    float most = 0;
    for (size_t i = 1; i < x.size(); ++i) most = std::max(most, std::abs(x[i] - x[i - 1]));
    return most;
  };
  const float before = largest(through(device, 1000, 8));
  device.choose(toy());
  const auto on = through(device, 1000, 16);
  const float steady = largest(std::span(on).subspan(2048));
  EXPECT_LT(largest(on), 1.2F * std::max(before, steady));
  device.choose(nullptr);
  EXPECT_LT(largest(through(device, 1000, 8)), 1.2F * std::max(before, steady));
}

// From one to another within one packet: exactly the one that leaves going over into the one that comes.
TEST(ListeningDevice, GoesOverFromWhatWasHeard) {
  const auto radio = [] {
    const auto step = test::with("loudspeaker", {{"device", 3}});
    return std::make_shared<ListeningDevice::Choice>(
        ListeningDevice::Choice{step.type, step.settings});
  }();
  ListeningDevice leaving(48000, 256), changing(48000, 256), coming(48000, 256);
  leaving.choose(toy());
  changing.choose(toy());
  through(leaving, 700, 40);
  through(changing, 700, 40);
  coming.choose(radio);
  through(coming, 700, 1);  // the packet it comes in itself
  changing.choose(radio);
  ListeningDevice fresh(48000, 256);
  fresh.choose(radio);
  // Into a device that begins anew without one that leaves, the same packet comes in over the dry sound.
  const auto old = through(leaving, 700, 1), now = through(changing, 700, 1),
             over_dry = through(fresh, 700, 1);
  const AudioBuffer dry = test::sine(700, 0.1, 256.0 / 48000);
  float most = 0;
  for (size_t i = 0; i < 256; ++i) {
    const float share = static_cast<float>(i) / 256;
    const float going = (1 - share) * old[i];
    const float coming_in = over_dry[i] - (1 - share) * dry.channel(0)[i];
    EXPECT_NEAR(now[i], going + coming_in, 1e-5) << i;
    most = std::max(most, std::abs(old[i] - dry.channel(0)[i]));
  }
  EXPECT_GT(most, 0.01) << "what leaves must differ from the dry sound, or this shows nothing";
}

}  // namespace
}  // namespace drevan
