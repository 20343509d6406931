// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/scene_sounds.h"

#include <algorithm>

#include "audio/decibel.h"
#include "audio/error.h"
#include "audio/parallel.h"
#include "batch/bus_plan.h"
#include "reel/change.h"
#include "reel/times/clip_times.h"
#include "reel/edits/takes.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {

struct Item {
  ClipId clip = 0;
  ClipPlan plan;
};

fs::path course_cache() { return peak_cache_folder().parent_path() / "courses"; }

std::uint64_t chain_key(const Reel& reel, ClipId bus) {
  return stage_keys(plan_of(ClipSound{}, reel.find(bus)->chain)).back();
}

std::vector<ClipId> buses_of(const Reel& reel) {
  std::vector<ClipId> out{mix_clip_id};
  for (const auto& space : reel.spaces) out.push_back(space.clip.id);
  return out;
}

}  // namespace

SceneSounds::SceneSounds(Notices& notices, const Document& document, const Selection& selection,
                         const Measurements& measurements, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  connect(&document_, &Document::leaving, this, [this] { lane_.cancel(); });
  connect(&document_, &Document::opened, this, [this] {
    sounds_.clear();
    times_.clear();
    end_s_.reset();
    buses_.clear();
    keeper_.cancel();
    kept_.clear();
    rows_.clear();
    failed_.clear();
  });
  // A knob that turns brings an edit after the other.
  soon_.setSingleShot(true);
  soon_.setInterval(60);
  connect(&soon_, &QTimer::timeout, this, &SceneSounds::make_ready);
  told_.setSingleShot(true);
  told_.setInterval(30);
  connect(&told_, &QTimer::timeout, this, [this] {
    Q_EMIT sounds_changed();
    Q_EMIT plan_changed();
  });
  connect(&document_, &Document::reel_changed, this, [this] {
    if (!active_) return;
    soon_.start();
    Q_EMIT plan_changed();
  });
  connect(&measurements_, &Measurements::levels_changed, this, [this] {
    if (active_) Q_EMIT plan_changed();
  });
  connect(&selection_, &Selection::clip_changed, this, [this] {
    if (active_ && is_bus(selection_.clip_id())) soon_.start();
  });
}

void SceneSounds::set_active(bool on) {
  if (on == active_) return;
  active_ = on;
  if (on) soon_.start(0);
  soon_.setInterval(60);
}

const SceneSound* SceneSounds::sound(ClipId clip_id) const {
  const auto at = sounds_.find(clip_id);
  return at == sounds_.end() ? nullptr : &at->second;
}

namespace {

// Whether clips that did not change themselves may be heard at other times.
bool moves_all(const Change& change) {
  return change.all_rows || change.chain || change.rate || change.sources_replaced ||
         change.grouping || !change.groups.empty();
}

}  // namespace

// Asked for every clip at every paint and every tick of what plays.
void SceneSounds::forget_old_times() const {
  auto now = document_.shared();
  if (now == times_reel_) return;
  const auto before = std::exchange(times_reel_, std::move(now));
  const Change change =
      before ? difference(*before, *times_reel_) : Change::everything(*times_reel_);
  if (moves_all(change)) times_.clear();
  for (const ClipId id : change.clips) times_.erase(id);
  if (moves_all(change) || !change.clips.empty()) end_s_.reset();
}

ClipTimes SceneSounds::times(const Reel& reel, const Clip& clip) const {
  if (&reel != &document_.reel()) return made_times(reel, clip);
  forget_old_times();
  const auto at = times_.find(clip.id);
  if (at != times_.end()) return at->second;
  return times_.emplace(clip.id, made_times(reel, clip)).first->second;
}

double SceneSounds::end_s() const {
  forget_old_times();
  if (end_s_) return *end_s_;
  const Reel& reel = document_.reel();
  end_s_ = 0;
  for (const Clip& c : reel.clips) end_s_ = std::max(*end_s_, whole_in_reel(times(reel, c)).end.s);
  return *end_s_;
}

ClipTimes SceneSounds::made_times(const Reel& reel, const Clip& clip) const {
  ClipTimes foretold = times_of(reel, clip);
  const SceneSound* known = sound(clip.id);
  if (!known || known->foretold != foretold.clock) return foretold;
  return with_clock(std::move(foretold), known->plan->from_clip);
}

double SceneSounds::share_ready() const {
  const auto ids = rendered_clips(document_.reel());
  if (ids.empty()) return 1;
  const auto known = std::ranges::count_if(
      ids, [this](ClipId id) { return sounds_.contains(id) || failed_.contains(id); });
  return static_cast<double>(known) / static_cast<double>(ids.size());
}

void SceneSounds::take(ClipId clip, const SceneSound& sound) {
  sounds_[clip] = sound;
  times_.erase(clip);
  end_s_.reset();
  // What was kept of it is of no use where it sounds otherwise now.
  if (!kept(clip)) kept_.erase(clip);
  failed_.erase(clip);
  if (!told_.isActive()) told_.start();
}

void SceneSounds::fail(ClipId clip) {
  failed_.insert(clip);
  sounds_.erase(clip);
  times_.erase(clip);
  end_s_.reset();
  if (!told_.isActive()) told_.start();
}

