// SPDX-License-Identifier: GPL-3.0-or-later
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
#include "media/many_inputs.h"

namespace drevan {
namespace {

constexpr int buffers = 2;
constexpr std::string_view simulated = "simulated", second = "second simulated";
constexpr double second_ppm = 80;  // by which its clock is fast

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

enum class Way { out, in };

std::vector<SoundDevice> devices_of(RtAudio& rt, std::string_view driver, Way way) {
  std::vector<SoundDevice> all;
  rt.showWarnings(false);
  const unsigned count = rt.getDeviceCount();
  for (unsigned i = 0; i < count; ++i) {
    try {
      const auto info = rt.getDeviceInfo(i);
      const unsigned channels = way == Way::out ? info.outputChannels : info.inputChannels;
      if (!info.probed || channels < (way == Way::out ? 2U : 1U)) continue;
      // The sound server places more channels by names that cannot be told through this library.
      const unsigned most = driver == "pulse" ? 2 : way == Way::out ? 64 : most_inputs;
      all.push_back({std::string(driver), info.name, static_cast<int>(std::min(channels, most)),
                     way == Way::out ? info.isDefaultOutput : info.isDefaultInput});
    } catch (const RtAudioError&) {
      // Another program has it, or it has just gone.
    }
  }
  std::stable_partition(all.begin(), all.end(), [](const SoundDevice& d) { return d.standard; });
  return all;
}

// Errors of streams that were told on other threads than their own; the library does not say of
// which they are.
std::atomic<int> errors{0};

class RtDevice;
// Whose thread it is.
thread_local RtDevice* streaming = nullptr;

class RtDevice final : public AudioDevice {
 public:
  // Inputs alone. Throws Error(device) where the driver has no such device.
  RtDevice(RtAudio::Api api, std::string_view driver, double rate, const std::string& input,
           int buffer_frames)
      : rt_(api), rate_(rate) {
    wish_.buffer_frames = buffer_frames;
    wish_.input = InputWish{input};
    find_input(devices_of(rt_, driver, Way::in));
  }
  // Throws Error(device) where the driver has no such device.
  RtDevice(RtAudio::Api api, std::string_view driver, double rate, OutputWish wish)
      : rt_(api), rate_(rate), wish_(std::move(wish)) {
    const auto all = devices_of(rt_, driver, Way::out);
    auto at = std::ranges::find(all, wish_.name, &SoundDevice::name);
    if (at == all.end() && (wish_.name.empty() || wish_.or_another)) at = all.begin();
    if (at == all.end()) throw Error(Error::Kind::device, "No sound device was found.");
    name_ = at->name;
    // Another device than the wished one need not have its channels.
    if (wish_.first_channel + 2 > at->channels) wish_.first_channel = 0;
    if (wish_.input) find_input(devices_of(rt_, driver, Way::in));
  }
  ~RtDevice() override { RtDevice::stop(); }
  std::string name() const override { return name_; }
  double latency_s() const override { return latency_s_; }
  long dropouts() const override { return dropouts_; }
  int buffer_frames() const override { return buffer_frames_; }
  int inputs() const override { return inputs_; }
  std::string input_name() const override { return input_name_; }

