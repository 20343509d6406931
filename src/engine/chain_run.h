// A chain at work on one stream, its latency taken out.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "engine/plan.h"

namespace drevan {

/// The processors of some steps, one after the other. Real-time safe but for construction.
class ChainRun {
 public:
  /// `findings[i]` belongs to `steps[i]`; all steps given are run.
  ChainRun(std::span<const PlannedStep> steps, std::span<const Findings> findings,
           StreamFormat format);

  size_t size() const { return processors_.size(); }
  Processor& at(size_t i) { return *processors_[i]; }
  const Processor& at(size_t i) const { return *processors_[i]; }
  /// Sum over all steps, frames.
  Samples latency() const;
  Samples tail() const;
  /// As new; the next frame that enters is this one of the clip.
  void reset(Samples frame = 0) noexcept;
  void process(const AudioBlock& block) noexcept;
  /// The same, telling `after(i, block)` what left each step; i counts from 0.
  template <class After>
  void process(const AudioBlock& block, After&& after) {
    for (size_t i = 0; i < processors_.size(); ++i) {
      processors_[i]->process(block);
      after(i, block);
    }
  }

 private:
  void place(Samples frame) noexcept;

  std::vector<std::unique_ptr<Processor>> processors_;
};

/// Frames by which the output of steps 0..i is late, for each i.
std::vector<Samples> latencies(const ChainRun& run);

using BlockSource = std::function<int(const AudioBlock&)>;          ///< frames filled, 0 at the end
using BlockSink = std::function<void(const AudioBlock&)>;
/// Stage 0 is the input, stage i what leaves step i - 1 of the run; in step with the input.
using StageTap = std::function<void(size_t stage, const AudioBlock&)>;

/// Streams all of `source` through `run` and then lets it ring for its tail. `sink` hears the
/// output in step with the input to the sample, `tap` (may be empty) every stage likewise. Throws
/// what the functions throw, Cancelled when they do.
void stream(const BlockSource& source, ChainRun& run, StreamFormat format, const BlockSink& sink,
            const StageTap& tap = {});

}  // namespace drevan
