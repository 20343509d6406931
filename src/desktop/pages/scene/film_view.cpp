// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/film_view.h"

#include <QMouseEvent>
#include <QPainter>

#include "engine/scene/film_track.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "reel/scene/standing.h"
#include "steps/curve_edit.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/scene_films.h"

namespace drevan::desktop {

FilmView::FilmView(const Work& work, QWidget* parent)
    : QWidget(parent), work_(work), lane_(work.document) {
  setObjectName("film");
  setAccessibleName(tr("The picture at the playhead"));
  setMinimumSize(200, 120);
  setMouseTracking(true);
  setToolTip(
      tr("Hold the chosen sound's dot to place it from left to right, while it stands or plays"));
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { work_.notices.warn(why); });
  const auto again = [this] {
    if (!grab_.holds(work_.document, work_.selection.clip_id())) holding_ = false;
    update();
  };
  connect(&work_.selection, &Selection::clip_changed, this, again);
  connect(&work_.document, &Document::reel_changed, this, again);
  connect(&work_.films, &SceneFilms::films_changed, this, [this] {
    close();
    look_at(reel_s_);
  });
}

void FilmView::close() {
  ahead_.reset();
  file_.clear();
  picture_.reset();
  image_ = {};
  shown_s_ = -1;
  update();
}

// Pictures are decoded as large as they are shown.
void FilmView::open() {
  const Film* film = work_.films.at(reel_s_);
  const FilmInfo* info = film ? work_.films.info(*film) : nullptr;
  if (!info) {
    if (ahead_ || !image_.isNull()) close();
    return;
  }
  place_s_ = film->place.s;
  const double scale = devicePixelRatioF();
  const QSize most(static_cast<int>(width() * scale), static_cast<int>(height() * scale));
  const QSize whole(std::max(1, info->width), std::max(1, info->height));
  shape_ = whole;
  QSize size = whole.scaled(most, Qt::KeepAspectRatio).boundedTo(whole);
  // In steps, so that a window that is dragged does not open the film at every pixel.
  size = QSize(std::max(16, size.width() / 16 * 16), std::max(16, size.height() / 2 * 2));
  if (ahead_ && file_ == film->path && decoded_ == size) return;
  file_ = film->path;
  decoded_ = size;
  ahead_ = std::make_unique<FilmAhead>(film->path, size.width(), size.height());
}

void FilmView::look_at(double reel_s) {
  const bool moved = reel_s != reel_s_;
  reel_s_ = reel_s;
  // A sound that is held goes on being held while the picture runs.
  if (holding_ && moved) hold();
  open();
  if (!ahead_) return;
  ahead_->look_at(reel_s - place_s_);
  if (const auto why = ahead_->take_error(); !why.empty()) work_.notices.warn(why);
  const auto now = ahead_->picture();
  if (!now || now == picture_) return;
  picture_ = now;
  shown_s_ = place_s_ + now->at_s;
  const QImage wrapped(now->pixels.data(), now->width, now->height, 3 * now->width,
                       QImage::Format_RGB888);
  turned_ = ahead_->rotation_deg();
  // The pixels live as long as picture_ does.
  image_ = turned_ == 0 ? wrapped : wrapped.transformed(QTransform().rotate(turned_));
  update();
}

bool FilmView::exact() const {
  return !ahead_ || (ahead_->exact() && ahead_->picture() == picture_);
}

QRectF FilmView::picture_rect() const {
  if (image_.isNull()) return {};
  const QSizeF size = QSizeF(turned_ % 180 != 0 ? shape_.transposed() : shape_)
                          .scaled(QSizeF(this->size()), Qt::KeepAspectRatio);
  return {QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size};
}

void FilmView::resizeEvent(QResizeEvent*) { look_at(reel_s_); }

// --- a sound held on the picture ---

const Clip* FilmView::held_clip() const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip)) return nullptr;
  const SceneSound* sound = work_.scene.sound(clip->id);
  const double length =
      sound ? sound->course->seconds() : clip_seconds(work_.document.reel(), *clip);
  return reel_s_ >= clip->place.s && reel_s_ <= clip->place.s + length ? clip : nullptr;
}

// Where the picture that is seen begins, from the clip's beginning.
double FilmView::moment() const {
  return std::max(0.0, work_.films.to_picture(reel_s_) - work_.selection.clip()->place.s);
}

