#include "work/heard.h"

#include <QJsonArray>
#include <algorithm>
#include <cmath>

#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/reel_memory.h"
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
             const ShelfMeasurements& shelf, Listening& listening, QObject* parent)
    : QObject(parent),
      document_(document),
      selection_(selection),
      measurements_(measurements),
      shelf_(shelf),
      listening_(listening) {
  connect(&timer_, &QTimer::timeout, this, &Heard::watch);
  timer_.start(watch_ms);
  connect(&document_, &Document::leaving, this, &Heard::keep);
  connect(&document_, &Document::opened, this, &Heard::bring);
  connect(&shelf_, &ShelfMeasurements::loudness_changed, this, &Heard::changed);
}

// Counts what plays through the whole chain as it stands.
void Heard::watch() {
  const int clip = selection_.clip_id();
  const bool heard = listening_.player().playing() && !listening_.file_played() &&
                     listening_.player().listen() == Listen::after && !listening_.solo_step() &&
                     !document_.previewing() && measurements_.levels_fresh();
  const double at = listening_.position_s();
  const double from = std::exchange(at_s_, at);
  const bool goes_on = std::exchange(was_heard_, heard) && std::exchange(at_clip_, clip) == clip;
  at_clip_ = clip;
  if (!heard || !goes_on || from == at || std::abs(at - from) > most_step_s) return;
  add(clip, measurements_.levels()->keys.back(), {std::min(from, at), std::max(from, at)});
}

void Heard::add(int clip_id, std::uint64_t key, SecondsRange part) {
  Clip& clip = clips_[clip_id];
  if (clip.key != key) clip = {key, {}};
  auto& all = clip.parts;
  all.push_back(part);
  std::ranges::sort(all, {}, &SecondsRange::begin);
  std::vector<SecondsRange> joined;
  for (const auto& p : all) {
    if (!joined.empty() && p.begin <= joined.back().end + 0.01)
      joined.back().end = std::max(joined.back().end, p.end);
    else
      joined.push_back(p);
  }
  all = std::move(joined);
  Q_EMIT changed();
}

std::vector<SecondsRange> Heard::parts(int clip_id) const {
  const auto at = clips_.find(clip_id);
  if (at == clips_.end() || at->second.key != shelf_.wanted_key(clip_id)) return {};
  return at->second.parts;
}

std::optional<double> Heard::share(int clip_id) const {
  const auto* clip = document_.reel().find(clip_id);
  if (!clip || shelf_.wanted_key(clip_id) == 0) return std::nullopt;
  double heard = 0;
  for (const auto& part : parts(clip_id)) heard += part.end - part.begin;
  const double all = static_cast<double>(clip->frames) / document_.reel().source_of(*clip).rate;
  if (heard == 0) return 0;
  return heard >= all - slack_s ? 1 : heard / all;
}

void Heard::keep() const {
  QJsonObject all;
  for (const auto& [id, clip] : clips_) {
    QJsonArray parts;
    for (const auto& part : clip.parts) parts << QJsonArray{part.begin, part.end};
    all[QString::number(id)] =
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
    Clip& clip = clips_[at.key().toInt()];
    clip.key = of["sound"].toString().toULongLong(nullptr, 16);
    for (const auto& part : of["heard_s"].toArray())
      clip.parts.push_back({part.toArray().at(0).toDouble(), part.toArray().at(1).toDouble()});
  }
  Q_EMIT changed();
}

}  // namespace drevan::desktop
