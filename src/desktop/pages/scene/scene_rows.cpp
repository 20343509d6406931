// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/scene_rows.h"

#include <QLineEdit>
#include <QScrollBar>
#include <algorithm>
#include <cmath>

#include "reel/scene/scene_edits.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"
#include "widgets/close_field.h"

namespace drevan::desktop {

SceneRows::SceneRows(const Work& work, QWidget* parent) : QAbstractScrollArea(parent), work_(work) {
  setObjectName("scene_rows");
  setAccessibleName(tr("Films, events and clips over time"));
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  viewport()->setMouseTracking(true);
  const auto fresh = [this] { redraw(); };
  connect(&work_.document, &Document::reel_changed, this, [this] {
    if (event_ && !find_event(work_.document.reel(), *event_)) event_.reset();
    keep_hold();
    std::erase_if(marked_, [this](ClipId id) { return !work_.document.reel().find(id); });
    follow_size();
    redraw();
  });
  connect(&work_.document, &Document::opened, this, [this] {
    let_go();
    marked_.clear();
    event_.reset();
    folded_.clear();
    playhead_s_ = 0;
    fitted_ = true;
  });
  connect(&work_.scene, &SceneSounds::sounds_changed, this, fresh);
  connect(&work_.scene, &SceneSounds::plan_changed, this, fresh);
  connect(&work_.films, &SceneFilms::films_changed, this, [this] {
    follow_size();
    redraw();
  });
  connect(&work_.films, &SceneFilms::small_changed, this, fresh);
  connect(&work_.selection, &Selection::clip_changed, this, [this] {
    follow_size();
    redraw();
  });
  connect(&work_.shelf, &ShelfMeasurements::loudness_changed, this, fresh);
  fitted_ = true;
}

// --- time ---

double SceneRows::x_of(double s) const {
  return header_width + ruler_width + (s - begin_s_) / per_pixel_s_;
}
double SceneRows::seconds_at(double x) const {
  return begin_s_ + (x - header_width - ruler_width) * per_pixel_s_;
}
double SceneRows::view_seconds() const {
  return std::max(1.0, viewport()->width() - header_width - ruler_width - 8) * per_pixel_s_;
}

double SceneRows::clip_seconds(const Clip& clip) const {
  if (const SceneSound* sound = work_.scene.sound(clip.id)) return sound->course->seconds();
  return whole_heard(work_.scene.times(work_.document.reel(), clip)).end.s;
}

double SceneRows::all_seconds() const {
  const Reel& reel = work_.document.reel();
  double end = std::max({5.0, work_.films.end_s(), work_.scene.end_s()});
  for (const Event& e : reel.events) end = std::max(end, e.at.s);
  return end * 1.02;
}

void SceneRows::zoom(double by, double around_s) {
  const double x = x_of(around_s);
  // From a few samples to some more than all there is.
  const double most = 1.5 * all_seconds() / std::max(100, viewport()->width());
  per_pixel_s_ = std::clamp(per_pixel_s_ / by, std::min(2e-5, most), most);
  begin_s_ = std::max(0.0, around_s - (x - header_width - ruler_width) * per_pixel_s_);
  fitted_ = false;
  redraw();
}

void SceneRows::show_all() {
  fitted_ = true;
  follow_size();
  redraw();
}

void SceneRows::follow_size() {
  lay_out_rows();
  if (fitted_) {
    begin_s_ = 0;
    per_pixel_s_ =
        all_seconds() / std::max(1.0, viewport()->width() - header_width - ruler_width - 8);
  }
  const double beyond = rows_top() + rows_height() - viewport()->height();
  verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(std::ceil(beyond))));
  verticalScrollBar()->setPageStep(viewport()->height());
  verticalScrollBar()->setSingleStep(static_cast<int>(fold_height));
}

