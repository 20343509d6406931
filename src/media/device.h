// Sound out: a real device by RtAudio, or a simulated one with a real clock.
#pragma once

#include <memory>
#include <mutex>
#include <string>
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
};

/// Pulls 10 ms every 10 ms by the system's clock and keeps what it got: tests hear what a user
/// would. Keeps the last ten minutes. When the machine itself stood still, its clock did, too.
class SimulatedDevice final : public AudioDevice {
 public:
  explicit SimulatedDevice(double rate);
  ~SimulatedDevice() override;
  std::string name() const override { return "simulated"; }
  void start(SoundSource& source) override;
  void stop() override;
  bool simulated() const override { return true; }

  /// All that was played so far (the left and right channel interleaved). Thread-safe.
  std::vector<float> played() const;
  void forget();

 private:
  void run(const std::stop_token& stop, SoundSource& source);

  double rate_;
  std::jthread thread_;
  mutable std::mutex mutex_;
  std::vector<float> played_;
};

/// The system's standard output at `rate` Hz, or, where there is none, or where the environment
/// says DREVAN_AUDIO=simulated, a SimulatedDevice.
std::unique_ptr<AudioDevice> open_device(double rate);

}  // namespace drevan
