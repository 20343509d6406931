// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/shelf_measurements.h"

#include <functional>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/parallel.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

ShelfMeasurements::ShelfMeasurements(Notices& notices, const Document& document,
                                     const Selection& selection, const Measurements& measurements,
                                     QObject* parent)
    : QObject(parent), document_(document), selection_(selection), measurements_(measurements) {
  for (TaskLane* lane : {&peak_lane_, &lane_}) {
    connect(lane, &TaskLane::failed, &notices,
            [&notices](const Problem& why) { notices.warn(why); });
  }
  connect(&document_, &Document::opened, this, [this] {
    levels_.clear();
    bad_sources_.clear();
    file_states_.clear();
  });
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, [this] {
    load_peaks();
    measure();
  });
  visible_soon_.setSingleShot(true);
  visible_soon_.setInterval(150);
  connect(&visible_soon_, &QTimer::timeout, this, &ShelfMeasurements::measure);
  connect(&document_, &Document::reel_changed, this, [this](const Change& change) {
    since_wanted_.merge(change);
    sources_changed_ = sources_changed_ || change.sources;
    soon_.start();
  });
  connect(&selection_, &Selection::clip_changed, &soon_, qOverload<>(&QTimer::start));
  connect(&measurements_, &Measurements::levels_changed, this, &ShelfMeasurements::take_selected);
}

// Asked while painting, so the disk is asked at most once a second for a file.
ShelfMeasurements::PeaksKey ShelfMeasurements::peaks_key(const Source& source) const {
  auto& [state, until] =
      file_states_.try_emplace(source.path.string(), 0, QDeadlineTimer(0)).first->second;
  if (until.hasExpired()) {
    std::error_code error;
    const auto size = std::filesystem::file_size(source.path, error);
    const auto time =
        std::filesystem::last_write_time(source.path, error).time_since_epoch().count();
    state = Hasher().add(size).add(time).value();
    until.setRemainingTime(1000);
  }
  return {source.path.string(), state, document_.reel().rate};
}

std::shared_ptr<const PeakPyramid> ShelfMeasurements::source_peaks(const Clip& clip) const {
  const auto at = peaks_.find(peaks_key(document_.reel().source_of(clip)));
  return at == peaks_.end() ? nullptr : at->second;
}

