// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/level_path.h"

#include <QPainter>
#include <cmath>

#include "steps/curve_edit.h"
#include "theme/theme.h"
#include "widgets/level_bar.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double axis_width = 34;
constexpr double add_width = 76;
constexpr double least_width = 78;
constexpr double most_width = 140;
constexpr double lowest_db = -78;
constexpr double highest_db = 6;

// What a step is set to in a few letters; of one that follows a curve, from where to where.
QString brief_of(const ChainStep& step) {
  const Track* moving = nullptr;
  for (const auto& track : step.curves)
    if (track.parameter >= 0 && !moving) moving = &track;
  if (!moving) return QString::fromStdString(step.type->brief(step.settings));
  const Parameter& of = parameter_of_track(*step.type, moving->parameter);
  const auto [least, most] = value_range(*moving->curve);
  return LevelPathView::tr("%1 to %2")
      .arg(QString::fromStdString(value_text(of, least)),
           QString::fromStdString(value_text(of, most)));
}

}  // namespace

LevelPathView::LevelPathView(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Level path"));
  setToolTip(
      tr("Peak, loudness and noise floor after every step. A click chooses a step, dragging "
         "moves it, its dot switches it, a plus adds one (Insert)."));
  const auto refresh = [this] {
    if (pressed_ != 0 && !grab_.holds(work_.document, work_.selection.clip_id())) {
      pressed_ = 0;
      dragging_ = false;
      unsetCursor();
    }
    updateGeometry();
    update();
  };
  connect(&work_.document, &Document::reel_changed, this, refresh);
  connect(&work_.selection, &Selection::clip_changed, this, refresh);
  connect(&work_.selection, &Selection::step_changed, this, refresh);
  connect(&work_.measurements, &Measurements::levels_changed, this, refresh);
  connect(&work_.document, &Document::target_changed, this, refresh);
}

QSize LevelPathView::minimumSizeHint() const {
  int steps = 1;
  if (const Clip* c = work_.selection.clip())
    for (const auto owner : owners_of(*c))
      steps += static_cast<int>(chain_of(work_.document.reel(), *c, owner).steps.size());
  return {static_cast<int>(axis_width + steps * least_width + 3 * add_width), 180};
}

std::vector<LevelPathView::Column> LevelPathView::columns() const {
  std::vector<Column> all;
  const Clip* clip = work_.selection.clip();
  if (!clip) return all;
  all.push_back({Kind::source, {}, nullptr, true, 0, 0, 0});
  int stage = 0;
  for (const auto owner : owners_of(*clip)) {
    const auto& steps = chain_of(work_.document.reel(), *clip, owner).steps;
    for (int i = 0; i < static_cast<int>(steps.size()); ++i) {
      const auto& s = steps[static_cast<size_t>(i)];
      const bool on = runs(work_.document.reel(), *clip, owner, s);
      if (on) ++stage;
      all.push_back({Kind::step, {owner, i}, &s, on, stage, 0, 0});
    }
    all.push_back({Kind::add, {owner, static_cast<int>(steps.size())}, nullptr, true, stage, 0, 0});
  }
  const auto adds = std::ssize(owners_of(*clip));
  const auto wide = static_cast<double>(std::ssize(all) - adds);
  const double each =
      std::clamp((width() - axis_width - static_cast<double>(adds) * add_width) / wide, least_width,
                 most_width);
  double x = axis_width;
  for (auto& c : all) {
    c.x = x;
    c.width = c.kind == Kind::add ? add_width : each;
    x += c.width;
  }
  return all;
}

QRectF LevelPathView::plot_rect() const {
  return {axis_width, 10, width() - axis_width, height() - 64.0};
}
QRectF LevelPathView::column_rect(const Column& c) const {
  return {c.x + 2, 3, c.width - 4, height() - 6.0};
}
double LevelPathView::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.top() + (highest_db - std::clamp(db, lowest_db, highest_db)) / (highest_db - lowest_db) *
                       r.height();
}

QRectF LevelPathView::step_rect(StepPlace place) const {
  for (const auto& c : columns())
    if (c.kind == Kind::step && c.place == place) return column_rect(c);
  return {};
}

QRectF LevelPathView::switch_rect(StepPlace place) const {
  const QRectF r = step_rect(place);
  return r.isEmpty() ? r : QRectF(r.right() - 20, r.top() + 2, 18, 18);
}

QRectF LevelPathView::add_rect(ChainOwner owner) const {
  for (const auto& c : columns())
    if (c.kind == Kind::add && c.place.owner == owner)
      return {c.x + c.width / 2 - 13, plot_rect().center().y() - 13, 26, 26};
  return {};
}

const LevelPathView::Column* LevelPathView::at(const std::vector<Column>& all, double x) const {
  for (const auto& c : all)
    if (x >= c.x && x < c.x + c.width) return &c;
  return nullptr;
}