void SceneRows::show_playhead(double reel_s, bool follow) {
  if (reel_s == playhead_s_) return;
  playhead_s_ = reel_s;
  const double x = x_of(playhead_s_);
  const bool outside = x < header_width + ruler_width || x > viewport()->width() - 8;
  if (follow && outside && drag_ == Drag::none && !fitted_) {
    begin_s_ = std::max(0.0, playhead_s_ - 0.05 * view_seconds());
    redraw();
  }
  viewport()->update();
}

// --- what is held ---

// Every change of the reel carries what is held along, or ends it.
void SceneRows::keep_hold() {
  if (drag_ != Drag::none && drag_ != Drag::playhead && !grab_.alive(work_.document)) let_go();
  if (name_ && !named_.alive(work_.document)) end_name();
}

void SceneRows::let_go() {
  drag_ = Drag::none;
  moved_ = false;
  snap_line_s_.reset();
  places_.clear();
  grab_.let_go();
  end_name();
}

void SceneRows::end_name() {
  named_.let_go();
  close_field(name_);
}

// A field that is not seen would keep the keys.
void SceneRows::hideEvent(QHideEvent* e) {
  let_go();
  QAbstractScrollArea::hideEvent(e);
}

const Clip& SceneRows::held() const { return *work_.document.reel().find(grab_.clip()); }

std::vector<ClipId> SceneRows::marked() const {
  std::vector<ClipId> out(marked_.begin(), marked_.end());
  const Clip* clip = work_.selection.clip();
  if (out.empty() && clip && !is_bus(*clip)) out.push_back(clip->id);
  return out;
}

void SceneRows::choose_clip(ClipId clip, Qt::KeyboardModifiers how) {
  event_.reset();
  if (how.testFlag(Qt::ControlModifier)) {
    if (marked_.empty())
      for (const ClipId id : marked()) marked_.insert(id);
    if (!marked_.erase(clip)) marked_.insert(clip);
  } else if (how.testFlag(Qt::ShiftModifier) && work_.selection.clip()) {
    // All between the two in time.
    const Reel& reel = work_.document.reel();
    const auto [from, to] =
        std::minmax({work_.selection.clip()->place.s, reel.find(clip)->place.s});
    for (const Clip& c : reel.clips)
      if (c.place.s >= from && c.place.s <= to) marked_.insert(c.id);
  } else if (!marked_.contains(clip)) {
    marked_.clear();
  }
  work_.selection.select_clip(clip);
  redraw();
  Q_EMIT chosen_changed();
}

void SceneRows::mark_event(bool name_it) {
  const double s = work_.films.to_picture(playhead_s_);
  const auto& events = work_.document.reel().events;
  const Event fresh{{s}, "Event " + std::to_string(events.size() + 1)};
  if (!work_.document.change([&](const Reel& reel) { return edits::add_event(reel, fresh); }))
    return;
  event_ = work_.document.reel().last_event_id;
  redraw();
  Q_EMIT chosen_changed();
  if (name_it) rename_event(*event_);
}

void SceneRows::remove_chosen() {
  if (event_) {
    const EventId gone[] = {*event_};
    event_.reset();
    work_.document.change([&](const Reel& reel) { return edits::remove_events(reel, gone); });
    return;
  }
  const auto clips = marked();
  marked_.clear();
  if (!clips.empty())
    work_.document.change([&](const Reel& reel) { return edits::remove_clips(reel, clips); });
}

void SceneRows::nudge(double by_s) {
  const Reel& reel = work_.document.reel();
  if (event_) {
    const ReelTime to = find_event(reel, *event_)->at + ReelSpan{by_s};
    work_.document.change([&](const Reel& r) { return edits::move_event(r, *event_, to); });
    return;
  }
  std::vector<edits::PlacedClip> places;
  const auto ids = marked();
  for (const ClipId id : ids) places.push_back({id, reel.find(id)->place + ReelSpan{by_s}});
  if (!places.empty())
    work_.document.change([&](const Reel& r) { return edits::place_clips(r, places); });
}

// --- geometry ---

double SceneRows::rows_top() const {
  const bool films = !work_.document.reel().films.empty();
  return (films ? strip_height : 0) + event_height;
}

