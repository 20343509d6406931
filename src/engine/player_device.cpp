// The player's device: started, lost, looked for. On the run-ahead thread.
#include <chrono>
#include <cmath>

#include "audio/error.h"
#include "engine/player.h"

namespace drevan {

// Starts it where that was not done yet; false, with what is wrong told, when it cannot be.
bool Player::device_ready() {
  if (lost_) {
    looked_at_ = {};
    look_for_device();
  }
  if (lost_) {
    tell("No sound device is there. Connect one, or start the sound server; playing can then be started again.");
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
    pulled_at_ = std::chrono::steady_clock::now();
    return true;
  } catch (const Error& e) {
    lost_ = find_ != nullptr;
    tell(e.what());
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
  return started_ && (device_->lost() || (find_ && ring_.full() && now - pulled_at_ > std::chrono::seconds(3)));
}

void Player::lose_device() {
  const auto name = device_->name();
  device_->stop();
  // Nobody reads the ring now.
  while (ring_.front()) ring_.pop();
  taken_ = 0;
  started_ = false;
  lost_ = true;
  looked_at_ = std::chrono::steady_clock::now();
  const bool was_playing = playing_;
  stop_playing();
  const std::lock_guard lock(mutex_);
  request_stop_here();
  playing_ = false;
  resume_at_ = position_.load();
  error_ = "The sound device " + name + (was_playing ? " is gone, so playing is paused" : " is gone") + ". It is used again, or another, as soon as one is there.";
}

void Player::look_for_device() {
  const auto now = std::chrono::steady_clock::now();
  if (!find_ || now - looked_at_ < std::chrono::seconds(1)) return;
  looked_at_ = now;
  auto found = find_();
  if (!found) return;
  const auto told = "The sound device " + found->name() + " is there; play on.";
  take_device(std::move(found));
  tell(told);
}

void Player::take_device(std::unique_ptr<AudioDevice> device) {
  const std::lock_guard lock(mutex_);
  device_ = std::move(device);
  silent_ = device_->simulated();
  lost_ = false;
}

}  // namespace drevan
