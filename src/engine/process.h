// A clip through its chain: the one path for screen, command line and batch.
#pragma once

#include <condition_variable>
#include <cstdint>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <vector>

#include "audio/progress.h"
#include "engine/chain_run.h"
#include "engine/plan.h"
#include "engine/spill.h"

namespace drevan {

/// Findings by the hash of all they depend on: the sound, its room tone and every step before.
/// Thread-safe.
class FindingStore {
 public:
  std::optional<Findings> get(std::uint64_t key) const;
  void put(std::uint64_t key, Findings findings);
  /// The finding, or what `learn` makes of it: once, however many threads ask for it at the same time; the others
  /// wait. Throws what `learn` throws, Cancelled while waiting.
  Findings get_or_learn(std::uint64_t key, const CancelToken& cancel, const std::function<Findings()>& learn);

  /// Sound of a group's clips on its way from one step that learns over all of them to the next.
  void keep_stage(std::uint64_t key, std::unique_ptr<Spill> sound);
  std::unique_ptr<Spill> take_stage(std::uint64_t key);

 private:
  mutable std::mutex mutex_;
  std::condition_variable learned_;
  std::map<std::uint64_t, Findings> found_;
  std::set<std::uint64_t> being_learned_;
  std::map<std::uint64_t, std::unique_ptr<Spill>> stages_;
};

/// Sound of stages in memory, so that turning a knob late in a chain does not run the early steps
/// again. Keeps the most recent within a budget. Thread-safe.
class StageCache {
 public:
  explicit StageCache(size_t budget_bytes = size_t{384} << 20) : budget_(budget_bytes) {}
  std::shared_ptr<const AudioBuffer> get(std::uint64_t key);
  void put(std::uint64_t key, std::shared_ptr<const AudioBuffer> sound);
  size_t budget() const { return budget_; }

 private:
  struct Entry {
    std::shared_ptr<const AudioBuffer> sound;
    std::uint64_t used = 0;
  };
  size_t budget_, bytes_ = 0;
  std::uint64_t clock_ = 0;
  std::map<std::uint64_t, Entry> entries_;
  std::mutex mutex_;
};

/// What one run of process() should do besides making sound.
struct ProcessOptions {
  FindingStore* store = nullptr;   ///< required
  StageCache* cache = nullptr;     ///< optional
  std::optional<size_t> keep_only{};  ///< the one stage that `cache` may keep; empty: all
  StageTap tap;                    ///< optional: hears stages, each whole, in order of time
  size_t first_tap = 0;            ///< stages before this one need not be heard
  const CancelToken* cancel = nullptr;  ///< required
  Progress progress;
  std::function<void(const std::string&)> damaged;  ///< optional: told what of the source is not as promised
  std::function<void(const std::string&)> warn;     ///< optional: told what else should be known
};

/// Learns what the plan's steps must know (from the store where it is known) and streams the clip
/// through them into `sink`, which may be empty. Steps that learn from a room tone the sound
/// does not have find nothing and do nothing. Returns each step's findings. Memory does not grow
/// with the clip's length, but for what `cache` may hold. Deterministic: same sound, same settings,
/// same bits. Throws Error(input), Error(call) for an impossible room tone, Cancelled.
std::vector<Findings> process_clip(const ClipPlan& plan, const ProcessOptions& options, const BlockSink& sink);

}  // namespace drevan
