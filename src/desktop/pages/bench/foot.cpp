// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/foot.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include "audio/time_text.h"
#include "steps/line/loudspeaker_device.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr int narrowest = 800;
constexpr double load_shown_from = 0.7;
}  // namespace

Foot::Foot(const Work& work, Of of, QWidget* parent)
    : QWidget(parent),
      work_(work),
      shows_(of),
      programme_(2, work.document.reel().rate),
      heard_(8192) {
  setFixedHeight(46);
  // Narrower than all of it together: then what is read second goes.
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  setMinimumWidth(narrowest);
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
  record_ = new QToolButton(this);
  record_->setText(tr("Record"));
  record_->setObjectName("foot_record");
  record_->setToolTip(tr("Open the inputs; then record, or stop (Shift+Space)"));
  time_ = new QLabel("0:00.00", this);
  time_->setFont(heading_font());
  time_->setFixedWidth(82);
  time_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  of_ = new QLabel(this);
  of_->setObjectName("quiet");
  of_->setFixedWidth(96);
  device_ = new QLabel(this);
  device_->setObjectName("message");
  compare_ =
      new Segmented({{tr("Before"), tr("The clip untouched (1)"), &Theme::before},
                     {tr("After"), tr("Through the whole chain (2)"), &Theme::after},
                     {tr("Removed"), tr("Only what the chain takes away (3)"), &Theme::removed}},
                    this);
  compare_->setObjectName("compare");
  compare_->setAccessibleName(tr("Listen to"));
  compare_->set_current(1);
  matched_ = new QCheckBox(tr("level matched"), this);
  matched_->setObjectName("matched");
  matched_->setChecked(true);
  matched_->setToolTip(
      tr("Brings before to the measured loudness of after, so that the louder one is not "
         "taken for the better one; removed then leaves out plain gain"));
  solo_ = new QCheckBox(tr("this step only"), this);
  solo_->setObjectName("solo_step");
  solo_->setToolTip(tr(
      "Before is what enters the selected step, after what leaves it, removed what it takes (4); "
      "otherwise the whole chain is compared"));
  auto* ticks = new QVBoxLayout;
  ticks->setSpacing(0);
  ticks->setContentsMargins(0, 0, 0, 0);
  for (QCheckBox* c : {matched_, solo_}) {
    c->setFont(small_font());
    ticks->addWidget(c);
  }
  if (shows_ == Of::scene) {
    // The whole has no one step, and its before no loudness to be matched.
    matched_->setChecked(false);
    matched_->hide();
    solo_->hide();
    loop_->setToolTip(tr("Play the marked clips, or all, round and round (L)"));
    compare_->setToolTip(tr("All clips untouched, through everything, or what that takes away"));
  }
  loudness_ = new LoudnessReadout(this);
  meter_ = new Meter(this);
  for (QWidget* w : std::initializer_list<QWidget*>{play_, loop_, record_, time_, of_, device_})
    row->addWidget(w);
  row->addStretch(1);
  row->addWidget(compare_);
  row->addSpacing(8);
  row->addLayout(ticks);
  row->addStretch(1);
  row->addWidget(loudness_);
  row->addWidget(meter_);

  connect(play_, &QToolButton::clicked, this, &Foot::toggle_play);
  connect(loop_, &QToolButton::toggled, this, &Foot::loop_changed);
  connect(record_, &QToolButton::clicked, this, &Foot::record_wanted);
  connect(compare_, &Segmented::chosen, this, [this](int i) { listen(static_cast<Listen>(i)); });
  connect(matched_, &QCheckBox::toggled, this, [this](bool on) {
    work_.listening.player().set_matched(on);
    begin_loudness();
    Q_EMIT matched_changed(on);
  });
  connect(solo_, &QCheckBox::toggled, &work_.listening, &Listening::set_solo_step);
  connect(loudness_, &LoudnessReadout::cleared, this, &Foot::begin_loudness);
  connect(&work_.selection, &Selection::clip_changed, this, &Foot::begin_loudness);
  connect(meter_, &Meter::cleared, this, [this] { work_.listening.player().clear_over(); });
}

