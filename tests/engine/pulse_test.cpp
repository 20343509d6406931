// SPDX-License-Identifier: GPL-3.0-or-later
// The player on a real PulseAudio server with a null sink: heard on the sink's monitor; the server is ended while it
// plays, and started again.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <chrono>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <cstdlib>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <thread>

#include "engine/playing/player.h"
#include "engine/recording/recorder.h"
#include "engine/rendering/render.h"
#include "engine/making/test_sounds.h"
#include "support/extent.h"
#include "support/sanitized.h"
#include "support/sounds.h"
#include "support/steps.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;

class PlayerOnPulseAudio : public testing::Test {
 protected:
  void SetUp() override {
    DREVAN_IN_FULL_ONLY("it asks for a real sound server");
#ifdef DREVAN_SANITIZED
    GTEST_SKIP() << "the sound server's own threads are not watched";
#endif
    if (test::run("command -v pulseaudio").code != 0) GTEST_SKIP() << "no pulseaudio here";
    for (const char* name : changed_) {
      const char* value = ::getenv(name);
      before_.push_back(value ? std::optional<std::string>(value) : std::nullopt);
    }
    for (const char* name : {"XDG_RUNTIME_DIR", "HOME", "XDG_CONFIG_HOME"})
      ::setenv(name, t_.path().c_str(), 1);
    ::unsetenv("DREVAN_AUDIO");
    ::setenv("PULSE_SERVER", ("unix:" + (t_ / "native").string()).c_str(), 1);
    ASSERT_TRUE(start_server());
  }
  void TearDown() override {
    player_.reset();
    if (!testing::Test::IsSkipped()) stop_server();
    for (size_t i = 0; i < before_.size(); ++i)
      before_[i] ? ::setenv(changed_[i], before_[i]->c_str(), 1) : ::unsetenv(changed_[i]);
  }
  bool start_server() {
    const std::string folder = t_.path().string();
    test::run(
        "pulseaudio -n --daemonize=yes --exit-idle-time=-1 --disable-shm=yes --log-target=file:" +
        folder + "/log --load='module-native-protocol-unix auth-anonymous=1 socket=" + folder +
        "/native' --load='module-null-sink sink_name=null rate=48000 channels=2'");
    for (int i = 0; i < 100; ++i) {
      if (test::run("pactl info").code == 0) return true;
      std::this_thread::sleep_for(50ms);
    }
    return false;
  }
  void stop_server() {
    test::run("pulseaudio --kill; sleep 0.2; pkill -9 -f 'socket=" + t_.path().string() + "'");
  }
  bool wait_for(const std::function<bool()>& done, int seconds = 20) {
    for (int i = 0; i < seconds * 100; ++i) {
      if (done()) return true;
      std::this_thread::sleep_for(10ms);
    }
    return false;
  }
  std::string next_error(int seconds = 20) {
    Problem error;
    wait_for([&] { return !(error = player_->take_error()).empty(); }, seconds);
    return error.text;
  }
  std::vector<float> heard() const {
    const auto bytes = test::bytes(t_ / "heard.raw");
    std::vector<float> x(bytes.size() / 4);
    std::memcpy(x.data(), bytes.data(), x.size() * 4);
    return x;
  }
  // Of the whole of `wanted` with where it is found in `heard`; a gap anywhere makes it small.
  static double correlation(std::span<const float> wanted, std::span<const float> heard) {
    // Where it begins: the first sound, then the best frame around.
    const auto first = [](std::span<const float> x) {
      return std::ranges::find_if(x, [](float v) { return std::abs(v) > 0.005F; }) - x.begin();
    };
    const auto about = first(heard) - first(wanted);
    double best = 0;
    for (auto lag = about - 200; lag <= about + 200; ++lag) {
      double ab = 0, aa = 1e-12, bb = 1e-12;
      for (size_t i = 0; i < wanted.size(); ++i) {
        const auto k = static_cast<std::ptrdiff_t>(i) + lag;
        const double a = wanted[i];
        const double b = k >= 0 && k < std::ssize(heard) ? heard[static_cast<size_t>(k)] : 0.0F;
        ab += a * b, aa += a * a, bb += b * b;
      }
      best = std::max(best, ab / std::sqrt(aa * bb));
    }
    return best;
  }
  // Level of what the monitor gives within a second, dB: of its loudest 50 ms, since a busy machine
  // may leave gaps.
  double monitor_db(const std::string& sink = "null") {
    test::run("timeout 1.2 parec -d " + sink +
              ".monitor --rate=48000 --channels=1 --format=float32le --raw > '" +
              (t_ / "heard.raw").string() + "'; true");
    const auto x = heard();
    double loudest = -200;
    for (size_t at = 0; at + 2400 <= x.size(); at += 1200)
      loudest = std::max(loudest, test::rms_db(std::span(x).subspan(at, 2400)));
    return loudest;
  }
  // Records what is played (`x`, loaded) for three seconds and says how many frames the take of
  // each input lies beside its place: where it is most like `x`.
  std::vector<Samples> takes_are_off(Samples latency, const AudioBuffer& x) {
    auto recorder = std::make_shared<Recorder>(48000);
    player_->inputs().hear_with(recorder);
    player_->seek(0);
    std::vector<RecordedFile> files;
    std::vector<Samples> lags, off;
    int input = 0;
    for (const auto& source : player_->device_facts().sources) {
      files.push_back({{input}, t_ / fmt::format("take {} {}.wav", ++takes_made_, input)});
      lags.push_back(source.lag);
      input += source.channels;
    }
    recorder->begin(files, true);
    player_->play();
    EXPECT_TRUE(wait_for([&] { return player_->position() > 3 * 48000; }));
    const auto recording = recorder->end(latency + std::ranges::max(lags));
    player_->pause();
    went_through_ = true;
    for (size_t f = 0; f < files.size(); ++f)
      off.push_back(
          take_is_off(takes_of_recording(recording, latency, {48000, 2 * 48000}, 48000, lags[f]),
                      files[f].file, x));
    return off;
  }
  // By how many frames what was recorded lies beside `x`, looked at from one frame to another of what
  // was played from a second on; 9999: it is not in it.
  static Samples lag_of(const AudioBuffer& take, Samples begin, const AudioBuffer& x, Samples from,
                        Samples to) {
    double best = 0;
    Samples at = 9999;
    for (Samples lag = -2400; lag <= 2400; ++lag) {
      double xy = 0;
      for (Samples i = from; i < to; ++i) {
        const Samples k = begin + lag + i;
        if (k < 0 || k >= take.frames()) continue;
        xy += static_cast<double>(take.channel(0)[static_cast<size_t>(k)]) *
              static_cast<double>(x.channel(0)[static_cast<size_t>(48000 + i)]);
      }
      if (xy > best) best = xy, at = lag;
    }
    return at;
  }
  Samples take_is_off(const std::vector<RecordedTake>& takes, const std::filesystem::path& file,
                      const AudioBuffer& x) {
    EXPECT_EQ(takes.size(), 1U);
    if (takes.empty()) return 9999;
    went_through_ = went_through_ && takes[0].holes.empty();
    const AudioBuffer take = test::read_all(file);
    const Samples begins = lag_of(take, takes[0].begin, x, 4800, 14400),
                  ends = lag_of(take, takes[0].begin, x, 33600, 43200);
    // The server lost a block on the way.
    went_through_ = went_through_ && std::abs(begins - ends) <= 1;
    return begins;
  }
  int takes_made_ = 0;
  bool went_through_ = true;  // in the last take: nothing was lost on the way, nothing came late
  static constexpr const char* changed_[] = {"XDG_RUNTIME_DIR", "HOME", "XDG_CONFIG_HOME",
                                             "DREVAN_AUDIO", "PULSE_SERVER"};
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
  ASSERT_TRUE(wait_for([&] { return player_->position() > 24000; })) << player_->take_error().text;
  EXPECT_NEAR(monitor_db(), -23.01, 0.5);

