// SPDX-License-Identifier: GPL-3.0-or-later
// Between the thread that makes sound ahead and the device that plays it: lock-free, one writer,
// one reader.
#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cstddef>
#include <span>

#include "audio/buffer.h"
#include "steps/step.h"

namespace drevan {

/// A piece of stereo sound with all that the screen shows while it is heard.
struct PlayPacket {
  static constexpr int frames = 256;
  std::array<float, size_t{2} * frames> sound{};  ///< interleaved
  std::array<float, size_t{2} * frames> heard{};  ///< the same on the device one listens on
  Samples position = 0;                           ///< of its first frame in the clip
  std::array<float, 2> peak{};                    ///< left, right
  std::array<float, max_readings> readings{};     ///< of the step in focus
  int reading_count = 0;
  bool scrubbed = false;  ///< heard while nothing plays: the playhead stays where it is
  bool first = false;     ///< playing starts with this one
  bool last = false;      ///< playing stops after this one
  Samples resume_at = 0;  ///< where the playhead goes then
};

/// Holds 12 packets, 64 ms at 48 kHz, the time a turned knob may take to be heard; more where the
/// device asks for more at once.
class PlayRing {
 public:
  static constexpr size_t capacity = 72, usual = 12;

  /// How much is made ahead for a device that asks for so many frames at once. Writer only.
  void serve(int frames) noexcept {
    const auto packets = 2 * (static_cast<size_t>(frames) / PlayPacket::frames + 1);
    limit_.store(std::clamp(packets, usual, capacity), std::memory_order_relaxed);
  }
  /// Frames that lie ready. Reader only.
  int ready() const noexcept {
    return static_cast<int>(written_.load(std::memory_order_acquire) -
                            read_.load(std::memory_order_relaxed)) *
           PlayPacket::frames;
  }

  /// The place to write the next packet, nullptr when full. Writer only.
  PlayPacket* back() noexcept {
    return full() ? nullptr : &packets_[written_.load(std::memory_order_relaxed) % capacity];
  }
  bool full() const noexcept {
    return written_.load(std::memory_order_acquire) - read_.load(std::memory_order_acquire) >=
           limit_.load(std::memory_order_relaxed);
  }
  void push() noexcept { written_.fetch_add(1, std::memory_order_release); }

  /// The oldest packet, nullptr when empty. Reader only.
  const PlayPacket* front() const noexcept {
    return read_.load(std::memory_order_relaxed) == written_.load(std::memory_order_acquire)
               ? nullptr
               : &packets_[read_.load(std::memory_order_relaxed) % capacity];
  }
  void pop() noexcept { read_.fetch_add(1, std::memory_order_release); }

 private:
  std::array<PlayPacket, capacity> packets_;
  std::atomic<size_t> written_{0}, read_{0}, limit_{usual};
};

/// Samples for a picture: what does not fit is dropped. One writer, one reader.
class ScopeRing {
 public:
  void write(std::span<const float> in) noexcept {
    const size_t at = written_.load(std::memory_order_relaxed);
    if (at + in.size() - read_.load(std::memory_order_acquire) > data_.size()) return;
    for (size_t i = 0; i < in.size(); ++i) data_[(at + i) % data_.size()] = in[i];
    written_.store(at + in.size(), std::memory_order_release);
  }
  size_t read(std::span<float> out) noexcept {
    const size_t at = read_.load(std::memory_order_relaxed);
    const size_t n = std::min(out.size(), written_.load(std::memory_order_acquire) - at);
    for (size_t i = 0; i < n; ++i) out[i] = data_[(at + i) % data_.size()];
    read_.store(at + n, std::memory_order_release);
    return n;
  }

 private:
  std::array<float, 16384> data_{};
  std::atomic<size_t> written_{0}, read_{0};
};

}  // namespace drevan
