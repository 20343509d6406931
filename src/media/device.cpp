// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/device.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "audio/guarded_thread.h"
#include "media/reader.h"

namespace drevan {

SimulatedDevice::SimulatedDevice(double rate, Clock clock)
    : rate_(rate), clock_(clock), block_(static_cast<size_t>(std::lround(rate / 100)) * 2) {}
SimulatedDevice::~SimulatedDevice() { SimulatedDevice::stop(); }

void SimulatedDevice::start(SoundSource& source) {
  stop();
  if (clock_ == Clock::by_hand) {
    const std::lock_guard lock(source_mutex_);
    source_ = &source;
    return;
  }
  thread_ = guarded_thread([this, &source](const std::stop_token& token) { run(token, source); },
                           [this](const Problem&) { unplug(true); });
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
  if (inputs_ > 0) {
    hear_block();
    source.take(in_block_.data(), inputs_, static_cast<int>(block_.size() / 2));
  }
  source.pull(block_.data(), static_cast<int>(block_.size() / 2));
  if (microphone_.comes_back_after >= 0)
    for (size_t i = 0; i < block_.size(); i += 2) back_.push_back((block_[i] + block_[i + 1]) / 2);
  const std::lock_guard lock(mutex_);
  if (played_.size() + block_.size() > most)
    played_.erase(played_.begin(), played_.begin() + static_cast<std::ptrdiff_t>(most / 2));
  played_.insert(played_.end(), block_.begin(), block_.end());
}

void SimulatedDevice::hear(SimulatedMicrophone microphone, std::string name) {
  input_name_ = std::move(name);
  microphone_ = std::move(microphone);
  inputs_ = microphone_.sound.channels() > 0 ? microphone_.sound.channels() : microphone_.channels;
  heard_ = 0;
  in_block_.assign(block_.size() / 2 * static_cast<size_t>(inputs_), 0.0F);
  // A shorter way than one block there is none.
  const auto way = static_cast<size_t>(std::max(0, microphone_.comes_back_after));
  back_.assign(std::max(way, block_.size() / 2), 0.0F);
}

void SimulatedDevice::hear_block() {
  const AudioBuffer& sound = microphone_.sound;
  const auto width = static_cast<size_t>(inputs_);
  const size_t frames = in_block_.size() / width;
  std::ranges::fill(in_block_, 0.0F);
  for (int c = 0; c < sound.channels(); ++c)
    for (size_t i = 0; i < frames && heard_ + static_cast<Samples>(i) < sound.frames(); ++i)
      in_block_[i * width + static_cast<size_t>(c)] =
          sound.channel(c)[static_cast<size_t>(heard_) + i];
  heard_ += static_cast<Samples>(frames);
  if (microphone_.comes_back_after < 0) return;
  for (size_t i = 0; i < frames; ++i) in_block_[i * width] += back_[i];
  back_.erase(back_.begin(), back_.begin() + static_cast<std::ptrdiff_t>(frames));
}

SimulatedMicrophone microphone_of_file(const std::filesystem::path& file, double rate) {
  const auto reader = open_audio(file, rate);
  AudioBuffer sound(reader->info().channels, reader->info().frames);
  reader->read(sound.block());
  return {.sound = std::move(sound)};
}

void SimulatedDevice::run(const std::stop_token& stop, SoundSource& source) {
  auto due = std::chrono::steady_clock::now();
  const std::chrono::nanoseconds block(std::llround(1e7 / (1 + clock_ppm_ * 1e-6)));
  while (!stop.stop_requested()) {
    pull(source);
    due += block;
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
