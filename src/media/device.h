// Sound out: a real device by RtAudio, or a simulated one with a real clock.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>
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
};

/// A stereo output. Stops when destroyed.
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
  /// Times the device said since start() that it had to wait for sound.
  virtual long dropouts() const { return 0; }
};

/// What an output is asked for.
struct OutputWish {
  std::string driver{};     ///< see OutputDevice; empty: the first that has a device
  std::string name{};       ///< of the device; empty: the driver's standard
  int first_channel = 0;    ///< left goes here, right to the next
  int buffer_frames = 256;  ///< 16 to 8192; two such buffers lie between pull() and the device
  bool or_another = true;   ///< where there is none of this name, the standard is taken
  friend bool operator==(const OutputWish&, const OutputWish&) = default;
};

/// An output there is.
struct OutputDevice {
  std::string driver;  ///< "jack", "pulse", "alsa" or "simulated"
  std::string name;
  int channels = 2;  ///< of which the two to play on can be chosen
  bool standard = false;
  friend bool operator==(const OutputDevice&, const OutputDevice&) = default;
};

/// All outputs of all drivers, the driver's standard first; asks every sound server, so it may take
/// a while. Where the environment says DREVAN_AUDIO=simulated, there is one, simulated.
std::vector<OutputDevice> output_devices();
/// "PulseAudio or PipeWire" for "pulse".
std::string driver_label(std::string_view driver);

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
  bool lost() const override { return tells_lost_; }

  /// All that was played so far (the left and right channel interleaved). Thread-safe.
  std::vector<float> played() const;
  void forget();

 private:
  void run(const std::stop_token& stop, SoundSource& source);
  void pull(SoundSource& source);

  double rate_;
  Clock clock_;
  std::jthread thread_;
  mutable std::mutex mutex_;
  std::mutex source_mutex_;       // of source_, held while it is pulled from
  SoundSource* source_ = nullptr; // by hand
  std::vector<float> block_, played_;
  std::atomic<bool> unplugged_{false}, tells_lost_{false};
};

/// The output that is wished for, at `rate` Hz; nullptr where there is none. Where the environment
/// says DREVAN_AUDIO=simulated, a SimulatedDevice.
std::unique_ptr<AudioDevice> find_device(double rate, const OutputWish& wish = {});
/// The same, or a SimulatedDevice where there is none.
std::unique_ptr<AudioDevice> open_device(double rate, const OutputWish& wish = {});

}  // namespace drevan
