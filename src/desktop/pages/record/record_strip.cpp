// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/record/record_strip.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>

#include "audio/time_text.h"
#include "theme/theme.h"
#include "widgets/input_meter.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr int live_every_ms = 40;
constexpr int inputs_height = 84;  // of four inputs; more are scrolled to

// "Line 3", where there is a "Line 2".
QString next_line_name(const Reel& reel) {
  for (int n = 1;; ++n) {
    const auto name = QObject::tr("Line %1").arg(n);
    const auto taken = [&](const Clip& c) { return line_name(c.name) == name.toStdString(); };
    if (std::ranges::none_of(reel.clips, taken)) return name;
  }
}

}  // namespace

RecordStrip::RecordStrip(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("record_strip");
  setProperty("chapter", tr("Recording"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(16, 8, 12, 8);
  row->setSpacing(12);
  row->addWidget(make_state());
  inputs_ = new QWidget;
  input_scroll_ = new QScrollArea(this);
  input_scroll_->setObjectName("inputs");
  input_scroll_->setWidgetResizable(true);
  input_scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  input_scroll_->setFocusPolicy(Qt::NoFocus);
  input_scroll_->viewport()->setAutoFillBackground(false);
  input_scroll_->setMinimumWidth(120);
  input_scroll_->setMaximumWidth(340);
  // The line and its text settle how high the strip is.
  input_scroll_->setMinimumHeight(inputs_height);
  input_scroll_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Ignored);
  input_scroll_->setWidget(inputs_);
  inputs_->setAutoFillBackground(false);
  input_rows_ = new QGridLayout(inputs_);
  input_rows_->setContentsMargins(0, 0, 0, 0);
  input_rows_->setVerticalSpacing(4);
  no_input_ = new QLabel(tr("No input is there yet. Connect a microphone, or choose another input "
                            "under Settings."),
                         this);
  no_input_->setObjectName("quiet");
  no_input_->setWordWrap(true);
  no_input_->setMinimumWidth(120);
  row->addWidget(input_scroll_, 2);
  row->addWidget(no_input_, 2);
  row->addWidget(make_line(), 4);
  row->addWidget(make_habits());
  timer_ = new QTimer(this);
  timer_->setInterval(live_every_ms);
  connect(timer_, &QTimer::timeout, this, &RecordStrip::live);
  connect(&work_.recording, &RecordingDesk::changed, this, &RecordStrip::refresh);
  connect(&work_.recording, &RecordingDesk::recorded, this, [this] { as_->setCurrentIndex(1); });
  connect(&work_.selection, &Selection::clip_changed, this, &RecordStrip::refresh_line);
  connect(&work_.document, &Document::reel_changed, this, &RecordStrip::refresh_line);
  hide();
}

QWidget* RecordStrip::make_state() {
  auto* part = new QWidget(this);
  auto* box = new QVBoxLayout(part);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(6);
  state_ = new QLabel(part);
  state_->setFont(heading_font());
  state_->setMinimumWidth(110);
  record_ = new QPushButton(part);
  record_->setObjectName("record");
  record_->setToolTip(tr("Record, or stop (Shift+Space)"));
  connect(record_, &QPushButton::clicked, this, &RecordStrip::record_wanted);
  box->addWidget(state_);
  box->addWidget(record_);
  box->addStretch(1);
  return part;
}

QWidget* RecordStrip::make_line() {
  auto* part = new QWidget(this);
  auto* box = new QVBoxLayout(part);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(4);
  auto* row = new QHBoxLayout;
  as_ = new QComboBox(part);
  as_->setObjectName("record_as");
  as_->setAccessibleName(tr("What is recorded"));
  as_->setToolTip(
      tr("A line of its own, at the playhead, or another take of the selected clip's "
         "line, where that stands"));
  as_->addItems({tr("A new line"), tr("Another take")});
  as_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  as_->setMinimumContentsLength(2);
  name_ = new QLineEdit(part);
  name_->setObjectName("line_name");
  name_->setMinimumWidth(60);
  name_->setPlaceholderText(tr("Name of the line"));
  name_->setAccessibleName(tr("Name of the line"));
  group_ = new QLineEdit(part);
  group_->setObjectName("line_group");
  group_->setMinimumWidth(60);
  group_->setPlaceholderText(tr("Group"));
  group_->setAccessibleName(tr("Group"));
  group_->setToolTip(
      tr("The group that the line goes to; a new one where there is none of this "
         "name"));
  row->addWidget(as_, 3);
  row->addWidget(name_, 3);
  row->addWidget(group_, 2);
  text_ = new QPlainTextEdit(part);
  text_->setObjectName("line_text");
  text_->setPlaceholderText(tr("What is said: typed or pasted here, it is read while one records"));
  text_->setAccessibleName(tr("Text of the line"));
  text_->setTabChangesFocus(true);
  QFont f = text_->font();
  f.setPixelSize(17);
  text_->setFont(f);
  text_->setFixedHeight(54);
  box->addLayout(row);
  box->addWidget(text_);
  connect(as_, &QComboBox::currentIndexChanged, this, &RecordStrip::refresh_line);
  connect(text_, &QPlainTextEdit::textChanged, this, &RecordStrip::keep_text);
  return part;
}

QWidget* RecordStrip::make_habits() {
  auto* part = new QWidget(this);
  auto* grid = new QGridLayout(part);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(2);
  const RecordingHabits habits = recording_habits();
  pre_roll_ = new QDoubleSpinBox(part);
  pre_roll_->setObjectName("pre_roll");
  pre_roll_->setRange(0, 30);
  pre_roll_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  pre_roll_->setSingleStep(0.5);
  pre_roll_->setDecimals(1);
  pre_roll_->setSuffix(tr(" s before"));
  pre_roll_->setValue(habits.pre_roll_s);
  pre_roll_->setAccessibleName(tr("Pre-roll"));
  pre_roll_->setToolTip(
      tr("In the Scene the picture and all other sounds begin to play so long "
         "before the line"));
  count_in_ = new QCheckBox(tr("three beeps"), part);
  count_in_->setObjectName("count_in");
  count_in_->setChecked(habits.count_in);
  count_in_->setToolTip(tr("One a second; where the fourth would be the line begins"));
  own_voice_ = new QCheckBox(tr("hear yourself"), part);
  own_voice_->setObjectName("own_voice");
  own_voice_->setChecked(habits.own_voice);
  own_voice_->setToolTip(
      tr("The inputs are heard as they come in, so much later as the latency "
         "tells. Only with headphones: it would come back into the microphone"));
  latency_ = new QLabel(part);
  latency_->setObjectName("quiet");
  latency_->setFont(small_font());
  latency_->setMinimumWidth(20);
  auto* settings = new QToolButton(part);
  settings->setObjectName("record_settings");
  settings->setText(tr("Settings ..."));
  settings->setToolTip(tr("Input, files, latency"));
  auto* close = new QToolButton(part);
  close->setObjectName("record_close");
  close->setText(tr("Close"));
  close->setToolTip(tr("Close the inputs"));
  grid->addWidget(pre_roll_, 0, 0);
  grid->addWidget(settings, 0, 1);
  grid->addWidget(count_in_, 1, 0);
  grid->addWidget(close, 1, 1);
  grid->addWidget(own_voice_, 2, 0);
  grid->addWidget(latency_, 2, 1);
  connect(pre_roll_, &QDoubleSpinBox::valueChanged, this, &RecordStrip::keep_habits);
  connect(count_in_, &QCheckBox::toggled, this, &RecordStrip::keep_habits);
  connect(own_voice_, &QCheckBox::toggled, this, &RecordStrip::keep_habits);
  connect(settings, &QToolButton::clicked, this, &RecordStrip::settings_wanted);
  connect(close, &QToolButton::clicked, this, [this] { open(false); });
  return part;
}

void RecordStrip::open(bool on) {
  setVisible(on);
  work_.recording.arm(on);
  on ? timer_->start() : timer_->stop();
  refresh();
}

void RecordStrip::showEvent(QShowEvent*) { refresh_line(); }

bool RecordStrip::another_take() const {
  const Clip* c = work_.selection.clip();
  return as_->currentIndex() == 1 && c && !is_bus(*c);
}

RecordedLine RecordStrip::line() const {
  RecordedLine line{name_->text().trimmed().toStdString(), group_->text().trimmed().toStdString(),
                    text_->toPlainText().toStdString(),
                    another_take() ? work_.selection.clip_id() : 0};
  if (line.name.empty()) line.name = next_line_name(work_.document.reel()).toStdString();
  if (line.group.empty()) line.group = tr("Recordings").toStdString();
  return line;
}

InputMeter* RecordStrip::meter(int lane) const {
  return inputs_->findChild<InputMeter*>(QString("lane %1").arg(lane));
}

void RecordStrip::keep_habits() {
  RecordingHabits habits = recording_habits();
  habits.pre_roll_s = pre_roll_->value();
  habits.count_in = count_in_->isChecked();
  habits.own_voice = own_voice_->isChecked();
  work_.recording.set_habits(habits);
}

// The text of a clip is part of the reel.
void RecordStrip::keep_text() {
  if (text_of_ == 0) return;
  const auto typed = text_->toPlainText().toStdString();
  if (const Clip* c = work_.document.reel().find(text_of_); c && c->text != typed)
    work_.document.change(
        [&](const Reel& reel) { return edits::set_line_text(reel, text_of_, typed); });
}

void RecordStrip::refresh_line() {
  if (!isVisible()) return;
  const Clip* c = work_.selection.clip();
  const bool takes = c && !is_bus(*c);
  as_->setItemText(1, takes ? tr("Another take of %1").arg(text(line_name(c->name)))
                            : tr("Another take (select a clip)"));
  const bool another = another_take();
  for (QWidget* w : {name_, group_}) w->setVisible(!another);
  if (!another) {
    name_->setPlaceholderText(next_line_name(work_.document.reel()));
    if (group_->text().isEmpty() && takes)
      group_->setText(text(work_.document.reel().group_of(*c).name));
  }
  const ClipId of = another ? c->id : ClipId{};
  const QString shown = another ? text(c->text) : of == text_of_ ? text_->toPlainText() : QString();
  text_of_ = of;
  if (text_->toPlainText() != shown) {
    const QSignalBlocker quiet(text_);
    text_->setPlainText(shown);
  }
}

void RecordStrip::refresh() {
  refresh_inputs();
  refresh_line();
  const bool recording = work_.recording.recording();
  record_->setText(recording ? tr("Stop") : tr("Record"));
  for (QWidget* w : std::initializer_list<QWidget*>{as_, name_, group_, pre_roll_, count_in_})
    w->setEnabled(!recording);
  const auto latency = work_.recording.latency();
  latency_->setText(
      tr(latency.measured ? "%1 ms late" : "some %1 ms late")
          .arg(1000.0 * static_cast<double>(latency.frames) / work_.document.reel().rate, 0, 'f',
               latency.measured ? 1 : 0));
  latency_->setToolTip(latency.measured
                           ? tr("From output to input, as it was measured; takes are put so much "
                                "earlier")
                           : tr("From output to input, as the device tells; Settings, Measure "
                                "finds it out exactly"));
  update();
}

// Made anew only when there are other inputs.
void RecordStrip::refresh_inputs() {
  const auto lanes = work_.recording.lanes();
  input_scroll_->setVisible(!lanes.empty());
  no_input_->setVisible(lanes.empty());
  QString key;
  for (const auto& lane : lanes) key += work_.recording.device_of(lane.front());
  for (const auto& lane : lanes)
    for (const int input : lane) key += QString::number(input) + (input == lane.back() ? ";" : "+");
  if (inputs_->property("shown").toString() == key) return;
  inputs_->setProperty("shown", key);
  while (QLayoutItem* item = input_rows_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  for (size_t i = 0; i < lanes.size(); ++i) {
    const int lane = static_cast<int>(i);
    const QString name = lanes[i].size() > 1
                             ? tr("Inputs %1 and %2").arg(lanes[i][0] + 1).arg(lanes[i][1] + 1)
                             : tr("Input %1").arg(lanes[i][0] + 1);
    const QString device = work_.recording.device_of(lanes[i].front());
    auto* on = new QCheckBox(name, inputs_);
    on->setObjectName(QString("lane_on %1").arg(lane));
    on->setChecked(work_.recording.lane_on(lane));
    const QString tip = tr("Whether it is recorded; each goes to a clip of its own");
    on->setToolTip(device.isEmpty() ? tip : tr("Of %1. %2").arg(device, tip));
    connect(on, &QCheckBox::toggled, this,
            [this, lane](bool yes) { work_.recording.set_lane_on(lane, yes); });
    auto* meter = new InputMeter(tr("Level of %1").arg(name), inputs_);
    meter->setObjectName(QString("lane %1").arg(lane));
    connect(meter, &InputMeter::cleared, this, [this] { work_.recording.clear_clipped(); });
    input_rows_->addWidget(on, lane, 0);
    input_rows_->addWidget(meter, lane, 1);
  }
  input_rows_->setRowStretch(most_inputs, 1);
}

void RecordStrip::live() {
  const auto lanes = work_.recording.lanes();
  for (size_t i = 0; i < lanes.size(); ++i) {
    InputMeter* m = meter(static_cast<int>(i));
    if (!m) continue;
    Recorder::Level all;
    all.silent = true;
    for (const int input : lanes[i]) {
      const auto one = work_.recording.take_level(input);
      all.peak = std::max(all.peak, one.peak);
      all.clipped += one.clipped;
      all.silent = all.silent && one.silent;
    }
    m->show_level(all.peak, all.clipped, all.silent);
  }
  const bool recording = work_.recording.recording();
  const QString told = recording
                           ? tr("Recording %1").arg(text(clock_text(work_.recording.seconds())))
                       : work_.recording.measures_latency() ? tr("Measuring ...")
                       : lanes.empty()                      ? tr("No input")
                                                            : tr("Armed");
  if (told != state_->text()) {
    state_->setText(told);
    state_->setStyleSheet(recording ? "color: " + theme().over.name() : QString());
  }
}

// Plain to see that inputs are open, and that they are recorded.
void RecordStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme().panel);
  const bool recording = work_.recording.recording();
  p.fillRect(QRect(0, 0, recording ? 6 : 3, height()), theme().over);
  p.fillRect(QRect(0, height() - (recording ? 3 : 1), width(), recording ? 3 : 1),
             recording ? theme().over : theme().line);
}

}  // namespace drevan::desktop
