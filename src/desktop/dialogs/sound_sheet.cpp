// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/sound_sheet.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>
#include <set>

#include "engine/making/test_sounds.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"

namespace drevan::desktop {

namespace {

constexpr int look_every_ms = 3000, facts_every_ms = 300;
constexpr int buffer_sizes[] = {64, 128, 256, 512, 1024, 2048, 4096};

QComboBox* box(const QString& name, const QString& label, const QString& tip, QFormLayout* form) {
  auto* b = new QComboBox;
  b->setObjectName(name);
  b->setAccessibleName(label);
  b->setToolTip(tip);
  b->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  b->setMinimumContentsLength(32);
  form->addRow(label, b);
  return b;
}

}  // namespace

SoundSheet::SoundSheet(const Work& work, QWidget* parent, ListDevices list)
    : QDialog(parent), work_(work), list_(std::move(list)), output_(kept_output()) {
  setWindowTitle(tr("Sound settings"));
  setObjectName("sound_sheet");
  setProperty("chapter", tr("Sound settings"));
  auto* form = new QFormLayout;
  form->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  driver_ = box("driver", tr("Driver"),
                tr("By which part of the system sound is played; the first that has a device, "
                   "where nothing is chosen"),
                form);
  device_ =
      box("device", tr("Output"), tr("The device; the system's standard, or one by name"), form);
  channels_ = box("channels", tr("Channels"),
                  tr("Left and right go to these two channels of the device"), form);
  buffer_ = box("buffer", tr("Buffer"),
                tr("How much sound lies ready for the device: a small one follows a turned knob "
                   "sooner, a large one bridges a busy machine"),
                form);
  when_gone_ = box("when_gone", tr("When it goes"),
                   tr("What happens when the device is unplugged or its server ends"), form);
  when_gone_->addItems({tr("pause, then use another"), tr("pause, and wait for this one"),
                        tr("play on with another")});
  when_gone_->setCurrentIndex(static_cast<int>(output_.when_gone));
  facts_ = new QLabel(this);
  facts_->setObjectName("quiet");
  facts_->setWordWrap(true);
  form->addRow(tr("Now"), facts_);
  tone_ = new QPushButton(tr("Test tone"), this);
  tone_->setObjectName("tone");
  tone_->setToolTip(tr("1 kHz at -20 dBFS, a second left, then a second right"));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
  buttons->addButton(tone_, QDialogButtonBox::ActionRole);
  auto* all = new QVBoxLayout(this);
  all->addLayout(form);
  all->addWidget(buttons);

  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  connect(tone_, &QPushButton::clicked, this,
          [this] { work_.listening.player().play_over(test_tone(work_.document.reel().rate)); });
  connect(driver_, &QComboBox::activated, this, [this] {
    output_.wish.driver = driver();
    output_.wish.name.clear();
    fill_devices();
    changed();
  });
  connect(device_, &QComboBox::activated, this, [this] {
    output_.wish.name = device();
    fill_channels();
    changed();
  });
  for (QComboBox* b : {channels_, buffer_, when_gone_})
    connect(b, &QComboBox::activated, this, &SoundSheet::changed);
  auto* look_again = new QTimer(this);
  connect(look_again, &QTimer::timeout, this, &SoundSheet::look);
  look_again->start(look_every_ms);
  auto* facts = new QTimer(this);
  connect(facts, &QTimer::timeout, this, &SoundSheet::show_facts);
  facts->start(facts_every_ms);
  fill_buffers();
  fill({});
  show_facts();
  look();
}

void SoundSheet::look() {
  if (lane_.busy()) return;
  lane_.start([this, list = list_](const CancelToken&) -> TaskLane::Finish {
    auto devices = list();
    return [this, devices] { fill(devices); };
  });
}

// A list that is open, or unchanged, is left alone: nothing may move under the pointer.
void SoundSheet::fill(std::vector<SoundDevice> devices) {
  if (driver_->count() > 0 && devices == devices_) return;
  for (const QComboBox* b : {driver_, device_, channels_})
    if (b->view()->isVisible()) return;
  devices_ = std::move(devices);
  driver_->clear();
  driver_->addItem(tr("whichever has a device"), QString());
  std::set<std::string> seen;
  for (const auto& d : devices_)
    if (seen.insert(d.driver).second)
      driver_->addItem(text(driver_label(d.driver)), text(d.driver));
  const auto wished = text(output_.wish.driver);
  if (driver_->findData(wished) < 0)
    driver_->addItem(tr("%1 (not running)").arg(text(driver_label(output_.wish.driver))), wished);
  driver_->setCurrentIndex(driver_->findData(wished));
  fill_devices();
}

void SoundSheet::fill_devices() {
  device_->clear();
  device_->addItem(tr("the standard output"), QString());
  // Without a driver, that which would be taken is meant.
  const std::string of = !driver().empty()  ? driver()
                         : devices_.empty() ? std::string()
                                            : devices_.front().driver;
  for (const auto& d : devices_)
    if (d.driver == of) device_->addItem(text(d.name), text(d.name));
  const auto wished = text(output_.wish.name);
  if (device_->findData(wished) < 0) device_->addItem(tr("%1 (not there)").arg(wished), wished);
  device_->setCurrentIndex(device_->findData(wished));
  fill_channels();
}

void SoundSheet::fill_channels() {
  int most = 2;
  for (const auto& d : devices_)
    if (d.driver == driver() || driver().empty())
      if (d.name == device() || (device().empty() && d.standard)) most = std::max(most, d.channels);
  channels_->clear();
  for (int c = 0; c + 1 < most; c += 2)
    channels_->addItem(tr("%1 and %2").arg(c + 1).arg(c + 2), c);
  channels_->setCurrentIndex(std::max(0, channels_->findData(output_.wish.first_channel)));
  channels_->setEnabled(channels_->count() > 1);
}

void SoundSheet::fill_buffers() {
  const double rate = work_.document.reel().rate;
  for (const int frames : buffer_sizes)
    buffer_->addItem(tr("%1 frames, %2 ms").arg(frames).arg(2 * frames * 1000 / rate, 0, 'f', 1),
                     frames);
  if (buffer_->findData(output_.wish.buffer_frames) < 0)
    buffer_->addItem(tr("%1 frames").arg(output_.wish.buffer_frames), output_.wish.buffer_frames);
  buffer_->setCurrentIndex(buffer_->findData(output_.wish.buffer_frames));
}

void SoundSheet::changed() {
  output_.wish.driver = driver();
  output_.wish.name = device();
  output_.wish.first_channel = channels_->currentData().toInt();
  output_.wish.buffer_frames = buffer_->currentData().toInt();
  output_.when_gone = static_cast<SoundOutput::WhenGone>(when_gone_->currentIndex());
  keep_output(output_);
  work_.listening.use_output(output_);
  show_facts();
}

void SoundSheet::show_facts() {
  const auto now = work_.listening.player().device_facts();
  if (now.lost)
    facts_->setText(tr("%1 is gone.").arg(text(now.name)));
  else if (now.simulated)
    facts_->setText(tr("No device: playing is silent."));
  else
    facts_->setText(now.latency_s > 0
                        ? tr("%1, %2 ms behind, %3 so far")
                              .arg(text(now.name))
                              .arg(now.latency_s * 1000, 0, 'f', 1)
                              .arg(counted(now.dropouts, tr("dropout")))
                        : tr("%1; it starts when something is played").arg(text(now.name)));
}

std::string SoundSheet::driver() const { return driver_->currentData().toString().toStdString(); }
std::string SoundSheet::device() const { return device_->currentData().toString().toStdString(); }

}  // namespace drevan::desktop
