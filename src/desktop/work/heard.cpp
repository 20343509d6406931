// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/heard.h"

#include <QJsonArray>
#include <algorithm>
#include <cmath>

#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "reel/times/clip_times.h"
#include "reel/edits/takes.h"
#include "work/reel_memory.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {
constexpr int watch_ms = 50;
// Further between two looks is a jump, not playing.
constexpr double most_step_s = 0.5;
// The device is a little behind the playhead at both ends.
constexpr double slack_s = 0.1;
}  // namespace

Heard::Heard(const Document& document, const Selection& selection, const Measurements& measurements,
             const ShelfMeasurements& shelf, const SceneSounds& scene, Listening& listening,
             QObject* parent)
    : QObject(parent),
      document_(document),
      selection_(selection),
      measurements_(measurements),
      shelf_(shelf),
      scene_(scene),
      listening_(listening) {
  connect(&timer_, &QTimer::timeout, this, &Heard::watch);
  timer_.start(watch_ms);
  connect(&document_, &Document::leaving, this, &Heard::keep);
  connect(&document_, &Document::opened, this, &Heard::bring);
  connect(&shelf_, &ShelfMeasurements::loudness_changed, this, &Heard::changed);
}

// Counts what plays through the whole chain as it stands: of the clip that plays, or of all that
// sound in the reel as a whole.
void Heard::watch() {
  const bool scene = listening_.plays_scene();
  const bool heard = listening_.player().playing() && !listening_.file_played() &&
                     !listening_.plays_reference() &&
                     listening_.player().listen() == Listen::after && !listening_.solo_step() &&
                     !document_.previewing() && (scene || measurements_.levels_fresh());
  const Playing now{scene, scene ? 0 : selection_.clip_id(),
                    scene ? listening_.reel_position().s : listening_.clip_position().s};
  const Playing was = std::exchange(playing_, now);
  const bool goes_on =
      std::exchange(was_heard_, heard) && was.scene == now.scene && was.clip == now.clip;
  if (!heard || !goes_on || was.s == now.s || std::abs(now.s - was.s) > most_step_s) return;
  const auto [from, to] = std::minmax({was.s, now.s});
  if (!scene) return add(now.clip, measurements_.levels()->keys.back(), ClipRange{{from}, {to}});
  hear_scene({{from}, {to}});
}

void Heard::hear_scene(ReelRange range) {
  const Reel& reel = document_.reel();
  for (const ClipId id : rendered_clips(reel)) {
    const drevan::Clip& clip = *reel.find(id);
    const SceneSound* sound = scene_.sound(id);
    if (!sound || !scene_.row_sounds(clip.group)) continue;
    const ClipTimes times = scene_.times(reel, clip);
    const ClipRange all = whole_clip(times);
    ClipRange part = in_clip(times, range);
    part = {std::max(part.begin, all.begin), std::min(part.end, all.end)};
    if (part.end > part.begin) add(id, sound->key, part);
  }
}

void Heard::add(ClipId clip_id, std::uint64_t key, ClipRange part) {
  Clip& clip = clips_[clip_id];
  if (clip.key != key) clip = {key, {}};
  auto& all = clip.parts;
  all.push_back(part);
  std::ranges::sort(all, {}, &ClipRange::begin);
  std::vector<ClipRange> joined;
  for (const auto& p : all) {
    if (!joined.empty() && p.begin <= joined.back().end + ClipSpan{0.01})
      joined.back().end = std::max(joined.back().end, p.end);
    else
      joined.push_back(p);
  }
  all = std::move(joined);
  Q_EMIT changed();
}

std::vector<ClipRange> Heard::parts(ClipId clip_id) const {
  const auto at = clips_.find(clip_id);
  if (at == clips_.end() || at->second.key != shelf_.wanted_key(clip_id)) return {};
  return at->second.parts;
}

std::optional<double> Heard::share(ClipId clip_id) const {
  const auto* clip = document_.reel().find(clip_id);
  if (!clip || shelf_.wanted_key(clip_id) == 0) return std::nullopt;
  double heard = 0;
  for (const auto& part : parts(clip_id)) heard += part.length().s;
  const double all = static_cast<double>(clip->frames) / document_.reel().source_of(*clip).rate;
  if (heard == 0) return 0;
  return heard >= all - slack_s ? 1 : heard / all;
}

void Heard::keep() const {
  QJsonObject all;
  for (const auto& [id, clip] : clips_) {
    QJsonArray parts;
    for (const auto& part : clip.parts) parts << QJsonArray{part.begin.s, part.end.s};
    all[QString::number(id.number())] =
        QJsonObject{{"sound", QString::number(clip.key, 16)}, {"heard_s", parts}};
  }
  keep_in_reel_memory(document_.file(), "heard", all);
}

void Heard::bring() {
  clips_.clear();
  was_heard_ = false;
  const auto all = reel_memory(document_.file())["heard"].toObject();
  for (auto at = all.begin(); at != all.end(); ++at) {
    const auto of = at.value().toObject();
    Clip& clip = clips_[ClipId::numbered(at.key().toInt())];
    clip.key = of["sound"].toString().toULongLong(nullptr, 16);
    for (const auto& part : of["heard_s"].toArray())
      clip.parts.push_back({{part.toArray().at(0).toDouble()}, {part.toArray().at(1).toDouble()}});
  }
  Q_EMIT changed();
}

}  // namespace drevan::desktop
