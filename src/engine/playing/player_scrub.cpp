// SPDX-License-Identifier: GPL-3.0-or-later
// The playhead dragged while nothing plays: short pieces are heard. On the run-ahead thread, but for
// the wish.
#include <cmath>

#include "engine/playing/player.h"

namespace drevan {

namespace {
// A piece is long enough for a vowel to be known, and heard long enough that pieces in a row do not
// buzz. Common practice, no source.
constexpr double piece_s = 0.085, least_s = 0.04;
}  // namespace

void Player::scrub(Samples position) {
  const std::lock_guard lock(mutex_);
  if (request_.playing || playing_) {
    request_.seek = position;
  } else {
    request_.seek.reset();
    request_.scrub = position;
    position_ = position;
  }
  requested();
}

// Starts the piece that is wished for; there is none beyond the end, or without a clip.
void Player::begin_scrub() {
  resume_at_ = *now_.scrub;
  if (!now_.plan || !device_ready()) return;
  run_ = make_programme(now_.plan);
  if (resume_at_ < 0 || resume_at_ >= run_->end()) {
    run_.reset();
    return;
  }
  start_run(resume_at_);
  scrub_done_ = 0;
  scrub_left_ = std::lround(piece_s * rate_);
}

// Makes the next packet of a piece; false: none is heard, and none is to begin.
bool Player::scrub_on(PlayPacket& packet) {
  if (scrub_left_ <= 0) {
    if (run_ || now_.playing || !now_.scrub) return false;
    begin_scrub();
    if (scrub_left_ <= 0) return true;
    now_.scrub.reset();
  }
  const bool old_enough = static_cast<double>(scrub_done_) >= least_s * rate_;
  const bool ends = scrub_left_ <= PlayPacket::frames || now_.playing || now_.seek ||
                    (now_.scrub && old_enough) || !now_.plan;
  now_.loop.reset();
  fade_out_ = ends;
  make_packet(packet);
  packet.scrubbed = true;
  packet.last = ends;
  expecting_ = !ends;
  ring_.push();
  scrub_left_ -= PlayPacket::frames;
  scrub_done_ += PlayPacket::frames;
  if (ends) {
    run_.reset();
    scrub_left_ = 0;
  }
  give_back_seek();
  return true;
}

}  // namespace drevan
