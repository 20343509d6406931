// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/measurements.h"

#include "audio/error.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

Measurements::Measurements(Notices& notices, const Document& document, const Selection& selection,
                           QObject* parent)
    : QObject(parent), notices_(notices), document_(document), selection_(selection) {
  // When all that is shown follows the reel; several changes in a row are measured once.
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &Measurements::update);
  for (TaskLane* lane : {&lane_, &course_lane_, &tone_lane_}) {
    connect(lane, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  }
  connect(&document_, &Document::opened, this, [this] {
    forget();
    tone_.reset();
    tone_of_ = {};
  });
  connect(&document_, &Document::reel_changed, this, [this](const Change& change) {
    since_levels_.merge(change);
    soon_.start();
  });
  connect(&selection_, &Selection::clip_changed, this, [this] {
    if (selection_.clip_id() != levels_clip_) forget();
    soon_.start();
  });
  connect(&selection_, &Selection::step_changed, this, [this] {
    course_.reset();
    course_key_ = 0;
    Q_EMIT course_changed();
    soon_.start();
  });
}

void Measurements::forget() {
  for (TaskLane* lane : {&lane_, &course_lane_}) lane->cancel();
  levels_.reset();
  levels_plan_ = {};
  levels_reel_.reset();
  levels_clip_ = 0;
  course_.reset();
  course_key_ = 0;
}

void Measurements::update() {
  judge_tone();
  measure();
}

