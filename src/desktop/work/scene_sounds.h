// SPDX-License-Identifier: GPL-3.0-or-later
// Every clip made ready for the Scene, and what is played there.
#pragma once

#include <QObject>
#include <QTemporaryDir>
#include <QTimer>
#include <map>
#include <optional>
#include <set>
#include <unordered_map>

#include "engine/scene/scene_sound.h"
#include "reel/times/crossings.h"
#include "work/stores.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class Selection;

class SceneSounds : public QObject {
  Q_OBJECT

 public:
  SceneSounds(Notices& notices, const Document& document, const Selection& selection,
              const Measurements& measurements, QObject* parent = nullptr);

  /// Nothing is made ready before the Scene is looked at.
  void set_active(bool on);
  /// As it was made ready last; nullptr: it was not yet.
  const SceneSound* sound(ClipId clip_id) const;
  /// A clip's moments, of the reel or of one that becomes of it; where its sound was made ready with
  /// the clock it has there, by that.
  ClipTimes times(const Reel& reel, const Clip& clip) const;
  /// Where in the reel the last of all clips ends.
  double end_s() const;
  /// Whether it cannot be: its source is missing, or something in it is wrong.
  bool failed(ClipId clip_id) const { return failed_.contains(clip_id); }
  /// How many of the clips that are heard were made ready, 0 to 1.
  double share_ready() const;
  bool busy() const { return soon_.isActive() || lane_.busy(); }
  /// The sound of a clip that is dear to play is run through its steps beforehand, until it changes:
  /// but of the one that is selected, whose steps are turned.
  void keep(ClipId clip_id);
  bool kept(ClipId clip_id) const;
  /// What of the reel can be played as it is now.
  std::shared_ptr<const ScenePlan> plan() const;

  /// What of a row is heard. Nothing of this is kept or rendered.
  enum class Row { heard, silent, alone };
  Row row(GroupId group) const;
  void set_row(GroupId group, Row row);
  bool row_sounds(GroupId group) const;

 Q_SIGNALS:
  /// A clip was made ready, or it is known what must be.
  void sounds_changed();
  /// Another plan.
  void plan_changed();

 private:
  struct Known {
    BusPlan bus;
    std::uint64_t key = 0;
  };
  void make_ready();
  void forget_old_times() const;
  ClipTimes made_times(const Reel& reel, const Clip& clip) const;
  void take(ClipId clip, const SceneSound& sound);
  void fail(ClipId clip);

  Notices& notices_;
  const Document& document_;
  const Selection& selection_;
  const Measurements& measurements_;
  bool active_ = false;
  std::map<ClipId, SceneSound> sounds_;
  // What times() and end_s() have told of `times_reel_`.
  mutable std::unordered_map<ClipId, ClipTimes> times_;
  mutable std::optional<double> end_s_;
  mutable std::shared_ptr<const Reel> times_reel_;
  std::set<ClipId> failed_;
  std::map<ClipId, Known> buses_;
  struct Kept {
    std::uint64_t key = 0;  // of the sound that it is of
    std::shared_ptr<const PlayPlan> plan;
  };
  std::map<ClipId, Kept> kept_;
  std::map<GroupId, Row> rows_;
  QTemporaryDir folder_;  // for what buses must hear
  QTimer soon_, told_;
  ReelLane lane_{document_, TaskLane::Urgency::background},
      keeper_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
