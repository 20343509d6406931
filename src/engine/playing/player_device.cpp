// SPDX-License-Identifier: GPL-3.0-or-later
// The player's device: started, lost, looked for. On the run-ahead thread.
#include <chrono>
#include <cmath>

#include "audio/error.h"
#include "engine/playing/player.h"

namespace drevan {

// Starts it where that was not done yet; false, with what is wrong told, when it cannot be.
bool Player::device_ready() {
  if (lost_) {
    looked_at_ = {};
    look_for_device();
  }
  if (lost_) {
    tell(
        {"No sound device is there. Connect one, or start the sound server; playing can then be "
         "started again.",
         Cause::device,
         {}});
    return false;
  }
  // Where there was none at first, one may have come since.
  const auto now = std::chrono::steady_clock::now();
  if (silent_ && find_ && !run_ && now - looked_at_ > std::chrono::seconds(1)) {
    looked_at_ = now;
    if (auto found = find_(); found && !found->simulated()) {
      device_->stop();
      started_ = false;
      take_device(std::move(found));
    }
  }
  if (started_) return true;
  try {
    device_->start(*this);
    started_ = true;
    ring_.serve(device_->buffer_frames());
    pulled_at_ = std::chrono::steady_clock::now();
    return true;
  } catch (const Error& e) {
    lost_ = find_ != nullptr;
    tell(problem_of(e));
    return false;
  }
}

// It says so, or has asked for nothing for three seconds although there is sound: some servers fill two at first.
bool Player::device_is_lost() {
  const auto now = std::chrono::steady_clock::now();
  if (const long pulls = pulls_.load(); pulls != pulls_seen_) {
    pulls_seen_ = pulls;
    pulled_at_ = now;
  }
  return started_ &&
         (device_->lost() || (find_ && ring_.full() && now - pulled_at_ > std::chrono::seconds(3)));
}

void Player::lose_device() {
  const auto name = device_->name();
  device_->stop();
  // Nobody reads the ring now.
  while (ring_.front()) ring_.pop();
  taken_ = 0;
  sounding_ = false;
  started_ = false;
  lost_ = lost_now_ = true;
  const bool was_playing = playing_;
  play_when_found_ = was_playing && plays_on_;
  looked_at_ =
      play_when_found_ ? std::chrono::steady_clock::time_point{} : std::chrono::steady_clock::now();
  stop_playing();
  const std::lock_guard lock(mutex_);
  request_stop_here();
  playing_ = false;
  resume_at_ = position_.load();
  error_ = {"The sound device " + name +
                (was_playing ? " is gone, so playing is paused" : " is gone") +
                ". It is used again, or another, as soon as one is there.",
            Cause::device,
            {}};
}

void Player::look_for_device() {
  const auto now = std::chrono::steady_clock::now();
  if (!find_ || now - looked_at_ < std::chrono::seconds(1)) return;
  looked_at_ = now;
  auto found = find_();
  if (!found) return;
  const bool plays = std::exchange(play_when_found_, false);
  const auto told = "The sound device " + found->name() +
                    (plays ? " is there and plays on." : " is there; play on.");
  take_device(std::move(found));
  if (keep_open_) device_ready();
  tell({told, Cause::device, {}});
  if (plays) play();
}

void Player::take_device(std::unique_ptr<AudioDevice> device) {
  const std::lock_guard lock(mutex_);
  device_ = std::move(device);
  silent_ = device_->simulated();
  lost_ = lost_now_ = false;
}

Player::DeviceFacts Player::device_facts() const {
  const std::lock_guard lock(mutex_);
  return {device_->name(),
          device_->latency_s(),
          device_->dropouts() + underruns_.load(),
          device_->simulated(),
          lost_now_.load(),
          device_->buffer_frames(),
          device_->input_name(),
          device_->inputs(),
          device_->input_sources(),
          serving_ || other_device_.has_value()};
}

void Player::use_device(FindDevice find) {
  const std::lock_guard lock(mutex_);
  other_device_ = std::move(find);
  requested();
}

void Player::play_over(std::vector<float> stereo) {
  over_sound_ = nullptr;
  ++over_number_;
  // The device may be in the midst of the last one.
  while (pulling_.load()) std::this_thread::sleep_for(std::chrono::microseconds(100));
  over_kept_ = std::move(stereo);
  over_sound_ = &over_kept_;
  ++over_number_;
  const std::lock_guard lock(mutex_);
  open_wanted_ = true;
  requested();
}

void Player::keep_open(bool on) {
  keep_open_ = on;
  const std::lock_guard lock(mutex_);
  open_wanted_ = on;
  requested();
}

// False: there were none.
bool Player::serve_device_wishes() {
  std::optional<FindDevice> find;
  bool open = false;
  {
    const std::lock_guard lock(mutex_);
    find = std::exchange(other_device_, std::nullopt);
    open = std::exchange(open_wanted_, false);
  }
  if (find) change_device(std::move(*find));
  if (open) device_ready();
  if (!find && !open) return false;
  const std::lock_guard lock(mutex_);
  serving_ = false;
  return true;
}

// The old one is let go first: some drivers lend a device to one stream alone.
void Player::change_device(FindDevice find) {
  const bool at_work = started_;
  find_ = std::move(find);
  device_->stop();
  started_ = false;
  auto found = find_ ? find_() : nullptr;
  if (!found) {
    lose_device();
    return tell({"The chosen sound device is not there; choose another, or connect it.",
                 Cause::device,
                 {}});
  }
  underruns_ = 0;
  take_device(std::move(found));
  if (at_work || keep_open_) device_ready();
}

}  // namespace drevan