// The newest wish wins.
void Measurements::measure() {
  const Clip* c = selection_.clip();
  if (!c || document_.missing(*c)) {
    forget();
    Q_EMIT levels_changed();
    return;
  }
  course_lane_.cancel();  // levels first
  LevelPathOptions options;
  options.store = &stores_->findings;
  options.levels = &stores_->levels;
  options.cache = &stores_->stages;
  if (const int at = selection_.running_index(selection_.step_id()); at >= 0)
    options.focus = static_cast<size_t>(at);
  options.true_peak = document_.target() && !document_.target()->true_peak_dbtp.free();
  lane_.start([this, stores = stores_, reel = document_.shared(), id = c->id,
               options](const CancelToken& cancel) mutable -> TaskLane::Finish {
    options.cancel = &cancel;
    QString problem;
    ClipPlan plan;
    std::shared_ptr<const LevelPath> path;
    try {
      plan = plan_of(*reel, *reel->find(id));
      path = std::make_shared<const LevelPath>(measure_level_path(plan, options));
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    return [this, path, problem, id, plan, reel] {
      if (!problem.isEmpty()) notices_.warn(problem);
      levels_ = path;
      levels_plan_ = plan;
      levels_reel_ = reel;
      since_levels_ = difference(*reel, document_.reel());
      levels_clip_ = id;
      Q_EMIT levels_changed();
      measure_course();
    };
  });
}

bool Measurements::levels_fresh() const {
  const ClipId clip = selection_.clip_id();
  const Reel& reel = document_.reel();
  const Clip* there = reel.find(clip);
  if (!levels_ || levels_clip_ != clip || !there) return false;
  return !may_sound_otherwise(since_levels_, reel, *there) ||
         sounds_the_same(*levels_reel_, reel, clip);
}

// Settings are heard at once, with the findings known so far; when the steps themselves changed, or ask for another
// finding, it is waited for: a peak taken for a loudness would be a blast in the ears.
std::optional<PlayPlan> Measurements::play_plan() const {
  const Clip* c = selection_.clip();
  if (!c || !levels_ || levels_clip_ != c->id) return std::nullopt;
  PlayPlan plan;
  plan.clip = levels_plan_;
  const auto running = running_steps(document_.reel(), *c);
  if (running.size() != plan.clip.steps.size()) return std::nullopt;
  const double clip_s = levels_->sounds.front().shape.seconds();
  for (size_t i = 0; i < running.size(); ++i) {
    PlannedStep& step = plan.clip.steps[i];
    const ChainStep& now = *running[i].step;
    if (step.type != now.type || !finding_holds(*step.type, step.settings, now.settings))
      return std::nullopt;
    step.settings = now.settings;
    step.by_place = running[i].owner != ChainOwner::clip;
    step.tracks.clear();
    if (!now.curves.empty())
      step.tracks = own_tracks(running[i], times_before(document_.reel(), *c, i));
    place_tracks(step, lead_of(levels_->sounds[i].from_clip, clip_s));
  }
  plan.findings = levels_->findings;
  plan.sides = levels_->sides;
  plan.rewritten = levels_->rewritten;
  plan.rewritten_stage = levels_->rewritten_stage;
  plan.from_clip = levels_->sounds.back().from_clip;
  const Levels& before = levels_->stages.front();
  const Levels& after = levels_->stages.back();
  if (const auto db = louder_by(before, after)) plan.match_db = *db;
  plan.fitted_gain = levels_->fitted_gain;
  plan.before_peak_db = before.sample_peak_dbfs.value_or(-200);
  plan.after_peak_db = after.sample_peak_dbfs.value_or(-200);
  return plan;
}

bool Measurements::course_whole() const {
  const int at = selection_.running_index(selection_.step_id());
  return course_ && at >= 0 && levels_ && static_cast<size_t>(at) + 1 < levels_->keys.size() &&
         course_key_ == levels_->keys[static_cast<size_t>(at) + 1];
}

// What the selected step does over the clip, once its levels are known.
void Measurements::measure_course() {
  const int at = selection_.running_index(selection_.step_id());
  auto known = play_plan();
  // What stands before a rewriter does not run live.
  if (!known || !levels_fresh() || at < static_cast<int>(known->rewritten_stage) ||
      at + 1 >= static_cast<int>(levels_->keys.size())) {
    course_lane_.cancel();
    if (std::exchange(course_, nullptr)) Q_EMIT course_changed();
    return;
  }
  const auto key = levels_->keys[static_cast<size_t>(at) + 1];
  if (course_ && key == course_key_) return;
  auto plan = std::make_shared<PlayPlan>(std::move(*known));
  plan->solo_step = at;
  course_lane_.start([this, plan, key](const CancelToken& cancel) -> TaskLane::Finish {
    try {
      const auto course = measure_step_course(plan, cancel, [&](const StepCourse& part) {
        course_lane_.post(cancel, [this, part] { take_course(part, 0); });
      });
      return [this, course, key] { take_course(course, key); };
    } catch (const Error&) {
      return {};  // the measuring of levels tells what is wrong
    }
  });
}

void Measurements::take_course(const StepCourse& course, std::uint64_t key) {
  course_ = std::make_shared<const StepCourse>(course);
  course_key_ = key;
  Q_EMIT course_changed();
}

// Listens to the room tone of the selected clip when it, or the clip, is another one.
void Measurements::judge_tone() {
  const Clip* c = selection_.clip();
  if (!c || !c->room_tone || document_.missing(*c)) {
    tone_lane_.cancel();
    tone_of_ = {};
    if (std::exchange(tone_, std::nullopt)) Q_EMIT tone_judged();
    return;
  }
  const auto sound = clip_sound(document_.reel(), *c);
  const auto of = std::pair(identity(sound), *c->room_tone);
  if (of == tone_of_) return;
  tone_of_ = of;
  tone_.reset();
  tone_lane_.start([this, sound](const CancelToken& cancel) -> TaskLane::Finish {
    try {
      const auto judgement = judge_room_tone(sound, cancel);
      return [this, judgement] {
        tone_ = judgement;
        if (judgement.flaw != RoomToneFlaw::none)
          notices_.warn(tr("This room tone %1; mark a stretch where only the room is heard.")
                            .arg(text(flaw_text(judgement.flaw))));
        Q_EMIT tone_judged();
      };
    } catch (const Error&) {
      return {};  // the measuring of levels tells what is wrong
    }
  });
}

}  // namespace drevan::desktop
