#include "media/device.h"

#include <chrono>
#include <cmath>

namespace drevan {

SimulatedDevice::SimulatedDevice(double rate, Clock clock) : rate_(rate), clock_(clock), block_(static_cast<size_t>(std::lround(rate / 100)) * 2) {}
SimulatedDevice::~SimulatedDevice() { SimulatedDevice::stop(); }

void SimulatedDevice::start(SoundSource& source) {
  stop();
  if (clock_ == Clock::by_hand) {
    const std::lock_guard lock(source_mutex_);
    source_ = &source;
    return;
  }
  thread_ = std::jthread([this, &source](const std::stop_token& token) { run(token, source); });
}

void SimulatedDevice::stop() {
  thread_.request_stop();
  if (thread_.joinable()) thread_.join();
  const std::lock_guard lock(source_mutex_);
  source_ = nullptr;
}

void SimulatedDevice::advance() {
  const std::lock_guard lock(source_mutex_);
  if (source_) pull(*source_);
}

void SimulatedDevice::unplug(bool tells) {
  unplugged_ = true;
  tells_lost_ = tells;
}

void SimulatedDevice::pull(SoundSource& source) {
  if (unplugged_) return;
  const size_t most = static_cast<size_t>(rate_) * 2 * 600;
  source.pull(block_.data(), static_cast<int>(block_.size() / 2));
  const std::lock_guard lock(mutex_);
  if (played_.size() + block_.size() > most)
    played_.erase(played_.begin(), played_.begin() + static_cast<std::ptrdiff_t>(most / 2));
  played_.insert(played_.end(), block_.begin(), block_.end());
}

void SimulatedDevice::run(const std::stop_token& stop, SoundSource& source) {
  auto due = std::chrono::steady_clock::now();
  while (!stop.stop_requested()) {
    pull(source);
    due += std::chrono::milliseconds(10);
    std::this_thread::sleep_until(due);
    // A machine that stood still for a while plays on from here; it does not pull what it missed in
    // one go, which no source could be ready for.
    const auto now = std::chrono::steady_clock::now();
    if (now - due > std::chrono::milliseconds(20)) due = now;
  }
}

std::vector<float> SimulatedDevice::played() const {
  const std::lock_guard lock(mutex_);
  return played_;
}

void SimulatedDevice::forget() {
  const std::lock_guard lock(mutex_);
  played_.clear();
}

std::unique_ptr<AudioDevice> open_device(double rate, const OutputWish& wish) {
  auto found = find_device(rate, wish);
  return found ? std::move(found) : std::make_unique<SimulatedDevice>(rate);
}

}  // namespace drevan
