#include "pages/bench/shelf.h"

#include <QContextMenuEvent>
#include <QMouseEvent>
#include <QHelpEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include "theme/theme.h"
#include "widgets/columns.h"
#include "work/document.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {
constexpr double heading_height = 34;
constexpr double clip_height = 46;
}  // namespace

Shelf::Shelf(const Work& work, QWidget* parent) : QAbstractScrollArea(parent), work_(work) {
  setFocusPolicy(Qt::StrongFocus);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAccessibleName(tr("Shelf"));
  setToolTip(
      tr("Every clip with its loudness after the chain, LUFS. Ctrl and Shift with a click mark "
         "several."));
  connect(&work_.document, &Document::reel_changed, this, &Shelf::refresh);
  connect(&work_.selection, &Selection::clip_changed, this, &Shelf::refresh);
  connect(&work_.shelf, &ShelfMeasurements::peaks_changed, viewport(),
          qOverload<>(&QWidget::update));
  connect(&work_.shelf, &ShelfMeasurements::loudness_changed, viewport(),
          qOverload<>(&QWidget::update));
  connect(&work_.document, &Document::target_changed, viewport(), qOverload<>(&QWidget::update));
  verticalScrollBar()->setSingleStep(24);
  connect(verticalScrollBar(), &QScrollBar::valueChanged, this, &Shelf::tell_visible);
}

std::vector<Shelf::Row> Shelf::rows() const {
  std::vector<Row> out;
  double y = 4;
  const Reel& reel = work_.document.reel();
  for (int g = 0; g < static_cast<int>(reel.groups.size()); ++g) {
    out.push_back({g, 0, y, heading_height});
    y += heading_height;
    for (const auto& c : reel.clips) {
      if (c.group != g) continue;
      out.push_back({-1, c.id, y, clip_height});
      y += clip_height;
    }
  }
  return out;
}

void Shelf::refresh() {
  std::erase_if(marked_, [&](int id) { return !work_.document.reel().find(id); });
  if (waves_.size() > 500) waves_.clear();
  rows_ = rows();
  const double total = rows_.empty() ? 0 : rows_.back().y + rows_.back().height + 8;
  verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(total) - viewport()->height()));
  verticalScrollBar()->setPageStep(viewport()->height());
  tell_visible();
  viewport()->update();
}

void Shelf::tell_visible() {
  std::vector<int> ids;
  const double top = verticalScrollBar()->value();
  for (const auto& r : rows_)
    if (r.clip != 0 && r.y + r.height >= top && r.y <= top + viewport()->height())
      ids.push_back(r.clip);
  work_.shelf.set_visible(ids);
}

void Shelf::resizeEvent(QResizeEvent*) { refresh(); }

std::vector<int> Shelf::marked() const {
  if (marked_.empty())
    return work_.selection.clip() ? std::vector{work_.selection.clip_id()} : std::vector<int>{};
  return {marked_.begin(), marked_.end()};
}

QRectF Shelf::clip_rect(int clip_id) const {
  const auto r = std::ranges::find(rows_, clip_id, &Row::clip);
  return r == rows_.end() ? QRectF() : rect_of(*r);
}

QRectF Shelf::rect_of(const Row& row) const {
  return {6, row.y - verticalScrollBar()->value() + 1, viewport()->width() - 12.0, row.height - 2};
}

int Shelf::clip_at(double y) const {
  for (const auto& r : rows_)
    if (r.clip != 0 && y + verticalScrollBar()->value() >= r.y &&
        y + verticalScrollBar()->value() < r.y + r.height)
      return r.clip;
  return 0;
}

// How it stands to the target, by colour and by shape: a dot is right, an arrow hot or low, waves noisy.
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

