// A device one listens on.
#include <gtest/gtest.h>

#include "engine/listening_device.h"
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

}  // namespace
}  // namespace drevan
