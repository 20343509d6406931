// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/curve_lane.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double head_height = 24;
}

CurveLane::CurveLane(const Work& work, const TimeView& time, QWidget* parent)
    : QWidget(parent), work_(work), time_(time) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Curve over time"));
  setToolTip(
      tr("<p>Click to add a point, drag it, Shift moves finely, double-click types its value. "
         "Right-click for how it goes on to the next.</p>"
         "<p>Keys: Ctrl+arrows choose, arrows move, Insert adds at the playhead, Return types, "
         "Delete removes.</p>"));
  make_head();
  connect(&work_.selection, &Selection::step_changed, this, &CurveLane::follow);
  connect(&work_.selection, &Selection::clip_changed, this, &CurveLane::follow);
  connect(&work_.document, &Document::reel_changed, this, &CurveLane::follow);
  connect(&work_.measurements, &Measurements::levels_changed, this, &CurveLane::follow);
  hide();
}

void CurveLane::make_head() {
  const auto button = [this](const QString& label, const QString& tip, const char* name) {
    auto* b = new QToolButton(this);
    b->setText(label);
    b->setToolTip(tip);
    b->setObjectName(name);
    return b;
  };
  name_ = button({}, tr("Which of the step's settings is shown"), "curve_of");
  name_->setAccessibleName(tr("Setting that follows the curve"));
  name_->setPopupMode(QToolButton::InstantPopup);
  name_->setMenu(new QMenu(name_));
  connect(name_->menu(), &QMenu::aboutToShow, this, &CurveLane::fill_menu);
  facts_ = new QLabel(this);
  facts_->setObjectName("quiet");
  keep_ =
      button(tr("Keep what I turn"),
             tr("While it plays, a slider that is turned is written into its curve"), "keep_turns");
  keep_->setCheckable(true);
  remove_ = button(tr("Stand still"), tr("Takes the curve away; the setting stands still again"),
                   "remove_curve");
  connect(remove_, &QToolButton::clicked, this, [this] {
    work_.document.end_merge();
    apply(std::nullopt);
    work_.document.end_merge();
  });
  close_ = button(tr("Hide"), tr("Hides the curve; it goes on working"), "hide_curve");
  connect(close_, &QToolButton::clicked, this, &CurveLane::close);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(6, 0, 6, 0);
  head->addWidget(name_);
  head->addWidget(facts_);
  head->addStretch();
  for (QWidget* w : {keep_, remove_, close_}) head->addWidget(w);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 1, 0, 0);
  all->addLayout(head);
  all->addStretch();
}

void CurveLane::fill_menu() {
  QMenu* menu = name_->menu();
  menu->clear();
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  for (int i = on_parameter; i < std::ssize(s->type->parameters); ++i) {
    if (!may_follow_curve(*s->type, i)) continue;
    QAction* a = menu->addAction(text(parameter_of_track(*s->type, i).label));
    a->setCheckable(true);
    a->setChecked(curve_of(s->curves, i) != nullptr);
    connect(a, &QAction::triggered, this, [this, i] { show_parameter(i); });
  }
}

void CurveLane::show_parameter(int parameter) {
  end_typing();
  step_ = work_.selection.step_id();
  parameter_ = parameter;
  point_ = -1;
  show();
  follow();
}

void CurveLane::close() {
  parameter_.reset();
  closed_ = true;
  keep_->setChecked(false);
  hide();
}

bool CurveLane::keeps_turns() const { return isVisible() && keep_->isChecked(); }

// Another step: its first curve, or nothing; what was hidden stays so until then.
void CurveLane::follow() {
  const ChainStep* s = work_.selection.step();
  if (work_.selection.step_id() != step_) {
    step_ = work_.selection.step_id();
    point_ = -1;
    end_typing();
    parameter_.reset();
    closed_ = false;
  }
  if (!s) parameter_.reset();
  if (s && !parameter_ && !closed_ && !s->curves.empty()) parameter_ = s->curves.front().parameter;
  if (held_ && (!parameter_ || !has_curve() || curve() != held_curve_ ||
                !grab_.holds(work_.document, work_.selection.clip_id())))
    held_ = false;
  if (parameter_) clock_ = curve_clock(work_, step_);
  setVisible(parameter_.has_value());
  if (!parameter_) return;
  if (point_ >= std::ssize(curve().points)) point_ = -1;
  show_facts();
  update();
}

void CurveLane::show_facts() {
  const Parameter& p = shown();
  name_->setText(tr("%1 over time").arg(text(p.label)));
  remove_->setVisible(has_curve());
  const auto number = [&](double v) { return QString::fromStdString(value_text(p, v)); };
  if (!has_curve())
    return facts_->setText(
        tr("stands still at %1; click to add a point").arg(number(curve().points.front().value)));
  const Curve c = curve();
  const auto [least, most] = value_range(c);
  facts_->setText(
      tr("%1 to %2, %3")
          .arg(number(least), number(most), counted(std::ssize(c.points), tr("point"))));
}

void CurveLane::show_playhead(double clip_s) {
  if (clip_s == playhead_s_ || !isVisible()) return;
  playhead_s_ = clip_s;
  update();
}

const Parameter& CurveLane::shown() const {
  return parameter_of_track(*work_.selection.step(step_)->type, *parameter_);
}