  stop_server();
  const auto gone = next_error();
  EXPECT_NE(gone.find("is gone, so playing is paused"), std::string::npos) << gone;
  EXPECT_FALSE(player_->playing());
  const Samples at = player_->position();
  player_->play();
  EXPECT_FALSE(next_error().empty());  // there is none, or one that does not start any more
  EXPECT_FALSE(player_->playing());
  while (!player_->take_error().empty()) {
  }

  ASSERT_TRUE(start_server());
  const auto back = next_error();
  EXPECT_NE(back.find("is there; play on"), std::string::npos) << back;
  player_->play();
  EXPECT_TRUE(wait_for([&] { return player_->position() > at + 24000; }));
  EXPECT_NEAR(monitor_db(), -23.01, 0.5);
}

// Two sinks are listed by name, the wished one plays; a change takes hold while playing.
TEST_F(PlayerOnPulseAudio, EveryOutputIsListedAndCanBeChosenWhilePlaying) {
  test::run(
      "pactl load-module module-null-sink sink_name=other rate=48000 channels=2 "
      "sink_properties=device.description=Other");
  std::vector<SoundDevice> pulse;
  for (const auto& d : output_devices())
    if (d.driver == "pulse") pulse.push_back(d);
  ASSERT_EQ(pulse.size(), 2U);
  EXPECT_TRUE(pulse[0].standard);
  EXPECT_EQ(pulse[1].name, "Other");
  EXPECT_FALSE(pulse[1].standard);

  AudioBuffer x = test::sine(1000, 0.1, 60);
  test::write_wav(t_ / "tone.wav", x);
  player_ = std::make_unique<Player>(find_device(48000, {"pulse", "", 0, 1024}), 48000);
  PlayPlan plan;
  plan.clip.sound = {t_ / "tone.wav", 0, -1, 48000, {}};
  player_->load(plan);
  player_->play();
  ASSERT_TRUE(wait_for([&] { return player_->position() > 4800; }));
  EXPECT_NEAR(monitor_db(), -23.01, 0.5);
  EXPECT_NEAR(player_->device_facts().latency_s, 2 * 1024 / 48000.0, 1e-9);

  const OutputWish other{"pulse", "Other", 0, 512};
  player_->use_device([other] { return find_device(48000, other); });
  EXPECT_TRUE(wait_for([&] { return player_->device_facts().name == "Other"; }));
  EXPECT_NEAR(monitor_db("other"), -23.01, 0.5);
  EXPECT_LT(monitor_db("null"), -90);
  EXPECT_TRUE(player_->playing());

  // A name that is not there: another one, or none, as is wished.
  EXPECT_EQ(find_device(48000, {"pulse", "Gone"})->name(), pulse[0].name);
  EXPECT_EQ(find_device(48000, {"pulse", "Gone", 0, 256, false}), nullptr);
}

