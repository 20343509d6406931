// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/mix_watch.h"

#include "audio/error.h"
#include "batch/meet.h"
#include "engine/planning/clip_sound.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {
constexpr int after_edit_ms = 800;
constexpr double sum_share = 0.7;  // of the time, about
}  // namespace

struct MixWatch::Round {
  std::optional<WholeLevels> mix, reference;
  fs::path reference_file;
  Problem problem;
};

MixWatch::MixWatch(Notices& notices, Document& document, Measurements& measurements,
                   Listening& listening, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      measurements_(measurements),
      listening_(listening) {
  soon_.setSingleShot(true);
  soon_.setInterval(after_edit_ms);
  connect(&soon_, &QTimer::timeout, this, &MixWatch::measure);
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  connect(&document_, &Document::leaving, this, [this] {
    hear_reference(false);
    lane_.cancel();
    soon_.stop();
    mix_.reset();
    reference_.reset();
    reference_file_.clear();
  });
  connect(&document_, &Document::reel_changed, this, &MixWatch::follow);
}

void MixWatch::set_active(bool on) {
  active_ = on;
  if (on) return follow();
  soon_.stop();
  lane_.cancel();
  hear_reference(false);
}

void MixWatch::follow() {
  if (document_.reel().reference.empty()) hear_reference(false);
  if (active_ && !document_.previewing()) soon_.start();
}

Progress MixWatch::telling(const CancelToken& cancel, double from, double to) {
  return [this, &cancel, from, to, last = -1](double p) mutable {
    const int percent = static_cast<int>(100 * (from + p * (to - from)));
    if (percent == std::exchange(last, percent)) return;
    lane_.post(cancel, [this, percent] { Q_EMIT progress(std::min(0.99, percent / 100.0)); });
  };
}

// While it plays, two cores are little: then it is only told that the mix is another.
void MixWatch::measure() {
  if (!folder_.isValid()) return;
  lane_.start([this, reel = document_.shared(), known = mix_ ? mix_->key : 0,
               known_reference = reference_file_, plays = listening_.player().playing(),
               stores = measurements_.stores(), folder = fs::path(folder_.path().toStdString())](
                  const CancelToken& cancel) -> TaskLane::Finish {
    Round round;
    round.reference_file = reel->reference;
    const bool other = !reel->clips.empty() && mix_key(*reel) != known;
    const bool other_reference = reel->reference != known_reference;
    if (plays && (other || other_reference)) return [this, other] { put_off(other); };
    if (other) lane_.post(cancel, [this] { tell_fresh(false); });
    try {
      if (other_reference && !reel->reference.empty())
        round.reference = measure_whole_file(reel->reference, reel->rate, cancel);
    } catch (const Error& e) {
      round.problem = problem_of(e);
    }
    try {
      if (other) {
        const Source sum = render_sum(*reel, folder / "sum.wav", stores->findings, cancel,
                                      telling(cancel, 0, sum_share));
        round.mix =
            measure_mix(*reel, sum, stores->findings, cancel, telling(cancel, sum_share, 1));
      }
    } catch (const Error& e) {
      round.problem = problem_of(e);
    }
    return [this, round] { take(round); };
  });
}

void MixWatch::put_off(bool other) {
  tell_fresh(fresh_ && !other);
  soon_.start();
}

void MixWatch::tell_fresh(bool fresh) {
  if (std::exchange(fresh_, fresh) != fresh) Q_EMIT changed();
}

void MixWatch::take(const Round& round) {
  if (round.mix) mix_ = round.mix;
  // One that cannot be read is told once, not with every edit.
  if (round.reference_file != reference_file_) {
    reference_ = round.reference;
    reference_file_ = round.reference_file;
  }
  if (document_.reel().clips.empty()) mix_.reset();
  fresh_ = round.problem.empty();
  if (!round.problem.empty()) notices_.warn(round.problem);
  Q_EMIT progress(1);
  Q_EMIT changed();
}

void MixWatch::meet_target() {
  document_.end_preview();
  if (!document_.target())
    return notices_.warn(tr("The reel has no target yet; choose one in the mix's panel."));
  if (document_.reel().clips.empty())
    return notices_.warn(tr("There is no clip yet, so there is no mix."));
  listening_.player().pause();
  soon_.stop();
  notices_.tell(tr("Trying what meets the target ..."));
  lane_.start([this, reel = document_.shared(), target = *document_.target(),
               stores = measurements_.stores(), folder = fs::path(folder_.path().toStdString())](
                  const CancelToken& cancel) -> TaskLane::Finish {
    const Chain own = reel->mix.chain;
    Meeting met;
    try {
      const Source sum = render_sum(*reel, folder / "sum.wav", stores->findings, cancel,
                                    telling(cancel, 0, sum_share));
      const Reel with = with_bus_source(*reel, mix_clip_id, sum);
      LevelPathOptions options;
      options.store = &stores->findings;
      options.levels = &stores->levels;
      options.cancel = &cancel;
      met = drevan::meet_target(clip_sound(with, with.mix), own, {}, target, options);
    } catch (const Error& e) {
      met.told = e.what();
    }
    return [this, met, own] {
      Q_EMIT progress(1);
      if (met.changed && document_.history().now().mix.chain == own)
        document_.change([&](const Reel& now) {
          return edits::set_chain(now, mix_clip_id, met.chain, "The mix meets the target");
        });
      met.meets ? notices_.tell(QString::fromStdString(met.told))
                : notices_.warn(QString::fromStdString(met.told));
      follow();
    };
  });
}

void MixWatch::hear_reference(bool on) {
  if (on == hears_reference_) return;
  const fs::path& file = document_.reel().reference;
  if (on && file.empty())
    return notices_.warn(tr("Choose a reference first: a finished mix to listen against."));
  const auto loudness = [](const std::optional<WholeLevels>& of) {
    return of ? loudness_of(of->levels) : std::nullopt;
  };
  const auto mix = loudness(mix_), reference = loudness(reference_);
  hears_reference_ = on;
  listening_.play_reference(on ? file : fs::path(), mix && reference ? *mix - *reference : 0);
  Q_EMIT changed();
}

}  // namespace drevan::desktop