  void start(SoundSource& source) override {
    stop();
    source_ = &source;
    errors_before_ = errors;
    own_errors_ = 0;
    RtAudio::StreamParameters out;
    if (!name_.empty()) {
      out.deviceId = id_of(name_, Way::out);
      out.nChannels = 2;
      out.firstChannel = static_cast<unsigned>(wish_.first_channel);
    }
    RtAudio::StreamParameters in;
    if (inputs_ > 0) {
      in.deviceId = id_of(input_name_, Way::in);
      in.nChannels = static_cast<unsigned>(inputs_);
    }
    auto frames = static_cast<unsigned>(std::clamp(wish_.buffer_frames, 16, 8192));
    RtAudio::StreamOptions options;
    options.flags = RTAUDIO_SCHEDULE_REALTIME;
    options.numberOfBuffers = buffers;
    options.streamName = "Drevan";
    try {
      // Without a function for errors those on the device's own thread would end the program.
      rt_.openStream(name_.empty() ? nullptr : &out, inputs_ > 0 ? &in : nullptr, RTAUDIO_FLOAT32,
                     static_cast<unsigned>(std::lround(rate_)), &frames, &RtDevice::callback, this,
                     &options, [](RtAudioError::Type type, const std::string& told) {
                       // What cannot be written to any more is only a warning to the library,
                       // which then asks on.
                       const bool lost =
                           type != RtAudioError::WARNING && type != RtAudioError::DEBUG_WARNING;
                       if (lost || told.find("write error") != std::string::npos ||
                           told.find("read error") != std::string::npos)
                         ++(streaming ? streaming->own_errors_ : errors);
                     });
      dropouts_ = 0;
      buffer_frames_ = static_cast<int>(frames);
      rt_.startStream();
      latency_s_ = static_cast<double>(
                       std::max(rt_.getStreamLatency(), static_cast<long>(buffers * frames))) /
                   rate_;
    } catch (const RtAudioError& e) {
      throw Error(Error::Kind::device, does_not_start(e.getMessage()));
    }
  }
  void stop() override {
    try {
      if (rt_.isStreamOpen()) rt_.closeStream();
    } catch (const RtAudioError&) {
      // What is gone need not be closed.
    }
  }
  bool lost() const override { return own_errors_ > 0 || errors != errors_before_; }

 private:
  std::string does_not_start(const std::string& why) const {
    constexpr std::string_view remedy =
        "Choose other devices, or the sound server, which brings rates together.";
    if (inputs_ == 0) return fmt::format("The sound device {} does not start: {}", name_, why);
    if (name_.empty())
      return fmt::format("The input {} does not start at {:.0f} Hz: {} {}", input_name_, rate_, why,
                         remedy);
    return fmt::format("The input {} does not start with the output {} at {:.0f} Hz: {} {}",
                       input_name_, name_, rate_, why, remedy);
  }
  // Throws Error(device) where there is no such input.
  void find_input(const std::vector<SoundDevice>& all) {
    auto at = std::ranges::find(all, wish_.input->name, &SoundDevice::name);
    if (at == all.end() && wish_.input->name.empty()) at = all.begin();
    if (at == all.end()) throw Error(Error::Kind::device, "No such input was found.");
    input_name_ = at->name;
    inputs_ =
        wish_.input->channels > 0 ? std::min(wish_.input->channels, at->channels) : at->channels;
  }
  // Numbers of devices change when others come and go.
  unsigned id_of(const std::string& name, Way way) {
    for (unsigned i = 0; i < rt_.getDeviceCount(); ++i) {
      const auto info = rt_.getDeviceInfo(i);
      if (info.name == name &&
          (way == Way::out ? info.outputChannels >= 2 : info.inputChannels > 0))
        return i;
    }
    throw Error(Error::Kind::device, fmt::format("The sound device {} is not there.", name));
  }
  static int callback(void* out, void* in, unsigned frames, double, RtAudioStreamStatus status,
                      void* given) {
    auto* device = static_cast<RtDevice*>(given);
    streaming = device;
    if (status & RTAUDIO_OUTPUT_UNDERFLOW)
      device->dropouts_.fetch_add(1, std::memory_order_relaxed);
    if (status & RTAUDIO_INPUT_OVERFLOW) device->dropouts_.fetch_add(1, std::memory_order_relaxed);
    if (device->inputs_ > 0)
      device->source_->take(static_cast<const float*>(in), device->inputs_,
                            static_cast<int>(frames));
    if (out) device->source_->pull(static_cast<float*>(out), static_cast<int>(frames));
    // An input that is gone is asked on without a pause; by itself nobody stops it.
    return !out && device->own_errors_ > 0 ? stop_at_once : 0;
  }
  static constexpr int stop_at_once = 2;

