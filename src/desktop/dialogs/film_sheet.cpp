// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/film_sheet.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>

#include "audio/error.h"
#include "batch/film.h"
#include "widgets/last_folder.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"

namespace drevan::desktop {

FilmSheet::FilmSheet(const Work& work, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work) {
  setWindowTitle(tr("Write the film"));
  setObjectName("film_sheet");
  film_ = new QComboBox(this);
  film_->setAccessibleName(tr("Film"));
  for (const Film& film : work_.document.reel().films)
    film_->addItem(QString::fromStdString(film.path.filename().string()),
                   QString::fromStdString(film.path.string()));
  sound_ = new QComboBox(this);
  sound_->setObjectName("sound");
  sound_->setAccessibleName(tr("Sound"));
  sound_->addItem(tr("PCM, 24 bit: the mix to the sample"), static_cast<int>(FilmSound::pcm));
  sound_->addItem(tr("AAC"), static_cast<int>(FilmSound::aac));
  sound_->addItem(tr("Opus"), static_cast<int>(FilmSound::opus));
  keeps_ = new QCheckBox(tr("The film's own sound stays, behind the mix"), this);
  goal_button_ = new QPushButton(this);
  goal_button_->setObjectName("goal");
  told_ = new QLabel(tr("The picture is copied as it is; subtitles and chapters stay."), this);
  told_->setObjectName("told");
  told_->setWordWrap(true);
  progress_ = new QProgressBar(this);
  progress_->setRange(0, 1000);
  auto* leave = new QPushButton(tr("Cancel"), this);
  write_ = new QPushButton(tr("Write the film"), this);
  write_->setObjectName("primary");
  write_->setDefault(true);
  auto* form = new QFormLayout(this);
  form->addRow(tr("Film"), film_);
  form->addRow(tr("As"), goal_button_);
  form->addRow(tr("Sound"), sound_);
  form->addRow(QString(), keeps_);
  form->addRow(told_);
  form->addRow(progress_);
  auto* buttons = new QHBoxLayout;
  buttons->addStretch(1);
  buttons->addWidget(leave);
  buttons->addWidget(write_);
  form->addRow(buttons);
  setMinimumWidth(440);
  connect(goal_button_, &QPushButton::clicked, this, &FilmSheet::choose_goal);
  connect(write_, &QPushButton::clicked, this, &FilmSheet::write);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  connect(this, &QDialog::finished, this, [this] { lane_.cancel(); });
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) {
    told_->setText(QString::fromStdString(why.text));
    show_state();
  });
  show_state();
}

void FilmSheet::choose_goal() {
  const QString folder = QSettings().value("film/folder", last_folder()).toString();
  const QString name = QString::fromStdString(work_.document.reel().name) + ".mov";
  const auto file = QFileDialog::getSaveFileName(this, tr("Write the film as"), folder + "/" + name,
                                                 tr("Films (*.mov *.mp4 *.mkv *.webm)"));
  if (!file.isEmpty()) set_goal(file);
}

void FilmSheet::set_goal(const QString& file) {
  goal_ = file;
  QSettings().setValue("film/folder", QFileInfo(file).absolutePath());
  try {
    const int usual = static_cast<int>(usual_film_sound(file.toStdString()));
    sound_->setCurrentIndex(sound_->findData(usual));
  } catch (const Error& e) {
    told_->setText(QString::fromUtf8(e.what()));
    goal_.clear();
  }
  show_state();
}

void FilmSheet::write() {
  if (goal_.isEmpty() || film_->count() == 0 || lane_.busy()) return;
  FilmExport how{.sound = static_cast<FilmSound>(sound_->currentData().toInt()),
                 .keeps_sound = keeps_->isChecked()};
  lane_.start([this, reel = work_.document.shared(), how,
               named = film_->currentData().toString().toStdString(), goal = goal_.toStdString(),
               stores = work_.measurements.stores()](
                  const CancelToken& cancel) mutable -> TaskLane::Finish {
    const auto film = film_of(*reel, named, how);
    const auto tell = [this, &cancel](double share) {
      lane_.post(cancel, [this, share] { progress_->setValue(static_cast<int>(1000 * share)); });
    };
    const FilmResult done = render_film(*reel, film, goal, how, {}, stores->findings, cancel, tell);
    return [this, done] {
      written_ = goal_;
      QString told = tr("%1 is written.").arg(QFileInfo(goal_).fileName());
      if (done.film.cut_off_s > 0.05)
        told += " " + tr("The mix goes on for %1 s after the last picture; that is left out.")
                          .arg(done.film.cut_off_s, 0, 'f', 1);
      const auto failed = std::ranges::count(done.mix.clips, JobState::failed, &JobResult::state);
      if (failed > 0)
        told +=
            " " + tr("%1 could not be rendered and is missing.").arg(counted(failed, tr("clip")));
      const auto clipped = static_cast<long>(done.mix.files.front().clipped);
      if (clipped > 0)
        told +=
            " " + tr("%1 past full scale were clipped; a limiter in the mix's chain mends that.")
                      .arg(counted(clipped, tr("sample")));
      failed + clipped > 0 ? work_.notices.warn(told) : work_.notices.tell(told);
      accept();
    };
  });
  show_state();
}

void FilmSheet::show_state() {
  goal_button_->setText(goal_.isEmpty() ? tr("Choose where ...") : QFileInfo(goal_).fileName());
  const bool busy = lane_.busy();
  progress_->setVisible(busy);
  write_->setEnabled(!goal_.isEmpty() && film_->count() > 0 && !busy);
  for (QWidget* w : std::initializer_list<QWidget*>{film_, sound_, keeps_, goal_button_})
    w->setEnabled(!busy);
  if (film_->count() == 0) told_->setText(tr("The reel has no film. Add one in the Scene first."));
}

}  // namespace drevan::desktop
