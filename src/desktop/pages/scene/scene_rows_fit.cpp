// SPDX-License-Identifier: GPL-3.0-or-later
// Clips fitted to the picture in the Scene's rows: ends that are trimmed or stretched.
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/times/clip_times.h"
#include "reel/edits/cuts.h"
#include "reel/scene/made.h"
#include "reel/scene/scene_curves.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double edge_px = 5;
}

// --- ends ---

SceneRows::Drag SceneRows::edge_at(QPointF at) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || folded(clip->group) || at.y() < rows_top()) return Drag::none;
  const QRectF r = clip_rect(clip->id);
  if (at.y() < r.top() || at.y() > r.bottom() || at.x() < header_width + ruler_width)
    return Drag::none;
  if (std::abs(at.x() - r.right()) < edge_px) return Drag::trim_end;
  if (std::abs(at.x() - r.left()) < edge_px) return Drag::trim_begin;
  return Drag::none;
}

void SceneRows::drag_edge(double x, bool snaps) {
  const Clip& clip = held();
  const double s = pressed_s_ + (x - pressed_.x()) * per_pixel_s_;
  edge_s_ = snaps ? snapped(s, {clip.id}).value_or(work_.films.to_picture(s)) : s;
  snap_line_s_ = edge_s_;
  viewport()->update();
}

// What was dragged is done when it is let go: a clip is not cut anew with every pixel.
void SceneRows::end_edge() {
  const Clip& clip = held();
  const ClipId id = clip.id;
  const ClipTimes times = work_.scene.times(work_.document.reel(), clip);
  const HeardTime edge = heard(times, ReelTime{edge_s_});
  if (drag_ == Drag::stretch) {
    const auto way = edits::stretch_way(clip).value_or(edits::StretchWay::pitch);
    if (marked_.size() > 1 && marked_.contains(id)) return stretch_marked(clip);
    const HeardSpan length = edge - whole_heard(times).begin;
    work_.document.change(
        [&](const Reel& reel) { return edits::stretch_to(reel, id, length, way); });
    return;
  }
  HeardRange keep = whole_heard(times);
  (drag_ == Drag::trim_begin ? keep.begin : keep.end) = edge;
  if (!(keep.end > keep.begin)) return;
  work_.document.change(
      [&](const Reel& reel) { return edits::trim(reel, id, in_clip(times, keep)); });
}

// By what the end that is held tells, about the beginning of the first of them.
void SceneRows::stretch_marked(const Clip& held) {
  std::vector<edits::SoundingClip> clips;
  double first_s = held.place.s;
  for (const ClipId id : marked_) {
    const Clip& c = *work_.document.reel().find(id);
    clips.push_back({id, {clip_seconds(c)}});
    first_s = std::min(first_s, c.place.s);
  }
  const double factor = (edge_s_ - first_s) / (held.place.s + clip_seconds(held) - first_s);
  work_.document.change(
      [&](const Reel& reel) { return edits::stretch_together(reel, clips, factor); });
}

}  // namespace drevan::desktop