bool CurveLane::has_curve() const {
  const ChainStep* s = work_.selection.step(step_);
  return s && parameter_ && curve_of(s->curves, *parameter_);
}

Curve CurveLane::curve() const {
  const ChainStep* s = work_.selection.step(step_);
  if (const Curve* c = curve_of(s->curves, *parameter_)) return *c;
  const double stands =
      *parameter_ == on_parameter ? 1 : s->settings[static_cast<size_t>(*parameter_)];
  return {{{clock_.curve_s(0), stands, only_holds(shown()) ? CurveShape::hold : CurveShape::line}}};
}

QRectF CurveLane::plot_rect() const { return QRectF(rect()).adjusted(0, head_height + 6, 0, -8); }

double CurveLane::y_of(double value) const {
  const QRectF r = plot_rect();
  return r.bottom() - to_fraction(shown(), value) * r.height();
}

double CurveLane::value_at_y(double y) const {
  const QRectF r = plot_rect();
  return from_fraction(shown(), (r.bottom() - y) / r.height());
}

QPointF CurveLane::place_of(double clip_s, double value) const {
  return {time_.x_of(clip_s), y_of(value)};
}

QPointF CurveLane::point_at(size_t i) const {
  const CurvePoint p = curve().points.at(i);
  return place_of(clock_.clip_s(p.s), p.value);
}

int CurveLane::point_near(QPointF at) const {
  if (!has_curve()) return -1;
  const Curve c = curve();
  int best = -1;
  double distance = 9;
  for (size_t i = 0; i < c.points.size(); ++i) {
    const QPointF away = place_of(clock_.clip_s(c.points[i].s), c.points[i].value) - at;
    const double d = std::hypot(away.x(), away.y());
    if (d < distance) distance = d, best = static_cast<int>(i);
  }
  return best;
}

void CurveLane::paintEvent(QPaintEvent*) {
  if (!parameter_ || !work_.selection.step(step_)) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setPen(hasFocus() ? QPen(t.attention, 1) : QPen(Qt::NoPen));
  p.setBrush(t.panel);
  p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
  const QRectF r = plot_rect();
  const Parameter& of = shown();
  p.setFont(small_font());
  for (const double value : {of.most, of.least}) {
    p.setPen(QPen(t.line, 1));
    p.drawLine(QPointF(0, y_of(value)), QPointF(width(), y_of(value)));
    p.setPen(t.quiet);
    const double y = value == of.most ? y_of(value) + 1 : y_of(value) - 15;
    p.drawText(QRectF(r.right() - 126, y, 120, 14), Qt::AlignRight | Qt::AlignVCenter,
               QString::fromStdString(value_text(of, value)));
  }
  if (of.least < 0 && of.most > 0) {
    p.setPen(QPen(t.line, 1, Qt::DotLine));
    p.drawLine(QPointF(0, y_of(0)), QPointF(width(), y_of(0)));
  }
  const Curve c = curve();
  draw_curve(p, c);
  if (has_curve()) draw_points(p, c);
  const double x = time_.x_of(playhead_s_);
  p.setPen(QPen(t.attention, 2));
  p.drawLine(QPointF(x, head_height), QPointF(x, height()));
}

void CurveLane::draw_curve(QPainter& p, const Curve& c) const {
  const Theme& t = theme();
  QPolygonF line;
  for (int x = 0; x <= width(); ++x) {
    const double value = value_at(c, shown(), clock_.curve_s(time_.seconds_at(x)));
    // What holds steps straight up.
    if (!line.isEmpty() && only_holds(shown()) && line.last().y() != y_of(value))
      line << QPointF(x, line.last().y());
    line << QPointF(x, y_of(value));
  }
  QPolygonF body = line;
  body << QPointF(width(), plot_rect().bottom()) << QPointF(0, plot_rect().bottom());
  p.setPen(Qt::NoPen);
  p.setBrush(faded(t.text, 0.08));
  p.drawPolygon(body);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(t.text, 1.6, has_curve() ? Qt::SolidLine : Qt::DashLine));
  p.drawPolyline(line);
}

void CurveLane::draw_points(QPainter& p, const Curve& c) const {
  const Theme& t = theme();
  for (size_t i = 0; i < c.points.size(); ++i) {
    const QPointF at = place_of(clock_.clip_s(c.points[i].s), c.points[i].value);
    if (at.x() < -8 || at.x() > width() + 8) continue;
    const bool chosen = static_cast<int>(i) == point_;
    p.setPen(QPen(chosen ? t.attention : t.text, 1.5));
    p.setBrush(chosen ? t.attention : t.panel);
    p.drawEllipse(at, chosen ? 5 : 4, chosen ? 5 : 4);
    if (!chosen || entry_) continue;
    const QString told = tr("%1 at %2 s")
                             .arg(QString::fromStdString(value_text(shown(), c.points[i].value)))
                             .arg(clock_.clip_s(c.points[i].s), 0, 'f', 2);
    const double wide = p.fontMetrics().horizontalAdvance(told) + 10;
    QRectF chip(at.x() + 9, at.y() - 8, wide, 16);
    if (chip.right() > width()) chip.moveRight(at.x() - 9);
    p.setPen(Qt::NoPen);
    p.setBrush(t.raised);
    p.drawRoundedRect(chip, 4, 4);
    p.setPen(t.text);
    p.drawText(chip, Qt::AlignCenter, told);
  }
}

}  // namespace drevan::desktop
