// SPDX-License-Identifier: GPL-3.0-or-later
// How the Scene's rows look. What stands still is drawn once and kept; the playhead goes over it.
#include <QImage>
#include <QPainter>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/edits/takes.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/recording_desk.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {

// A step of time that is readable at this scale: at least so many seconds.
double round_step(double least_s) {
  for (const double step : {0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1,   0.2,   0.5,   1.0,
                            2.0,   5.0,   10.0,  20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0})
    if (step >= least_s) return step;
  return 3600;
}

}  // namespace

void SceneRows::paintEvent(QPaintEvent*) {
  const double ratio = devicePixelRatioF();
  const QSize size = viewport()->size() * ratio;
  if (stale_ || drawn_.size() != size) {
    drawn_ = QPixmap(size);
    drawn_.setDevicePixelRatio(ratio);
    drawn_.fill(theme().window);
    QPainter p(&drawn_);
    p.setRenderHint(QPainter::Antialiasing);
    const auto& groups = work_.document.reel().groups;
    for (const Group& g : groups) draw_header(p, g.id);
    for (const Group& g : groups)
      if (!folded(g.id)) draw_ruler(p, row_rect(g.id));
    draw_silhouettes(p);
    for (const Group& g : groups) draw_row(p, g.id);
    draw_crossings(p);
    draw_bus(p);
    draw_line(p);
    draw_anchors(p);
    p.fillRect(QRectF(0, 0, viewport()->width(), rows_top()), theme().window);
    draw_strip(p);
    draw_events(p);
    stale_ = false;
  }
  QPainter p(viewport());
  p.drawPixmap(0, 0, drawn_);
  p.setRenderHint(QPainter::Antialiasing);
  const double left = header_width + ruler_width;
  const auto line = [&](double s, const QColor& color, double width, Qt::PenStyle style) {
    const double x = x_of(s);
    if (x < left - 1 || x > viewport()->width()) return;
    p.setPen(QPen(color, width, style));
    p.drawLine(QPointF(x, 0), QPointF(x, viewport()->height()));
  };
  draw_recording(p);
  if (snap_line_s_) line(*snap_line_s_, theme().text, 1, Qt::DotLine);
  line(playhead_s_, theme().attention, 2, Qt::SolidLine);
}

// It grows under the playhead, in its group's row.
void SceneRows::draw_recording(QPainter& p) const {
  if (!work_.recording.recording() || !work_.recording.wish().plays) return;
  const RecordingWish& wish = work_.recording.wish();
  const Reel& reel = work_.document.reel();
  const Clip* of = reel.find(wish.line.take_of);
  GroupId group = of ? of->group : GroupId{};
  for (const Group& g : reel.groups)
    if (!of && g.name == wish.line.group) group = g.id;
  // A group that is not there yet comes behind the others.
  const double left = std::max(x_of(wish.place.s), ruler_right());
  const QRectF row =
      group ? row_rect(group)
            : QRectF(ruler_right(), viewport()->height() - 24.0, viewport()->width(), 24);
  const double right = std::min(x_of(playhead_s_), row.right());
  if (right <= left || row.bottom() < rows_top()) return;
  const QRectF body(left, row.top() + 4, right - left, row.height() - 8);
  p.fillRect(body, faded(theme().over, 0.28));
  p.setPen(QPen(theme().over, 2.5));
  p.drawLine(body.bottomLeft(), body.bottomRight());
  if (of) return;  // its name stands there
  p.setFont(small_font());
  p.drawText(body.adjusted(4, 2, 200, 0), Qt::AlignLeft | Qt::AlignTop,
             QString::fromStdString(wish.line.name));
}

