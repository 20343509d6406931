// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/step_editor.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>

#include "pages/bench/curve_lane.h"
#include "pages/bench/step_words.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/curve_clock.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr int editor_rest_ms = 250;

// What the parts of a picture are that have settings of their own.
QString part_name(const PictureSpec& picture, int page) {
  if (std::holds_alternative<TapsSpec>(picture)) return StepEditor::tr("echo %1").arg(page);
  if (std::holds_alternative<CopiesSpec>(picture)) return StepEditor::tr("copy %1").arg(page);
  if (const auto* plan = std::get_if<PlanSpec>(&picture))
    return text(plan->parts[static_cast<size_t>(page - 1)]);
  return StepEditor::tr("band %1").arg(page);
}
}  // namespace

StepEditor::StepEditor(const Work& work, CurveLane& lane, QWidget* parent)
    : QWidget(parent), work_(work), lane_(lane), turning_(work), scope_in_(8192), scope_out_(8192) {
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(14, 8, 14, 10);
  all->setSpacing(6);
  auto* head = new QHBoxLayout;
  title_ = new QLabel(this);
  title_->setObjectName("heading");
  summary_ = new QLabel(this);
  summary_->setObjectName("quiet");
  summary_->setMinimumWidth(20);
  page_label_ = new QLabel(this);
  page_label_->setObjectName("message");
  on_ = new QCheckBox(tr("on"), this);
  on_->setToolTip(tr("Whether sound flows through this step"));
  points_ = new QToolButton(this);
  points_->setText(tr("Starting points"));
  points_->setToolTip(tr("Settings for real cases to start from"));
  points_->setPopupMode(QToolButton::InstantPopup);
  points_->setMenu(new QMenu(points_));
  remove_ = new QToolButton(this);
  remove_->setText(tr("Remove"));
  remove_->setToolTip(tr("Take this step out of the chain (undo brings it back)"));
  head->addWidget(title_);
  head->addSpacing(10);
  head->addWidget(summary_);
  head->addStretch();
  head->addWidget(page_label_);
  head->addSpacing(8);
  for (QWidget* w : std::initializer_list<QWidget*>{on_, points_, remove_}) head->addWidget(w);
  all->addLayout(head);
  body_ = new QWidget(this);
  all->addWidget(body_, 1);

  connect(on_, &QCheckBox::clicked, this, [this](bool on) {
    change(
        [&](const Reel& reel, ClipId clip) { return edits::switch_step(reel, clip, step_, on); });
  });
  connect(remove_, &QToolButton::clicked, this, [this] {
    change([&](const Reel& reel, ClipId clip) { return edits::remove_step(reel, clip, step_); });
  });
  connect(&work_.selection, &Selection::step_changed, this, &StepEditor::refresh);
  connect(&work_.document, &Document::reel_changed, this, &StepEditor::refresh);
  connect(&work_.selection, &Selection::clip_changed, this, &StepEditor::refresh);
  connect(&work_.measurements, &Measurements::levels_changed, this, [this] {
    if (picture_) picture_->refresh();
  });
  rest_.setSingleShot(true);
  rest_.setInterval(editor_rest_ms);
  connect(&rest_, &QTimer::timeout, this, [this] {
    if (type_ && step_ != 0 && points_->menu()->isVisible())
      work_.document.preview(
          [this](const Reel& reel) { return with_starting_point(reel, rested_); });
  });
  connect(points_->menu(), &QMenu::aboutToHide, this, [this] {
    rest_.stop();
    work_.document.end_preview();
  });
  // In another reel the same ids are other steps: what is dragged here is let go.
  connect(&work_.document, &Document::opened, this, &StepEditor::rebuild);
  rebuild();
}

void StepEditor::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().panel);
  p.drawRoundedRect(QRectF(rect()), 6, 6);
}

void StepEditor::resizeEvent(QResizeEvent*) { fit_sliders(); }

// When their area has its new width.
void StepEditor::fit_sliders() {
  QTimer::singleShot(0, this, [this] {
    if (picture_) show_page(picture_->page());
  });
}

void StepEditor::refresh() {
  const ChainStep* s = work_.selection.step();
  if (work_.selection.step_id() != step_ || (s ? s->type : nullptr) != type_ ||
      clip_ != work_.selection.clip_id()) {
    rebuild();
    return;
  }
  if (!s) return;
  on_->setChecked(s->on);
  show_ranges();
  show_values();
  words_->refresh();
  picture_->refresh();
}