double FilmView::share_at(const Clip& clip, double s) const {
  return share_of(standing_at(work_.document.reel(), clip, s));
}

std::optional<QPointF> FilmView::dot() const {
  const Clip* clip = held_clip();
  const QRectF at = picture_rect();
  if (!clip || at.isEmpty()) return std::nullopt;
  const double share = holding_ ? share_ : share_at(*clip, reel_s_ - clip->place.s);
  const auto height = dot_heights_.find(clip->id);
  return QPointF(at.center().x() + std::clamp(share, -1.0, 1.0) * at.width() / 2,
                 at.top() + at.height() * (height == dot_heights_.end() ? 0.7 : height->second));
}

void FilmView::hold() {
  const Clip* clip = held_clip();
  if (!clip) return;
  const double now = moment();
  const double from = now > last_s_ && now - last_s_ < 0.5 ? last_s_ : now;
  work_.document.change([&](const Reel& reel) {
    return edits::hold_at(reel, clip->id, {from, now, share_ * edits::picture_half_deg});
  });
  last_s_ = now;
  update();
}

void FilmView::mousePressEvent(QMouseEvent* e) {
  const auto at = dot();
  if (e->button() != Qt::LeftButton || !at || (e->position() - *at).manhattanLength() > 22) return;
  work_.document.end_merge();
  last_s_ = moment();
  grab_ = Grab::of_clip(work_.document, work_.selection.clip_id());
  mouseMoveEvent(e);
}

void FilmView::mouseMoveEvent(QMouseEvent* e) {
  if (!(e->buttons() & Qt::LeftButton)) {
    const auto at = dot();
    const bool near = at && (e->position() - *at).manhattanLength() <= 22;
    setCursor(near ? Qt::OpenHandCursor : Qt::ArrowCursor);
    return;
  }
  const Clip* clip = held_clip();
  const QRectF r = picture_rect();
  if (!clip || r.isEmpty() || (!holding_ && e->type() == QEvent::MouseMove)) return;
  holding_ = true;
  share_ = std::clamp((e->position().x() - r.center().x()) / (r.width() / 2), -1.0, 1.0);
  dot_heights_[clip->id] = std::clamp((e->position().y() - r.top()) / r.height(), 0.03, 0.97);
  hold();
}

void FilmView::mouseReleaseEvent(QMouseEvent*) {
  if (!std::exchange(holding_, false)) return;
  work_.document.end_merge();
  update();
}

namespace {
// From the picture as it is stored to as it is seen, turned to the right.
QPointF turned(QPointF at, int right_deg) {
  switch (right_deg) {
    case 90:
      return {1 - at.y(), at.x()};
    case 180:
      return {1 - at.x(), 1 - at.y()};
    case 270:
      return {at.y(), 1 - at.x()};
    default:
      return at;
  }
}
}  // namespace

void FilmView::follow() {
  if (lane_.busy()) {
    lane_.cancel();
    return update();
  }
  const auto at = dot();
  const Clip* clip = held_clip();
  const Film* film = work_.films.at(reel_s_);
  if (!at || !clip || !film)
    return work_.notices.warn(
        tr("Choose a clip that sounds at this picture, and put its dot on what it is to follow."));
  const QRectF r = picture_rect();
  const int rotation = ahead_ ? ahead_->rotation_deg() : 0;
  const QPointF seen((at->x() - r.left()) / r.width(), (at->y() - r.top()) / r.height());
  const QPointF stored = turned(seen, (360 - rotation) % 360);
  const SceneSound* sound = work_.scene.sound(clip->id);
  const double end_s = clip->place.s + (sound ? sound->course->seconds()
                                              : clip_seconds(work_.document.reel(), *clip));
  followed_pct_ = 0;
  lane_.start([this, file = film->path, id = clip->id, stored, rotation,
               from = reel_s_ - film->place.s, to = end_s - film->place.s,
               place = film->place.s](const CancelToken& cancel) -> TaskLane::Finish {
    FilmTrack track =
        follow_in_film(file, from, stored.x(), stored.y(), to, cancel, [&](double share) {
          lane_.post(cancel, [this, share] {
            followed_pct_ = static_cast<int>(100 * share);
            update();
          });
        });
    for (auto& p : track.points) {
      const QPointF now = turned({p.x, p.y}, rotation);
      p.x = now.x();
      p.y = now.y();
    }
    return [this, id, place, track] { take_track(id, place, track); };
  });
  update();
}