// What is heard is what is rendered: the monitor against the file, without a gap.
TEST_F(PlayerOnPulseAudio, TheMonitorGivesWhatARenderGives) {
  AudioBuffer x = test::words(0.2, 6);
  test::write_wav(t_ / "words.wav", x);
  PlayPlan plan;
  Chain chain;
  chain.steps = {test::with("cut", {{"low_hz", 120}}),
                 test::with("compressor", {{"threshold_db", -24}})};
  plan.clip = plan_of({t_ / "words.wav", 0, -1, 48000, {}}, chain);
  plan.findings.resize(plan.clip.steps.size());
  FindingStore store;
  const CancelToken never;
  RenderRequest request;
  request.plan = plan.clip;
  request.output = t_ / "render.wav";
  render_clip(request, store, never);
  const AudioBuffer wanted = test::read_all(t_ / "render.wav");

  player_ = std::make_unique<Player>(find_device(48000, {"pulse", "", 0, 4096}), 48000);
  player_->set_matched(false);
  player_->load(plan);
  // A machine that stands still for longer than the buffer leaves a gap: then once more.
  double best = 0;
  bool any_whole = false;  // without the player itself having been late
  for (int attempt = 0; attempt < 5 && best < 0.999; ++attempt) {
    const long late_before = player_->underruns();
    player_->seek(0);
    std::filesystem::remove(t_ / "heard.raw");
    std::thread hears([&] {
      test::run(
          "timeout 11 parec -d null.monitor --latency-msec=50 --rate=48000 --channels=1 "
          "--format=float32le --raw > '" +
          (t_ / "heard.raw").string() + "'; true");
    });
    EXPECT_TRUE(wait_for([&] {
      std::error_code error;
      const auto size = std::filesystem::file_size(t_ / "heard.raw", error);
      return !error && size > 48000;
    }));
    player_->play();
    hears.join();
    EXPECT_TRUE(wait_for([&] { return !player_->playing(); }));
    any_whole = any_whole || player_->underruns() == late_before;
    best = std::max(best, correlation(wanted.channel(0), heard()));
  }
  if (best < 0.999 && !any_whole)
    GTEST_SKIP() << "this machine stood still in every attempt; the best was " << best;
  EXPECT_GT(best, 0.999);
}

