#include "media/device.h"

#include <RtAudio.h>
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <string_view>

#include "audio/error.h"

namespace drevan {

SimulatedDevice::SimulatedDevice(double rate, Clock clock) : rate_(rate), clock_(clock), block_(static_cast<size_t>(std::lround(rate / 100)) * 2) {}
SimulatedDevice::~SimulatedDevice() { SimulatedDevice::stop(); }

void SimulatedDevice::start(SoundSource& source) {
  stop();
  if (clock_ == Clock::by_hand) {
    const std::lock_guard lock(source_mutex_);
    source_ = &source;
    return;
  }
  thread_ = std::jthread([this, &source](const std::stop_token& token) { run(token, source); });
}

void SimulatedDevice::stop() {
  thread_.request_stop();
  if (thread_.joinable()) thread_.join();
  const std::lock_guard lock(source_mutex_);
  source_ = nullptr;
}

void SimulatedDevice::advance() {
  const std::lock_guard lock(source_mutex_);
  if (source_) pull(*source_);
}

void SimulatedDevice::unplug(bool tells) {
  unplugged_ = true;
  tells_lost_ = tells;
}

void SimulatedDevice::pull(SoundSource& source) {
  if (unplugged_) return;
  const size_t most = static_cast<size_t>(rate_) * 2 * 600;
  source.pull(block_.data(), static_cast<int>(block_.size() / 2));
  const std::lock_guard lock(mutex_);
  if (played_.size() + block_.size() > most)
    played_.erase(played_.begin(), played_.begin() + static_cast<std::ptrdiff_t>(most / 2));
  played_.insert(played_.end(), block_.begin(), block_.end());
}

void SimulatedDevice::run(const std::stop_token& stop, SoundSource& source) {
  auto due = std::chrono::steady_clock::now();
  while (!stop.stop_requested()) {
    pull(source);
    due += std::chrono::milliseconds(10);
    std::this_thread::sleep_until(due);
    // A machine that stood still for a while plays on from here; it does not pull what it missed in
    // one go, which no source could be ready for.
    const auto now = std::chrono::steady_clock::now();
    if (now - due > std::chrono::milliseconds(20)) due = now;
  }
}

std::vector<float> SimulatedDevice::played() const {
  const std::lock_guard lock(mutex_);
  return played_;
}

void SimulatedDevice::forget() {
  const std::lock_guard lock(mutex_);
  played_.clear();
}

namespace {

// Errors of streams on their own threads; the library tells them without saying of which.
std::atomic<int> errors{0};

class RtDevice final : public AudioDevice {
 public:
  explicit RtDevice(double rate) : rate_(rate) {
    rt_.showWarnings(false);
    if (rt_.getDeviceCount() == 0) throw Error(Error::Kind::device, "No sound device was found.");
    name_ = rt_.getDeviceInfo(rt_.getDefaultOutputDevice()).name;
  }
  ~RtDevice() override { RtDevice::stop(); }
  std::string name() const override { return name_; }

  void start(SoundSource& source) override {
    stop();
    errors_before_ = errors;
    RtAudio::StreamParameters out;
    out.deviceId = rt_.getDefaultOutputDevice();
    out.nChannels = 2;
    unsigned frames = 256;
    RtAudio::StreamOptions options;
    options.flags = RTAUDIO_SCHEDULE_REALTIME;
    options.numberOfBuffers = 2;
    options.streamName = "Drevan";
    try {
      // Without a function for errors those on the device's own thread would end the program.
      rt_.openStream(&out, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(std::lround(rate_)),
                     &frames, &RtDevice::callback, &source, &options, [](RtAudioError::Type type, const std::string& told) {
                       // What cannot be written to any more is only a warning to the library, which then asks on.
                       const bool lost = type != RtAudioError::WARNING && type != RtAudioError::DEBUG_WARNING;
                       if (lost || told.find("write error") != std::string::npos) ++errors;
                     });
      rt_.startStream();
    } catch (const RtAudioError& e) {
      throw Error(Error::Kind::device,
                  fmt::format("The sound device {} does not start: {}", name_, e.getMessage()));
    }
  }
  void stop() override {
    try {
      if (rt_.isStreamOpen()) rt_.closeStream();
    } catch (const RtAudioError&) {
      // What is gone need not be closed.
    }
  }
  bool lost() const override { return errors != errors_before_; }

 private:
  static int callback(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* source) {
    static_cast<SoundSource*>(source)->pull(static_cast<float*>(out), static_cast<int>(frames));
    return 0;
  }

  RtAudio rt_;
  double rate_;
  std::string name_;
  int errors_before_ = 0;
};

}  // namespace

std::unique_ptr<AudioDevice> find_device(double rate) {
  const char* wish = std::getenv("DREVAN_AUDIO");
  if (wish && std::string_view(wish) == "simulated") return std::make_unique<SimulatedDevice>(rate);
  try {
    return std::make_unique<RtDevice>(rate);
  } catch (const Error&) {
  } catch (const RtAudioError&) {
  }
  return nullptr;
}

std::unique_ptr<AudioDevice> open_device(double rate) {
  auto found = find_device(rate);
  return found ? std::move(found) : std::make_unique<SimulatedDevice>(rate);
}

}  // namespace drevan
