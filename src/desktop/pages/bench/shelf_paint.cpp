// SPDX-License-Identifier: GPL-3.0-or-later
// How the shelf is drawn.
#include <QPainter>
#include <QScrollBar>

#include "pages/bench/shelf.h"
#include "reel/edits/takes.h"
#include "theme/theme.h"
#include "widgets/columns.h"
#include "widgets/group_mark.h"
#include "work/document.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

// How it stands to the target, by colour and by shape: a dot is right, an arrow hot or low, waves
// noisy.
void Shelf::draw_verdict(QPainter& p, const Clip& clip, QPointF at) const {
  const Levels* levels = work_.shelf.clip_levels(clip.id);
  if (!work_.document.target() || !levels) return;
  const Theme& t = theme();
  const Verdict v = verdict(misses(*work_.document.target(), *levels));
  const QPen pen = p.pen();
  p.setPen(Qt::NoPen);
  switch (v) {
    case Verdict::right:
      p.setBrush(t.after);
      p.drawEllipse(at, 3.5, 3.5);
      break;
    case Verdict::hot:
      p.setBrush(t.over);
      p.drawPolygon(
          QPolygonF{at + QPointF(-4.5, 3.5), at + QPointF(4.5, 3.5), at + QPointF(0, -4.5)});
      break;
    case Verdict::low:
      p.setBrush(t.before);
      p.drawPolygon(
          QPolygonF{at + QPointF(-4.5, -3.5), at + QPointF(4.5, -3.5), at + QPointF(0, 4.5)});
      break;
    case Verdict::noisy:
      p.setPen(QPen(t.removed, 1.6));
      for (const double y : {-2.5, 1.5})
        p.drawPolyline(QPolygonF{at + QPointF(-5, y + 1.5), at + QPointF(-2, y - 1),
                                 at + QPointF(2, y + 1.5), at + QPointF(5, y - 1)});
      break;
  }
  p.setPen(pen);
}

void Shelf::draw_clip(QPainter& p, const Row& row, const Clip& clip) {
  const Theme& t = theme();
  const QRectF r = rect_of(row);
  const bool selected = clip.id == work_.selection.clip_id();
  if (selected || marked_.contains(clip.id)) {
    p.setPen(Qt::NoPen);
    p.setBrush(t.raised);
    p.drawRoundedRect(r, 5, 5);
    p.setBrush(selected ? t.attention : t.quiet);
    p.drawRoundedRect(QRectF(r.left(), r.top(), 4, r.height()), 2, 2);
  }
  const bool missing = work_.document.missing(clip);
  const bool out = left_out(work_.document.reel(), clip);
  p.setFont(font());
  p.setPen(missing ? t.over : out ? faded(t.quiet, 0.7) : t.text);
  const QRectF line = r.adjusted(14, 3, -10, 0);
  // Where a clip goes its own way, a word says so; and which version it is.
  QString name = QString::fromStdString(clip.name);
  const bool own_way = !sits_out_of(work_.document.reel(), clip).empty();
  const auto takes = takes_of(work_.document.reel(), clip);
  const auto take = std::ranges::find(takes, clip.id) - takes.begin() + 1;
  const QString note =
      own_way          ? tr("sits out")
      : !takes.empty() ? tr(out ? "take %1/%2" : "take %1/%2, chosen").arg(take).arg(takes.size())
      : clip.version != 0 ? tr("v%1").arg(clip.version)
                          : QString();
  const double note_width =
      note.isEmpty() ? 0 : QFontMetricsF(small_font()).horizontalAdvance(note) + 8;
  // Names of one take differ at their end.
  name = p.fontMetrics().elidedText(name, Qt::ElideMiddle,
                                    static_cast<int>(line.width() - 64 - note_width));
  p.drawText(QRectF(line.left(), line.top(), line.width() - 60, 18), Qt::AlignVCenter, name);
  if (!note.isEmpty()) {
    const double x = line.left() + p.fontMetrics().horizontalAdvance(name) + 7;
    p.setFont(small_font());
    p.setPen(own_way ? t.attention : t.quiet);
    p.drawText(QRectF(x, line.top() + 1, note_width, 18), Qt::AlignVCenter, note);
    p.setFont(font());
  }
  // A number that is being measured anew fades until it is there.
  const bool fresh = missing || work_.shelf.clip_levels_fresh(clip.id);
  const QColor ink = missing ? t.over : selected ? t.text : t.quiet;
  p.setPen(fresh ? ink : faded(ink, 0.45));
  const auto loudness = work_.shelf.clip_loudness(clip.id);
  if (!missing) draw_verdict(p, clip, {line.right() - 46, line.top() + 9});
  p.drawText(QRectF(line.left(), line.top(), line.width(), 18), Qt::AlignVCenter | Qt::AlignRight,
             missing    ? tr("missing")
             : loudness ? QString::number(*loudness, 'f', 1)
                        : QString("..."));
  draw_wave(p, clip, {line.left(), r.top() + 23, line.width(), 18});
}

