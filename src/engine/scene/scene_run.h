// SPDX-License-Identifier: GPL-3.0-or-later
// The reel as a whole while it plays: clips at their places, through spaces, through the mix chain.
#pragma once

#include <memory>
#include <vector>

#include "dsp/delay.h"
#include "engine/scene/mix_run.h"
#include "engine/playing/play_run.h"
#include "engine/playing/programme.h"

namespace drevan {

/// A clip at its place, with all that playing it needs.
struct SceneVoice {
  ClipId clip = 0;    ///< its id
  Samples begin = 0;  ///< frame of the reel where the clip begins
  std::shared_ptr<const PlayPlan> plan;
  int channels = 1;    ///< of what leaves its chains
  Samples length = 0;  ///< frames to the end of its ringing
  float gain = 1;      ///< 0: its row is not heard
  bool direct = true;  ///< whether it is heard in the mix itself
  std::vector<Feed> feeds{};
};

/// The steps of a bus, and what they must know.
struct BusPlan {
  std::vector<PlannedStep> steps{};
  std::vector<Findings> findings{};  ///< one a step
  std::vector<StepSides> sides{};    ///< one a step, or none at all
};

struct SceneSpace {
  SpaceId id = 0;
  BusPlan bus{};
  float gain = 1;
  /// Its feeds have places: `bus` begins with what rings on of their sum, see late_of().
  bool placed = false;
};
/// What a space's chain plays, and whether its feeds have places.
SceneSpace scene_space(const Reel& reel, const Space& space, BusPlan bus);

/// Everything playing a reel needs; a value.
struct ScenePlan {
  double rate = 48000;
  std::vector<SceneVoice> voices{};
  std::vector<SceneSpace> spaces{};
  BusPlan mix{};
};

/// Only voices that sound are open. What leaves is as render_mix() writes it, but that spaces and
/// the mix chain are run in from half a second before a place where playing begins.
class SceneRun final : public Programme {
 public:
  /// `plan->scene` must be there.
  explicit SceneRun(std::shared_ptr<const PlayPlan> plan);
  ~SceneRun() override;

  void seek(Samples position) override;
  void next(AudioBlock before, AudioBlock after, int focus) override;
  bool update(std::shared_ptr<const PlayPlan> plan) override;
  int channels() const override;
  bool comparable() const override;
  Samples position() const override { return position_; }
  Samples end() const override { return end_; }
  Dearest dearest() const override;

 private:
  struct Voice;
  struct Bus;
  const ScenePlan& scene() const;
  void lay_out();
  void tell_end();
  void open_voices(int frames);
  void feed(Voice& voice, const AudioBlock& sound, int offset, float gain);
  void run(int frames);
  /// `now`: what its share had come to, below 0: nowhere yet.
  static void add(float& now, const AudioBlock& sound, int offset, float share,
                  const AudioBlock& sum);

  std::shared_ptr<const PlayPlan> plan_;
  int width_ = 1;  // of all that is summed
  std::vector<std::unique_ptr<Voice>> voices_;
  std::vector<std::unique_ptr<Bus>> spaces_;
  std::unique_ptr<Bus> mix_;
  std::unique_ptr<Delay> direct_late_, dry_late_;  // as late as the slowest space, as all
  AudioBuffer sum_, dry_, voice_before_, voice_after_;
  Samples position_ = 0, end_ = 0, late_ = 0;
  Samples heard_ = 0;  // the next frame of the reel that voices give
};

}  // namespace drevan
