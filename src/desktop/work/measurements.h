// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of the selected clip: its level path, what its selected step does over time, its room tone.
#pragma once

#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "engine/listening/step_course.h"
#include "reel/change.h"
#include "work/stores.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Notices;
class Selection;

class Measurements : public QObject {
  Q_OBJECT

 public:
  Measurements(Notices& notices, const Document& document, const Selection& selection,
               QObject* parent = nullptr);

  /// Of the newest measured state; nullptr until there is one.
  const LevelPath* levels() const { return levels_.get(); }
  /// Whether levels() belongs to the chain as it is now.
  bool levels_fresh() const;
  bool measuring() const { return soon_.isActive() || lane_.busy(); }
  /// The whole chain as it can be played with what is known; empty: it must be measured first.
  std::optional<PlayPlan> play_plan() const;
  /// What the selected step does over time; nullptr until it was measured.
  const StepCourse* course() const { return course_.get(); }
  /// Whether course() is of the whole clip and of the chain as levels() knows it.
  bool course_whole() const;
  /// What is heard in the clip's room tone, once it was listened to.
  const RoomToneJudgement* tone() const { return tone_ ? &*tone_ : nullptr; }

  FindingStore& findings() { return stores_->findings; }
  const SharedStores& stores() const { return stores_; }

 Q_SIGNALS:
  void levels_changed();
  void course_changed();
  void tone_judged();

 private:
  void forget();
  void update();
  void measure();
  void measure_course();
  void take_course(const StepCourse& course, std::uint64_t key);
  void judge_tone();

  Notices& notices_;
  const Document& document_;
  const Selection& selection_;
  SharedStores stores_ = std::make_shared<Stores>();
  std::shared_ptr<const LevelPath> levels_;
  ClipPlan levels_plan_;  // the one levels_ was measured with
  ClipId levels_clip_ = 0;
  std::shared_ptr<const Reel> levels_reel_;  // as it was then
  Change since_levels_;                      // from that one to what is shown
  std::shared_ptr<const StepCourse> course_;
  std::uint64_t course_key_ =
      0;  // of the stage that leaves the step it belongs to; 0: it is not whole yet
  std::optional<RoomToneJudgement> tone_;
  std::pair<std::uint64_t, ClipRange> tone_of_{};  // the sound and the range it was heard in
  QTimer soon_;
  ReelLane lane_{document_};
  ReelLane course_lane_{document_, TaskLane::Urgency::background};
  ReelLane tone_lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
