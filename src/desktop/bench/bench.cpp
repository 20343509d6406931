#include "bench/bench.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QScrollBar>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <cmath>

#include "audio/time_text.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
QToolButton* head_button(const QString& label, const QString& tip, QWidget* parent) {
  auto* b = new QToolButton(parent);
  b->setText(label);
  b->setToolTip(tip);
  return b;
}
}  // namespace

Bench::Bench(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
  shelf_ = new Shelf(workspace, this);
  scope_ = new Scope(workspace, this);
  path_ = new LevelPathView(workspace, this);
  editor_ = new StepEditor(workspace, this);
  foot_ = new Foot(workspace, this);
  advice_ = new AdviceLine(workspace, this);

  name_ = new QLabel(this);
  name_->setObjectName("heading");
  facts_ = new QLabel(this);
  facts_->setObjectName("quiet");
  mark_ = head_button(tr("Mark room tone"), tr("Then drag over half a second or more where only the room is heard; "
                                               "with a selection, the selection is taken (R)"), this);
  mark_->setCheckable(true);
  find_ = head_button(tr("Find room tone"), tr("Looks for the quietest stretch without speech (Shift+R)"), this);
  find_->setObjectName("find_room_tone");
  clear_ = head_button(tr("Clear"), tr("Forgets the room tone"), this);

  auto* head = new QHBoxLayout;
  head->setContentsMargins(2, 0, 0, 0);
  head->addWidget(name_);
  head->addSpacing(10);
  head->addWidget(facts_);
  head->addStretch();
  for (QWidget* w : std::initializer_list<QWidget*>{mark_, find_, clear_}) head->addWidget(w);
  scroll_ = new QScrollBar(Qt::Horizontal, this);
  auto* top = new QWidget(this);
  auto* top_box = new QVBoxLayout(top);
  top_box->setContentsMargins(0, 4, 0, 0);
  top_box->setSpacing(3);
  top_box->addLayout(head);
  top_box->addWidget(scope_, 1);
  top_box->addWidget(scroll_);

  auto* path_title = new QLabel(tr("Level path"), this);
  path_title->setFont(bold_font());
  auto* path_note = new QLabel(tr("what each step does to peak, loudness and noise floor"), this);
  path_note->setObjectName("quiet");
  auto* path_head = new QHBoxLayout;
  path_head->setContentsMargins(2, 0, 0, 0);
  path_head->addWidget(path_title);
  path_head->addSpacing(10);
  path_head->addWidget(path_note);
  path_head->addStretch();
  auto* area = new QScrollArea(this);
  area->setWidget(path_);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* middle = new QWidget(this);
  auto* middle_box = new QVBoxLayout(middle);
  middle_box->setContentsMargins(0, 2, 0, 0);
  middle_box->setSpacing(4);
  middle_box->addLayout(path_head);
  middle_box->addWidget(area, 1);
  middle_box->addWidget(advice_);

  auto* parts = new QSplitter(Qt::Vertical, this);
  parts->setObjectName("bench_parts");
  parts->addWidget(top);
  parts->addWidget(middle);
  parts->addWidget(editor_);
  parts->setChildrenCollapsible(false);
  parts->setSizes({204, 252, 254});
  parts->setHandleWidth(6);
  auto* sides = new QSplitter(Qt::Horizontal, this);
  sides->setObjectName("bench_sides");
  sides->addWidget(shelf_);
  sides->addWidget(parts);
  sides->setSizes({236, 1032});
  sides->setStretchFactor(1, 1);
  sides->setChildrenCollapsible(false);
  sides->setHandleWidth(12);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(6);
  auto* inner = new QHBoxLayout;
  inner->setContentsMargins(0, 0, 12, 0);
  inner->addWidget(sides);
  all->addLayout(inner, 1);
  all->addWidget(foot_);

  connect(mark_, &QToolButton::clicked, this, [this](bool on) {
    if (on && scope_->selection()) return mark_room_tone();
    scope_->set_marking(on);
  });
  connect(scope_, &Scope::marking_ended, this, [this] {
    mark_->setChecked(false);
    scope_->set_marking(false);
  });
  connect(find_, &QToolButton::clicked, &workspace_, &Workspace::find_room_tone);
  connect(clear_, &QToolButton::clicked, this, [this] { workspace_.set_room_tone(std::nullopt); });
  connect(scope_, &Scope::playhead_set, this, [this](double s) {
    workspace_.player().seek(std::llround(s * workspace_.reel().rate));
    scope_->show_playhead(s);
  });
  connect(scope_, &Scope::selection_changed, this, &Bench::apply_loop);
  connect(scope_, &Scope::view_changed, this, &Bench::show_view);
  connect(scroll_, &QScrollBar::valueChanged, this,
          [this](int v) { scope_->show_range(v / 1000.0, scope_->view_length()); });
  connect(foot_, &Foot::loop_changed, this, &Bench::apply_loop);
  connect(shelf_, &Shelf::context_wanted, this, &Bench::context_wanted);
  connect(&workspace_, &Workspace::clip_changed, this, &Bench::show_clip);
  connect(&workspace_, &Workspace::reel_changed, this, &Bench::show_clip);
  timer_ = new QTimer(this);
  timer_->setInterval(16);
  connect(timer_, &QTimer::timeout, this, &Bench::live);
  timer_->start();
  show_clip();
}

