#include "pages/scene/scene_page.h"

#include <QFileDialog>
#include <QSettings>
#include <QSplitter>
#include <QTimer>
#include <QVBoxLayout>

#include "work/document.h"
#include "work/listening.h"
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
  spaces_ = new SpaceList(work_, upper);
  upper->addWidget(film_);
  upper->addWidget(spaces_);
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
  auto* all = new QSplitter(Qt::Vertical, this);
  all->setObjectName("scene_split");
  all->addWidget(upper);
  all->addWidget(lower);
  all->setStretchFactor(0, 2);
  all->setStretchFactor(1, 3);
  all->setSizes({244, 456});
  box->addWidget(all, 1);
  foot_ = new Foot(work_, Foot::Of::scene, this);
  box->addWidget(foot_);

  connect(rows_, &SceneRows::playhead_set, this, [this](double s) {
    work_.listening.seek_s(s);
    film_->look_at(s);
    foot_->live();
  });
  connect(&work_.scene, &SceneSounds::sounds_changed, this, &ScenePage::hold_others_back);
  connect(rows_, &SceneRows::bench_wanted, this, &ScenePage::bench_wanted);
  connect(spaces_, &SpaceList::bench_wanted, this, &ScenePage::bus_wanted);
  connect(film_, &FilmView::film_wanted, this, &ScenePage::add_film_dialog);
  connect(foot_, &Foot::loop_changed, this, [this] { apply_loop(); });
  timer_ = new QTimer(this);
  timer_->setInterval(16);
  timer_->setTimerType(Qt::PreciseTimer);
  connect(timer_, &QTimer::timeout, this, &ScenePage::live);
}

// What is looked at comes first.
void ScenePage::hold_others_back() {
  work_.shelf.hold_back(isVisible() && work_.scene.share_ready() < 1 && work_.scene.busy());
}

void ScenePage::showEvent(QShowEvent*) {
  work_.scene.set_active(true);
  hold_others_back();
  work_.listening.play_scene(true);
  work_.listening.seek_s(rows_->playhead());
  apply_loop();
  timer_->start();
  rows_->setFocus();
}

void ScenePage::hideEvent(QHideEvent*) {
  timer_->stop();
  work_.shelf.hold_back(false);
  work_.listening.play_scene(false);
}

void ScenePage::live() {
  const double s = work_.listening.position_s();
  rows_->show_playhead(s, work_.listening.player().playing());
  film_->look_at(s);
  foot_->live();
}

// The marked clips round and round, or all.
void ScenePage::apply_loop() {
  if (!foot_->looping()) return work_.listening.set_loop_s(std::nullopt);
  const Reel& reel = work_.document.reel();
  SecondsRange range{1e9, 0};
  for (const int id : rows_->marked()) {
    const Clip& c = *reel.find(id);
    range.begin = std::min(range.begin, c.place_s);
    range.end = std::max(range.end, c.place_s + drevan::clip_seconds(reel, c));
  }
  if (range.end <= range.begin) range = {0, rows_->all_seconds()};
  work_.listening.set_loop_s(range);
}

void ScenePage::mark_event() { rows_->mark_event(!work_.listening.player().playing()); }

void ScenePage::add_film_dialog() {
  const auto files = QFileDialog::getOpenFileNames(
      this, tr("Add films"), QSettings().value("folder").toString(),
      tr("Films (*.mp4 *.mov *.mkv *.webm *.avi *.m4v *.mxf *.mpg *.ts);;All files (*)"));
  if (!files.isEmpty()) work_.films.add(files, work_.films.end_s());
}

}  // namespace drevan::desktop