bool Shelf::viewportEvent(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QAbstractScrollArea::viewportEvent(e);
  auto* help = static_cast<QHelpEvent*>(e);
  const int id = clip_at(help->pos().y());
  const Levels* levels = id != 0 ? work_.shelf.clip_levels(id) : nullptr;
  QStringList apart;
  if (const Clip* c = work_.document.reel().find(id))
    for (const auto& what : sits_out_of(work_.document.reel(), *c))
      apart << tr("Sits out of %1").arg(QString::fromStdString(what));
  if (!work_.document.target() || !levels) {
    if (apart.isEmpty())
      QToolTip::hideText();
    else
      QToolTip::showText(help->globalPos(), apart.join("\n"), viewport());
    return true;
  }
  QStringList told = apart;
  for (const auto& miss : misses(*work_.document.target(), *levels))
    told << QString::fromStdString(miss_text(miss));
  QToolTip::showText(
      help->globalPos(),
      told.isEmpty()
          ? tr("Meets the target %1").arg(QString::fromStdString(work_.document.target()->label))
          : told.join("\n"),
      viewport());
  return true;
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
  p.setFont(font());
  p.setPen(missing ? t.over : t.text);
  const QRectF line = r.adjusted(14, 3, -10, 0);
  // Where a clip goes its own way, a word says so; and which version it is.
  QString name = QString::fromStdString(clip.name);
  const bool own_way = !sits_out_of(work_.document.reel(), clip).empty();
  const QString note = own_way             ? tr("sits out")
                       : clip.version != 0 ? tr("v%1").arg(clip.version)
                                           : QString();
  const double note_width =
      note.isEmpty() ? 0 : QFontMetricsF(small_font()).horizontalAdvance(note) + 8;
  name = p.fontMetrics().elidedText(name, Qt::ElideRight,
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

void Shelf::paintEvent(QPaintEvent*) {
  QPainter p(viewport());
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.fillRect(viewport()->rect(), t.panel);
  const double top = verticalScrollBar()->value();
  for (const auto& row : rows_) {
    if (row.y + row.height < top || row.y > top + viewport()->height()) continue;
    if (row.clip != 0) {
      if (const Clip* clip = work_.document.reel().find(row.clip)) draw_clip(p, row, *clip);
      continue;
    }
    if (row.group >= std::ssize(work_.document.reel().groups)) continue;
    const auto& group = work_.document.reel().groups[static_cast<size_t>(row.group)];
    const auto count = std::ranges::count(work_.document.reel().clips, row.group, &Clip::group);
    const QRectF r(16, row.y - top + 8, viewport()->width() - 32.0, 22);
    p.setFont(bold_font());
    p.setPen(t.quiet);
    p.drawText(r, Qt::AlignVCenter, QString::fromStdString(group.name));
    p.setFont(font());
    p.drawText(r, Qt::AlignVCenter | Qt::AlignRight, QString::number(count));
  }
}

void Shelf::mousePressEvent(QMouseEvent* e) {
  const int id = clip_at(e->position().y());
  if (id == 0) return;
  if (e->button() == Qt::RightButton && marked_.contains(id)) return;
  if (e->modifiers() & Qt::ControlModifier) {
    if (marked_.empty()) marked_.insert(work_.selection.clip_id());
    if (!marked_.erase(id)) marked_.insert(id);
    viewport()->update();
    return;
  }
  if (e->modifiers() & Qt::ShiftModifier) {
    bool within = false;
    for (const auto& r : rows_) {
      const bool end = r.clip == id || r.clip == work_.selection.clip_id();
      if (r.clip != 0 && (within || end)) marked_.insert(r.clip);
      if (end && id != work_.selection.clip_id()) within = !within;
    }
    viewport()->update();
    return;
  }
  marked_.clear();
  work_.selection.select_clip(id);
  viewport()->update();
}

void Shelf::contextMenuEvent(QContextMenuEvent* e) { Q_EMIT context_wanted(e->globalPos()); }

void Shelf::keyPressEvent(QKeyEvent* e) {
  std::vector<int> ids;
  for (const auto& r : rows_)
    if (r.clip != 0) ids.push_back(r.clip);
  const auto at = std::ranges::find(ids, work_.selection.clip_id());
  const auto select = [&](int id) {
    marked_.clear();
    work_.selection.select_clip(id);
    const QRectF r = clip_rect(id);
    if (r.top() < 0 || r.bottom() > viewport()->height())
      verticalScrollBar()->setValue(verticalScrollBar()->value() +
                                    static_cast<int>(r.center().y()) - viewport()->height() / 2);
  };
  if (e->key() == Qt::Key_Down && at != ids.end() && at + 1 != ids.end()) return select(*(at + 1));
  if (e->key() == Qt::Key_Up && at != ids.end() && at != ids.begin()) return select(*(at - 1));
  if (e->key() == Qt::Key_Delete) {
    work_.document.change([&](const Reel& reel) { return edits::remove_clips(reel, marked()); });
    return;
  }
  QAbstractScrollArea::keyPressEvent(e);
}

}  // namespace drevan::desktop
