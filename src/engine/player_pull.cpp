// The player's device side: on the device's own thread, copying alone.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "engine/player.h"

namespace drevan {

void Player::pull(float* interleaved, int frames) noexcept {
  pulls_.fetch_add(1, std::memory_order_relaxed);
  int done = 0;
  while (done < frames) {
    const PlayPacket* packet = ring_.front();
    if (!packet) {
      if (sounding_ && expecting_.load()) underruns_.fetch_add(1);
      std::fill(interleaved + size_t{2} * static_cast<size_t>(done),
                interleaved + size_t{2} * static_cast<size_t>(frames), 0.0F);
      break;
    }
    // Playing starts when there is enough for what the device asks for at once.
    const bool waits = taken_ == 0 && packet->first && !sounding_ && expecting_.load() &&
                       ring_.ready() < frames - done && !ring_.full();
    if (waits) {
      std::fill(interleaved + size_t{2} * static_cast<size_t>(done),
                interleaved + size_t{2} * static_cast<size_t>(frames), 0.0F);
      break;
    }
    if (taken_ == 0) {
      sounding_ = !packet->last;
      if (packet->first) playing_ = true;  // a packet that ended the sound before may lie between
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
    taken_ += n;
    done += n;
    position_.store(packet->position + taken_, std::memory_order_relaxed);
    if (taken_ < PlayPacket::frames) continue;
    if (packet->last) {
      position_.store(packet->resume_at, std::memory_order_relaxed);
      playing_ = false;
    }
    taken_ = 0;
    ring_.pop();
  }
  if (tone_left_.load(std::memory_order_relaxed) > 0) add_tone(interleaved, frames);
}

// 1 kHz at -20 dBFS, left first; faded by 10 ms at its ends.
void Player::add_tone(float* interleaved, int frames) noexcept {
  const int each = static_cast<int>(rate_), fade = each / 100;
  int left = tone_left_.load(std::memory_order_relaxed);
  for (int i = 0; i < frames && left > 0; ++i, --left) {
    const int at = (2 * each - left) % each;
    const double envelope =
        std::min({1.0, static_cast<double>(at) / fade, static_cast<double>(each - at) / fade});
    const size_t channel = left > each ? 0 : 1;
    interleaved[2 * static_cast<size_t>(i) + channel] +=
        static_cast<float>(0.1 * envelope * std::sin(2 * std::numbers::pi * 1000 * at / rate_));
  }
  tone_left_.store(left, std::memory_order_relaxed);
}

}  // namespace drevan