// What changed: clips whose chains or sounds are others, then the buses that must hear them.
void SceneSounds::make_ready() {
  std::map<ClipId, std::uint64_t> known;
  for (const auto& [id, sound] : sounds_) known[id] = sound.key;
  std::map<ClipId, std::uint64_t> known_buses;
  for (const auto& [id, bus] : buses_) known_buses[id] = bus.key;
  lane_.start([this, reel = document_.shared(), known, known_buses,
               looked_at = selection_.clip_id(), folder = fs::path(folder_.path().toStdString()),
               stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<Item> items;
    Planner planner(*reel);
    for (const ClipId id : rendered_clips(*reel)) {
      cancel.check();
      const Clip& clip = *reel->find(id);
      if (check_source(reel->source_of(clip), false) == SourceState::missing) {
        lane_.post(cancel, [this, id] { fail(id); });
        continue;
      }
      Item item{id, planner.plan(clip)};
      const auto at = known.find(id);
      if (at != known.end() && at->second == stage_keys(item.plan).back()) continue;
      items.push_back(std::move(item));
    }
    // Of the space or the mix that is looked at, what leaves it.
    if (const Clip* bus = reel->find(looked_at);
        bus && is_bus(*bus) && !reel->source_of(*bus).path.empty()) {
      Item item{bus->id, planner.plan(*bus)};
      const auto at = known.find(bus->id);
      if (at == known.end() || at->second != stage_keys(item.plan).back())
        items.push_back(std::move(item));
    }
    on_all_cores(items.size(), cancel, [&](size_t i) {
      const ClipId id = items[i].clip;
      try {
        const auto sound = scene_sound(items[i].plan, stores->findings, course_cache(), cancel);
        lane_.post(cancel, [this, id, sound] { take(id, sound); });
      } catch (const Error&) {  // the Bench tells what is wrong with it
        lane_.post(cancel, [this, id] { fail(id); });
      }
    });
    std::map<ClipId, Known> buses;
    for (const ClipId bus : buses_of(*reel)) {
      const auto key = chain_key(*reel, bus);
      const auto at = known_buses.find(bus);
      const bool same = at != known_buses.end() && at->second == key;
      if (same && !bus_must_hear(*reel, bus)) continue;
      try {
        buses[bus] = {bus_plan(*reel, bus, folder, stores->findings, cancel), key};
      } catch (const Error& e) {
        const QString why = QString::fromUtf8(e.what());
        lane_.post(cancel, [this, why] { notices_.warn(why); });
      }
    }
    return [this, buses] {
      for (const auto& [id, bus] : buses) buses_[id] = bus;
      Q_EMIT sounds_changed();
      Q_EMIT plan_changed();
    };
  });
}

bool SceneSounds::kept(ClipId clip_id) const {
  const SceneSound* known = sound(clip_id);
  const auto at = kept_.find(clip_id);
  return known && at != kept_.end() && at->second.key == known->key;
}

void SceneSounds::keep(ClipId clip_id) {
  const SceneSound* known = sound(clip_id);
  if (!known || is_bus(clip_id) || kept(clip_id) || keeper_.busy()) return;
  if (clip_id == selection_.clip_id()) return;
  keeper_.start([this, clip_id, key = known->key, plan = known->plan,
                 stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    std::shared_ptr<const PlayPlan> made;
    try {
      made = kept_plan(*plan, stores->findings, cancel);
    } catch (const Error&) {  // then it is played as before
      return [] {};
    }
    return [this, clip_id, key, made] {
      kept_[clip_id] = {key, made};
      Q_EMIT plan_changed();
    };
  });
}

std::shared_ptr<const ScenePlan> SceneSounds::plan() const {
  const Reel& reel = document_.reel();
  auto out = std::make_shared<ScenePlan>();
  out->rate = reel.rate;
  for (const ClipId id : rendered_clips(reel)) {
    const SceneSound* known = sound(id);
    const Clip& clip = *reel.find(id);
    if (!known) continue;
    SceneVoice voice = scene_voice(reel, clip, *known);
    // The one that is turned runs with its settings as they are.
    if (id == selection_.clip_id())
      if (auto turned = measurements_.play_plan();
          turned && turned->clip.steps.size() == known->plan->clip.steps.size()) {
        turned->sounds = identity_of_sounds(*turned);
        voice.plan = std::make_shared<const PlayPlan>(std::move(*turned));
      }
    if (id != selection_.clip_id() && kept(id)) voice.plan = kept_.at(id).plan;
    voice.gain = row_sounds(clip.group) ? 1.0F : 0.0F;
    out->voices.push_back(std::move(voice));
  }
  const auto bus_of = [&](ClipId bus) {
    BusPlan now;
    now.steps = planned(live_chain(reel, bus), reel.rate);
    now.findings.resize(now.steps.size());
    // What was found stays until it is found anew.
    const auto at = buses_.find(bus);
    const bool alike =
        at != buses_.end() && std::ranges::equal(at->second.bus.steps, now.steps, {},
                                                 &PlannedStep::type, &PlannedStep::type);
    if (alike) {
      now.findings = at->second.bus.findings;
      now.sides = at->second.bus.sides;
    }
    return now;
  };
  for (const auto& space : reel.spaces)
    out->spaces.push_back(scene_space(reel, space, bus_of(space.clip.id)));
  out->mix = bus_of(mix_clip_id);
  return out;
}

SceneSounds::Row SceneSounds::row(GroupId group) const {
  const auto at = rows_.find(group);
  return at == rows_.end() ? Row::heard : at->second;
}

void SceneSounds::set_row(GroupId group, Row row) {
  rows_[group] = row;
  Q_EMIT plan_changed();
}

bool SceneSounds::row_sounds(GroupId group) const {
  const bool some_alone = std::ranges::any_of(document_.reel().groups, [&](const Group& g) {
    const auto at = rows_.find(g.id);
    return at != rows_.end() && at->second == Row::alone;
  });
  return row(group) == Row::alone || (row(group) == Row::heard && !some_alone);
}

}  // namespace drevan::desktop