void FilmView::take_track(ClipId id, double place_s, const FilmTrack& track) {
  const Clip* clip = work_.document.reel().find(id);
  update();
  if (!clip) return;
  std::vector<edits::HeldAt> shares;
  for (const auto& p : track.points)
    if (const double s = place_s + p.s - clip->place.s; s >= 0) shares.push_back({s, 2 * p.x - 1});
  work_.document.change([&](const Reel& reel) { return edits::follow_along(reel, id, shares); });
  if (!track.points.empty()) dot_heights_[id] = std::clamp(track.points.front().y, 0.03, 0.97);
  if (track.lost_s)
    work_.notices.warn(
        tr("%1 was followed until %2; there it was lost, or left the picture. Hold it by hand from "
           "there on, or follow it again.")
            .arg(QString::fromStdString(clip->name),
                 work_.films.moment_text(place_s + *track.lost_s)));
  else
    work_.notices.tell(tr("%1 was followed to its end.").arg(QString::fromStdString(clip->name)));
}

// The way it takes, the moments it was held at, and where it is now.
void FilmView::draw_dot(QPainter& p) const {
  const auto at = dot();
  if (!at) return;
  const Clip& clip = *held_clip();
  const Theme& t = theme();
  const QRectF r = picture_rect();
  const auto x_of = [&](double s) {
    return r.center().x() + std::clamp(share_at(clip, s), -1.0, 1.0) * r.width() / 2;
  };
  if (const auto way = way_of(work_.document.reel(), clip)) {
    double least = at->x(), most = at->x();
    for (const auto& point : way->points) {
      least = std::min(least, x_of(point.s));
      most = std::max(most, x_of(point.s));
    }
    p.setPen(QPen(t.attention, 1.6, Qt::DashLine));
    p.drawLine(QPointF(least, at->y()), QPointF(most, at->y()));
    p.setPen(Qt::NoPen);
    p.setBrush(t.attention);
    for (const double end : {least, most}) p.drawEllipse(QPointF(end, at->y()), 3.5, 3.5);
  }
  p.setPen(QPen(t.window, 2));
  p.setBrush(t.attention);
  p.drawEllipse(*at, holding_ ? 10 : 8, holding_ ? 10 : 8);
  p.setFont(bold_font());
  const QString name =
      lane_.busy() ? tr("following, %1 %").arg(followed_pct_) : QString::fromStdString(clip.name);
  const double wide = p.fontMetrics().horizontalAdvance(name);
  const bool left = at->x() + 16 + wide > r.right();
  const QRectF box(left ? at->x() - 20 - wide : at->x() + 14, at->y() + 8, wide + 8, 18);
  p.setPen(Qt::NoPen);
  p.setBrush(faded(t.window, 0.6));
  p.drawRoundedRect(box, 3, 3);
  p.setPen(t.attention);
  p.drawText(box, Qt::AlignCenter, name);
}

void FilmView::mouseDoubleClickEvent(QMouseEvent*) {
  if (work_.document.reel().films.empty()) Q_EMIT film_wanted();
}

void FilmView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.setPen(Qt::NoPen);
  p.setBrush(t.panel);
  p.drawRoundedRect(rect(), 6, 6);
  const QRectF at = picture_rect();
  if (!at.isEmpty()) {
    p.drawImage(at, image_);
    const QString moment = work_.films.moment_text(reel_s_);
    p.setFont(bold_font());
    const QRectF box(at.left() + 8, at.bottom() - 28,
                     p.fontMetrics().horizontalAdvance(moment) + 14, 21);
    p.setBrush(faded(t.window, 0.72));
    p.drawRoundedRect(box, 4, 4);
    p.setPen(t.text);
    p.drawText(box, Qt::AlignCenter, moment);
    draw_dot(p);
    return;
  }
  p.setPen(t.quiet);
  const auto& films = work_.document.reel().films;
  QString told =
      tr("No film yet. Drop one here, or double-click to choose one.\n"
         "Without a film the Scene works too.");
  if (!films.empty()) told = tr("There is no picture at this moment.");
  for (const Film& film : films)
    if (const QString why = work_.films.fault(film); !why.isEmpty()) told = why;
  p.drawText(QRectF(rect()).adjusted(16, 8, -16, -8), Qt::AlignCenter | Qt::TextWordWrap, told);
}

}  // namespace drevan::desktop
