// Clips fitted to the picture in the Scene's rows: ends that are trimmed or stretched.
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/cuts.h"
#include "reel/made.h"
#include "reel/scene_curves.h"
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
  const Clip& clip = *work_.selection.clip();
  const double s = pressed_s_ + (x - pressed_.x()) * per_pixel_s_;
  edge_s_ = snaps ? snapped(s, {clip.id}).value_or(work_.films.to_picture(s)) : s;
  snap_line_s_ = edge_s_;
  viewport()->update();
}

// What was dragged is done when it is let go: a clip is not cut anew with every pixel.
void SceneRows::end_edge() {
  const Clip& clip = *work_.selection.clip();
  const int id = clip.id;
  if (drag_ == Drag::stretch) {
    const auto way = edits::stretch_way(clip).value_or(edits::StretchWay::pitch);
    if (marked_.size() > 1 && marked_.contains(id)) return stretch_marked(clip);
    const double to = edge_s_ - clip.place_s;
    const int one[] = {id};
    work_.document.change(
        [&](const Reel& reel) { return settled(edits::stretch_to(reel, id, to, way), one); });
    return;
  }
  const SceneSound* sound = work_.scene.sound(id);
  if (sound && !sound->plan->from_clip.identity())
    return work_.notices.warn(
        tr("%1 has another clock than its source; trim it on the Bench, where that is seen.")
            .arg(QString::fromStdString(clip.name)));
  const double own_s = drevan::clip_seconds(work_.document.reel(), clip);
  SecondsRange keep{0, own_s};
  (drag_ == Drag::trim_begin ? keep.begin : keep.end) = edge_s_ - clip.place_s;
  const int one[] = {id};
  work_.document.change(
      [&](const Reel& reel) { return settled(edits::trim(reel, id, keep), one); });
}

// By what the end that is held tells, about the beginning of the first of them.
void SceneRows::stretch_marked(const Clip& held) {
  std::vector<edits::SoundingClip> clips;
  double first_s = held.place_s;
  for (const int id : marked_) {
    const Clip& c = *work_.document.reel().find(id);
    clips.push_back({id, clip_seconds(c)});
    first_s = std::min(first_s, c.place_s);
  }
  const double factor = (edge_s_ - first_s) / (held.place_s + clip_seconds(held) - first_s);
  work_.document.change(
      [&](const Reel& reel) { return edits::stretch_together(reel, clips, factor); });
}

}  // namespace drevan::desktop
