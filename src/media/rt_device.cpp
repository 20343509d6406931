// Real outputs, by RtAudio: JACK, PulseAudio or PipeWire, ALSA.
#include <RtAudio.h>
#include <alsa/asoundlib.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <utility>

#include "audio/error.h"
#include "media/device.h"

namespace drevan {
namespace {

constexpr int buffers = 2;
constexpr std::string_view simulated = "simulated";

// In the order in which they are tried.
constexpr std::pair<RtAudio::Api, std::string_view> drivers[] = {
    {RtAudio::UNIX_JACK, "jack"}, {RtAudio::LINUX_PULSE, "pulse"}, {RtAudio::LINUX_ALSA, "alsa"}};

bool simulation_wanted() {
  const char* wish = std::getenv("DREVAN_AUDIO");
  return wish && wish == simulated;
}

// ALSA writes to the terminal whatever its plugins do not find; nobody there can help it.
void tell_nobody(const char*, int, const char*, int, const char*, ...) {}
void silence_alsa() {
  static const int done = snd_lib_error_set_handler(&tell_nobody);
  static_cast<void>(done);
}

std::vector<OutputDevice> devices_of(RtAudio& rt, std::string_view driver) {
  std::vector<OutputDevice> all;
  rt.showWarnings(false);
  const unsigned count = rt.getDeviceCount();
  for (unsigned i = 0; i < count; ++i) {
    try {
      const auto info = rt.getDeviceInfo(i);
      if (!info.probed || info.outputChannels < 2) continue;
      // The sound server places more channels by names that cannot be told through this library.
      const bool by_server = driver == "pulse";
      all.push_back({std::string(driver), info.name,
                     by_server ? 2 : static_cast<int>(std::min(info.outputChannels, 64U)),
                     info.isDefaultOutput});
    } catch (const RtAudioError&) {
      // Another program has it, or it has just gone.
    }
  }
  std::stable_partition(all.begin(), all.end(), [](const OutputDevice& d) { return d.standard; });
  return all;
}

// Errors of streams on their own threads; the library tells them without saying of which.
std::atomic<int> errors{0};

class RtDevice final : public AudioDevice {
 public:
  // Throws Error(device) where the driver has no such device.
  RtDevice(RtAudio::Api api, std::string_view driver, double rate, OutputWish wish)
      : rt_(api), rate_(rate), wish_(std::move(wish)) {
    const auto all = devices_of(rt_, driver);
    auto at = std::ranges::find(all, wish_.name, &OutputDevice::name);
    if (at == all.end() && (wish_.name.empty() || wish_.or_another)) at = all.begin();
    if (at == all.end()) throw Error(Error::Kind::device, "No sound device was found.");
    name_ = at->name;
    // Another device than the wished one need not have its channels.
    if (wish_.first_channel + 2 > at->channels) wish_.first_channel = 0;
  }
  ~RtDevice() override { RtDevice::stop(); }
  std::string name() const override { return name_; }
  double latency_s() const override { return latency_s_; }
  long dropouts() const override { return dropouts_; }
  int buffer_frames() const override { return buffer_frames_; }

  void start(SoundSource& source) override {
    stop();
    source_ = &source;
    errors_before_ = errors;
    RtAudio::StreamParameters out;
    out.deviceId = id_of_name();
    out.nChannels = 2;
    out.firstChannel = static_cast<unsigned>(wish_.first_channel);
    auto frames = static_cast<unsigned>(std::clamp(wish_.buffer_frames, 16, 8192));
    RtAudio::StreamOptions options;
    options.flags = RTAUDIO_SCHEDULE_REALTIME;
    options.numberOfBuffers = buffers;
    options.streamName = "Drevan";
    try {
      // Without a function for errors those on the device's own thread would end the program.
      rt_.openStream(&out, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(std::lround(rate_)),
                     &frames, &RtDevice::callback, this, &options,
                     [](RtAudioError::Type type, const std::string& told) {
                       // What cannot be written to any more is only a warning to the library,
                       // which then asks on.
                       const bool lost =
                           type != RtAudioError::WARNING && type != RtAudioError::DEBUG_WARNING;
                       if (lost || told.find("write error") != std::string::npos) ++errors;
                     });
      dropouts_ = 0;
      buffer_frames_ = static_cast<int>(frames);
      rt_.startStream();
      latency_s_ = static_cast<double>(
                       std::max(rt_.getStreamLatency(), static_cast<long>(buffers * frames))) /
                   rate_;
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
  // Numbers of devices change when others come and go.
  unsigned id_of_name() {
    for (unsigned i = 0; i < rt_.getDeviceCount(); ++i) {
      const auto info = rt_.getDeviceInfo(i);
      if (info.name == name_ && info.outputChannels >= 2) return i;
    }
    throw Error(Error::Kind::device, fmt::format("The sound device {} is not there.", name_));
  }
  static int callback(void* out, void*, unsigned frames, double, RtAudioStreamStatus status,
                      void* given) {
    auto* device = static_cast<RtDevice*>(given);
    if (status & RTAUDIO_OUTPUT_UNDERFLOW)
      device->dropouts_.fetch_add(1, std::memory_order_relaxed);
    device->source_->pull(static_cast<float*>(out), static_cast<int>(frames));
    return 0;
  }

  RtAudio rt_;
  double rate_;
  OutputWish wish_;
  std::string name_;
  SoundSource* source_ = nullptr;
  int errors_before_ = 0;
  std::atomic<long> dropouts_{0};
  std::atomic<int> buffer_frames_{0};
  std::atomic<double> latency_s_{0};
};

}  // namespace

std::vector<OutputDevice> output_devices() {
  if (simulation_wanted()) return {{std::string(simulated), std::string(simulated), 2, true}};
  silence_alsa();
  std::vector<OutputDevice> all;
  for (const auto& [api, driver] : drivers) {
    try {
      RtAudio rt(api);
      const auto some = devices_of(rt, driver);
      all.insert(all.end(), some.begin(), some.end());
    } catch (const RtAudioError&) {
      // This driver does not run here.
    }
  }
  return all;
}

std::string driver_label(std::string_view driver) {
  if (driver == "jack") return "JACK";
  if (driver == "pulse") return "PulseAudio or PipeWire";
  if (driver == "alsa") return "ALSA";
  return std::string(driver);
}

std::unique_ptr<AudioDevice> find_device(double rate, const OutputWish& wish) {
  if (simulation_wanted()) return std::make_unique<SimulatedDevice>(rate);
  silence_alsa();
  const auto try_all = [&](const OutputWish& one) -> std::unique_ptr<AudioDevice> {
    for (const auto& [api, driver] : drivers) {
      if (!one.driver.empty() && one.driver != driver) continue;
      try {
        return std::make_unique<RtDevice>(api, driver, rate, one);
      } catch (const Error&) {
      } catch (const RtAudioError&) {
      }
    }
    return nullptr;
  };
  if (auto found = try_all(wish); found || !wish.or_another) return found;
  OutputWish any = wish;
  any.driver.clear();
  return try_all(any);
}

}  // namespace drevan