// From where to where the settings go that follow a curve.
void StepEditor::show_ranges() {
  const ChainStep* s = work_.selection.step(step_);
  for (size_t i = 0; s && i < sliders_.size(); ++i) {
    const Curve* curve = curve_of(s->curves, static_cast<int>(i));
    sliders_[i]->show_range(curve ? std::optional(value_range(*curve)) : std::nullopt);
  }
}

void StepEditor::show_values() {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  const Settings now = settings_at(work_, *s, playhead_s_);
  for (size_t i = 0; i < sliders_.size(); ++i)
    if (!sliders_[i]->held()) sliders_[i]->show_value(now[i]);
}

void StepEditor::show_playhead(double clip_s) {
  if (clip_s == playhead_s_) return;
  playhead_s_ = clip_s;
  const ChainStep* s = work_.selection.step(step_);
  if (!s || s->curves.empty()) return;
  show_values();
  picture_->show_playhead(clip_s);
}

// Another step: new picture, new sliders.
void StepEditor::rebuild() {
  step_ = work_.selection.step_id();
  clip_ = work_.selection.clip_id();
  const ChainStep* s = work_.selection.step(step_);
  type_ = s ? s->type : nullptr;
  picture_ = nullptr;
  words_ = nullptr;
  sliders_.clear();
  delete body_->layout();
  qDeleteAll(body_->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
  for (QWidget* w : std::initializer_list<QWidget*>{on_, points_, remove_})
    w->setVisible(s != nullptr);
  page_label_->clear();
  title_->setText(s ? text(s->type->label) : tr("No step"));
  summary_->setText(s ? text(s->type->summary) : tr("add one with the plus in the level path"));
  if (!s) return;
  on_->setChecked(s->on);
  fill_menu();

  auto* row = new QHBoxLayout(body_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(18);
  picture_ = StepPicture::make(work_, step_, body_);
  const bool wide = picture_->wide();
  row->addWidget(picture_, wide ? 12 : 8);
  auto* right = new QWidget(body_);
  grid_ = new QGridLayout(right);
  grid_->setContentsMargins(0, 0, 0, 0);
  grid_->setHorizontalSpacing(24);
  grid_->setVerticalSpacing(2);
  // Where the window is low the sliders scroll.
  auto* area = new QScrollArea(body_);
  area->setWidget(right);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->viewport()->setAutoFillBackground(false);
  right->setAutoFillBackground(false);
  row->addWidget(area, wide ? 10 : 12);
  sliders_area_ = area;
  for (size_t i = 0; i < s->type->parameters.size(); ++i) {
    auto* slider = new ValueSlider(s->type->parameters[i], right);
    slider->setObjectName(text(s->type->parameters[i].id));
    sliders_.push_back(slider);
    connect(slider, &ValueSlider::changed, this,
            [this, i](double v) { set(static_cast<int>(i), v); });
    connect(slider, &ValueSlider::settled, this, &StepEditor::settle);
    connect(slider, &ValueSlider::over_time_wanted, this,
            [this, i] { lane_.show_parameter(static_cast<int>(i)); });
    connect(slider, &ValueSlider::refused, this,
            [this](const QString& why) { work_.notices.warn(why); });
  }
  words_ = new StepWords(work_, step_, right);
  words_->setVisible(words_->any());
  connect(picture_, &StepPicture::changed, this, &StepEditor::set);
  connect(picture_, &StepPicture::changed_within, this,
          [this](int parameter, double value, ClipRange clip) {
            const ChainStep* now = work_.selection.step(step_);
            if (now)
              turning_.turn_within(step_, parameter, now->settings[static_cast<size_t>(parameter)],
                                   value, clip);
          });
  connect(picture_, &StepPicture::settled, this, &StepEditor::settle);
  connect(picture_, &StepPicture::page_chosen, this, &StepEditor::show_page);
  show_ranges();
  show_values();
  picture_->show_playhead(playhead_s_);
  show_page(picture_->page());
  fit_sliders();
}

// Lays out the sliders that are always there and those of the held handle.
void StepEditor::show_page(int page) {
  std::vector<ValueSlider*> shown;
  for (auto* slider : sliders_) {
    grid_->removeWidget(slider);
    const int of = slider->parameter().page;
    slider->setVisible(of == 0 || of == page);
    if (of == 0 || of == page) shown.push_back(slider);
  }
  constexpr int two_columns = 2 * 200 + 24;
  const bool room = !sliders_area_->isVisible() || sliders_area_->width() >= two_columns;
  const int columns = shown.size() > 5 && room ? 2 : 1;
  const int rows = (static_cast<int>(shown.size()) + columns - 1) / columns;
  const int first = words_->lead() ? 1 : 0;
  for (int r = 0, all = grid_->rowCount(); r < all; ++r) grid_->setRowStretch(r, 0);
  for (int i = 0; i < static_cast<int>(shown.size()); ++i)
    grid_->addWidget(shown[static_cast<size_t>(i)], first + i % rows, i / rows);
  grid_->removeWidget(words_);
  if (words_->any()) grid_->addWidget(words_, first > 0 ? 0 : rows, 0, 1, columns);
  grid_->setRowStretch(rows + 1, 1);
  page_label_->setText(page > 0 ? part_name(spec_of(type_->picture), page) : QString());
}

void StepEditor::change(const std::function<edits::Edit(const Reel&, ClipId)>& edit) {
  if (step_ == 0) return;
  work_.document.change([&](const Reel& reel) { return edit(reel, work_.selection.clip_id()); });
}

void StepEditor::set(int parameter, double value) {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  const bool keep = lane_.keeps_turns() && work_.listening.player().playing() &&
                    may_follow_curve(*s->type, parameter);
  if (keep && lane_.parameter() != parameter) lane_.show_parameter(parameter);
  const double from = settings_at(work_, *s, playhead_s_)[static_cast<size_t>(parameter)];
  turning_.turn(step_, parameter, from, value, work_.listening.clip_position().s, keep);
}

void StepEditor::settle() { turning_.settle(work_.listening.clip_position().s); }

void StepEditor::fill_menu() {
  QMenu* menu = points_->menu();
  menu->clear();
  menu->setToolTipsVisible(true);
  const auto entry = [this](QMenu* into, const QString& name, int index) {
    QAction* a = into->addAction(name);
    connect(a, &QAction::triggered, this, [this, index] { use_starting_point(index); });
    // Rested upon it is heard and drawn.
    connect(a, &QAction::hovered, this, [this, index] {
      rested_ = index;
      rest_.start();
    });
    return a;
  };
  // Many are sorted by kind.
  QMenu* into = menu;
  std::string_view kind;
  for (int i = 0; i < static_cast<int>(type_->starting_points.size()); ++i) {
    const auto& point = type_->starting_points[static_cast<size_t>(i)];
    if (point.kind.empty()) {
      into = menu;
    } else if (point.kind != kind) {
      into = menu->addMenu(text(point.kind));
      into->setToolTipsVisible(true);
    }
    kind = point.kind;
    entry(into, text(point.name), i)->setToolTip(text(point.note));
  }
  menu->addSeparator();
  entry(menu, tr("Standard"), -1);
}

edits::Edit StepEditor::with_starting_point(const Reel& reel, int index) const {
  const NamedSettings* point =
      index < 0 ? nullptr : &type_->starting_points.at(static_cast<size_t>(index));
  return edits::set_settings(reel, work_.selection.clip_id(), step_,
                             point ? settings_of(*type_, *point) : standard_settings(*type_),
                             point ? std::string(point->name) : "Standard settings");
}

void StepEditor::use_starting_point(int index) {
  if (!type_) return;
  work_.document.end_merge();
  change([&](const Reel& reel, ClipId) { return with_starting_point(reel, index); });
}

ValueSlider* StepEditor::slider(std::string_view parameter_id) const {
  for (auto* s : sliders_)
    if (s->parameter().id == parameter_id && !s->isHidden()) return s;
  return nullptr;
}

void StepEditor::live() {
  if (!picture_) return;
  Player& player = work_.listening.player();
  const size_t in = player.focus_in().read(scope_in_);
  const size_t out = player.focus_out().read(scope_out_);
  std::array<float, max_readings> readings{};
  const int n = player.playing() ? player.readings(readings) : 0;
  picture_->live(std::span(readings).first(static_cast<size_t>(n)), std::span(scope_in_).first(in),
                 std::span(scope_out_).first(out));
}

}  // namespace drevan::desktop
