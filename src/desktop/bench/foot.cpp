#include "bench/foot.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>

#include "audio/time_text.h"
#include "theme/theme.h"

namespace drevan::desktop {

Foot::Foot(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
  setFixedHeight(46);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(14, 0, 16, 0);
  row->setSpacing(8);
  play_ = new QToolButton(this);
  play_->setText(tr("Play"));
  play_->setObjectName("play");
  play_->setFixedWidth(70);
  play_->setFont(bold_font());
  play_->setToolTip(tr("Play or pause (Space)"));
  loop_ = new QToolButton(this);
  loop_->setText(tr("Loop"));
  loop_->setObjectName("loop");
  loop_->setCheckable(true);
  loop_->setToolTip(tr("Play the selection, or the whole clip, round and round (L)"));
  time_ = new QLabel("0:00.00", this);
  time_->setFont(heading_font());
  time_->setFixedWidth(82);
  time_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  of_ = new QLabel(this);
  of_->setObjectName("quiet");
  of_->setFixedWidth(96);
  device_ = new QLabel(this);
  device_->setObjectName("message");
  const Theme& t = theme();
  compare_ = new Segmented({{tr("Before"), tr("The clip untouched (1)"), t.before},
                            {tr("After"), tr("Through the whole chain (2)"), t.after},
                            {tr("Removed"), tr("Only what the chain takes away (3)"), t.removed}},
                           this);
  compare_->setObjectName("compare");
  compare_->setAccessibleName(tr("Listen to"));
  compare_->set_current(1);
  matched_ = new QCheckBox(tr("level matched"), this);
  matched_->setObjectName("matched");
  matched_->setChecked(true);
  matched_->setToolTip(tr("Brings before to the measured loudness of after, so that the louder one is not "
                          "taken for the better one; removed then leaves out plain gain"));
  meter_ = new Meter(this);
  for (QWidget* w : std::initializer_list<QWidget*>{play_, loop_, time_, of_, device_}) row->addWidget(w);
  row->addStretch(1);
  row->addWidget(compare_);
  row->addSpacing(8);
  row->addWidget(matched_);
  row->addStretch(1);
  row->addWidget(meter_);

  connect(play_, &QToolButton::clicked, this, &Foot::toggle_play);
  connect(loop_, &QToolButton::toggled, this, &Foot::loop_changed);
  connect(compare_, &Segmented::chosen, this, [this](int i) { workspace_.player().set_listen(static_cast<Listen>(i)); });
  connect(matched_, &QCheckBox::toggled, this, [this](bool on) { workspace_.player().set_matched(on); });
  connect(meter_, &Meter::cleared, this, [this] { workspace_.player().clear_over(); });
}

void Foot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme().raised);
}

bool Foot::looping() const { return loop_->isChecked(); }

void Foot::toggle_play() {
  Player& player = workspace_.player();
  if (player.playing()) {
    player.pause();
  } else {
    player.set_listen(static_cast<Listen>(compare_->current()));
    player.set_matched(matched_->isChecked());
    player.play();
  }
  live();
}

void Foot::listen(Listen what) {
  compare_->set_current(static_cast<int>(what));
  workspace_.player().set_listen(what);
}

void Foot::live() {
  Player& player = workspace_.player();
  play_->setText(player.playing() ? tr("Pause") : tr("Play"));
  const double rate = workspace_.reel().rate;
  time_->setText(QString::fromStdString(clock_text(static_cast<double>(player.position()) / rate)));
  of_->setText(tr("of %1").arg(QString::fromStdString(clock_text(workspace_.clip_seconds()))));
  meter_->show_peaks(player.take_peaks(), player.over());
  const bool silent = player.device().simulated();
  device_->setText(silent ? tr("no sound device") : QString());
  device_->setToolTip(silent ? tr("No sound device was found, so playing is silent; meters and pictures still "
                                  "move. Connect one and start Drevan again.")
                             : QString());
  if (const auto problem = player.take_error(); !problem.empty())
    Q_EMIT workspace_.message(QString::fromStdString(problem), true);
}

}  // namespace drevan::desktop
