// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/mix_row.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/mix_watch.h"

namespace drevan::desktop {

namespace {
constexpr double top_lufs = 0, bottom_lufs = -48;
constexpr int height_px = 74;
constexpr double audible_lufs = -70;
}  // namespace

MixRow::MixRow(const Work& work, SceneRows& rows, QWidget* parent)
    : QWidget(parent), work_(work), rows_(rows) {
  setObjectName("mix_row");
  setFixedHeight(height_px);
  setAccessibleName(tr("Loudness of the mix along the film"));
  setToolTip(tr(
      "The mix behind its chain: momentary loudness (0.4 s) as a body, short-term (3 s) as "
      "a line, the target's tolerance as a band, the reference as a thin line, in LUFS. Its name "
      "shows what leaves it as a row; its settings can be drawn over that"));
  connect(&work_.mix_watch, &MixWatch::changed, this, &MixRow::redraw);
  connect(&work_.document, &Document::target_changed, this, &MixRow::redraw);
  connect(&rows_, &SceneRows::view_changed, this, &MixRow::redraw);
}

double MixRow::y_of(double lufs) const {
  const double share = (top_lufs - lufs) / (top_lufs - bottom_lufs);
  return 8 + (height() - 14) * std::clamp(share, 0.0, 1.0);
}

void MixRow::mousePressEvent(QMouseEvent* e) {
  if (e->position().x() < rows_.ruler_right()) return Q_EMIT chosen();
  Q_EMIT playhead_set(std::max(0.0, rows_.seconds_at(e->position().x())));
}

void MixRow::mouseMoveEvent(QMouseEvent* e) {
  if (e->position().x() >= rows_.ruler_right())
    Q_EMIT playhead_dragged(std::max(0.0, rows_.seconds_at(e->position().x())));
}

void MixRow::redraw() {
  drawn_ = {};
  update();
}

void MixRow::paintEvent(QPaintEvent*) {
  if (drawn_.isNull()) {
    drawn_ = QPixmap(size() * devicePixelRatioF());
    drawn_.setDevicePixelRatio(devicePixelRatioF());
    QPainter p(&drawn_);
    p.setRenderHint(QPainter::Antialiasing);
    draw(p);
  }
  QPainter p(this);
  p.drawPixmap(0, 0, drawn_);
  const double x = rows_.x_of(rows_.playhead());
  if (x < rows_.ruler_right() || x > width() - 8) return;
  p.setPen(QPen(theme().attention, 2));
  p.drawLine(QPointF(x, 0), QPointF(x, height()));
}

void MixRow::draw(QPainter& p) const {
  const Theme& t = theme();
  p.fillRect(rect(), t.window);
  p.fillRect(QRectF(0, 0, width(), 1), t.line);
  draw_header(p);
  const double left = rows_.ruler_right();
  p.setFont(small_font());
  for (const int lufs : {-12, -24, -36}) {
    p.setPen(QPen(faded(t.line, 0.5), 1));
    p.drawLine(QPointF(left, y_of(lufs)), QPointF(width() - 8, y_of(lufs)));
    p.setPen(faded(t.quiet, 0.8));
    p.drawText(QRectF(left - 40, y_of(lufs) - 8, 34, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(lufs));
  }
  p.setClipRect(QRectF(left, 0, width() - left - 8, height()));
  draw_silhouette(p);
  if (const auto& target = work_.document.target();
      target && target->loudness_lufs.least && target->loudness_lufs.most) {
    const double high = y_of(*target->loudness_lufs.most), low = y_of(*target->loudness_lufs.least);
    p.fillRect(QRectF(left, high, width() - left, std::max(2.0, low - high)), faded(t.text, 0.16));
    p.setPen(QPen(faded(t.text, 0.55), 1, Qt::DotLine));
    p.drawLine(QPointF(left, high), QPointF(width(), high));
    p.drawLine(QPointF(left, low), QPointF(width(), low));
  }
  const WholeLevels* mix = work_.mix_watch.mix();
  if (const WholeLevels* reference = work_.mix_watch.reference()) {
    const auto own = mix ? loudness_of(mix->levels) : std::nullopt;
    const auto other = loudness_of(reference->levels);
    draw_short_term(p, *reference->course, own && other ? *own - *other : 0, t.before);
  }
  if (mix) draw_short_term(p, *mix->course, 0, work_.mix_watch.fresh() ? t.text : t.quiet);
}

void MixRow::draw_header(QPainter& p) const {
  const Theme& t = theme();
  p.setFont(bold_font());
  p.setPen(t.text);
  p.drawText(QPointF(16, 24), tr("Mix loudness"));
  p.setFont(small_font());
  p.setPen(t.quiet);
  const WholeLevels* mix = work_.mix_watch.mix();
  const bool fresh = work_.mix_watch.fresh();
  const auto lufs = mix ? mix->levels.loudness_lufs : std::nullopt;
  p.drawText(QPointF(16, 38), lufs ? tr("%1 LUFS").arg(*lufs, 0, 'f', 1) : tr("not measured"));
  if (!fresh)
    p.drawText(QPointF(16, 52), work_.mix_watch.busy() ? tr("is measured ...") : tr("has changed"));
}

void MixRow::draw_silhouette(QPainter& p) const {
  const WholeLevels* mix = work_.mix_watch.mix();
  if (!mix) return;
  const double left = rows_.ruler_right(), base = height() - 6;
  const double strength = work_.mix_watch.fresh() ? 1 : 0.5;
  const double end = std::min<double>(width() - 8, rows_.x_of(mix->course->seconds()));
  for (double x = left; x < end; x += 1) {
    const auto over = mix->course->over(rows_.seconds_at(x), rows_.seconds_at(x + 1));
    const double y = y_of(static_cast<double>(over.loudness_lufs));
    if (y < base) p.fillRect(QRectF(x, y, 1, base - y), faded(theme().after, 0.6 * strength));
  }
}

void MixRow::draw_short_term(QPainter& p, const SoundCourse& course, double gain_db,
                             const QColor& color) const {
  const double left = rows_.ruler_right();
  QPolygonF line;
  const auto end_line = [&] {
    if (line.size() > 1) p.drawPolyline(line);
    line.clear();
  };
  p.setPen(QPen(color, 1.6));
  p.setBrush(Qt::NoBrush);
  for (double x = left; x < width(); x += 3) {
    const double s = rows_.seconds_at(x);
    const double lufs = s > course.seconds() ? -200 : short_term_at(course, s);
    if (lufs < audible_lufs) {
      end_line();
    } else {
      line << QPointF(x, y_of(lufs + gain_db));
    }
  }
  end_line();
}

}  // namespace drevan::desktop