  RtAudio rt_;
  double rate_;
  OutputWish wish_;
  std::string name_, input_name_;
  int inputs_ = 0;
  SoundSource* source_ = nullptr;
  int errors_before_ = 0;
  std::atomic<int> own_errors_{0};
  std::atomic<long> dropouts_{0};
  std::atomic<int> buffer_frames_{0};
  std::atomic<double> latency_s_{0};
};

}  // namespace

namespace {
std::vector<SoundDevice> all_devices(Way way) {
  if (simulation_wanted()) {
    std::vector<SoundDevice> all{
        {std::string(simulated), std::string(simulated), way == Way::out ? 2 : 1, true}};
    if (way == Way::in) all.push_back({std::string(simulated), std::string(second), 1, false});
    return all;
  }
  silence_alsa();
  std::vector<SoundDevice> all;
  for (const auto& [api, driver] : drivers) {
    try {
      RtAudio rt(api);
      const auto some = devices_of(rt, driver, way);
      all.insert(all.end(), some.begin(), some.end());
    } catch (const RtAudioError&) {
      // This driver does not run here.
    }
  }
  return all;
}

}  // namespace

std::vector<SoundDevice> output_devices() { return all_devices(Way::out); }
std::vector<SoundDevice> input_devices() { return all_devices(Way::in); }

std::string driver_label(std::string_view driver) {
  if (driver == "jack") return "JACK";
  if (driver == "pulse") return "PulseAudio or PipeWire";
  if (driver == "alsa") return "ALSA";
  return std::string(driver);
}

namespace {

SimulatedMicrophone simulated_microphone(double rate) {
  const char* set = std::getenv("DREVAN_MICROPHONE");
  const std::string_view heard = set ? set : "";
  constexpr std::string_view loopback = "loopback:";
  SimulatedMicrophone microphone;
  if (heard.starts_with(loopback)) {
    microphone.comes_back_after = std::atoi(heard.substr(loopback.size()).data());
  } else if (!heard.empty()) {
    microphone = microphone_of_file(heard, rate);
  }
  return microphone;
}

std::unique_ptr<AudioDevice> simulated_device(double rate, const OutputWish& wish) {
  auto device = std::make_unique<SimulatedDevice>(rate);
  if (!wish.input) return device;
  device->hear(simulated_microphone(rate));
  std::vector<std::unique_ptr<AudioDevice>> more;
  for (const auto& name : wish.input->more) {
    if (name != second) continue;
    auto far = std::make_unique<SimulatedDevice>(rate);
    far->hear(simulated_microphone(rate), name);
    far->set_clock_ppm(second_ppm);
    more.push_back(std::move(far));
  }
  return with_inputs(std::move(device), std::move(more), rate, static_cast<int>(rate / 100));
}

// With what it has of the further inputs.
std::unique_ptr<AudioDevice> rt_device(RtAudio::Api api, std::string_view driver, double rate,
                                       const OutputWish& wish) {
  auto device = std::make_unique<RtDevice>(api, driver, rate, wish);
  std::vector<std::unique_ptr<AudioDevice>> more;
  for (const auto& name : wish.input ? wish.input->more : std::vector<std::string>{}) {
    if (name == device->input_name()) continue;
    try {
      more.push_back(std::make_unique<RtDevice>(api, driver, rate, name, wish.buffer_frames));
    } catch (const Error&) {
      // It is not there; input_sources() tells which are.
    }
  }
  return with_inputs(std::move(device), std::move(more), rate, wish.buffer_frames);
}

}  // namespace

std::unique_ptr<AudioDevice> find_device(double rate, const OutputWish& wish) {
  if (simulation_wanted()) return simulated_device(rate, wish);
  silence_alsa();
  const auto try_all = [&](const OutputWish& one) -> std::unique_ptr<AudioDevice> {
    for (const auto& [api, driver] : drivers) {
      if (!one.driver.empty() && one.driver != driver) continue;
      try {
        return rt_device(api, driver, rate, one);
      } catch (const Error&) {
      } catch (const RtAudioError&) {
      }
    }
    return nullptr;
  };
  if (auto found = try_all(wish); found || !wish.or_another) return found;
  OutputWish any = wish;
  any.driver.clear();
  if (auto found = try_all(any); found || !wish.input) return found;
  any = wish;
  any.input.reset();
  return find_device(rate, any);
}

}  // namespace drevan