void SceneRows::draw_strip(QPainter& p) const {
  const Reel& reel = work_.document.reel();
  if (reel.films.empty()) return;
  const Theme& t = theme();
  p.setFont(small_font());
  p.setPen(t.quiet);
  p.drawText(QRectF(16, 0, header_width - 20, strip_height - 4), Qt::AlignVCenter, tr("picture"));
  const QRectF strip(header_width + ruler_width, 2,
                     viewport()->width() - header_width - ruler_width - 8, strip_height - 6);
  p.save();
  p.setClipRect(strip);
  for (const Film& film : reel.films) {
    const FilmInfo* info = work_.films.info(film);
    if (!info) continue;
    const double shape = info->height > 0 ? static_cast<double>(info->width) / info->height : 1.7;
    const double wide = std::clamp(strip.height() * shape, 12.0, 200.0);
    const double step = std::max(info->frames_per_s > 0 ? 1 / info->frames_per_s : 0.04,
                                 round_step(wide * per_pixel_s_ * 0.25));
    const double end = x_of(film.place.s + info->seconds);
    p.fillRect(QRectF(x_of(film.place.s), strip.top(), end - x_of(film.place.s), strip.height()),
               t.panel);
    const double first =
        std::max(0.0, std::floor((begin_s_ - film.place.s) / (wide * per_pixel_s_)));
    for (double x = x_of(film.place.s) + first * wide; x < std::min(end, strip.right());
         x += wide) {
      // What is seen in its middle.
      const double s = std::clamp(seconds_at(x + wide / 2) - film.place.s, 0.0, info->seconds);
      const QImage small = work_.films.small_picture(film, s, step);
      const QRectF at(x, strip.top(), std::min(wide, end - x), strip.height());
      if (small.width() > 1)
        p.drawImage(at, small, QRectF(0, 0, small.width() * at.width() / wide, small.height()));
      p.setPen(QPen(t.window, 1));
      p.drawLine(at.topLeft(), at.bottomLeft());
    }
  }
  p.restore();
}

void SceneRows::draw_events(QPainter& p) const {
  const Reel& reel = work_.document.reel();
  const Theme& t = theme();
  p.setFont(small_font());
  const double left = header_width + ruler_width;
  // Moments, where no name of an event stands.
  const double step = round_step(90 * per_pixel_s_);
  const double y = rows_top() - event_height;
  p.setPen(faded(t.quiet, 0.7));
  if (reel.events.empty())
    for (double s = std::ceil(begin_s_ / step) * step; x_of(s) < viewport()->width() - 40;
         s += step)
      p.drawText(QRectF(x_of(s) + 3, y, 86, event_height), Qt::AlignVCenter,
                 work_.films.moment_text(s));
  p.save();
  p.setClipRect(QRectF(left - 6, 0, viewport()->width(), viewport()->height()));
  for (int i = 0; i < std::ssize(reel.events); ++i) {
    const Event& e = reel.events[static_cast<size_t>(i)];
    const double x = x_of(e.at.s);
    if (x < left - 6 || x > viewport()->width()) continue;
    const bool chosen = event_ == e.id;
    const QColor color = chosen ? t.attention : t.removed;
    p.setPen(QPen(faded(color, chosen ? 0.9 : 0.55), 1, Qt::DotLine));
    p.drawLine(QPointF(x, y + 12), QPointF(x, viewport()->height()));
    p.setPen(Qt::NoPen);
    p.setBrush(color);
    p.drawRect(QRectF(x - 3.5, y + 6, 7, 7));
    // As far as there is room before the next one; the tooltip tells all of it.
    const QRectF box = event_rect(e.id).adjusted(14, 0, 4, 0);
    const double next = i + 1 < std::ssize(reel.events) && !chosen
                            ? x_of(reel.events[static_cast<size_t>(i) + 1].at.s) - 8
                            : 1e9;
    const double room = next - box.left();
    if (room < 16) continue;
    p.setPen(color);
    p.drawText(box, Qt::AlignVCenter,
               p.fontMetrics().elidedText(QString::fromStdString(e.name), Qt::ElideRight,
                                          static_cast<int>(std::min(room, box.width() + 2))));
  }
  p.restore();
}

