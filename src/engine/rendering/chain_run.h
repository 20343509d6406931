// SPDX-License-Identifier: GPL-3.0-or-later
// Steps at work on one stream, their latency taken out.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "engine/rendering/kept_sound.h"
#include "engine/rendering/spent.h"
#include "engine/planning/plan.h"

namespace drevan {

/// The processors of some steps, one after the other, and the curves that turn them. Real-time safe but for
/// construction and set_tracks().
class ChainRun {
 public:
  /// Curves are looked at every so many frames of the sound that enters the step, counted from its beginning.
  static constexpr int curve_grid = 64;

  /// `findings[i]` belongs to `steps[i]`, and `sides[i]`, where it is there; all steps given are
  /// run, none of them a rewriter. `format`: of what enters.
  ChainRun(std::span<const PlannedStep> steps, std::span<const Findings> findings,
           StreamFormat format, std::span<const StepSides> sides = {});
  /// One step that does not keep its level, whatever it is set to.
  static ChainRun without_level(const PlannedStep& step, StreamFormat format,
                                const StepSides& sides);

  size_t size() const { return works_.size(); }
  Processor& at(size_t i) { return *works_[i].processor; }
  const Processor& at(size_t i) const { return *works_[i].processor; }
  double rate() const { return rate_; }
  int channels_in() const { return channels_in_; }
  int entering_channels(size_t i) const { return i == 0 ? channels_in_ : works_[i - 1].out; }
  int channels_out() const { return works_.empty() ? channels_in_ : works_.back().out; }
  /// Blocks must be as wide as this.
  int widest() const { return widest_; }
  /// Sum over all steps, frames.
  Samples latency() const;
  Samples tail() const;
  /// As new; the next frame that enters is this one of the sound.
  void reset(Samples frame = 0) noexcept;
  /// Other curves from the next frame on.
  void set_tracks(size_t i, const std::vector<Track>& tracks);
  void process(const AudioBlock& block) noexcept {
    process(block, [](size_t, const AudioBlock&) {});
  }
  /// The same, telling `after(i, block)` what left each step; i counts from 0.
  template <class After>
  void process(const AudioBlock& block, After&& after) {
    process(0, size(), block, after);
  }
  /// The step that has taken the most time lately; empty: there is none.
  std::optional<size_t> dearest() const;
  /// Some of the steps alone, from `first` up to `end`. Different steps may be run by different
  /// threads.
  template <class After>
  void process(size_t first, size_t end, const AudioBlock& block, After&& after) {
    for (size_t i = first; i < end; ++i) {
      const Spent spent(works_[i].cost_s);
      run(works_[i], block.first(works_[i].wide));
      after(i, block.first(works_[i].out));
    }
  }

 private:
  // What is heard beside a step's own sound.
  struct Side {
    int input = 0;
    std::unique_ptr<SoundReader> reader;
    AudioBuffer sound;
  };
  struct Work {
    std::unique_ptr<Processor> processor;
    std::vector<Side> sides;
    const StepType* type = nullptr;
    std::vector<Track> tracks;
    int wide = 1, out = 1;
    Samples at = 0;  // the next frame to enter it
    double cost_s = 0;
  };
  ChainRun(const StreamFormat& format)
      : rate_(format.rate), channels_in_(format.channels), widest_(format.channels) {}
  void add(const PlannedStep& step, const Findings& findings, StreamFormat format,
           const StepSides& sides, bool keep);
  static void hear(Work& work, Side& side, int frames) noexcept;
  void run(Work& work, const AudioBlock& block) noexcept;
  static void tell_paces(Work& work, std::span<const Track> before) noexcept;
  void follow_curves(Work& work) noexcept;
  void place(Samples frame) noexcept;

  std::vector<Work> works_;
  double rate_;
  int channels_in_, widest_;
};

/// Whether a run of `now` can become one of `next` while it sounds: the same steps, of which only
/// what can be turned differs.
bool can_turn(std::span<const PlannedStep> now, std::span<const PlannedStep> next);
/// Turns it: where can_turn() says so.
void turn_chain(ChainRun& run, std::span<const PlannedStep> now, std::span<const PlannedStep> next,
                std::span<const Findings> found, std::span<const Findings> finds);

/// Frames by which the output of steps 0..i is late, for each i.
std::vector<Samples> latencies(const ChainRun& run);

using BlockSource = std::function<int(const AudioBlock&)>;  ///< frames filled, 0 at the end
using BlockSink = std::function<void(const AudioBlock&)>;
/// Stage 0 is the input, stage i what leaves step i - 1 of the run; in step with the input.
using StageTap = std::function<void(size_t stage, const AudioBlock&)>;

/// Streams all of `source` through `run` and then lets it ring for its tail. `sink` hears the
/// output in step with the input to the sample, `tap` (may be empty) every stage likewise. Throws
/// what the functions throw, Cancelled when they do. `max_block`: the run's format's. `beside`: the
/// steps from this one on are run by another thread, which then tells the sink, and the tap of the
/// stages behind it; the same bits. 0: none.
void stream(const BlockSource& source, ChainRun& run, int max_block, const BlockSink& sink,
            const StageTap& tap = {}, size_t beside = 0);

}  // namespace drevan
