// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/side_listener.h"

#include <array>
#include <atomic>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <thread>

#include "audio/denormals.h"

namespace drevan {

// What all threads share: whom they call, and what it threw first.
struct SideListener::Hearing {
  Hear hear;
  std::atomic<bool> failed = false;
  std::mutex mutex;
  std::exception_ptr failure;

  void hear_guarded(size_t line, const AudioBlock& block) noexcept {
    if (failed.load(std::memory_order_acquire)) return;
    try {
      hear(line, block);
    } catch (...) {
      const std::lock_guard lock(mutex);
      if (!failure) failure = std::current_exception();
      failed.store(true, std::memory_order_release);
    }
  }
  void check() {
    if (!failed.load(std::memory_order_acquire)) return;
    const std::lock_guard lock(mutex);
    std::rethrow_exception(failure);
  }
};

// One thread with the blocks it has yet to hear.
class SideListener::Ear {
 public:
  Ear(StreamFormat format, std::shared_ptr<Hearing> hearing) : hearing_(std::move(hearing)) {
    for (auto& s : slots_) s.sound = AudioBuffer(format.channels, format.max_block);
    thread_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
  }
  ~Ear() {
    thread_.request_stop();
    changed_.notify_all();
  }

  void tell(size_t line, const AudioBlock& block) {
    const std::lock_guard one_at_a_time(telling_);
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return told_ - heard_ < slots_.size(); });
    Slot& slot = slots_[told_ % slots_.size()];
    lock.unlock();  // the slot is ours until it is told
    slot.line = line;
    slot.frames = block.frames();
    slot.channels = block.channels();
    slot.sound.block(0, block.frames()).copy_from(block);
    lock.lock();
    ++told_;
    changed_.notify_all();
  }
  void finish() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return told_ == heard_; });
  }

 private:
  struct Slot {
    AudioBuffer sound;
    size_t line = 0;
    int frames = 0, channels = 0;
  };

  void work(const std::stop_token& stop) {
    const FlushDenormals flush;
    std::unique_lock lock(mutex_);
    while (changed_.wait(lock, stop, [&] { return told_ > heard_; })) {
      Slot& slot = slots_[heard_ % slots_.size()];
      lock.unlock();
      hearing_->hear_guarded(slot.line, slot.sound.block(0, slot.frames).first(slot.channels));
      lock.lock();
      ++heard_;
      changed_.notify_all();
      if (stop.stop_requested()) return;
    }
  }

  std::shared_ptr<Hearing> hearing_;
  std::array<Slot, 32> slots_;
  std::mutex telling_;  // of those who tell
  std::mutex mutex_;
  std::condition_variable_any changed_;
  size_t told_ = 0, heard_ = 0;
  std::jthread thread_;
};

SideListener::SideListener(StreamFormat format, Hear hear) : hearing_(std::make_shared<Hearing>()) {
  hearing_->hear = std::move(hear);
  const int count = std::clamp(static_cast<int>(std::thread::hardware_concurrency()) - 1, 1, 4);
  for (int i = 0; i < count; ++i) ears_.push_back(std::make_unique<Ear>(format, hearing_));
}

SideListener::~SideListener() = default;

void SideListener::tell(size_t line, const AudioBlock& block) {
  hearing_->check();
  if (ears_.size() == 1 && line % 3 == 2) return hearing_->hear(line, block);
  ears_[line % ears_.size()]->tell(line, block);
}

void SideListener::finish() {
  for (const auto& ear : ears_) ear->finish();
  hearing_->check();
}

}  // namespace drevan
