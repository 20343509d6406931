// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/clock_bridge.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace drevan {

namespace {
constexpr double widest_hz = 1, narrowest_hz = 0.02, narrowing = 0.5;  // Hz x s
constexpr double corrected_within_s = 1;  // what is off, so that the speed never jumps
constexpr double lost_s = 0.005, unusual = 4, usual_within_s = 0.5, lost_within_s = 0.25,
                 known_anew_s = 1;
constexpr double margin_s = 0.010, more_s = 0.005, most_lag_s = 0.2, learning_s = 2;
constexpr double kept_s = 1;  // of the far device's sound
}  // namespace

// --- DeviceClock ---

DeviceClock::DeviceClock(double rate) : rate_(rate), period_s_(1 / rate) {}

// How fast it runs is known already, when it begins once more.
void DeviceClock::begin(double now_s) noexcept {
  begun_ = true;
  time_s_ = now_s;
  since_s_ = std::min(since_s_, known_anew_s);
  off_for_s_ = 0;
}

void DeviceClock::count(int frames, double now_s) noexcept {
  frames_ += frames;
  if (!begun_) return begin(now_s);
  const double block_s = frames / rate_;
  const double expected_s = time_s_ + frames * period_s_;
  const double error_s = now_s - expected_s;
  time_s_ = expected_s;
  since_s_ += block_s;
  // One call that comes much later than the others tells nothing; when all do, frames were lost.
  if (std::abs(error_s) > std::max(lost_s, unusual * usual_error_s_)) {
    off_for_s_ += block_s;
    if (off_for_s_ > lost_within_s) begin(now_s);
    return;
  }
  off_for_s_ = 0;
  usual_error_s_ += std::min(1.0, block_s / usual_within_s) * (std::abs(error_s) - usual_error_s_);
  const double hz = std::clamp(narrowing / since_s_, narrowest_hz, widest_hz);
  // Larger steps than these would swing.
  const double w = std::min(0.3, 2 * std::numbers::pi * hz * block_s);
  time_s_ += std::numbers::sqrt2 * w * error_s;
  period_s_ += w * w * error_s / frames;
}

// --- ClockBridge ---

ClockBridge::ClockBridge(int channels, double rate, int far_frames, int near_frames)
    : rate_(rate),
      far_(rate),
      near_(rate),
      ring_(static_cast<size_t>(channels) * static_cast<size_t>(std::ceil(kept_s * rate))),
      lag_(std::llround(2 * far_frames + near_frames + margin_s * rate + FractionalDelay::taps)) {
  for (int c = 0; c < channels; ++c) delays_.emplace_back(2 * kept_s * rate);
}

void ClockBridge::write(const float* in, int stride, int frames, double now_s) noexcept {
  const size_t samples = static_cast<size_t>(frames) * delays_.size();
  const size_t at = written_.load(std::memory_order_relaxed);
  if (at + samples - read_.load(std::memory_order_acquire) > ring_.size()) {
    far_.restart();  // nobody reads: what is dropped is not counted
    return;
  }
  size_t to = at;
  for (int i = 0; i < frames; ++i)
    for (size_t ch = 0; ch < delays_.size(); ++ch)
      ring_[to++ % ring_.size()] = in[static_cast<size_t>(i) * static_cast<size_t>(stride) + ch];
  written_.store(at + samples, std::memory_order_release);
  far_.count(frames, now_s);
  publish();
}

void ClockBridge::publish() noexcept {
  const unsigned version = version_.load(std::memory_order_relaxed);
  version_.store(version + 1);
  far_frames_.store(static_cast<double>(far_.frames()));
  far_time_s_.store(far_.time_s());
  far_per_second_.store(far_.frames_per_second());
  version_.store(version + 2);
}

// False: it was just being written.
bool ClockBridge::far_time(FarTime& to) const noexcept {
  const unsigned version = version_.load();
  to = {far_frames_.load(), far_time_s_.load(), far_per_second_.load()};
  return version % 2 == 0 && version_.load() == version;
}

void ClockBridge::drain() noexcept {
  const size_t to = written_.load(std::memory_order_acquire);
  size_t at = read_.load(std::memory_order_relaxed);
  for (; at < to; ++come_)
    for (auto& delay : delays_) delay.write(ring_[at++ % ring_.size()]);
  read_.store(at, std::memory_order_release);
}

void ClockBridge::read(float* out, int stride, int frames, double now_s) noexcept {
  // The time first: what it tells of must have been drained.
  FarTime far;
  bool known = false;
  for (int attempt = 0; attempt < 8 && !known; ++attempt) known = far_time(far);
  drain();
  near_.count(frames, now_s);
  const auto held_back = static_cast<double>(lag());
  if (known && far.frames > 0) {
    const double end = far.frames + (near_.time_s() - far.time_s) * far.per_second - 1 - held_back;
    const double step = far.per_second / near_.frames_per_second();
    const double off = end - at_ - step * frames;
    // What is further off than clocks go is another beginning.
    const bool jumps = !reading_ || std::abs(off) > lost_s * rate_;
    step_ = step + (jumps ? 0 : off / (corrected_within_s * rate_));
    if (jumps) at_ = end - step_ * frames;
  }
  const auto newest = static_cast<double>(come_ - 1);
  bool late = false;
  for (int i = 0; i < frames; ++i) {
    const double back = newest - (at_ + step_ * (i + 1));
    late = late || back < FractionalDelay::least;
    const bool there = back >= FractionalDelay::least && back < kept_s * rate_ && back <= newest;
    for (size_t c = 0; c < delays_.size(); ++c)
      out[static_cast<size_t>(i) * static_cast<size_t>(stride) + c] =
          there ? delays_[c].read(back) : 0.0F;
  }
  at_ += step_ * frames;
  reading_ = reading_ || (known && far.frames > 0);
  if (!reading_ || learnt_s_ > learning_s) return;
  learnt_s_ += frames / rate_;
  if (late && held_back < most_lag_s * rate_)
    lag_.store(static_cast<Samples>(held_back + more_s * rate_), std::memory_order_relaxed);
}

}  // namespace drevan
