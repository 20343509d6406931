// SPDX-License-Identifier: GPL-3.0-or-later
// A clip before and after its chain, in step, from any place: what a player mixes from.
#pragma once

#include "dsp/delay.h"
#include "engine/rendering/chain_run.h"
#include "engine/planning/clip_sound.h"
#include "engine/rendering/kept_sound.h"
#include "engine/playing/programme.h"

namespace drevan {

struct ScenePlan;

/// Everything playing needs to know; a value.
struct PlayPlan {
  ClipPlan clip;
  std::vector<Findings> findings;  ///< one per step
  std::vector<StepSides> sides{};  ///< one per step, or none at all
  /// What left the last rewriter of the chain, and how many steps that are: playing begins behind it. See Processed.
  SharedSound rewritten{};
  size_t rewritten_stage = 0;
  TimeMap from_clip{};     ///< where the clip's moments are in what leaves the chain
  double match_db = 0;     ///< gain that makes before as loud as after
  double fitted_gain = 1;  ///< gain that makes before most like after
  double before_peak_db = 0, after_peak_db = 0;
  /// Gain on all that is heard while levels are matched: takes in turn at one loudness.
  double take_db = 0;
  /// Not the whole chain but this one step, behind the last rewriter: before is what enters it, after what leaves it.
  /// -1: all.
  int solo_step = -1;
  /// Before is not what enters the chain but this sound: another version of the clip.
  std::optional<ClipSound> against{};
  /// What tells its sounds from others', see identity_of_sounds(); 0: Player::load() finds it out.
  std::uint64_t sounds = 0;
  /// Not a clip but the reel as a whole, see SceneRun: `clip` and what belongs to it say nothing
  /// then.
  std::shared_ptr<const ScenePlan> scene{};
};

/// Of what a plan reads. Asks the disk for size and time of the files.
std::uint64_t identity_of_sounds(const PlayPlan& plan);

/// A clip. The chain is run in from a second before a place (or what its steps ask for).
class PlayRun final : public Programme {
 public:
  /// Throws Error(input).
  explicit PlayRun(std::shared_ptr<const PlayPlan> plan);

  void seek(Samples position) override;
  void next(AudioBlock before, AudioBlock after, int focus) override;
  void let_before_lead(bool lead) override;
  bool update(std::shared_ptr<const PlayPlan> plan) override;
  int channels() const override { return run_.channels_out(); }
  bool comparable() const override { return comparable_; }
  Samples position() const override { return position_; }
  Samples end() const override;
  bool ended() const override;
  bool backwards() const override { return before_leads_ && plan_->from_clip.backwards(); }
  const Processor* processor(int step) const override;
  Dearest dearest() const override;
  std::span<const float> focus_in() const override { return focus_in_; }
  std::span<const float> focus_out() const override { return focus_out_; }

 private:
  void read_wet(const AudioBlock& out);
  void run(const AudioBlock& wet, AudioBlock* entering, int focus);
  double rate() const { return plan_->clip.sound.rate; }

  std::shared_ptr<const PlayPlan> plan_;
  ClipReader dry_;
  std::unique_ptr<SoundReader> wet_;
  ChainRun run_;
  Delay entering_;  // holds back what enters the step that is looked at
  AudioBuffer wide_, aside_, dry_block_;
  std::array<float, block> focus_in_{}, focus_out_{};
  Samples position_ = 0, dry_at_ = 0;
  bool comparable_ = true, before_leads_ = false;
};

}  // namespace drevan
