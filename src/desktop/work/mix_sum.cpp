// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/mix_sum.h"

#include "audio/error.h"
#include "audio/hash.h"
#include "batch/mix.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

struct Rendered {
  ClipId bus = mix_clip_id;
  Source file;
  std::uint64_t key = 0;
  Problem problem;
};

MixSum::MixSum(Notices& notices, Document& document, Selection& selection,
               Measurements& measurements, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  // Edits follow each other quickly; a sum is no matter of a moment.
  soon_.setSingleShot(true);
  soon_.setInterval(400);
  // One that is on its way to be selected is not given up for the one that still is.
  connect(&soon_, &QTimer::timeout, this,
          [this] { render(lane_.busy() && select_ ? bus_ : selection_.clip_id(), false); });
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  connect(&document_, &Document::leaving, this, [this] {
    lane_.cancel();
    soon_.stop();
    shown_.clear();
  });
  connect(&document_, &Document::reel_changed, this, &MixSum::follow);
}

// What changes in a clip changes the mix that is looked at.
void MixSum::follow() {
  if (is_bus(selection_.clip_id()) && !document_.previewing()) soon_.start();
}

void MixSum::open(ClipId bus) {
  if (document_.reel().clips.empty())
    return notices_.warn(tr("There is no clip yet, so there is nothing to mix; add some first."));
  document_.end_preview();
  render(bus, true);
}

void MixSum::render(ClipId bus, bool select) {
  if (!document_.reel().find(bus) || !is_bus(bus)) return;
  if (!folder_.isValid())
    return notices_.warn(tr("No room was found for the mix on the temporary disk (%1); free some.")
                             .arg(folder_.errorString()));
  // Asked for again while it is on its way: it is selected when it is there.
  select_ = select || (lane_.busy() && select_ && bus == bus_);
  bus_ = bus;
  lane_.start([this, bus, reel = document_.shared(), known = shown_[bus].key,
               stores = measurements_.stores(), folder = fs::path(folder_.path().toStdString())](
                  const CancelToken& cancel) -> TaskLane::Finish {
    Rendered sum;
    sum.bus = bus;
    sum.key = sum_key(*reel, bus);
    if (sum.key == known) return [this, sum] { take(sum, select_); };
    lane_.post(cancel, [this] { Q_EMIT progress(0); });
    try {
      sum.file = render_sum(
          *reel, folder / ("sum-" + to_hex(sum.key) + ".wav"), stores->findings, cancel,
          [this, &cancel, last = 0](double p) mutable {
            if (static_cast<int>(p * 100) == last) return;
            last = static_cast<int>(p * 100);
            lane_.post(cancel, [this, p] { Q_EMIT progress(std::min(p, 0.99)); });
          },
          bus);
    } catch (const Error& e) {
      sum.problem = problem_of(e);
    }
    return [this, sum] { take(sum, select_); };
  });
}

void MixSum::take(const Rendered& sum, bool select) {
  Q_EMIT progress(1);
  if (!sum.problem.empty()) return notices_.warn(sum.problem);
  Shown& shown = shown_[sum.bus];
  if (sum.key != shown.key) {
    // The one before it may still be read for a moment; the one before that is not.
    std::error_code error;
    if (!shown.before.empty() && shown.before != sum.file.path) fs::remove(shown.before, error);
    const Clip* bus = document_.reel().find(sum.bus);
    if (bus) shown.before = document_.reel().source_of(*bus).path;
    shown.key = sum.key;
    document_.set_bus_source(sum.bus, sum.file);
  }
  if (!select) return;
  select_ = false;
  selection_.select_clip(sum.bus);
  Q_EMIT opened();
}

}  // namespace drevan::desktop