std::optional<StepPlace> LevelPathView::gap_at(const std::vector<Column>& all, double x,
                                               double* gap_x) const {
  std::optional<StepPlace> best;
  double distance = 1e9;
  for (const auto& c : all) {
    if (c.kind == Kind::source || std::abs(c.x - x) >= distance) continue;
    distance = std::abs(c.x - x);
    best = c.place;
    *gap_x = c.x;
  }
  return best;
}

void LevelPathView::draw_axis(QPainter& p) const {
  const Theme& t = theme();
  p.setFont(small_font());
  for (int db = 0; db >= -72; db -= 12) {
    const double y = y_of(db);
    p.setPen(QPen(faded(t.line, db == 0 ? 1 : 0.55), 1, db == 0 ? Qt::DashLine : Qt::SolidLine));
    p.drawLine(QPointF(axis_width, y), QPointF(width(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y - 8, axis_width - 7, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(db));
  }
}

// Where the target wants peak, loudness (or RMS) and noise floor: a band, or a line that is not passed.
void LevelPathView::draw_target(QPainter& p) const {
  if (!work_.document.target()) return;
  const Theme& t = theme();
  const Target& target = *work_.document.target();
  const QRectF r = plot_rect();
  p.setFont(small_font());
  const auto draw = [&](const Limits& l, const QColor& color, const QString& name) {
    if (l.free()) return;
    const double top = y_of(l.most.value_or(highest_db)),
                 bottom = y_of(l.least.value_or(lowest_db));
    if (l.least && l.most)
      p.fillRect(QRectF(r.left(), top, r.width(), std::max(2.0, bottom - top)), faded(color, 0.16));
    p.setPen(QPen(faded(color, 0.6), 1, l.least && l.most ? Qt::SolidLine : Qt::DashLine));
    if (l.most) p.drawLine(QPointF(r.left(), top), QPointF(r.right(), top));
    if (l.least) p.drawLine(QPointF(r.left(), bottom), QPointF(r.right(), bottom));
    const auto number = [](double v) { return QString::number(v, 'g', 3); };
    const QString range = l.least && l.most ? tr("%1 to %2").arg(number(*l.least), number(*l.most))
                          : l.most          ? tr("at most %1").arg(number(*l.most))
                                            : tr("at least %1").arg(number(*l.least));
    p.setPen(color);
    p.drawText(QRectF(r.right() - 190, (l.most ? top : bottom) - 14, 184, 14),
               Qt::AlignRight | Qt::AlignVCenter, name + " " + range);
  };
  draw(target.true_peak_dbtp, t.text, tr("true peak"));
  draw(target.sample_peak_dbfs, t.text, tr("peak"));
  draw(target.loudness_lufs, t.after, tr("loudness"));
  draw(target.rms_dbfs, t.after, tr("RMS"));
  draw(target.noise_floor_dbfs, t.removed, tr("noise floor"));
}

void LevelPathView::draw_sections(QPainter& p, const std::vector<Column>& all) const {
  const Theme& t = theme();
  const Clip* clip = work_.selection.clip();
  for (const auto& c : all) {
    if (c.kind != Kind::add) continue;
    const QRectF plus = add_rect(c.place.owner);
    const bool hover = plus.contains(pointer_);
    p.setPen(QPen(hover ? t.attention : t.quiet, 1.5));
    p.setBrush(hover ? t.raised : t.panel);
    p.drawEllipse(plus);
    p.drawLine(plus.center() - QPointF(5, 0), plus.center() + QPointF(5, 0));
    p.drawLine(plus.center() - QPointF(0, 5), plus.center() + QPointF(0, 5));
    p.setFont(small_font());
    p.setPen(t.quiet);
    // What a step here reaches.
    const auto& clips = work_.document.reel().clips;
    QString label = clip->id == mix_clip_id
                        ? tr("the mix\n%1").arg(counted(std::ssize(clips), tr("clip")))
                    : is_bus(*clip) ? tr("this space")
                                    : tr("this clip");
    if (c.place.owner == ChainOwner::group)
      label = tr("%1\n%2").arg(
          QString::fromStdString(work_.document.reel().group_of(*clip).name),
          counted(std::ranges::count(clips, clip->group, &Clip::group), tr("clip")));
    if (c.place.owner == ChainOwner::reel)
      label = tr("whole reel\n%1").arg(counted(std::ssize(clips), tr("clip")));
    p.drawText(QRectF(c.x + 2, height() - 48.0, c.width - 4, 44),
               Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap, label);
    if (c.place.owner != owners_of(*clip).back()) {
      p.setPen(QPen(t.quiet, 1, Qt::DotLine));
      p.drawLine(QPointF(c.x + c.width, 8), QPointF(c.x + c.width, height() - 8.0));
    }
  }
}

void LevelPathView::draw_links(QPainter& p, const std::vector<Column>& all) const {
  const auto* levels = work_.measurements.levels();
  if (!levels) return;
  const Theme& t = theme();
  const Column* from = nullptr;
  for (const auto& c : all) {
    if (c.kind == Kind::add || c.stage >= static_cast<int>(levels->stages.size())) continue;
    if (from) {
      const Levels& a = levels->stages[static_cast<size_t>(from->stage)];
      const Levels& b = levels->stages[static_cast<size_t>(c.stage)];
      const auto link = [&](const std::optional<double>& l, const std::optional<double>& r,
                            const QColor& color) {
        if (!l || !r) return;
        p.setPen(QPen(faded(color, 0.7), 1));
        p.drawLine(QPointF(from->x + from->width / 2 + 12, y_of(*l)),
                   QPointF(c.x + c.width / 2 - 12, y_of(*r)));
      };
      link(a.sample_peak_dbfs, b.sample_peak_dbfs, t.text);
      link(a.loudness_lufs, b.loudness_lufs, t.after);
      link(a.noise_floor_dbfs, b.noise_floor_dbfs, t.removed);
    }
    from = &c;
  }
}

void LevelPathView::draw_bar(QPainter& p, const Column& c) const {
  const auto* levels = work_.measurements.levels();
  if (!levels || c.stage >= static_cast<int>(levels->stages.size())) return;
  draw_level_bar(
      p, levels->stages[static_cast<size_t>(c.stage)], c.x + c.width / 2,
      [this](double db) { return y_of(db); }, c.kind == Kind::source, c.step && !c.runs ? 0.25 : 1);
}

void LevelPathView::draw_column(QPainter& p, const Column& c) const {
  const Theme& t = theme();
  const QRectF r = column_rect(c);
  const bool selected = c.kind == Kind::step && work_.selection.step_id() == c.step->id;
  if (selected || (c.kind == Kind::step && r.contains(pointer_))) {
    p.setPen(selected ? QPen(t.attention, hasFocus() ? 2 : 1) : QPen(Qt::NoPen));
    p.setBrush(faded(t.raised, selected ? 0.75 : 0.5));
    p.drawRoundedRect(r, 6, 6);
  }
  draw_bar(p, c);
  const QRectF label(c.x, height() - 48.0, c.width, 20);
  const bool off = c.step && !c.runs;
  p.setFont(selected ? bold_font() : font());
  p.setPen(off ? t.quiet : t.text);
  const bool mix = work_.selection.clip_id() == mix_clip_id,
             bus = is_bus(work_.selection.clip_id());
  const QString name = c.step ? text(c.step->type->label) : bus ? tr("Sum") : tr("Clip");
  // A long name shrinks before it loses its end.
  if (p.fontMetrics().horizontalAdvance(name) > c.width - 4) p.setFont(small_font());
  p.drawText(label, Qt::AlignCenter,
             p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(c.width - 4)));
  p.setFont(small_font());
  p.setPen(t.quiet);
  QString brief = mix ? tr("of all clips") : bus ? tr("of what is fed") : tr("as recorded");
  if (c.step) brief = !c.step->on ? tr("off") : off ? tr("sits out") : brief_of(*c.step);
  const auto* levels = work_.measurements.levels();
  if (levels && !off && c.stage < static_cast<int>(levels->stages.size())) {
    const double peak = levels->stages[static_cast<size_t>(c.stage)].sample_peak_dbfs.value_or(-1);
    if (peak > 0) {
      p.setPen(t.over);
      brief = tr("%1 dB over").arg(peak, 0, 'f', 1);
    }
  }
  p.drawText(label.translated(0, 18), Qt::AlignCenter,
             p.fontMetrics().elidedText(brief, Qt::ElideRight, static_cast<int>(c.width - 2)));
  if (c.kind != Kind::step || !(selected || off || r.contains(pointer_))) return;
  // The switch: a filled dot is on, a ring is off.
  const bool on = c.step->on;
  const QRectF dot = QRectF(r.right() - 20, r.top() + 2, 18, 18).adjusted(4, 4, -4, -4);
  p.setPen(QPen(on ? t.after : t.quiet, 1.5));
  p.setBrush(!on ? QBrush(Qt::NoBrush) : QBrush(t.after));
  p.drawEllipse(dot);
}

void LevelPathView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  draw_panel(p, QRectF(rect()));
  const auto all = columns();
  draw_axis(p);
  if (all.empty()) return;
  draw_target(p);
  draw_links(p, all);
  draw_sections(p, all);
  for (const auto& c : all)
    if (c.kind != Kind::add) draw_column(p, c);
  double gap_x = 0;
  if (const auto gap = gap_at(all, pointer_.x(), &gap_x); gap && pointer_.x() >= 0) {
    const bool near = std::abs(gap_x - pointer_.x()) < 10 && plot_rect().contains(pointer_);
    if (dragging_) {
      p.setPen(QPen(t.attention, 3));
      p.drawLine(QPointF(gap_x, 8), QPointF(gap_x, height() - 8.0));
    } else if (near && !pressed_) {
      const QPointF c(gap_x, plot_rect().center().y());
      p.setPen(QPen(t.attention, 1.5));
      p.setBrush(t.raised);
      p.drawEllipse(c, 9, 9);
      p.drawLine(c - QPointF(4, 0), c + QPointF(4, 0));
      p.drawLine(c - QPointF(0, 4), c + QPointF(0, 4));
    }
  }
}

}  // namespace drevan::desktop