// Drawn once: every knob that is turned repaints the shelf, and no waveform changes by it.
void Shelf::draw_wave(QPainter& p, const Clip& clip, const QRectF& at) {
  const auto peaks = work_.shelf.source_peaks(clip);
  if (!peaks) return;
  const double ratio = devicePixelRatioF();
  const QSize size = (at.size() * ratio).toSize();
  Wave& known = waves_[clip.id];
  if (known.peaks == peaks && known.begin == clip.begin && known.frames == clip.frames &&
      known.size == size)
    return p.drawPixmap(at.topLeft(), known.picture);
  known = {peaks, clip.begin, clip.frames, size,
           QPixmap::fromImage(draw_outline(clip, *peaks, at.size()))};
  p.drawPixmap(at.topLeft(), known.picture);
}

QImage Shelf::draw_outline(const Clip& clip, const PeakPyramid& peaks, QSizeF wave) const {
  const auto& source = work_.document.reel().source_of(clip);
  const double scale = work_.document.reel().rate / source.rate;
  const double begin = static_cast<double>(clip.begin) * scale,
               length = static_cast<double>(clip.frames) * scale;
  // Small waveforms are drawn to their own peak: they show where words are, the number how loud.
  const PeakPair whole =
      peaks.range(static_cast<Samples>(begin), static_cast<Samples>(begin + length));
  const double peak = std::max(0.001, static_cast<double>(std::max(whole.high, -whole.low)));
  QPolygonF upper, lower;
  for (double x = 0; x <= wave.width(); x += 1) {
    const auto from = static_cast<Samples>(begin + length * x / wave.width());
    const auto to = static_cast<Samples>(begin + length * (x + 1) / wave.width());
    const PeakPair pair = peaks.range(from, std::max(to, from + 1));
    upper << QPointF(x, (0.5 - static_cast<double>(pair.high) / peak / 2) * wave.height());
    lower << QPointF(x, (0.5 - static_cast<double>(pair.low) / peak / 2) * wave.height());
  }
  // A hair wider than the sound, so that a pause is a line.
  Columns columns(wave.toSize(), devicePixelRatioF());
  columns.fill(upper.translated(0, -0.3), lower.translated(0, 0.3), faded(theme().quiet, 0.62));
  return columns.image();
}

// A triangle that folds, the mark, the name, how many clips.
void Shelf::draw_heading(QPainter& p, const Row& row, const Group& group) const {
  const Theme& t = theme();
  const QRectF r = rect_of(row).adjusted(10, 7, -10, -3);
  const QPointF at(r.left() + 4, r.center().y());
  p.setPen(Qt::NoPen);
  p.setBrush(t.quiet);
  if (folded(row.group))
    p.drawPolygon(QPolygonF{at + QPointF(-3, -4), at + QPointF(4, 0), at + QPointF(-3, 4)});
  else
    p.drawPolygon(QPolygonF{at + QPointF(-4, -3), at + QPointF(4, -3), at + QPointF(0, 4)});
  double x = r.left() + 15;
  if (group.mark != GroupMark::none) {
    draw_group_mark(p, group.mark, {x + 5, at.y()}, t.text);
    x += 17;
  }
  p.setFont(bold_font());
  p.setPen(row.group == touched_group_ ? t.text : t.quiet);
  const QString name = QString::fromStdString(group.name) + (group.note.empty() ? "" : " *");
  p.drawText(
      QRectF(x, r.top(), r.right() - x - 34, r.height()), Qt::AlignVCenter,
      p.fontMetrics().elidedText(name, Qt::ElideMiddle, static_cast<int>(r.right() - x - 36)));
  p.setFont(font());
  p.setPen(t.quiet);
  const auto count = std::ranges::count(work_.document.reel().clips, row.group, &Clip::group);
  p.drawText(r, Qt::AlignVCenter | Qt::AlignRight, QString::number(count));
}

void Shelf::draw_landing(QPainter& p) const {
  if (!landing_) return;
  const double y = landing_->y - verticalScrollBar()->value();
  p.setPen(QPen(theme().attention, 2));
  p.drawLine(QPointF(8, y), QPointF(viewport()->width() - 8, y));
  p.setBrush(theme().attention);
  p.drawEllipse(QPointF(8, y), 3, 3);
}

void Shelf::paintEvent(QPaintEvent*) {
  QPainter p(viewport());
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(viewport()->rect(), theme().panel);
  const Reel& reel = work_.document.reel();
  const double top = verticalScrollBar()->value();
  for (const auto& row : rows_) {
    if (row.y + row.height < top || row.y > top + viewport()->height()) continue;
    if (row.clip != 0) {
      if (const Clip* clip = reel.find(row.clip)) draw_clip(p, row, *clip);
    } else if (const Group* group = reel.find(row.group)) {
      draw_heading(p, row, *group);
    }
  }
  if (rows_.empty() && !filter_.isEmpty()) {
    p.setPen(theme().quiet);
    p.drawText(viewport()->rect().adjusted(12, 20, -12, -20),
               Qt::AlignTop | Qt::AlignHCenter | Qt::TextWordWrap,
               tr("No clip holds %1").arg(filter_.join(' ')));
  }
  draw_landing(p);
}

}  // namespace drevan::desktop