bool SceneRows::folded(GroupId group) const { return folded_.contains(group); }

// As high as there is room for.
double SceneRows::row_height() const {
  int open = bus() ? 1 : 0, closed = 0;
  for (const Group& g : work_.document.reel().groups) ++(folded(g.id) ? closed : open);
  const double room = viewport()->height() - rows_top() - 6 - closed * fold_height;
  return std::clamp(room / std::max(1, open), least_row, most_row);
}

double SceneRows::rows_height() const { return row_tops_.back() + 6 + (bus() ? row_height() : 0); }

void SceneRows::lay_out_rows() {
  const double open = row_height();
  row_tops_ = {0};
  for (const Group& g : work_.document.reel().groups)
    row_tops_.push_back(row_tops_.back() + (folded(g.id) ? fold_height : open));
}

QRectF SceneRows::row_rect(GroupId group) const {
  const auto& groups = work_.document.reel().groups;
  const auto at =
      static_cast<size_t>(std::ranges::find(groups, group, &Group::id) - groups.begin());
  if (at + 1 >= row_tops_.size()) return {};
  const double left = header_width + ruler_width;
  return {left, rows_top() + row_tops_[at] - verticalScrollBar()->value(),
          viewport()->width() - left - 8.0, row_tops_[at + 1] - row_tops_[at]};
}

const Clip* SceneRows::bus() const {
  const Clip* clip = work_.selection.clip();
  return clip && is_bus(*clip) ? clip : nullptr;
}

QRectF SceneRows::bus_rect() const {
  if (!bus()) return {};
  const double left = header_width + ruler_width, high = row_height();
  const double under = rows_top() + row_tops_.back() - verticalScrollBar()->value();
  return {left, std::min(under, viewport()->height() - high - 6), viewport()->width() - left - 8.0,
          high};
}

QRectF SceneRows::row_of(const Clip& clip) const {
  return is_bus(clip) ? bus_rect() : row_rect(clip.group);
}

QRectF SceneRows::header_rect(GroupId group) const {
  const QRectF row = row_rect(group);
  return {0, row.top(), header_width, row.height()};
}

QRectF SceneRows::part_rect(GroupId group, int part) const {
  const QRectF h = header_rect(group);
  return {part == 0 ? 14.0 : 52.0, h.top() + 37, part == 0 ? 34.0 : 26.0, 15};
}

double SceneRows::y_of(const QRectF& row, double db) const {
  const double top = row.top() + 12, bottom = row.bottom() - 4;
  return top + (bottom - top) * std::clamp(db / bottom_db, 0.0, 1.0);
}

QRectF SceneRows::clip_rect(ClipId clip_id) const {
  const Clip* clip = work_.document.reel().find(clip_id);
  if (!clip || (is_bus(*clip) && clip != bus())) return {};
  const QRectF row = row_of(*clip);
  const double left = x_of(clip->place.s), right = x_of(clip->place.s + clip_seconds(*clip));
  return {left, row.top() + 2, std::max(2.0, right - left), row.height() - 4};
}

QRectF SceneRows::event_rect(EventId id) const {
  const Event* found = find_event(work_.document.reel(), id);
  if (!found) return {};
  const Event& e = *found;
  const double y = rows_top() - event_height;
  const double wide = QFontMetricsF(small_font()).horizontalAdvance(QString::fromStdString(e.name));
  return {x_of(e.at.s) - 5, y + 2, 16 + wide, event_height - 4};
}

void SceneRows::redraw() {
  lay_out_rows();
  stale_ = true;
  viewport()->update();
  Q_EMIT view_changed();
}

void SceneRows::resizeEvent(QResizeEvent*) {
  follow_size();
  redraw();
}
void SceneRows::scrollContentsBy(int, int) { redraw(); }
void SceneRows::changeEvent(QEvent* e) {
  if (e->type() == QEvent::StyleChange || e->type() == QEvent::PaletteChange) redraw();
}

}  // namespace drevan::desktop
