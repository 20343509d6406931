// What is measured of the clips, and what follows from it: what plays, what is drawn.
#include <functional>

#include "audio/decibel.h"
#include "audio/error.h"
#include "audio/parallel.h"
#include "workspace.h"

namespace drevan::desktop {

void Workspace::after_edit() {
  read_target();
  judge_tone();
  load_player();
  load_peaks();
  measure();
  measure_shelf();
}

bool Workspace::wants_true_peak() const { return target_ && !target_->true_peak_dbtp.free(); }

// Measures the selected clip; the newest wish wins.
void Workspace::measure() {
  const Clip* c = clip();
  if (!c || missing(*c)) {
    measure_.cancel();
    levels_.reset();
    plan_.reset();
    course_.reset();
    player_->unload();
    Q_EMIT levels_changed();
    Q_EMIT plan_changed();
    return;
  }
  course_worker_.cancel();  // levels first
  const auto sound = clip_sound(reel(), *c);
  const auto chain = full_chain(reel(), *c);
  std::optional<size_t> focus;
  if (selected_ && active_index(*selected_) >= 0) focus = static_cast<size_t>(active_index(*selected_));
  player_->set_focus(focus ? static_cast<int>(*focus) : -1);
  const int id = c->id;
  const bool peaks = wants_true_peak();
  measure_.start([this, sound, chain, focus, id, peaks](const CancelToken& cancel) -> Worker::Finish {
    LevelPathOptions options;
    options.store = &findings_;
    options.levels = &level_store_;
    options.cache = &stages_;
    options.cancel = &cancel;
    options.focus = focus;
    options.true_peak = peaks;
    QString problem;
    std::shared_ptr<const LevelPath> path;
    try {
      path = std::make_shared<const LevelPath>(measure_level_path(sound, chain, options));
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    return [this, path, problem, id, chain] {
      if (!problem.isEmpty()) Q_EMIT message(problem, true);
      levels_ = path;
      levels_chain_ = chain;
      levels_clip_ = id;
      load_player();
      if (path) take_levels(id, path->stages.back(), path->keys.back());
      Q_EMIT levels_changed();
      measure_course();
    };
  });
}

namespace {

// Whether findings made for `b` may serve `a` until its own are there: the same steps, asking for
// the same thing. A peak taken for a loudness would be a blast in the ears.
bool same_findings(const Chain& a, const Chain& b) {
  if (a.steps.size() != b.steps.size()) return false;
  for (size_t i = 0; i < a.steps.size(); ++i) {
    if (a.steps[i].type != b.steps[i].type) return false;
    const auto& parameters = a.steps[i].type->parameters;
    for (size_t p = 0; p < parameters.size(); ++p)
      if (parameters[p].learned_from && a.steps[i].settings[p] != b.steps[i].settings[p]) return false;
  }
  return true;
}

}  // namespace

// Gives the player the newest chain. Settings are heard at once, with the findings known so far;
// when the steps themselves changed it waits for the new findings.
void Workspace::load_player() {
  const Clip* c = clip();
  if (!c || !levels_ || levels_clip_ != c->id) return;
  PlayPlan plan;
  plan.sound = clip_sound(reel(), *c);
  plan.chain = full_chain(reel(), *c);
  plan.findings = levels_->findings;
  if (!same_findings(plan.chain, levels_chain_)) return;
  const Levels& before = levels_->stages.front();
  const Levels& after = levels_->stages.back();
  const auto loudness = [](const Levels& l) { return l.loudness_lufs ? l.loudness_lufs : l.rms_dbfs; };
  if (loudness(before) && loudness(after)) plan.match_db = *loudness(after) - *loudness(before);
  plan.like_gain = levels_->like_gain;
  plan.before_peak_db = before.sample_peak_dbfs.value_or(-200);
  plan.after_peak_db = after.sample_peak_dbfs.value_or(-200);
  if (against_ && against_->clip == c->id) {
    plan.against = against_->sound;
    plan.before_peak_db = against_->peak_db;
    plan.match_db = against_->loudness && loudness(after) ? *loudness(after) - *against_->loudness : 0;
    plan.like_gain = from_db(plan.match_db);
  } else if (around_step_) {
    narrow_to_step(plan);
  }
  plan_ = std::make_shared<const PlayPlan>(plan);
  player_->load(std::move(plan));
  Q_EMIT plan_changed();
}

// Before and after become what enters and what leaves the selected step.
void Workspace::narrow_to_step(PlayPlan& plan) const {
  const int at = selected_ ? active_index(*selected_) : -1;
  if (at < 0 || at + 1 >= static_cast<int>(levels_->stages.size())) return;
  const Levels& in = levels_->stages[static_cast<size_t>(at)];
  const Levels& out = levels_->stages[static_cast<size_t>(at) + 1];
  plan.around = at;
  const auto loudness = [](const Levels& l) { return l.loudness_lufs ? l.loudness_lufs : l.rms_dbfs; };
  plan.match_db = loudness(in) && loudness(out) ? *loudness(out) - *loudness(in) : 0;
  plan.like_gain = course_ && course_key_ == levels_->keys[static_cast<size_t>(at) + 1] ? course_->like_gain : from_db(plan.match_db);
  plan.before_peak_db = in.sample_peak_dbfs.value_or(-200);
  plan.after_peak_db = out.sample_peak_dbfs.value_or(-200);
}

void Workspace::set_around_step(bool on) {
  if (on == around_step_) return;
  around_step_ = on;
  load_player();
}

// What the selected step does over the clip, once its levels are known.
void Workspace::measure_course() {
  const int at = selected_ ? active_index(*selected_) : -1;
  if (!plan_ || !levels_fresh() || at < 0 || at + 1 >= static_cast<int>(levels_->keys.size())) {
    course_worker_.cancel();
    if (std::exchange(course_, nullptr)) Q_EMIT course_changed();
    return;
  }
  const auto key = levels_->keys[static_cast<size_t>(at) + 1];
  if (course_ && key == course_key_) return;
  auto plan = std::make_shared<PlayPlan>(*plan_);
  plan->around = at;
  const auto take = [this, key](const StepCourse& course, bool whole) {
    course_ = std::make_shared<const StepCourse>(course);
    course_key_ = whole ? key : 0;
    if (whole && around_step_) load_player();
    Q_EMIT course_changed();
  };
  course_worker_.start([this, plan, take](const CancelToken& cancel) -> Worker::Finish {
    try {
      const auto course = measure_step_course(plan, cancel, [&](const StepCourse& part) {
        course_worker_.post(cancel, [take, part] { take(part, false); });
      });
      return [take, course] { take(course, true); };
    } catch (const Error&) {
      return {};  // the measuring of levels tells what is wrong
    }
  });
}

// Waveforms of all sources, the selected clip's first.
void Workspace::load_peaks() {
  std::vector<Source> wanted;
  const auto want = [&](const Clip& c) {
    const auto& s = reel().sources[static_cast<size_t>(c.source)];
    if (const auto key = peaks_key(s); !peaks_.contains(key) && !bad_sources_.contains(key) && !missing(c)) wanted.push_back(s);
  };
  if (clip()) want(*clip());
  for (const auto& c : reel().clips) want(c);
  if (wanted.empty() || peak_worker_.busy()) return;
  const double rate = reel().rate;
  // One source a task, so that the shelf fills as they are ready.
  const Source source = wanted.front();
  peak_worker_.start([this, source, rate, key = peaks_key(source)](const CancelToken& cancel) -> Worker::Finish {
    std::shared_ptr<const PeakPyramid> peaks;
    try {
      peaks = drevan::source_peaks(source.path, source.hash, rate, cancel);
    } catch (const Error&) {
      // The measuring of the clip tells what is wrong with it.
    }
    return [this, peaks, key] {
      if (peaks)
        peaks_[key] = peaks;
      else
        bad_sources_.insert(key);
      Q_EMIT peaks_changed();
      QTimer::singleShot(0, this, [this] { load_peaks(); });
    };
  });
}

// Scrolling moves what is not known yet to the front.
void Workspace::set_visible(const std::vector<int>& clip_ids) {
  if (clip_ids == visible_) return;
  visible_ = clip_ids;
  if (std::ranges::any_of(visible_, [this](int id) { return !clip_levels(id); })) shelf_soon_.start();
}

namespace {

struct ShelfItem {
  int id = 0;
  ClipSound sound;
  Chain chain;
  long border = 0;  // steps of the clip's own
  bool visible = false;
  std::uint64_t key = 0;  // of what leaves the chain
};

}  // namespace

// Loudness of every clip after its chain, quietly in the background; what can be seen comes first, and
// its sound where the group's chain begins is kept, so that a change there is soon told.
void Workspace::measure_shelf() {
  std::vector<ShelfItem> items;
  ClipSounds sounds(reel());
  for (const auto& c : reel().clips) {
    if (missing(c)) continue;
    ShelfItem item{c.id, sounds.of(c), full_chain(reel(), c)};
    item.border = std::ranges::count(c.chain.steps, true, &ChainStep::on);
    item.visible = std::ranges::find(visible_, c.id) != visible_.end();
    clip_levels_[c.id].wanted = item.key = stage_keys(item.sound, item.chain).back();
    // The selected one is being measured whole.
    if (c.id != clip_id_) items.push_back(std::move(item));
  }
  std::ranges::stable_sort(items, std::greater{}, &ShelfItem::visible);
  const bool peaks = wants_true_peak();
  shelf_worker_.start([this, items = std::move(items), peaks](const CancelToken& cancel) -> Worker::Finish {
    on_all_cores(items.size(), cancel, [&](size_t i) {
      const ShelfItem& item = items[i];
      LevelPathOptions options;
      options.store = &findings_;
      options.levels = &level_store_;
      options.cache = item.visible ? &borders_ : nullptr;
      options.cancel = &cancel;
      options.true_peak = peaks;
      try {
        const Levels levels = measure_result(item.sound, item.chain, static_cast<size_t>(item.border), options);
        // Told one by one: hundreds of clips take their time.
        shelf_worker_.post(cancel, [this, id = item.id, levels, key = item.key] { take_levels(id, levels, key); });
      } catch (const Error&) {
        // The measuring of the clip tells what is wrong with it.
      }
    });
    return {};
  });
}

// Listens to the room tone of the selected clip when it, or the clip, is another one.
void Workspace::judge_tone() {
  const Clip* c = clip();
  if (!c || !c->room_tone || missing(*c)) {
    tone_worker_.cancel();
    tone_of_ = {};
    if (std::exchange(tone_, std::nullopt)) Q_EMIT tone_judged();
    return;
  }
  const auto sound = clip_sound(reel(), *c);
  const auto of = std::pair(identity(sound), *c->room_tone);
  if (of == tone_of_) return;
  tone_of_ = of;
  tone_.reset();
  tone_worker_.start([this, sound](const CancelToken& cancel) -> Worker::Finish {
    try {
      const auto judgement = judge_room_tone(sound, cancel);
      return [this, judgement] {
        tone_ = judgement;
        if (judgement.flaw != RoomToneFlaw::none) {
          const auto why = flaw_text(judgement.flaw);
          Q_EMIT message(tr("This room tone %1; mark a stretch where only the room is heard.").arg(QString::fromUtf8(why.data(), std::ssize(why))), true);
        }
        Q_EMIT tone_judged();
      };
    } catch (const Error&) {
      return {};  // the measuring of levels tells what is wrong
    }
  });
}

void Workspace::read_target() {
  if (reel().target == target_name_) return;
  target_name_ = reel().target;
  target_.reset();
  try {
    if (!target_name_.empty()) target_ = find_target(target_name_);
  } catch (const Error& e) {
    tell(e);
  }
  Q_EMIT target_changed();
}

}  // namespace drevan::desktop
