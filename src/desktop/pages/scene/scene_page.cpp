// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/scene_page.h"

#include <QFileDialog>
#include <QSettings>
#include <QShortcut>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "widgets/last_folder.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/mix_watch.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

ScenePage::ScenePage(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("scene");
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 8, 0, 0);
  box->setSpacing(0);
  auto* upper = new QSplitter(Qt::Horizontal, this);
  upper->setObjectName("scene_upper");
  film_ = new FilmView(work_, upper);
  upper->addWidget(film_);
  upper->addWidget(make_beside());
  upper->setStretchFactor(0, 3);
  upper->setStretchFactor(1, 1);
  upper->setSizes({900, 330});
  upper->setContentsMargins(12, 0, 12, 0);
  auto* lower = new QWidget(this);
  auto* lower_box = new QVBoxLayout(lower);
  lower_box->setContentsMargins(0, 0, 0, 0);
  lower_box->setSpacing(0);
  rows_ = new SceneRows(work_, lower);
  sentence_ = new SceneSentence(work_, *rows_, lower);
  lower_box->addWidget(sentence_);
  lower_box->addWidget(rows_, 1);
  mix_row_ = new MixRow(work_, *rows_, lower);
  lower_box->addWidget(mix_row_);
  steps_ = new SceneSteps(work_, *rows_, lower);
  // A curve's lane belongs to the steps: it is there only with them.
  lane_part_ = new QWidget(lower);
  auto* lane_box = new QVBoxLayout(lane_part_);
  lane_box->setContentsMargins(0, 0, 0, 0);
  lane_box->addWidget(&steps_->lane());
  lower_box->addWidget(lane_part_);
  split_ = new QSplitter(Qt::Vertical, this);
  split_->setObjectName("scene_split");
  split_->addWidget(upper);
  split_->addWidget(lower);
  split_->addWidget(steps_);
  split_->setStretchFactor(0, 2);
  split_->setStretchFactor(1, 3);
  split_->setSizes({244, 456, 220});
  box->addWidget(split_, 1);
  foot_ = new Foot(work_, Foot::Of::scene, this);
  box->addWidget(foot_);

  const auto go_to = [this](double s) {
    work_.listening.seek(ReelTime{s});
    look_at(s);
  };
  const auto drag_to = [this](double s) {
    work_.listening.scrub(ReelTime{s});
    look_at(s);
  };
  connect(rows_, &SceneRows::playhead_set, this, go_to);
  connect(rows_, &SceneRows::playhead_dragged, this, drag_to);
  connect(mix_row_, &MixRow::playhead_set, this, go_to);
  connect(mix_row_, &MixRow::playhead_dragged, this, drag_to);
  connect(mix_, &MixPanel::bench_wanted, this, [this] { Q_EMIT bus_wanted(mix_clip_id); });
  connect(foot_, &Foot::heard, this, [this](std::span<const float> stereo) {
    if (mix_->isVisible()) mix_->heard().hear(stereo, work_.document.reel().rate);
  });
  show_steps(QSettings().value("scene/steps", false).toBool());
  show_beside(static_cast<Beside>(std::clamp(QSettings().value("scene/beside", 0).toInt(), 0, 2)));
  connect(&work_.scene, &SceneSounds::sounds_changed, this, &ScenePage::hold_others_back);
  connect(rows_, &SceneRows::bench_wanted, this, &ScenePage::bench_wanted);
  connect(spaces_, &SpaceList::bench_wanted, this, &ScenePage::bus_wanted);
  connect(spaces_, &SpaceList::chosen, this, &ScenePage::bus_chosen);
  connect(mix_row_, &MixRow::chosen, this, [this] { Q_EMIT bus_chosen(mix_clip_id); });
  connect(film_, &FilmView::film_wanted, this, &ScenePage::add_film_dialog);
  connect(foot_, &Foot::loop_changed, this, [this] { apply_loop(); });
  timer_ = new QTimer(this);
  timer_->setInterval(16);
  timer_->setTimerType(Qt::PreciseTimer);
  connect(timer_, &QTimer::timeout, this, &ScenePage::live);
}

QWidget* ScenePage::make_beside() {
  auto* part = new QWidget(this);
  auto* box = new QVBoxLayout(part);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(6);
  beside_ = new Segmented(
      {{tr("Spaces"), tr("Common rooms and echoes, and who feeds them"), &Theme::after},
       {tr("Mix"), tr("The mix against its target, with its row"), &Theme::after},
       {tr("Plan"), tr("From above: who stands where"), &Theme::after}},
      part);
  beside_->setObjectName("beside");
  beside_->setAccessibleName(tr("Beside the picture"));
  spaces_ = new SpaceList(work_, part);
  mix_ = new MixPanel(work_, part);
  plan_ = new ScenePlan(work_, part);
  steps_button_ = new QToolButton(part);
  steps_button_->setObjectName("show_steps");
  steps_button_->setText(tr("Steps"));
  steps_button_->setCheckable(true);
  steps_button_->setToolTip(tr("Level path and editor of what is chosen, under the rows (A)"));
  connect(steps_button_, &QToolButton::toggled, this, &ScenePage::show_steps);
  auto* top = new QHBoxLayout;
  top->addWidget(beside_);
  top->addStretch(1);
  top->addWidget(steps_button_);
  box->addLayout(top);
  box->addWidget(spaces_, 1);
  box->addWidget(mix_, 1);
  box->addWidget(plan_, 1);
  connect(beside_, &Segmented::chosen, this,
          [this](int i) { show_beside(static_cast<Beside>(i)); });
  return part;
}

