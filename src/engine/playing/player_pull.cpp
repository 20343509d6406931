// SPDX-License-Identifier: GPL-3.0-or-later
// The player's device side: on the device's own thread, copying alone.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "engine/playing/player.h"

namespace drevan {

namespace {
constexpr double beep_hz = 1000, beep_s = 0.08, beep_level = 0.1;  // -20 dBFS
constexpr int beeps = 3;
}  // namespace

void Player::pull(float* interleaved, int frames) noexcept {
  pulls_.fetch_add(1, std::memory_order_relaxed);
  pulling_ = true;
  inputs_.begin_block();
  int done = 0;
  while (done < frames) {
    const PlayPacket* packet = ring_.front();
    if (!packet) {
      if (sounding_ && expecting_.load()) underruns_.fetch_add(1);
      play_silence(interleaved, done, frames, false, 0);
      break;
    }
    // Playing starts when there is enough for what the device asks for at once.
    const bool begins = taken_ == 0 && packet->first && !sounding_;
    if (begins && expecting_.load() && ring_.ready() < frames - done && !ring_.full()) {
      play_silence(interleaved, done, frames, false, 0);
      break;
    }
    const auto lead = lead_left_.load(std::memory_order_relaxed);
    if (begins && lead > 0 && !packet->scrubbed) {
      const int n = static_cast<int>(std::min<Samples>(lead, frames - done));
      play_silence(interleaved, done, done + n, true, packet->position - lead);
      // A pause ends it meanwhile.
      Samples expected = lead;
      lead_left_.compare_exchange_strong(expected, lead - n);
      done += n;
      continue;
    }
    if (taken_ == 0) {
      sounding_ = !packet->last;
      // A packet that ended the sound before may lie between.
      if (packet->first && !packet->scrubbed) playing_ = true;
      for (size_t c = 0; c < 2; ++c)
        if (packet->peak[c] > peaks_[c].load(std::memory_order_relaxed))
          peaks_[c] = packet->peak[c];
      if (packet->peak[0] > 1.0F || packet->peak[1] > 1.0F) over_ = true;
      for (int i = 0; i < packet->reading_count; ++i)
        readings_[static_cast<size_t>(i)].store(packet->readings[static_cast<size_t>(i)],
                                                std::memory_order_relaxed);
      reading_count_ = packet->reading_count;
      heard_.write(packet->sound);
    }
    const int n = std::min(frames - done, PlayPacket::frames - taken_);
    std::copy_n(packet->heard.data() + size_t{2} * static_cast<size_t>(taken_),
                size_t{2} * static_cast<size_t>(n),
                interleaved + size_t{2} * static_cast<size_t>(done));
    inputs_.note(done, packet->position + taken_, !packet->scrubbed);
    if (!packet->scrubbed) add_beeps(interleaved, done, done + n, packet->position + taken_);
    taken_ += n;
    done += n;
    if (!packet->scrubbed) position_.store(packet->position + taken_, std::memory_order_relaxed);
    if (taken_ < PlayPacket::frames) continue;
    if (packet->last && !packet->scrubbed) {
      position_.store(packet->resume_at, std::memory_order_relaxed);
      playing_ = false;
    }
    taken_ = 0;
    ring_.pop();
  }
  inputs_.end_block(interleaved, frames, add_over(interleaved, frames));
  pulling_ = false;
}

// While playing: the lead before it, counted by what will be played.
void Player::play_silence(float* interleaved, int from, int to, bool playing,
                          Samples position) noexcept {
  std::fill(interleaved + size_t{2} * static_cast<size_t>(from),
            interleaved + size_t{2} * static_cast<size_t>(to), 0.0F);
  inputs_.note(from, position, playing);
  if (playing) add_beeps(interleaved, from, to, position);
}

void Player::add_beeps(float* interleaved, int from, int to, Samples position) noexcept {
  const Samples goal = count_to_.load(std::memory_order_relaxed);
  if (goal < 0) return;
  const auto second = static_cast<Samples>(std::lround(rate_));
  const auto length = static_cast<Samples>(std::lround(rate_ * beep_s)), fade = length / 8;
  for (int i = from; i < to; ++i) {
    const Samples before = goal - (position + i - from);
    if (before <= 0 || before > beeps * second) continue;
    const Samples at = (second - before % second) % second;
    if (at >= length) continue;
    const double envelope =
        std::min({1.0, static_cast<double>(at) / static_cast<double>(fade),
                  static_cast<double>(length - at) / static_cast<double>(fade)});
    const auto x = static_cast<float>(
        beep_level * envelope *
        std::sin(2 * std::numbers::pi * beep_hz * static_cast<double>(at) / rate_));
    interleaved[2 * static_cast<size_t>(i)] += x;
    interleaved[2 * static_cast<size_t>(i) + 1] += x;
  }
}

// Returns which frame of it the block began with; -1: there is none.
Samples Player::add_over(float* interleaved, int frames) noexcept {
  if (const unsigned number = over_number_.load(); number != over_taken_) {
    over_taken_ = number;
    over_playing_ = over_sound_.load();
    over_at_ = 0;
  }
  if (!over_playing_ || over_at_ >= over_playing_->size()) return -1;
  const auto begin = static_cast<Samples>(over_at_ / 2);
  const size_t n = std::min(2 * static_cast<size_t>(frames), over_playing_->size() - over_at_);
  for (size_t i = 0; i < n; ++i) interleaved[i] += (*over_playing_)[over_at_ + i];
  over_at_ += n;
  return begin;
}

}  // namespace drevan