void Bench::mark_room_tone() {
  if (const auto selection = scope_->selection()) {
    mark_->setChecked(false);
    scope_->set_marking(false);
    scope_->select(std::nullopt);
    workspace_.set_room_tone(selection);
    return;
  }
  mark_->setChecked(!mark_->isChecked());
  scope_->set_marking(mark_->isChecked());
}

void Bench::show_clip() {
  const Clip* c = workspace_.clip();
  name_->setText(c ? QString::fromStdString(c->name) : tr("No clip"));
  for (QWidget* w : std::initializer_list<QWidget*>{mark_, find_}) w->setEnabled(c != nullptr);
  clear_->setVisible(c && c->room_tone);
  if (!c) return facts_->clear();
  const auto& s = workspace_.reel().sources[static_cast<size_t>(c->source)];
  const QString channels = s.channels == 1   ? tr("mono")
                           : s.channels == 2 ? tr("stereo")
                                             : tr("%1 channels").arg(s.channels);
  facts_->setText(tr("%1  %2  %3 kHz").arg(QString::fromStdString(length_text(workspace_.clip_seconds())), channels,
                                          QString::number(s.rate / 1000)));
}

void Bench::show_view() {
  const QSignalBlocker quiet(scroll_);
  const int all = static_cast<int>(workspace_.clip_seconds() * 1000);
  const int page = static_cast<int>(scope_->view_length() * 1000);
  scroll_->setRange(0, std::max(0, all - page));
  scroll_->setPageStep(page);
  scroll_->setSingleStep(std::max(1, page / 20));
  scroll_->setValue(static_cast<int>(scope_->view_begin() * 1000));
}

void Bench::apply_loop() {
  const double rate = workspace_.reel().rate;
  if (!foot_->looping()) return workspace_.player().set_loop(std::nullopt);
  const auto range = scope_->selection().value_or(SecondsRange{0, workspace_.clip_seconds()});
  workspace_.player().set_loop(FrameRange{std::llround(range.begin * rate), std::llround(range.end * rate)});
}

void Bench::live() {
  if (!isVisible()) return;
  scope_->show_playhead(static_cast<double>(workspace_.player().position()) / workspace_.reel().rate);
  foot_->live();
  const bool playing = workspace_.player().playing();
  // Once more after the end, so that the pictures come to rest.
  if (playing || was_playing_) editor_->live();
  was_playing_ = playing;
}

}  // namespace drevan::desktop