void SceneRows::draw_header(QPainter& p, GroupId group) const {
  const Theme& t = theme();
  const Group& g = work_.document.reel().at(group);
  const QRectF h = header_rect(group);
  if (h.bottom() < rows_top() || h.top() > viewport()->height()) return;
  const bool sounds = work_.scene.row_sounds(group);
  p.setFont(bold_font());
  p.setPen(sounds ? t.text : t.quiet);
  const QString name = p.fontMetrics().elidedText(QString::fromStdString(g.name), Qt::ElideRight,
                                                  static_cast<int>(header_width) - 18);
  p.drawText(QPointF(16, h.top() + (folded(group) ? 15 : 18)), name);
  if (folded(group)) return;
  p.setFont(small_font());
  p.setPen(t.quiet);
  // Of all its clips, as loud as they are together.
  double power = 0, seconds = 0;
  for (const Clip& c : work_.document.reel().clips) {
    if (c.group != group || left_out(work_.document.reel(), c)) continue;
    const auto lufs = work_.shelf.clip_loudness(c.id);
    if (!lufs) continue;
    const double s = clip_seconds(c);
    power += s * std::pow(10, *lufs / 10);
    seconds += s;
  }
  if (seconds > 0)
    p.drawText(QPointF(16, h.top() + 32),
               tr("%1 LUFS").arg(10 * std::log10(power / seconds), 0, 'f', 1));
  const auto row = work_.scene.row(group);
  const auto part = [&](int which, const QString& label, bool on, const QColor& color) {
    const QRectF r = part_rect(group, which);
    if (on) {
      p.setPen(Qt::NoPen);
      p.setBrush(color);
      p.drawRoundedRect(r, 4, 4);
    }
    p.setPen(on ? t.window : faded(t.quiet, 0.85));
    p.drawText(r, Qt::AlignCenter, label);
  };
  part(0, tr("only"), row == SceneSounds::Row::alone, t.attention);
  part(1, tr("off"), row == SceneSounds::Row::silent, t.quiet);
}

