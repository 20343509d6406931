// The player on a real PulseAudio server with a null sink: heard on the sink's monitor; the server is ended while it
// plays, and started again.
#include <gtest/gtest.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <cstring>
#include <cstdlib>
#include <functional>
#include <optional>
#include <string>
#include <thread>

#include "engine/player.h"
#include "support/sanitized.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;

class PlayerOnPulseAudio : public testing::Test {
 protected:
  void SetUp() override {
#ifdef DREVAN_SANITIZED
    GTEST_SKIP() << "the sound server's own threads are not watched";
#endif
    if (test::run("command -v pulseaudio").code != 0) GTEST_SKIP() << "no pulseaudio here";
    for (const char* name : changed_) {
      const char* value = ::getenv(name);
      before_.push_back(value ? std::optional<std::string>(value) : std::nullopt);
    }
    for (const char* name : {"XDG_RUNTIME_DIR", "HOME", "XDG_CONFIG_HOME"}) ::setenv(name, t_.path().c_str(), 1);
    ::unsetenv("DREVAN_AUDIO");
    ::setenv("PULSE_SERVER", ("unix:" + (t_ / "native").string()).c_str(), 1);
    ASSERT_TRUE(start_server());
  }
  void TearDown() override {
    player_.reset();
    if (!testing::Test::IsSkipped()) stop_server();
    for (size_t i = 0; i < before_.size(); ++i) before_[i] ? ::setenv(changed_[i], before_[i]->c_str(), 1) : ::unsetenv(changed_[i]);
  }
  bool start_server() {
    const std::string folder = t_.path().string();
    test::run("pulseaudio -n --daemonize=yes --exit-idle-time=-1 --disable-shm=yes --log-target=file:" + folder + "/log --load='module-native-protocol-unix auth-anonymous=1 socket=" + folder +
              "/native' --load='module-null-sink sink_name=null rate=48000 channels=2'");
    for (int i = 0; i < 100; ++i) {
      if (test::run("pactl info").code == 0) return true;
      std::this_thread::sleep_for(50ms);
    }
    return false;
  }
  void stop_server() { test::run("pulseaudio --kill; sleep 0.2; pkill -9 -f 'socket=" + t_.path().string() + "'"); }
  bool wait_for(const std::function<bool()>& done, int seconds = 20) {
    for (int i = 0; i < seconds * 100; ++i) {
      if (done()) return true;
      std::this_thread::sleep_for(10ms);
    }
    return false;
  }
  std::string next_error(int seconds = 20) {
    std::string error;
    wait_for([&] { return !(error = player_->take_error()).empty(); }, seconds);
    return error;
  }
  // Level of what the monitor gives within a second, dB: of its loudest 50 ms, since a busy machine may leave gaps.
  double monitor_db() {
    test::run("timeout 1.2 parec -d null.monitor --rate=48000 --channels=1 --format=float32le --raw > '" + (t_ / "heard.raw").string() + "'; true");
    const auto bytes = test::bytes(t_ / "heard.raw");
    std::vector<float> x(bytes.size() / 4);
    std::memcpy(x.data(), bytes.data(), x.size() * 4);
    double loudest = -200;
    for (size_t at = 0; at + 2400 <= x.size(); at += 1200) loudest = std::max(loudest, test::rms_db(std::span(x).subspan(at, 2400)));
    return loudest;
  }
  static constexpr const char* changed_[] = {"XDG_RUNTIME_DIR", "HOME", "XDG_CONFIG_HOME", "DREVAN_AUDIO", "PULSE_SERVER"};
  std::vector<std::optional<std::string>> before_;
  test::TempFolder t_;
  std::unique_ptr<Player> player_;
};

TEST_F(PlayerOnPulseAudio, ALostServerIsToldAndAnotherIsTaken) {
  AudioBuffer x = test::sine(1000, 0.1, 60);
  test::write_wav(t_ / "tone.wav", x);
  auto device = find_device(48000);
  ASSERT_NE(device, nullptr);
  if (device->simulated()) GTEST_SKIP() << "RtAudio finds no PulseAudio";
  player_ = std::make_unique<Player>(std::move(device), 48000, [] { return find_device(48000); });
  PlayPlan plan;
  plan.clip.sound = {t_ / "tone.wav", 0, -1, 48000, {}};
  player_->load(plan);
  player_->play();
  ASSERT_TRUE(wait_for([&] { return player_->position() > 24000; })) << player_->take_error();
  EXPECT_NEAR(monitor_db(), -23.01, 0.5);

  stop_server();
  const auto gone = next_error();
  EXPECT_NE(gone.find("is gone, so playing is paused"), std::string::npos) << gone;
  EXPECT_FALSE(player_->playing());
  const Samples at = player_->position();
  player_->play();
  EXPECT_FALSE(next_error().empty());  // there is none, or one that does not start any more
  EXPECT_FALSE(player_->playing());
  while (!player_->take_error().empty()) {}

  ASSERT_TRUE(start_server());
  const auto back = next_error();
  EXPECT_NE(back.find("is there; play on"), std::string::npos) << back;
  player_->play();
  EXPECT_TRUE(wait_for([&] { return player_->position() > at + 24000; }));
  EXPECT_NEAR(monitor_db(), -23.01, 0.5);
}

}  // namespace
}  // namespace drevan
