// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/playing/player_inputs.h"

#include <chrono>
#include <thread>

namespace drevan {

void PlayerInputs::hear_with(std::shared_ptr<InputTap> tap) {
  tap_.store(tap.get());
  // The device's thread may be about to call the old one.
  while (in_block_.load()) std::this_thread::sleep_for(std::chrono::microseconds(100));
  kept_ = std::move(tap);
}

void PlayerInputs::set_own_voice(std::uint64_t left, std::uint64_t right) {
  left_ = left;
  right_ = right;
}

void PlayerInputs::take(const float* interleaved, int channels, int frames) noexcept {
  in_ = interleaved;
  channels_ = channels;
  frames_ = frames;
}

void PlayerInputs::begin_block() noexcept { piece_count_ = 0; }

void PlayerInputs::note(int offset, Samples position, bool playing) noexcept {
  if (piece_count_ > 0) {
    const PlayedPiece& last = pieces_[piece_count_ - 1];
    const bool goes_on =
        playing == last.playing && (!playing || last.position + offset - last.offset == position);
    if (goes_on || piece_count_ == pieces_.size()) return;
  }
  pieces_[piece_count_++] = {offset, position, playing};
}

void PlayerInputs::end_block(float* interleaved, int frames, Samples over_at) noexcept {
  if (!in_) return;
  const auto left = left_.load(std::memory_order_relaxed);
  const auto right = right_.load(std::memory_order_relaxed);
  const int n = frames < frames_ ? frames : frames_;
  for (int c = 0; c < channels_ && (left | right) != 0; ++c) {
    const auto bit = std::uint64_t{1} << static_cast<unsigned>(c);
    for (int i = 0; i < n; ++i) {
      const float x =
          in_[static_cast<size_t>(i) * static_cast<size_t>(channels_) + static_cast<size_t>(c)];
      if (left & bit) interleaved[2 * static_cast<size_t>(i)] += x;
      if (right & bit) interleaved[2 * static_cast<size_t>(i) + 1] += x;
    }
  }
  in_block_.store(true);
  if (InputTap* tap = tap_.load())
    tap->hear({in_, channels_, n, std::span(pieces_).first(piece_count_), over_at});
  in_block_.store(false);
  in_ = nullptr;
}

}  // namespace drevan
