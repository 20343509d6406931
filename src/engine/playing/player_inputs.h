// SPDX-License-Identifier: GPL-3.0-or-later
// What the device's inputs give while a player plays: who hears them, and one's own voice.
#pragma once

#include <array>
#include <atomic>
#include <cstdint>
#include <memory>
#include <span>

#include "audio/buffer.h"

namespace drevan {

/// From `offset` of a block on, up to the next piece, so much of what is played was given to the
/// device.
struct PlayedPiece {
  int offset = 0;
  Samples position = 0;
  bool playing = false;  ///< otherwise nothing was, and `position` means nothing
};

/// A block of the inputs, interleaved, with what was played at the same time.
struct InputBlock {
  const float* interleaved = nullptr;
  int channels = 0, frames = 0;
  std::span<const PlayedPiece> played{};
  Samples over_at = -1;  ///< frame of what was played over it, see Player::play_over(); -1: none
};

/// What hears inputs. hear() is called on the device's thread: it must not allocate, lock, touch
/// files or throw.
class InputTap {
 public:
  virtual ~InputTap() = default;
  virtual void hear(const InputBlock& block) noexcept = 0;
};

/// The player's side of the inputs. hear_with() and set_own_voice() are for the interface's thread,
/// the rest is the device's.
class PlayerInputs {
 public:
  /// Hears from now on; nullptr: nobody does. When it returns the last one is not called any more.
  void hear_with(std::shared_ptr<InputTap> tap);
  /// Bits of the inputs that are heard left and right as they come in.
  void set_own_voice(std::uint64_t left, std::uint64_t right);

  void take(const float* interleaved, int channels, int frames) noexcept;
  void begin_block() noexcept;
  /// What follows each other in a block makes one piece.
  void note(int offset, Samples position, bool playing) noexcept;
  /// Adds one's own voice to what is played, and lets the tap hear.
  void end_block(float* interleaved, int frames, Samples over_at) noexcept;

 private:
  std::shared_ptr<InputTap> kept_;
  std::atomic<InputTap*> tap_{nullptr};
  std::atomic<bool> in_block_{false};
  std::atomic<std::uint64_t> left_{0}, right_{0};

  const float* in_ = nullptr;
  int channels_ = 0, frames_ = 0;
  std::array<PlayedPiece, 64> pieces_{};
  size_t piece_count_ = 0;
};

}  // namespace drevan
