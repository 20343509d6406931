// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/selection_levels.h"

#include <cmath>

#include "audio/error.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr int levels_rest_ms = 200;  // dragging measures nothing
}

SelectionLevels::SelectionLevels(const Work& work, QObject* parent)
    : QObject(parent), work_(work), lane_(work.document, TaskLane::Urgency::background) {
  soon_.setSingleShot(true);
  soon_.setInterval(levels_rest_ms);
  connect(&soon_, &QTimer::timeout, this, &SelectionLevels::measure);
  connect(&work_.document, &Document::leaving, this, [this] { want(std::nullopt); });
  connect(&work_.measurements, &Measurements::levels_changed, this, [this] {
    if (range_) soon_.start();
  });
}

void SelectionLevels::want(std::optional<ClipRange> range) {
  range_ = range;
  levels_.reset();
  lane_.cancel();
  range_ ? soon_.start() : soon_.stop();
}

void SelectionLevels::measure() {
  const Clip* clip = work_.selection.clip();
  if (!clip || !range_ || work_.document.missing(*clip)) return;
  const double rate = work_.document.reel().rate;
  const FrameRange frames{frame_of(range_->begin, rate), frame_of(range_->end, rate)};
  lane_.start(
      [this, frames, reel = work_.document.shared(), id = clip->id,
       stores = work_.measurements.stores()](const CancelToken& cancel) -> TaskLane::Finish {
        LevelPathOptions options;
        options.store = &stores->findings;
        options.levels = &stores->levels;
        options.cache = &stores->stages;
        options.cancel = &cancel;
        try {
          const auto levels = measure_range(plan_of(*reel, *reel->find(id)), frames, options);
          return [this, levels] {
            levels_ = levels;
            Q_EMIT changed();
          };
        } catch (const Error&) {
          return {};  // another clock, or what the measuring of the clip tells
        }
      });
}

}  // namespace drevan::desktop
