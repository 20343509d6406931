// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/sweep_sheet.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>

#include "engine/making/response_making.h"

namespace drevan::desktop {

namespace {

constexpr const char* last_sweep = "sweep/played";

QLabel* paragraph(const QString& words, QWidget* parent) {
  auto* label = new QLabel(words, parent);
  label->setWordWrap(true);
  return label;
}

// Beside the recording, under a name that is free.
QString free_name(const QString& recording) {
  const QFileInfo info(recording);
  const QString stem = info.path() + "/" + info.completeBaseName() + SweepSheet::tr(" response");
  QString out = stem + ".wav";
  for (int n = 2; QFileInfo::exists(out); ++n) out = QString("%1 %2.wav").arg(stem).arg(n);
  return out;
}

}  // namespace

SweepSheet::SweepSheet(QWidget* parent) : QDialog(parent) {
  setWindowTitle(tr("Measure a place or a device"));
  setObjectName("sweep_sheet");
  seconds_ = new QComboBox(this);
  for (const int s : {5, 10, 20, 40}) seconds_->addItem(tr("%1 s").arg(s), s);
  seconds_->setCurrentIndex(1);
  seconds_->setAccessibleName(tr("Length of the sweep"));
  seconds_->setToolTip(tr("Longer ones are heard through more noise."));
  auto* write = new QPushButton(tr("Write the sweep..."), this);
  write->setObjectName("write");
  played_button_ = file_button("played", &SweepSheet::set_played);
  recording_button_ = file_button("recording", &SweepSheet::set_recording);
  told_ = paragraph({}, this);
  told_->setObjectName("told");
  progress_ = new QProgressBar(this);
  progress_->setRange(0, 0);
  auto* leave = new QPushButton(tr("Cancel"), this);
  make_ = new QPushButton(tr("Make the response"), this);
  make_->setObjectName("primary");
  make_->setDefault(true);
  auto* grid = new QGridLayout(this);
  grid->setColumnStretch(1, 1);
  grid->setVerticalSpacing(10);
  int row = 0;
  const auto add = [&](const QString& number, QWidget* words) {
    grid->addWidget(new QLabel(number, this), row, 0, Qt::AlignTop);
    grid->addWidget(words, row++, 1, 1, 2);
  };
  add("1", paragraph(tr("Write a sweep: a tone that rises from 20 Hz to 20 kHz."), this));
  grid->addWidget(seconds_, row, 1);
  grid->addWidget(write, row++, 2);
  add("2", paragraph(tr("Play it in the room or through the device and record what comes back. "
                        "Begin to record before it, stop when all has died away; not so loud "
                        "that anything clips."),
                     this));
  add("3", paragraph(tr("Choose what was played and what came back."), this));
  grid->addWidget(played_button_, row, 1);
  grid->addWidget(recording_button_, row++, 2);
  grid->addWidget(progress_, row++, 1, 1, 2);
  grid->addWidget(told_, row++, 1, 1, 2);
  auto* buttons = new QHBoxLayout;
  buttons->addStretch(1);
  buttons->addWidget(leave);
  buttons->addWidget(make_);
  grid->addLayout(buttons, row, 1, 1, 2);
  setMinimumWidth(460);
  connect(write, &QPushButton::clicked, this, [this] {
    const auto file =
        QFileDialog::getSaveFileName(this, tr("Write the sweep"), "sweep.wav", tr("WAV (*.wav)"));
    if (!file.isEmpty()) write_sweep_to(file);
  });
  connect(make_, &QPushButton::clicked, this, &SweepSheet::make);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  connect(this, &QDialog::finished, this, [this] { lane_.cancel(); });
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) {
    tell(QString::fromStdString(why.text));
    show_state();
  });
  if (const auto last = QSettings().value(last_sweep).toString(); QFileInfo::exists(last))
    played_ = last;
  show_state();
}

QPushButton* SweepSheet::file_button(const QString& name,
                                     void (SweepSheet::*chosen)(const QString&)) {
  auto* button = new QPushButton(this);
  button->setObjectName(name);
  button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  connect(button, &QPushButton::clicked, this, [this, chosen] {
    const auto file = QFileDialog::getOpenFileName(
        this, tr("Choose a recording"), {}, tr("Sound (*.wav *.flac *.aif *.aiff *.m4a *.mp3)"));
    if (!file.isEmpty()) (this->*chosen)(file);
  });
  return button;
}

void SweepSheet::write_sweep_to(const QString& file) {
  const SweepShape shape{.seconds = seconds_->currentData().toDouble()};
  lane_.start([this, file, shape](const CancelToken&) -> TaskLane::Finish {
    write_sweep(file.toStdString(), shape, 48000);
    return [this, file] {
      set_played(file);
      tell(tr("%1 is written: play it there.").arg(QFileInfo(file).fileName()));
    };
  });
  show_state();
}

void SweepSheet::set_played(const QString& file) {
  played_ = file;
  QSettings().setValue(last_sweep, file);
  show_state();
}

void SweepSheet::set_recording(const QString& file) {
  recording_ = file;
  show_state();
}

void SweepSheet::make() {
  if (played_.isEmpty() || recording_.isEmpty()) return;
  tell({});
  const QString out = free_name(recording_);
  lane_.start([this, out, played = played_.toStdString(), recording = recording_.toStdString()](
                  const CancelToken& cancel) -> TaskLane::Finish {
    make_response(played, recording, out.toStdString(), cancel);
    return [this, out] {
      response_ = out;
      accept();
    };
  });
  show_state();
}

void SweepSheet::tell(const QString& words) { told_->setText(words); }

void SweepSheet::show_state() {
  const auto name = [](const QString& file, const QString& none) {
    return file.isEmpty() ? none : QFileInfo(file).fileName();
  };
  played_button_->setText(name(played_, tr("What was played...")));
  recording_button_->setText(name(recording_, tr("What came back...")));
  make_->setEnabled(!played_.isEmpty() && !recording_.isEmpty() && !lane_.busy());
  progress_->setVisible(lane_.busy());
}

}  // namespace drevan::desktop
