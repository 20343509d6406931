// SPDX-License-Identifier: GPL-3.0-or-later
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
#include "engine/rendering/chain_run.h"
#include "engine/planning/plan.h"
#include "engine/rendering/kept_sound.h"

namespace drevan {

/// Findings by the hash of all they depend on: the sound, its room tone and every step before.
/// Thread-safe.
class FindingStore {
 public:
  std::optional<Findings> get(std::uint64_t key) const;
  void put(std::uint64_t key, Findings findings);
  /// The finding, or what `learn` makes of it: once, however many threads ask for it at the same time; the others
  /// wait. Throws what `learn` throws, Cancelled while waiting.
  Findings get_or_learn(std::uint64_t key, const CancelToken& cancel,
                        const std::function<Findings()>& learn);

  /// Sound of a group's clips on its way from one step that learns over all of them to the next.
  void keep_stage(std::uint64_t key, SharedSound sound);
  SharedSound take_stage(std::uint64_t key);

 private:
  mutable std::mutex mutex_;
  std::condition_variable learned_;
  std::map<std::uint64_t, Findings> found_;
  std::set<std::uint64_t> being_learned_;
  std::map<std::uint64_t, SharedSound> stages_;
};

/// What one run of process() should do besides making sound.
struct ProcessOptions {
  FindingStore* store = nullptr;        ///< required
  StageStore* cache = nullptr;          ///< optional
  std::optional<size_t> keep_only{};    ///< the one stage that `cache` may keep; empty: all
  StageTap tap;                         ///< optional: hears stages, each whole, in order of time
  size_t first_tap = 0;                 ///< stages before this one need not be heard
  const CancelToken* cancel = nullptr;  ///< required
  Progress progress;
  bool side_thread = false;  ///< what is learned and put aside on another thread
  std::function<void(const std::string&)>
      damaged;  ///< optional: told what of the source is not as promised
  std::function<void(const std::string&)> warn;  ///< optional: told what else should be known
};

/// What is known when a clip went through its steps.
struct Processed {
  std::vector<Findings> findings;  ///< one a step
  std::vector<Stage> stages;       ///< [0] the clip, [i] what leaves step i - 1
  /// What leaves the last rewriter, and how many steps that are; nullptr and 0: there is none, all can be streamed.
  SharedSound rewritten;
  size_t rewritten_stage = 0;
  std::vector<StepSides> sides;  ///< what each step hears beside its own sound
};

/// Learns what the plan's steps must know (from the store where it is known) and streams the clip
/// through them into `sink`; where that is empty and nothing taps, only what is learned and
/// rewritten is heard. Steps that learn from a room tone the sound does not have find nothing and
/// do nothing. A rewriter hears all that reaches it, and of what rings on at its end as much as can
/// be heard. Memory does not grow with the clip's length, but for what `cache` may hold.
/// Deterministic: same sound, same settings, same bits. Throws Error(input), Error(call) for an
/// impossible room tone, Error(output) when a rewriter finds no room on the temporary disk,
/// Cancelled.
Processed process_clip(const ClipPlan& plan, const ProcessOptions& options, const BlockSink& sink);

/// Passes a sound on, and of what rings on after its `length` frames only as much as can be heard (-90 dBFS).
class RingTrim {
 public:
  RingTrim(Samples length, BlockSink sink) : left_(length), sink_(std::move(sink)) {}
  void hear(const AudioBlock& block);

 private:
  void ring(const AudioBlock& block);

  Samples left_;
  BlockSink sink_;
  std::vector<std::vector<float>> held_;
};

}  // namespace drevan