void ScenePage::show_film_window(bool on) {
  if (film_window_) film_window_->setVisible(on);
  if (film_window_ || !on) return;
  film_window_ = new QWidget(this, Qt::Window);
  film_window_->setObjectName("film_window");
  film_window_->setWindowTitle(tr("Picture"));
  auto* box = new QVBoxLayout(film_window_);
  box->setContentsMargins(0, 0, 0, 0);
  other_film_ = new FilmView(work_, film_window_);
  box->addWidget(other_film_);
  connect(new QShortcut(Qt::Key_F11, film_window_), &QShortcut::activated, this, [this] {
    film_window_->isFullScreen() ? film_window_->showNormal() : film_window_->showFullScreen();
  });
  connect(new QShortcut(Qt::Key_Escape, film_window_), &QShortcut::activated, this,
          [this] { show_film_window(false); });
  connect(new QShortcut(Qt::Key_Space, film_window_), &QShortcut::activated, foot_,
          &Foot::toggle_play);
  film_window_->resize(960, 540);
  film_window_->show();
}

// They are the same widgets: what is chosen and turned there goes on.
void ScenePage::show_steps_window(bool on) {
  if (on == steps_in_window()) return;
  if (!on) {
    split_->addWidget(steps_);
    steps_window_->deleteLater();
    steps_window_ = nullptr;
    show_steps(shows_steps());
    return;
  }
  show_steps(true);
  steps_window_ = new QWidget(this, Qt::Window);
  steps_window_->setObjectName("steps_window");
  steps_window_->setWindowTitle(tr("Steps"));
  auto* box = new QVBoxLayout(steps_window_);
  box->setContentsMargins(0, 0, 0, 0);
  box->addWidget(steps_);
  steps_->show();
  connect(new QShortcut(Qt::Key_Space, steps_window_), &QShortcut::activated, foot_,
          &Foot::toggle_play);
  steps_window_->installEventFilter(this);
  steps_window_->resize(1200, 320);
  steps_window_->show();
}

// A window of steps that is closed puts them back under the rows.
bool ScenePage::eventFilter(QObject* of, QEvent* e) {
  if (of == steps_window_ && e->type() == QEvent::Close)
    QTimer::singleShot(0, this, [this] { show_steps_window(false); });
  return QWidget::eventFilter(of, e);
}

bool ScenePage::shows_steps() const { return steps_button_->isChecked(); }

void ScenePage::show_steps(bool on) {
  if (!on && steps_in_window()) show_steps_window(false);
  steps_button_->setChecked(on);
  steps_->setVisible(on);
  lane_part_->setVisible(on);
  if (!on) steps_->lane().close();
  QSettings().setValue("scene/steps", on);
}

void ScenePage::show_beside(Beside what) {
  const bool mix = what == Beside::mix;
  beside_->set_current(static_cast<int>(what));
  spaces_->setVisible(what == Beside::spaces);
  mix_->setVisible(mix);
  mix_row_->setVisible(mix);
  plan_->setVisible(what == Beside::plan);
  QSettings().setValue("scene/beside", static_cast<int>(what));
  work_.mix_watch.set_active(mix && isVisible());
}

// What is looked at comes first.
void ScenePage::hold_others_back() {
  work_.shelf.hold_back(isVisible() && work_.scene.share_ready() < 1 && work_.scene.busy());
}

void ScenePage::showEvent(QShowEvent*) {
  work_.scene.set_active(true);
  hold_others_back();
  work_.listening.play_scene(true);
  work_.listening.seek(ReelTime{rows_->playhead()});
  apply_loop();
  timer_->start();
  rows_->setFocus();
  work_.mix_watch.set_active(beside_->current() == static_cast<int>(Beside::mix));
}

void ScenePage::hideEvent(QHideEvent*) {
  timer_->stop();
  work_.mix_watch.set_active(false);
  work_.shelf.hold_back(false);
  work_.listening.play_scene(false);
}

// The playhead was set there by hand.
void ScenePage::look_at(double s) {
  film_->look_at(s);
  foot_->live();
}

void ScenePage::live() {
  const double s = work_.listening.reel_position().s;
  rows_->show_playhead(s, work_.listening.player().playing());
  if (mix_row_->isVisible()) mix_row_->show_playhead();
  film_->look_at(s);
  if (plan_->isVisible()) plan_->show_playhead(s, work_.listening.player().playing());
  if (film_window_ && film_window_->isVisible()) other_film_->look_at(s);
  if (steps_->isVisible()) steps_->live();
  foot_->live();
}

// The marked clips round and round, or all.
void ScenePage::apply_loop() { work_.listening.set_scene_loop(looped()); }

std::optional<ReelRange> ScenePage::looped() const {
  if (!foot_->looping()) return std::nullopt;
  const Reel& reel = work_.document.reel();
  ReelRange range{latest_place, {0}};
  for (const ClipId id : rows_->marked()) {
    const ReelRange sounds = whole_in_reel(work_.scene.times(reel, *reel.find(id)));
    range = {std::min(range.begin, sounds.begin), std::max(range.end, sounds.end)};
  }
  if (range.end <= range.begin) range = {{0}, {rows_->all_seconds()}};
  return range;
}

void ScenePage::mark_event() { rows_->mark_event(!work_.listening.player().playing()); }

void ScenePage::add_film_dialog() {
  const auto files = QFileDialog::getOpenFileNames(
      this, tr("Add films"), last_folder(),
      tr("Films (*.mp4 *.mov *.mkv *.webm *.avi *.m4v *.mxf *.mpg *.ts);;All files (*)"));
  if (!files.isEmpty()) work_.films.add(files, work_.films.end_s());
}

}  // namespace drevan::desktop