// The sink's monitor is a wire from the output to the input: what is played is recorded, later by
// what the chirps tell.
TEST_F(PlayerOnPulseAudio, ARecordingStandsWhereTheChirpsSay) {
  OutputWish wish{"pulse", ""};
  wish.input = InputWish{};
  auto device = find_device(48000, wish);
  ASSERT_NE(device, nullptr);
  if (device->simulated()) GTEST_SKIP() << "RtAudio finds no PulseAudio";
  ASSERT_GT(device->inputs(), 0);
  EXPECT_TRUE(std::ranges::any_of(input_devices(),
                                  [](const SoundDevice& d) { return d.driver == "pulse"; }));
  player_ = std::make_unique<Player>(std::move(device), 48000);
  AudioBuffer x = test::noise(0.1, 6, 3);
  test::write_wav(t_ / "noise.wav", x);
  PlayPlan plan;
  plan.clip.sound = {t_ / "noise.wav", 0, -1, 48000, {}};
  player_->set_matched(false);
  player_->load(plan);

  // A machine that stands still for longer than the server's buffer loses a block: then once more.
  // Where every attempt was shown to have lost some, the machine is at fault, not the program.
  std::optional<Samples> latency, off;
  bool any_whole = false;
  for (int attempt = 0; attempt < 5 && !(off && std::abs(*off) <= 480); ++attempt) {
    const long late_before = player_->underruns();
    auto chirps = std::make_shared<ChirpsHeard>(48000);
    player_->inputs().hear_with(chirps);
    player_->play_over(latency_chirps(48000));
    ASSERT_TRUE(wait_for([&] { return chirps->done(); })) << player_->take_error().text;
    latency = chirps->latency();
    went_through_ = chirps->losses() == 0;
    off = latency ? std::optional(takes_are_off(*latency, x)[0]) : std::nullopt;
    any_whole = any_whole || (went_through_ && player_->underruns() == late_before);
    std::printf("  PulseAudio: sound was lost %d times before the chirps came evenly\n",
                chirps->losses());
  }
  if (!any_whole && !(off && std::abs(*off) <= 480))
    GTEST_SKIP() << "the sound server lost sound in every attempt";
  ASSERT_TRUE(latency) << "the chirps were never heard whole";
  EXPECT_GT(*latency, 0);
  EXPECT_LE(std::abs(*off), 480) << "a block of the server is the most it may be off";
  std::printf("  PulseAudio: %.1f ms from output to input, a take %lld frames off\n",
              1000.0 * static_cast<double>(*latency) / 48000, static_cast<long long>(*off));
}

// Two inputs that are two devices to the program and hear the same: what they give stands at one
// place. The second is taken away while it records.
TEST_F(PlayerOnPulseAudio, TwoInputsAtOnceStandAtOnePlaceAndOneMayGo) {
  const auto loaded = test::run(
      "pactl load-module module-remap-source source_name=second master=null.monitor "
      "source_properties=device.description=Second");
  ASSERT_EQ(loaded.code, 0) << loaded.out;
  OutputWish wish{"pulse", ""};
  wish.input = InputWish{"Monitor of Null Output", 0, {"Second", "Not there"}};
  for (const auto& name : {wish.input->name, wish.input->more[0]})
    EXPECT_TRUE(std::ranges::any_of(input_devices(), [&](const SoundDevice& d) {
      return d.driver == "pulse" && d.name == name;
    })) << name;
  auto device = find_device(48000, wish);
  ASSERT_NE(device, nullptr);
  ASSERT_EQ(device->input_sources().size(), 2U) << "what is not there is left out";
  EXPECT_EQ(device->input_sources()[1].name, "Second");
  player_ = std::make_unique<Player>(std::move(device), 48000);
  AudioBuffer x = test::noise(0.1, 8, 3);
  test::write_wav(t_ / "noise.wav", x);
  PlayPlan plan;
  plan.clip.sound = {t_ / "noise.wav", 0, -1, 48000, {}};
  player_->set_matched(false);
  player_->load(plan);
  player_->keep_open(true);
  std::this_thread::sleep_for(3s);  // the clocks get to know each other
  std::vector<Samples> off{9999, 9999};
  bool any_whole = false;
  for (int attempt = 0; attempt < 5 && std::abs(off[1] - off[0]) > 1440; ++attempt) {
    const long late_before = player_->underruns();
    off = takes_are_off(960, x);
    any_whole = any_whole || player_->underruns() == late_before;
  }
  const auto facts = player_->device_facts();
  std::printf("  PulseAudio: two inputs %lld frames apart, the second held back by %.1f ms\n",
              static_cast<long long>(off[1] - off[0]),
              1000.0 * static_cast<double>(facts.sources[1].lag) / 48000);
  if (!any_whole && std::abs(off[1] - off[0]) > 1440)
    GTEST_SKIP() << "this machine stood still in every attempt";
  EXPECT_LE(std::abs(off[1] - off[0]), 1440) << "what the server keeps of each may differ";

  player_->seek(0);
  player_->play();
  // Its stream (the first is the server's own) ends, as when a device is taken out; what only lost
  // its device the server moves.
  test::run(
      "pacmd kill-source-output $(pactl list short source-outputs | sort -n | sed -n 2p | "
      "cut -f 1)");
  EXPECT_TRUE(wait_for([&] { return !player_->device_facts().sources[1].problem.empty(); }));
  EXPECT_FALSE(player_->device_facts().lost) << "the first goes on";
  const Samples at = player_->position();
  EXPECT_TRUE(wait_for([&] { return player_->position() > at + 24000 || !player_->playing(); }));
  EXPECT_TRUE(player_->playing());
}

}  // namespace
}  // namespace drevan
