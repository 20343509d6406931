// SPDX-License-Identifier: GPL-3.0-or-later
// Sample buffers: planar 32-bit float, channels x frames, full scale at +-1.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace drevan {

/// A count of frames, or a position in frames. Signed, so that differences are plain.
using Samples = std::int64_t;

/// The most channels any stream may have; files with more are refused by the reader.
inline constexpr int max_channels = 16;

/// What a stream of blocks looks like; fixed while the stream lives.
struct StreamFormat {
  double rate = 48000;   ///< Hz, 8000 to 384000
  int channels = 1;      ///< 1 to max_channels
  int max_block = 4096;  ///< frames; no block is longer
};

/// A half-open range of frames [begin, end).
struct FrameRange {
  Samples begin = 0;
  Samples end = 0;
  Samples length() const { return end - begin; }
  bool empty() const { return end <= begin; }
  friend bool operator==(const FrameRange&, const FrameRange&) = default;
};

/// A view of planar samples, channels x frames. Owns nothing; cheap to copy.
class AudioBlock {
 public:
  AudioBlock() = default;
  /// `channels` must hold `channel_count` pointers to at least `frames` samples each.
  AudioBlock(float* const* channels, int channel_count, int frames) noexcept
      : channel_count_(std::min(channel_count, max_channels)), frames_(frames) {
    for (int c = 0; c < channel_count_; ++c) data_[static_cast<size_t>(c)] = channels[c];
  }

  int channels() const noexcept { return channel_count_; }
  int frames() const noexcept { return frames_; }
  std::span<float> channel(int c) const noexcept {
    return {data_[static_cast<size_t>(c)], static_cast<size_t>(frames_)};
  }
  /// The frames [from, from + count) of this block.
  AudioBlock part(int from, int count) const noexcept {
    AudioBlock out = *this;
    for (int c = 0; c < channel_count_; ++c) out.data_[static_cast<size_t>(c)] += from;
    out.frames_ = count;
    return out;
  }
  /// Its first `channels` channels; no more than it has.
  AudioBlock first(int channels) const noexcept {
    AudioBlock out = *this;
    out.channel_count_ = std::min(channels, channel_count_);
    return out;
  }
  void clear() const noexcept {
    for (int c = 0; c < channel_count_; ++c) std::ranges::fill(channel(c), 0.0F);
  }
  /// Copies the common part of channels and frames.
  void copy_from(const AudioBlock& other) const noexcept {
    const int n = std::min(frames_, other.frames_);
    for (int c = 0; c < std::min(channel_count_, other.channel_count_); ++c)
      std::copy_n(other.channel(c).data(), n, channel(c).data());
  }
  /// The same, but where `other` has fewer channels its last one goes on: a mono sound stands in
  /// all.
  void spread_from(const AudioBlock& other) const noexcept {
    const int n = std::min(frames_, other.frames_);
    for (int c = 0; c < channel_count_; ++c)
      std::copy_n(other.channel(std::min(c, other.channel_count_ - 1)).data(), n,
                  channel(c).data());
  }

 private:
  std::array<float*, max_channels> data_{};
  int channel_count_ = 0;
  int frames_ = 0;
};

/// Owns planar samples, channels x frames, zeroed at birth.
class AudioBuffer {
 public:
  AudioBuffer() = default;
  AudioBuffer(int channels, Samples frames)
      : data_(static_cast<size_t>(channels) * static_cast<size_t>(frames)),
        channels_(channels),
        frames_(frames) {}

  int channels() const { return channels_; }
  Samples frames() const { return frames_; }
  std::span<float> channel(int c) {
    return {data_.data() + static_cast<size_t>(c) * static_cast<size_t>(frames_),
            static_cast<size_t>(frames_)};
  }
  std::span<const float> channel(int c) const {
    return {data_.data() + static_cast<size_t>(c) * static_cast<size_t>(frames_),
            static_cast<size_t>(frames_)};
  }
  /// The frames [from, from + count); the caller keeps within frames().
  AudioBlock block(Samples from, int count) {
    std::array<float*, max_channels> p{};
    for (int c = 0; c < channels_; ++c) p[static_cast<size_t>(c)] = channel(c).data() + from;
    return {p.data(), channels_, count};
  }
  AudioBlock block() { return block(0, static_cast<int>(frames_)); }
  /// Keeps only the first `frames` frames, no more than there are.
  void shorten(Samples frames) {
    for (int c = 1; c < channels_; ++c)
      std::copy_n(data_.begin() + c * frames_, frames, data_.begin() + c * frames);
    frames_ = frames;
    data_.resize(static_cast<size_t>(channels_) * static_cast<size_t>(frames));
  }

 private:
  std::vector<float> data_;
  int channels_ = 0;
  Samples frames_ = 0;
};

}  // namespace drevan
