// SPDX-License-Identifier: GPL-3.0-or-later
// Sound out and in: a real device by RtAudio, or a simulated one with a real clock.
#pragma once

#include <atomic>
#include <filesystem>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// What plays. pull() is called on the device's thread: it must not allocate, lock, touch files or
/// throw. It fills frames x 2 interleaved samples.
class SoundSource {
 public:
  virtual ~SoundSource() = default;
  virtual void pull(float* interleaved, int frames) noexcept = 0;
  /// What the inputs gave, `channels` x frames interleaved: before the pull() of as many frames, on
  /// the same thread. It stays until that ends.
  virtual void take(const float* /*interleaved*/, int /*channels*/, int /*frames*/) noexcept {}
};

/// One of the devices that give inputs.
struct InputSource {
  std::string name{};
  int channels = 0;
  Samples lag = 0;        ///< frames by which it comes later than the first one's
  std::string problem{};  ///< why it gives nothing but silence, in a sentence; empty: it gives
  friend bool operator==(const InputSource&, const InputSource&) = default;
};

/// A stereo output, which may have inputs that run with its clock; or inputs alone, which are only
/// given to take(). Stops when destroyed.
class AudioDevice {
 public:
  virtual ~AudioDevice() = default;
  virtual std::string name() const = 0;
  /// Begins to pull from `source`, which must outlive the device or stop(). Throws Error(device).
  virtual void start(SoundSource& source) = 0;
  /// After it returns pull() is not called any more.
  virtual void stop() = 0;
  virtual bool simulated() const { return false; }
  /// Whether the system has told that it is gone: unplugged, its server ended. It plays no more then.
  virtual bool lost() const { return false; }
  /// The most frames it asks for at once; 0: not known.
  virtual int buffer_frames() const { return 0; }
  /// From pull() to the device, seconds, as far as it is known; 0 before start().
  virtual double latency_s() const { return 0; }
  /// Inputs it gives to take(); 0: it has none.
  virtual int inputs() const { return 0; }
  virtual std::string input_name() const { return {}; }
  /// Whose inputs() they are, in their order.
  virtual std::vector<InputSource> input_sources() const {
    return inputs() > 0 ? std::vector<InputSource>{{input_name(), inputs()}}
                        : std::vector<InputSource>{};
  }
  /// Times the device said since start() that it had to wait for sound.
  virtual long dropouts() const { return 0; }
};

/// What inputs are asked for.
struct InputWish {
  std::string name{};  ///< of the device; empty: the driver's standard
  int channels = 0;    ///< the first so many; 0: all it has, 16 at the most
  std::vector<std::string>
      more{};  ///< further devices, see with_inputs(); those there are not give none
  friend bool operator==(const InputWish&, const InputWish&) = default;
};
inline constexpr int most_inputs = 16;

/// What an output is asked for.
struct OutputWish {
  std::string driver{};     ///< see SoundDevice; empty: the first that has a device
  std::string name{};       ///< of the device; empty: the driver's standard
  int first_channel = 0;    ///< left goes here, right to the next
  int buffer_frames = 256;  ///< 16 to 8192; two such buffers lie between pull() and the device
  bool or_another = true;   ///< where there is none of this name, the standard is taken
  /// By the same driver. Where there is none it plays without, unless `or_another` is false.
  std::optional<InputWish> input{};
  friend bool operator==(const OutputWish&, const OutputWish&) = default;
};

/// An output or an input there is.
struct SoundDevice {
  std::string driver;  ///< "jack", "pulse", "alsa" or "simulated"
  std::string name;
  int channels = 2;  ///< of an output, of which the two to play on can be chosen
  bool standard = false;
  friend bool operator==(const SoundDevice&, const SoundDevice&) = default;
};

/// All outputs of all drivers, the driver's standard first; asks every sound server, so it may take
/// a while. Where the environment says DREVAN_AUDIO=simulated, there is one, simulated.
std::vector<SoundDevice> output_devices();
/// The same of inputs.
std::vector<SoundDevice> input_devices();
/// "PulseAudio or PipeWire" for "pulse".
std::string driver_label(std::string_view driver);

/// What a simulated device's microphone hears.
struct SimulatedMicrophone {
  AudioBuffer sound{};  ///< channels x frames at the device's rate, once, then silence
  /// What is played comes back into the first channel this many frames later; -1: not at all.
  int comes_back_after = -1;
  int channels = 1;  ///< where `sound` is empty
};
/// From a file, brought to `rate`. Throws Error(input).
SimulatedMicrophone microphone_of_file(const std::filesystem::path& file, double rate);

/// Pulls 10 ms every 10 ms by the system's clock, or when it is told to, and keeps what it got: tests hear what
/// a user would. Keeps the last ten minutes. When the machine itself stood still, its clock did, too.
class SimulatedDevice final : public AudioDevice {
 public:
  enum class Clock {
    system,
    by_hand,  ///< time goes on in advance() only
  };
  explicit SimulatedDevice(double rate, Clock clock = Clock::system);
  ~SimulatedDevice() override;
  std::string name() const override { return "simulated"; }
  void start(SoundSource& source) override;
  void stop() override;
  bool simulated() const override { return true; }

  /// By hand: 10 ms more are pulled, on the caller's thread, when it has been started.
  void advance();
  /// As if it had been unplugged: it pulls no more, and says so when `tells`.
  void unplug(bool tells);
  /// Its clock runs so much faster than the system's, in parts of a million. Not while it is
  /// started.
  void set_clock_ppm(double ppm) { clock_ppm_ = ppm; }
  bool lost() const override { return tells_lost_; }

  /// All that was played so far (the left and right channel interleaved). Thread-safe.
  std::vector<float> played() const;
  void forget();
  /// From now on it has inputs, which hear this, from its beginning. Not while it is started.
  void hear(SimulatedMicrophone microphone, std::string name = "simulated");
  int inputs() const override { return inputs_; }
  std::string input_name() const override { return inputs_ > 0 ? input_name_ : ""; }

 private:
  void run(const std::stop_token& stop, SoundSource& source);
  void pull(SoundSource& source);
  void hear_block();

  double rate_;
  Clock clock_;
  std::jthread thread_;
  mutable std::mutex mutex_;
  std::mutex source_mutex_;        // of source_, held while it is pulled from
  SoundSource* source_ = nullptr;  // by hand
  std::vector<float> block_, played_;
  SimulatedMicrophone microphone_;
  std::string input_name_;
  int inputs_ = 0;
  double clock_ppm_ = 0;
  Samples heard_ = 0;                   // frames of the microphone's sound so far
  std::vector<float> in_block_, back_;  // back_: played, on its way to the microphone
  std::atomic<bool> unplugged_{false}, tells_lost_{false};
};

/// The output that is wished for, at `rate` Hz; nullptr where there is none. Where the environment
/// says DREVAN_AUDIO=simulated, a SimulatedDevice, whose microphone plays the file that
/// DREVAN_MICROPHONE names, or, where that is "loopback:N", hears what is played N frames later;
/// its "second simulated" input hears the same by a clock of its own.
std::unique_ptr<AudioDevice> find_device(double rate, const OutputWish& wish = {});
/// The same, or a SimulatedDevice where there is none.
std::unique_ptr<AudioDevice> open_device(double rate, const OutputWish& wish = {});

}  // namespace drevan