// Waveforms of all sources, the selected clip's first.
void ShelfMeasurements::load_peaks() {
  const Reel& reel = document_.reel();
  std::vector<Source> wanted;
  const auto want = [&](const Clip& c) {
    const auto& s = reel.source_of(c);
    if (const auto key = peaks_key(s);
        !peaks_.contains(key) && !bad_sources_.contains(key) && !document_.missing(c))
      wanted.push_back(s);
  };
  if (selection_.clip()) want(*selection_.clip());
  if (sources_changed_)
    for (const auto& c : reel.clips) want(c);
  // All that are there are known, or bad.
  if (wanted.empty()) sources_changed_ = false;
  if (wanted.empty() || peak_lane_.busy() || held_back_) return;
  // One source a task, so that the shelf fills as they are ready.
  const Source source = wanted.front();
  peak_lane_.start([this, source, rate = reel.rate,
                    key = peaks_key(source)](const CancelToken& cancel) -> TaskLane::Finish {
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

const Levels* ShelfMeasurements::clip_levels(ClipId clip_id) const {
  const auto at = levels_.find(clip_id);
  return at == levels_.end() || !at->second.levels ? nullptr : &*at->second.levels;
}

bool ShelfMeasurements::clip_levels_fresh(ClipId clip_id) const {
  const auto at = levels_.find(clip_id);
  if (at == levels_.end() || !at->second.levels || at->second.key != at->second.wanted)
    return false;
  const Reel& reel = document_.reel();
  const Clip* clip = reel.find(clip_id);
  if (!wanted_reel_ || !clip) return false;
  return !may_sound_otherwise(since_wanted_, reel, *clip) ||
         sounds_the_same(*wanted_reel_, reel, clip_id);
}

std::uint64_t ShelfMeasurements::wanted_key(ClipId clip_id) const {
  const auto at = levels_.find(clip_id);
  return at == levels_.end() ? 0 : at->second.wanted;
}

std::optional<double> ShelfMeasurements::clip_loudness(ClipId clip_id) const {
  const Levels* l = clip_levels(clip_id);
  return l ? l->loudness_lufs : std::nullopt;
}

void ShelfMeasurements::take_levels(ClipId clip_id, const Levels& levels, std::uint64_t key) {
  ClipLevels& of = levels_[clip_id];
  of.levels = levels;
  of.key = key;
  Q_EMIT loudness_changed();
}

// The selected clip is measured whole.
void ShelfMeasurements::take_selected() {
  if (const LevelPath* path = measurements_.levels())
    take_levels(selection_.clip_id(), path->stages.back(), path->keys.back());
}

// Scrolling moves what is not known yet to the front.
void ShelfMeasurements::set_visible(const std::vector<ClipId>& clip_ids) {
  if (clip_ids == visible_) return;
  visible_ = clip_ids;
  if (std::ranges::any_of(visible_, [this](ClipId id) { return !clip_levels(id); }))
    visible_soon_.start();
}

void ShelfMeasurements::hold_back(bool on) {
  if (on == held_back_) return;
  held_back_ = on;
  if (!on) return soon_.start();
  lane_.cancel();
  peak_lane_.cancel();
}

namespace {

struct ShelfItem {
  ClipId id = 0;
  ClipPlan plan;
  size_t reuse_stage = 0;  // what leaves the clip's own steps
  bool visible = false;
  std::uint64_t key = 0;  // of what leaves the chain
};

// What there is to measure, what is seen first.
std::vector<ShelfItem> shelf_items(const Reel& reel, const std::vector<ClipId>& visible,
                                   const CancelToken& cancel) {
  std::vector<ShelfItem> items;
  Planner planner(reel);
  for (const auto& c : reel.clips) {
    cancel.check();
    if (check_source(reel.source_of(c), false) == SourceState::missing) continue;
    ShelfItem item{c.id, planner.plan(c)};
    item.reuse_stage = static_cast<size_t>(std::ranges::count(c.chain.steps, true, &ChainStep::on));
    item.visible = std::ranges::find(visible, c.id) != visible.end();
    item.key = stage_keys(item.plan).back();
    items.push_back(std::move(item));
  }
  std::ranges::stable_sort(items, std::greater{}, &ShelfItem::visible);
  return items;
}

}  // namespace

void ShelfMeasurements::take_wanted(const std::shared_ptr<const Reel>& reel,
                                    const std::map<ClipId, std::uint64_t>& keys) {
  wanted_reel_ = reel;
  since_wanted_ = difference(*reel, document_.reel());
  for (const auto& [id, key] : keys) levels_[id].wanted = key;
  Q_EMIT loudness_changed();
}

// Of what can be seen the sound is kept where the group's chain begins, so that a change there is soon told.
void ShelfMeasurements::measure() {
  if (held_back_) return;
  const bool peaks = document_.target() && !document_.target()->true_peak_dbtp.free();
  lane_.start([this, reel = document_.shared(), visible = visible_, selected = selection_.clip_id(),
               peaks,
               stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    auto items = shelf_items(*reel, visible, cancel);
    std::map<ClipId, std::uint64_t> keys;
    for (const auto& item : items) keys[item.id] = item.key;
    lane_.post(cancel, [this, reel, keys] { take_wanted(reel, keys); });
    // The selected one is being measured whole.
    std::erase_if(items, [&](const ShelfItem& item) { return item.id == selected; });
    on_all_cores(items.size(), cancel, [&](size_t i) {
      const ShelfItem& item = items[i];
      LevelPathOptions options;
      options.store = &stores->findings;
      options.levels = &stores->levels;
      options.cache = item.visible ? &stores->borders : nullptr;
      options.cancel = &cancel;
      options.true_peak = peaks;
      try {
        const Levels levels = measure_result(item.plan, item.reuse_stage, options);
        // Told one by one: hundreds of clips take their time.
        lane_.post(cancel,
                   [this, id = item.id, levels, key = item.key] { take_levels(id, levels, key); });
      } catch (const Error&) {
        // The measuring of the clip tells what is wrong with it.
      }
    });
    return {};
  });
}

}  // namespace drevan::desktop
