// SPDX-License-Identifier: GPL-3.0-or-later
// Sound of a device for another whose clock is not quite the same: both clocks are followed, and
// the sound is read as much faster or slower as they differ.
#pragma once

#include <atomic>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fractional_delay.h"

namespace drevan {

/// When a device's frames come, by the system's clock, although its calls come late now and then: a
/// delay-locked loop (F. Adriaensen, "Using a DLL to filter time", Linux Audio Conference 2005),
/// whose bandwidth falls from 1 Hz to 0.02 Hz within half a minute. Real-time safe.
class DeviceClock {
 public:
  explicit DeviceClock(double rate);
  /// `frames` more were there at `now_s`. Where frames were lost it begins anew.
  void count(int frames, double now_s) noexcept;
  /// Begins anew with the next count().
  void restart() noexcept { begun_ = false; }
  /// Frames that were counted.
  Samples frames() const noexcept { return frames_; }
  /// When the last of them came, smoothed.
  double time_s() const noexcept { return time_s_; }
  double frames_per_second() const noexcept { return 1 / period_s_; }

 private:
  void begin(double now_s) noexcept;

  double rate_, period_s_;  // of a frame
  double time_s_ = 0, since_s_ = 0;
  Samples frames_ = 0;
  bool begun_ = false;
  double usual_error_s_ = 0.02;  // by which calls come beside their time
  double off_for_s_ = 0;         // so long all come far beside it
};

/// The far device's thread writes, the near one's reads. Real-time safe but for construction.
class ClockBridge {
 public:
  /// `far_frames`, `near_frames`: what the devices give and take at a time.
  ClockBridge(int channels, double rate, int far_frames, int near_frames);
  /// The next frames, the channel c of frame i at in[i * stride + c]; the last came at `now_s`.
  void write(const float* in, int stride, int frames, double now_s) noexcept;
  /// The next frames, the channel c of frame i at out[i * stride + c]: what came lag() frames
  /// before. Silence where the far device gives nothing.
  void read(float* out, int stride, int frames, double now_s) noexcept;
  /// Frames by which the sound is held back. It may grow in the first two seconds, when calls come
  /// later than was expected, and stays then. Thread-safe.
  Samples lag() const noexcept { return lag_.load(std::memory_order_relaxed); }

 private:
  struct FarTime {
    double frames = 0, time_s = 0, per_second = 0;
  };
  void publish() noexcept;
  bool far_time(FarTime& to) const noexcept;
  void drain() noexcept;

  double rate_;
  DeviceClock far_, near_;
  std::vector<float> ring_;  // interleaved
  std::atomic<size_t> written_{0}, read_{0};
  std::atomic<unsigned> version_{0};  // odd while the three are being written
  std::atomic<double> far_frames_{0}, far_time_s_{0}, far_per_second_{0};
  std::atomic<Samples> lag_;

  // The near side's.
  std::vector<FractionalDelay> delays_;
  Samples come_ = 0;  // frames in the delays
  double at_ = 0;     // of the far frames, the last that was read
  double step_ = 1;   // far frames for each near one
  bool reading_ = false;
  double learnt_s_ = 0;
};

}  // namespace drevan