void SceneRows::draw_ruler(QPainter& p, const QRectF& row) const {
  const Theme& t = theme();
  if (row.bottom() < rows_top() || row.top() > viewport()->height()) return;
  p.setFont(small_font());
  for (const int db : {0, -18, -36}) {
    const double y = y_of(row, db);
    p.setPen(QPen(faded(t.line, db == 0 ? 0.9 : 0.5), 1));
    p.drawLine(QPointF(row.left(), y), QPointF(row.right(), y));
    p.setPen(faded(t.quiet, 0.8));
    p.drawText(QRectF(header_width - 12, y - 8, ruler_width + 6, 16),
               Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
  }
}

// Column by column into a picture of their own: hundreds of them are there at once.
void SceneRows::draw_silhouettes(QPainter& p) const {
  const double ratio = devicePixelRatioF();
  QImage layer(viewport()->size() * ratio, QImage::Format_ARGB32_Premultiplied);
  layer.fill(Qt::transparent);
  for (const Clip& c : work_.document.reel().clips) {
    if (folded(c.group) || left_out(work_.document.reel(), c)) continue;
    if (const SceneSound* sound = work_.scene.sound(c.id))
      draw_silhouette(layer,
                      {row_rect(c.group), c.place.s, 0, work_.scene.row_sounds(c.group) ? 1 : 0.35},
                      *sound->course);
  }
  layer.setDevicePixelRatio(ratio);
  p.drawImage(0, 0, layer);
}

// Loudness as a body within the peaks.
void SceneRows::draw_silhouette(QImage& on, const Silhouette& how,
                                const SoundCourse& course) const {
  const double ratio = devicePixelRatioF();
  const QRectF& row = how.row;
  const double left = x_of(how.from_s), right = x_of(how.from_s + course.seconds());
  const int from = static_cast<int>(std::ceil(std::max(left, row.left()) * ratio)),
            to = std::min(on.width(),
                          static_cast<int>(std::ceil(std::min(right, row.right()) * ratio)));
  const int base = static_cast<int>(std::lround((row.bottom() - 4) * ratio));
  const QRgb peak = qPremultiply(faded(theme().after, 0.36 * how.strength).rgba()),
             body = qPremultiply(faded(theme().after, 0.9 * how.strength).rgba());
  const double column_s = per_pixel_s_ / ratio;
  for (int x = from; x < to; ++x) {
    const double s = seconds_at(x / ratio) - how.from_s;
    const auto levels = course.over(s, s + column_s);
    const auto y = [&](float db) {
      const double at = y_of(row, static_cast<double>(db) + how.gain_db) * ratio;
      return std::clamp(static_cast<int>(std::lround(at)), 0, on.height());
    };
    const int top = y(levels.peak_db), middle = std::max(top, y(levels.loudness_lufs)),
              end = std::min(base, on.height());
    for (int at = top; at < end; ++at)
      reinterpret_cast<QRgb*>(on.scanLine(at))[x] = at < middle ? peak : body;
  }
}

// What leaves the selected space or the mix, over the rows that are scrolled under it.
void SceneRows::draw_bus(QPainter& p) const {
  const Clip* of = bus();
  if (!of) return;
  const Theme& t = theme();
  const QRectF row = bus_rect();
  p.fillRect(QRectF(0, row.top() - 2, viewport()->width(), viewport()->height()), t.window);
  p.fillRect(QRectF(0, row.top() - 2, viewport()->width(), 1), t.line);
  draw_ruler(p, row);
  const SceneSound* sound = work_.scene.sound(of->id);
  if (sound) {
    const double ratio = devicePixelRatioF();
    QImage layer(viewport()->size() * ratio, QImage::Format_ARGB32_Premultiplied);
    layer.fill(Qt::transparent);
    const Space* space = find_space(work_.document.reel(), space_of(of->id));
    draw_silhouette(layer, {row, 0, space ? space->level_db : 0, 1}, *sound->course);
    layer.setDevicePixelRatio(ratio);
    p.drawImage(0, 0, layer);
  }
  p.setFont(bold_font());
  p.setPen(t.attention);
  p.drawText(QPointF(16, row.top() + 18),
             p.fontMetrics().elidedText(QString::fromStdString(of->name), Qt::ElideRight,
                                        static_cast<int>(header_width) - 18));
  p.setFont(small_font());
  p.setPen(t.quiet);
  p.drawText(QPointF(16, row.top() + 32), sound ? tr("what leaves it") : tr("is made ready ..."));
}

void SceneRows::draw_row(QPainter& p, GroupId group) const {
  const QRectF row = row_rect(group);
  if (row.bottom() < rows_top() || row.top() > viewport()->height()) return;
  p.save();
  p.setClipRect(row.adjusted(0, 0, 8, 0));
  for (const Clip& c : work_.document.reel().clips)
    if (c.group == group && !left_out(work_.document.reel(), c)) draw_clip(p, c);
  p.restore();
}

// All but its silhouette.
void SceneRows::draw_clip(QPainter& p, const Clip& clip) const {
  const Theme& t = theme();
  const QRectF row = row_rect(clip.group), at = clip_rect(clip.id);
  if (at.right() < row.left() || at.left() > row.right()) return;
  const bool selected = work_.selection.clip_id() == clip.id;
  const bool lit = selected || marked_.contains(clip.id);
  const double base = row.bottom() - 4;
  const SceneSound* sound = work_.scene.sound(clip.id);
  if (folded(clip.group)) {
    p.fillRect(QRectF(at.left(), row.center().y() - 4, at.width(), 8),
               faded(lit ? t.attention : t.after, work_.scene.row_sounds(clip.group) ? 0.7 : 0.25));
    return;
  }
  if (!sound) {
    const bool missing = work_.scene.failed(clip.id);
    p.setPen(QPen(missing ? t.over : t.quiet, 1, Qt::DotLine));
    p.drawLine(QPointF(at.left(), base), QPointF(at.right(), base));
  }
  if (lit) {
    p.setPen(QPen(t.attention, 2.5));
    p.drawLine(QPointF(at.left(), base + 1.5), QPointF(at.right(), base + 1.5));
  }
  p.setFont(small_font());
  const double name_x = std::max(at.left(), row.left()) + 2;
  const double room = std::min(at.right(), row.right()) - name_x;
  if (room < 34 && !lit) return;
  const QString name = QString::fromStdString(clip.name);
  p.setPen(lit ? t.attention : t.text);
  p.drawText(
      QPointF(name_x, row.top() + 11),
      p.fontMetrics().elidedText(name, Qt::ElideRight, std::max(24, static_cast<int>(room))));
}

}  // namespace drevan::desktop
