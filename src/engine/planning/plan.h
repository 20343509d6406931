// SPDX-License-Identifier: GPL-3.0-or-later
// All that a clip needs to sound: what to read, and the steps its sound goes through.
#pragma once

#include <map>
#include <memory>
#include <span>
#include <tuple>
#include <vector>

#include "engine/planning/clip_sound.h"
#include "reel/times/clip_times.h"
#include "reel/times/crossings.h"
#include "reel/reel.h"

namespace drevan {

struct CommonClips;

struct ClipPlan;

/// A second sound that a step hears, see StepType::sides; without a plan there is none.
struct PlannedSide {
  std::shared_ptr<const ClipPlan> plan{};
  std::uint64_t key = 0;  ///< of what leaves it
  std::string missing{};  ///< why there is none, where one was chosen: a sentence
};

/// A step that runs, with what it needs beside its findings.
struct PlannedStep {
  StepId id = 0;  ///< of the reel's step; 0: it is of no reel
  const StepType* type = nullptr;
  Settings settings{};
  std::vector<Track> tracks{};  ///< its curves, in seconds of the sound that enters it
  /// The tracks count from where the clip's beginning is due: what leads comes before that. See
  /// place_tracks().
  bool by_place = false;
  /// For a step that learns over a group's clips (StepType::shares): which those are. nullptr: its own clip alone.
  std::shared_ptr<const CommonClips> common{};
  std::vector<PlannedSide> sides{};  ///< as StepType::sides, or fewer
};

/// A value; making sound of it needs process_clip().
struct ClipPlan {
  ClipSound sound;
  std::vector<PlannedStep> steps{};
};

/// The clips that a step serves which learns over a group's clips, see StepType::shares.
struct CommonClips {
  std::vector<ClipPlan> peers;        ///< each up to the step
  std::vector<std::string> left_out;  ///< names of clips whose source is missing
  std::uint64_t key = 0;              ///< of all their sounds as they reach the step
};

/// Plans of clips of one reel; what several share is made once. The reel must outlive it.
class Planner {
 public:
  explicit Planner(const Reel& reel)
      : reel_(reel),
        made_(std::make_shared<Made>()),
        rows_(std::make_shared<Rows>(Rows{reel, {}})) {}
  /// Everything the clip's sound goes through up to the chain `last`: its own, its group's, the
  /// reel's. Throws Error(call) where clips hear each other in a ring.
  ClipPlan plan(const Clip& clip, ChainOwner last = ChainOwner::reel);
  /// Its own chain alone.
  ClipPlan own_plan(const Clip& clip);

 private:
  using Made = std::map<std::tuple<GroupId, ChainOwner, size_t>,
                        std::shared_ptr<const CommonClips>>;  // group, chain, step
  // Who crosses whom in the rows that were asked for, by group: always in the whole reel.
  struct Rows {
    const Reel& reel;
    std::map<GroupId, Crossings> made{};
  };
  Planner(const Reel& reel, std::shared_ptr<Made> made, std::shared_ptr<Rows> rows)
      : reel_(reel), made_(std::move(made)), rows_(std::move(rows)) {}
  ClipSound sound_of(const Clip& clip);
  std::shared_ptr<const CommonClips> common(const Clip& clip, const RunningStep& step);
  PlannedSide side(const SideChoice& choice, const ChainStep& step, const Clip& listener);

  const Reel& reel_;
  std::shared_ptr<Made> made_;
  std::shared_ptr<Rows> rows_;
  std::vector<ClipId> listening_;  // the clip that is planned, and those whose side it is, by id
};

/// The curves of a clip's running step in seconds of the sound that enters it, see
/// tracks_entering(); of group and reel without what is far from the clip. `before`: of that sound.
std::vector<Track> own_tracks(const RunningStep& running, const ClipTimes& before);
/// Tracks that count from where the clip's beginning is due, as much later as what enters their step
/// leads: `lead_s`, see lead_of().
void place_tracks(PlannedStep& step, double lead_s);

/// The plan of one clip of a reel.
ClipPlan plan_of(const Reel& reel, const Clip& clip);
/// Of its own chain alone.
ClipPlan own_plan_of(const Reel& reel, const Clip& clip);
/// Of any sound and the steps of a chain that are on, see planned().
ClipPlan plan_of(ClipSound sound, const Chain& chain);

/// The steps of a chain that are on, for a sound of this rate, and further ones behind them. Files
/// can be heard beside it; clips cannot, without a reel.
std::vector<PlannedStep> planned(const Chain& chain, double rate,
                                 std::span<const PlannedStep> then = {});

/// How many channels each stage has where `in` come: [0] is `in`.
std::vector<int> stage_channels(std::span<const PlannedStep> steps, int in);

/// A sound on its way through a chain: what leaves one step and enters the next.
struct Stage {
  std::uint64_t key = 0;  ///< two stages with one key are the same bits
  SoundShape shape;       ///< without what rings on
  TimeMap from_clip;      ///< where the clip's moments are in it
};
/// The stages of a plan whose clip has this shape, as far as they can be foretold: what rings into a rewriter makes
/// it a little longer.
std::vector<Stage> stages_of(const ClipPlan& plan, const SoundShape& clip);

/// Whether what a step learned with the settings `before` is what it would learn with `now`: where it
/// is, a turn is played without a new look at the clip.
bool finding_holds(const StepType& type, const Settings& before, const Settings& now);
/// Keys of a plan's stages: [0] the clip's sound, [i] what leaves step i - 1. Two stages with one key sound the
/// same, bit for bit.
std::vector<std::uint64_t> stage_keys(const ClipPlan& plan);
/// Of what step i must know before it runs. `input`: the key of the stage that enters it.
std::uint64_t finding_key(std::uint64_t input, const ClipPlan& plan, size_t i);

}  // namespace drevan
