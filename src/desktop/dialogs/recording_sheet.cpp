// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/recording_sheet.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

#include "reel/scene/recording.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/recording_desk.h"
#include "work/sound_output.h"

namespace drevan::desktop {

namespace {
QString device_text(const SoundDevice& d) {
  return QObject::tr("%1, %2").arg(text(d.name), counted(d.channels, QObject::tr("channel")));
}
}  // namespace

RecordingSheet::RecordingSheet(const Work& work, QWidget* parent, ListDevices list)
    : ReelSheet(work.document, parent), work_(work), list_(std::move(list)) {
  setWindowTitle(tr("Recording settings"));
  setObjectName("recording_sheet");
  setProperty("chapter", tr("Recording"));
  auto* form = new QFormLayout(this);
  form->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  const auto box = [&](const QString& name, const QString& label, const QString& tip) {
    auto* b = new QComboBox(this);
    b->setObjectName(name);
    b->setAccessibleName(label);
    b->setToolTip(tip);
    b->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    b->setMinimumContentsLength(34);
    form->addRow(label, b);
    return b;
  };
  input_ = box("input", tr("Input"),
               tr("The device, by the driver that is chosen under Listen, Sound settings"));
  more_ = new QListWidget(this);
  more_->setObjectName("more_inputs");
  more_->setAccessibleName(tr("And at once from"));
  more_->setToolTip(
      tr("Each gives clips of its own, at the same time. They have clocks of their own, which are "
         "brought together, so what was said at once stands at one place"));
  more_label_ = new QLabel(tr("And at once from"), this);
  form->addRow(more_label_, more_);
  samples_ = box("samples", tr("Files"), tr("How the reel's recordings are written"));
  samples_->addItems({tr("WAV, 24 bit"), tr("WAV, 32 bit float")});
  width_ = box("width", tr("Channels"),
               tr("Each input to a clip of its own, or two inputs to one stereo clip"));
  width_->addItems({tr("mono: a clip for each input"), tr("stereo: a clip for two inputs")});
  rate_ = box("rate", tr("Rate"),
              tr("The reel's: everything is played, recorded and rendered at it. Clips stay where "
                 "they are; what has another rate is converted"));
  for (const double rate : {44100.0, 48000.0, 88200.0, 96000.0, 192000.0})
    rate_->addItem(tr("%1 kHz").arg(rate / 1000), rate);
  folder_ = new QPushButton(this);
  folder_->setObjectName("record_folder");
  folder_->setToolTip(tr("Where the files go; nothing there is ever recorded over"));
  form->addRow(tr("Folder"), folder_);
  latency_ = new QLabel(this);
  latency_->setObjectName("quiet");
  latency_->setWordWrap(true);
  latency_->setMinimumHeight(2 * fontMetrics().height());
  measure_ = new QPushButton(tr("Measure"), this);
  measure_->setObjectName("measure_latency");
  measure_->setToolTip(
      tr("Plays three chirps: connect the output to the first input by a cable, "
         "or hold the microphone to the headphones"));
  form->addRow(tr("Latency"), latency_);
  form->addRow(QString(), measure_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
  form->addRow(buttons);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  connect(input_, &QComboBox::activated, this, [this] {
    RecordingHabits habits = recording_habits();
    habits.input = input_->currentData().toString();
    habits.more.removeAll(habits.input);
    work_.recording.set_habits(habits);
    fill_more();
  });
  connect(more_, &QListWidget::itemChanged, this, &RecordingSheet::change_more);
  connect(rate_, &QComboBox::activated, this, &RecordingSheet::change_rate);
  for (QComboBox* b : {samples_, width_})
    connect(b, &QComboBox::activated, this, &RecordingSheet::change_format);
  connect(folder_, &QPushButton::clicked, this, &RecordingSheet::choose_folder);
  connect(measure_, &QPushButton::clicked, &work_.recording, &RecordingDesk::measure_latency);
  connect(&work_.recording, &RecordingDesk::changed, this, &RecordingSheet::show_state);
  connect(&work_.document, &Document::reel_changed, this, &RecordingSheet::show_state);
  fill({});
  show_state();
  look();
}

void RecordingSheet::look() {
  lane_.start([this, list = list_](const CancelToken&) -> TaskLane::Finish {
    return [this, devices = list()] { fill(devices); };
  });
}

void RecordingSheet::fill(const std::vector<SoundDevice>& devices) {
  const QString wished = recording_habits().input;
  const std::string driver = !kept_output().wish.driver.empty() ? kept_output().wish.driver
                             : devices.empty()                  ? std::string()
                                                                : devices.front().driver;
  input_->clear();
  input_->addItem(tr("the standard input"), QString());
  devices_.clear();
  std::ranges::copy_if(devices, std::back_inserter(devices_),
                       [&](const SoundDevice& d) { return d.driver == driver; });
  for (const auto& d : devices_) input_->addItem(device_text(d), text(d.name));
  if (input_->findData(wished) < 0) input_->addItem(tr("%1 (not there)").arg(wished), wished);
  input_->setCurrentIndex(input_->findData(wished));
  fill_more();
}

// All but the one that is chosen above, and those that are chosen but not there.
void RecordingSheet::fill_more() {
  const RecordingHabits habits = recording_habits();
  const QSignalBlocker quiet(more_);
  more_->clear();
  QStringList there;
  const auto add = [&](const QString& name, const QString& shown) {
    auto* item = new QListWidgetItem(shown, more_);
    item->setData(Qt::UserRole, name);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(habits.more.contains(name) ? Qt::Checked : Qt::Unchecked);
  };
  for (const auto& d : devices_) {
    there << text(d.name);
    if (habits.input.isEmpty() ? !d.standard : text(d.name) != habits.input)
      add(text(d.name), device_text(d));
  }
  for (const auto& name : habits.more)
    if (!there.contains(name)) add(name, tr("%1 (not there)").arg(name));
  const bool any = more_->count() > 0;
  more_->setVisible(any);
  more_label_->setVisible(any);
  if (any) more_->setFixedHeight(std::min(4, more_->count()) * more_->sizeHintForRow(0) + 6);
}

void RecordingSheet::change_more() {
  RecordingHabits habits = recording_habits();
  habits.more.clear();
  for (int i = 0; i < more_->count(); ++i)
    if (more_->item(i)->checkState() == Qt::Checked)
      habits.more << more_->item(i)->data(Qt::UserRole).toString();
  work_.recording.set_habits(habits);
}

void RecordingSheet::change_format() {
  RecordingFormat format = work_.document.reel().recording;
  format.floating = samples_->currentIndex() == 1;
  format.stereo = width_->currentIndex() == 1;
  work_.document.change(
      [&](const Reel& reel) { return edits::set_recording_format(reel, format); });
}

void RecordingSheet::change_rate() {
  const double rate = rate_->currentData().toDouble();
  if (rate != work_.document.reel().rate)
    work_.document.change([&](const Reel& reel) { return edits::set_rate(reel, rate); });
}

void RecordingSheet::choose_folder() {
  RecordingFormat format = work_.document.reel().recording;
  const QString now = text(work_.document.recordings_folder().string());
  const QString folder = QFileDialog::getExistingDirectory(this, tr("Where recordings go"), now);
  if (folder.isEmpty()) return;
  format.folder = folder.toStdString();
  work_.document.change(
      [&](const Reel& reel) { return edits::set_recording_format(reel, format); });
}

void RecordingSheet::show_state() {
  const Reel& reel = work_.document.reel();
  samples_->setCurrentIndex(reel.recording.floating ? 1 : 0);
  width_->setCurrentIndex(reel.recording.stereo ? 1 : 0);
  if (rate_->findData(reel.rate) < 0) rate_->addItem(tr("%1 kHz").arg(reel.rate / 1000), reel.rate);
  rate_->setCurrentIndex(rate_->findData(reel.rate));
  rate_->setEnabled(!work_.recording.recording());
  folder_->setText(!reel.recording.folder.empty() ? text(reel.recording.folder.filename().string())
                   : work_.document.file().empty()
                       ? tr("Drevan's own, until the reel is saved")
                       : text(work_.document.recordings_folder().filename().string()));
  const auto latency = work_.recording.latency();
  const double ms = 1000.0 * static_cast<double>(latency.frames) / reel.rate;
  const bool measures = work_.recording.measures_latency();
  latency_->setText(measures           ? tr("Measuring: three chirps ...")
                    : latency.measured ? tr("%1 ms (%2 frames), measured; takes are put so much "
                                            "earlier.")
                                             .arg(ms, 0, 'f', 1)
                                             .arg(latency.frames)
                                       : tr("Some %1 ms, as the device tells. Measured once with "
                                            "this device, takes stand to the sample.")
                                             .arg(ms, 0, 'f', 0));
  measure_->setEnabled(!measures && !work_.recording.recording());
}

}  // namespace drevan::desktop