void Foot::resizeEvent(QResizeEvent*) {
  loudness_->setVisible(width() >= 1140);
  of_->setVisible(width() >= 900);
}

void Foot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme().raised);
}

void Foot::set_solo_step(bool on) { solo_->setChecked(on); }
bool Foot::matched() const { return matched_->isChecked(); }

// A mono clip is measured as one channel, as in the level path and in every file.
void Foot::begin_loudness() {
  const Clip* clip = work_.selection.clip();
  const bool mono =
      shows_ == Of::clip && clip && work_.document.reel().source_of(*clip).channels == 1;
  programme_ = ProgrammeMeter(mono ? 1 : 2, work_.document.reel().rate);
  loudness_->show_readings({});
}

void Foot::hear_loudness() {
  const bool playing = work_.listening.player().playing();
  if (playing && !was_playing_) begin_loudness();
  was_playing_ = playing;
  size_t n = work_.listening.player().heard().read(heard_);
  if (n == 0) return;
  Q_EMIT heard(std::span(heard_).first(n));
  if (programme_.channels() == 1) {
    n /= 2;
    for (size_t i = 0; i < n; ++i) heard_[i] = heard_[2 * i];
  }
  programme_.hear(std::span(heard_).first(n));
  // Ten times a second is as often as numbers can be read.
  if (since_readings_.isValid() && since_readings_.elapsed() < 100) return;
  since_readings_.start();
  loudness_->show_readings(programme_.readings());
}

bool Foot::looping() const { return loop_->isChecked(); }

void Foot::toggle_play() {
  Player& player = work_.listening.player();
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
  begin_loudness();
  work_.listening.player().set_listen(what);
  if (const auto why = work_.listening.no_removed(); what == Listen::removed && !why.isEmpty())
    work_.notices.warn(why);
}

void Foot::live() {
  Player& player = work_.listening.player();
  play_->setText(player.playing() ? tr("Pause") : tr("Play"));
  time_->setText(
      QString::fromStdString(clock_text(shows_ == Of::scene ? work_.listening.reel_position().s
                                                            : work_.listening.clip_position().s)));
  double all_s = work_.selection.clip_seconds();
  if (shows_ == Of::scene) all_s = std::max(work_.films.end_s(), work_.scene.end_s());
  of_->setText(tr("of %1").arg(QString::fromStdString(clock_text(all_s))));
  meter_->show_peaks(player.take_peaks(), player.over());
  hear_loudness();
  show_device();
  if (const auto problem = player.take_error(); !problem.empty()) work_.notices.warn(problem);
}

// What one must know of how it is heard; above all when it soon cannot go on.
void Foot::show_device() {
  Player& player = work_.listening.player();
  const Player::Load load = player.load();
  if (load.share > load_shown_from) {
    const Clip* dearest = work_.document.reel().find(load.dearest);
    if (dearest) work_.scene.keep(load.dearest);
    device_->setText(tr("load %1 %").arg(100 * load.share, 0, 'f', 0));
    const ChainStep* step =
        dearest ? find_step(work_.document.reel(), *dearest, load.step) : nullptr;
    device_->setToolTip(
        (step ? tr("The dearest step is %1. ").arg(text(step->type->label)) : QString()) +
        (dearest ? tr("Most of it is %1; unless it is the selected one, its steps are run "
                      "beforehand. ")
                       .arg(text(dearest->name))
                 : QString()) +
        tr("At 100 % sound would drop out: print what is dear (Ctrl+P on the Bench), or choose a "
           "larger buffer under Listen, Sound settings."));
    return;
  }
  const bool silent = player.silent();
  const int on = work_.listening.listens_on();
  const QString heard_on =
      on < 0 ? QString()
             : tr("as on: %1").arg(text(speaker_devices()[static_cast<size_t>(on)].label));
  device_->setText(silent ? tr("silent") : heard_on);
  device_->setToolTip(
      !silent && on >= 0
          ? tr("Only heard so, never rendered. Listen, Hear as on, Nothing puts it back.")
      : silent ? tr("No sound device was found, so playing is silent; meters and pictures still "
                    "move. Connect one, or choose one under Listen, Sound settings.")
               : QString());
}

}  // namespace drevan::desktop
