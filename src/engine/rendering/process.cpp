// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/process.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"

namespace drevan {

std::optional<Findings> FindingStore::get(std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  const auto at = found_.find(key);
  return at == found_.end() ? std::nullopt : std::optional(at->second);
}

void FindingStore::put(std::uint64_t key, Findings findings) {
  const std::lock_guard lock(mutex_);
  // A long evening of knob-turning must not fill the memory; all of it can be found again.
  if (found_.size() > 20000) found_.clear();
  found_[key] = std::move(findings);
}

Findings FindingStore::get_or_learn(std::uint64_t key, const CancelToken& cancel,
                                    const std::function<Findings()>& learn) {
  {
    std::unique_lock lock(mutex_);
    while (true) {
      if (const auto at = found_.find(key); at != found_.end()) return at->second;
      if (being_learned_.insert(key).second) break;
      // Whoever learns it may give up; then it is our turn.
      learned_.wait_for(lock, std::chrono::milliseconds(50));
      cancel.check();
    }
  }
  const auto done = [&] {
    const std::lock_guard lock(mutex_);
    being_learned_.erase(key);
    learned_.notify_all();
  };
  try {
    Findings found = learn();
    put(key, found);
    done();
    return found;
  } catch (...) {
    done();
    throw;
  }
}

void FindingStore::keep_stage(std::uint64_t key, SharedSound sound) {
  const std::lock_guard lock(mutex_);
  if (stages_.size() > 500) stages_.clear();  // left by work that was cancelled
  stages_[key] = std::move(sound);
}

SharedSound FindingStore::take_stage(std::uint64_t key) {
  const std::lock_guard lock(mutex_);
  const auto at = stages_.find(key);
  if (at == stages_.end()) return nullptr;
  auto sound = std::move(at->second);
  stages_.erase(at);
  return sound;
}

void RingTrim::hear(const AudioBlock& block) {
  const auto n = static_cast<int>(std::min<Samples>(left_, block.frames()));
  if (n > 0) sink_(block.part(0, n));
  left_ -= n;
  if (n < block.frames()) ring(block.part(n, block.frames() - n));
}

void RingTrim::ring(const AudioBlock& block) {
  constexpr float audible = 3.16e-5F;  // -90 dBFS
  held_.resize(static_cast<size_t>(block.channels()));
  int heard = 0;  // frames up to the last audible one
  for (int c = 0; c < block.channels(); ++c) {
    const auto in = block.channel(c);
    held_[static_cast<size_t>(c)].insert(held_[static_cast<size_t>(c)].end(), in.begin(), in.end());
    for (int i = block.frames(); i > heard; --i)
      if (std::abs(in[static_cast<size_t>(i - 1)]) > audible) heard = i;
  }
  if (heard == 0) return;
  const auto total = static_cast<int>(held_[0].size()) - (block.frames() - heard);
  std::array<float*, max_channels> data{};
  for (size_t c = 0; c < held_.size(); ++c) data[c] = held_[c].data();
  sink_({data.data(), block.channels(), total});
  for (auto& h : held_) h.erase(h.begin(), h.begin() + total);
}

}  // namespace drevan
