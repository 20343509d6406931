// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/bench.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QRandomGenerator>
#include <QScrollArea>
#include <QScrollBar>
#include <QSettings>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <cmath>

#include "audio/time_text.h"
#include "engine/listening/range_levels.h"
#include "dialogs/blind_dialog.h"
#include "pages/bench/recipe_drawer.h"
#include "dialogs/target_menu.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
QToolButton* head_button(const QString& label, const QString& tip, QWidget* parent) {
  auto* b = new QToolButton(parent);
  b->setText(label);
  b->setToolTip(tip);
  return b;
}
}  // namespace

Bench::Bench(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  shelf_ = new Shelf(work, this);
  search_ = new QLineEdit(this);
  search_->setObjectName("search");
  search_->setAccessibleName(tr("Search the shelf"));
  search_->setPlaceholderText(tr("Search clips and groups"));
  search_->setToolTip(tr("Shows only clips whose name or group holds these words (Ctrl+F)"));
  search_->setClearButtonEnabled(true);
  connect(search_, &QLineEdit::textChanged, shelf_, &Shelf::set_filter);
  connect(search_, &QLineEdit::returnPressed, shelf_, qOverload<>(&QWidget::setFocus));
  scope_ = new Scope(work, this);
  path_ = new LevelPathView(work, this);
  lane_ = new CurveLane(work, *scope_, this);
  editor_ = new StepEditor(work, *lane_, this);
  foot_ = new Foot(work, Foot::Of::clip, this);
  advice_ = new AdviceLine(work, this);

  name_ = new QLabel(this);
  name_->setObjectName("heading");
  facts_ = new QLabel(this);
  facts_->setObjectName("quiet");
  // In a narrow window they are cut off, they do not widen it.
  name_->setMinimumWidth(60);
  facts_->setMinimumWidth(20);
  mark_ = head_button(tr("Mark room tone"),
                      tr("Then drag over half a second or more where only the room is heard; "
                         "with a selection, the selection is taken (R)"),
                      this);
  mark_->setCheckable(true);
  find_ = head_button(tr("Find room tone"),
                      tr("Looks for the quietest stretch without speech (Shift+R)"), this);
  find_->setObjectName("find_room_tone");
  clear_ = head_button(tr("Clear"), tr("Forgets the room tone"), this);

  face_ = new Segmented({{tr("Waveform"), tr("Level over time (S)"), &Theme::text},
                         {tr("Spectrogram"), tr("Frequencies over time (S)"), &Theme::text}},
                        this);
  face_->setAccessibleName(tr("Scope shows"));
  shows_ = new Segmented(
      {{tr("Both"), tr("Before over after"), &Theme::after},
       {tr("After"), tr("What leaves the chain, or the step"), &Theme::after},
       {tr("Removed"), tr("What is taken away: there should be no words in it"), &Theme::removed}},
      this);
  shows_->setAccessibleName(tr("Spectrogram of"));
  shows_->hide();
  auto* head = new QHBoxLayout;
  head->setContentsMargins(2, 0, 0, 0);
  head->addWidget(name_);
  head->addSpacing(10);
  head->addWidget(facts_);
  head->addSpacing(14);
  head->addWidget(face_);
  head->addWidget(shows_);
  head->addStretch();
  for (QWidget* w : std::initializer_list<QWidget*>{mark_, find_, clear_}) head->addWidget(w);
  scroll_ = new QScrollBar(Qt::Horizontal, this);
  auto* top = new QWidget(this);
  auto* top_box = new QVBoxLayout(top);
  top_box->setContentsMargins(0, 4, 0, 0);
  top_box->setSpacing(3);
  top_box->addLayout(head);
  top_box->addWidget(scope_, 1);
  top_box->addWidget(lane_);
  top_box->addWidget(scroll_);

  auto* path_title = new QLabel(tr("Level path"), this);
  path_title->setFont(bold_font());
  auto* path_note = new QLabel(tr("what each step does to peak, loudness and noise floor"), this);
  path_note->setObjectName("quiet");
  path_note->setMinimumWidth(20);
  auto* path_head = new QHBoxLayout;
  path_head->setContentsMargins(2, 0, 0, 0);
  path_head->addWidget(path_title);
  path_head->addSpacing(10);
  path_head->addWidget(path_note);
  path_head->addStretch();
  target_ = head_button(QString(),
                        tr("What the reel is delivered by: its limits are drawn in the level path, "
                           "and the shelf and the "
                           "batch judge by them"),
                        this);
  target_->setObjectName("target");
  target_->setPopupMode(QToolButton::InstantPopup);
  target_->setMenu(new QMenu(target_));
  meet_ = head_button(
      tr("Meet the target"),
      tr("Sets or adds the one step that makes this clip comply, and says what it did (Ctrl+T)"),
      this);
  meet_->setObjectName("meet");
  path_head->addWidget(target_);
  path_head->addWidget(meet_);
  fill_target_menu(*target_->menu(), work_, this);
  connect(meet_, &QToolButton::clicked, &work_.jobs, &Jobs::meet_target);
  connect(&work_.document, &Document::target_changed, this, &Bench::show_target);
  show_target();
  auto* area = new QScrollArea(this);
  area->setWidget(path_);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setMinimumHeight(80);
  auto* middle = new QWidget(this);
  auto* middle_box = new QVBoxLayout(middle);
  middle_box->setContentsMargins(0, 2, 0, 0);
  middle_box->setSpacing(4);
  middle_box->addLayout(path_head);
  middle_box->addWidget(area, 1);
  middle_box->addWidget(advice_);

  // Where F1 turns to.
  setProperty("chapter", tr("The Bench: one clip"));
  shelf_->setProperty("chapter", tr("From a folder to a finished reel"));
  for (QWidget* w : std::initializer_list<QWidget*>{path_, editor_, lane_})
    w->setProperty("chapter", tr("The steps"));

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
  auto* left = new QWidget(this);
  auto* left_box = new QVBoxLayout(left);
  left_box->setContentsMargins(8, 6, 0, 0);
  left_box->setSpacing(4);
  left_box->addWidget(search_);
  left_box->addWidget(shelf_, 1);
  sides->addWidget(left);
  sides->addWidget(parts);
  recipes_ = new RecipeDrawer(work_, this);
  sides->addWidget(recipes_);
  sides->setSizes({236, 1032, 300});
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
  connect(find_, &QToolButton::clicked, &work_.jobs, &Jobs::find_room_tone);
  connect(clear_, &QToolButton::clicked, this, [this] {
    work_.document.change([&](const Reel& reel) {
      return edits::set_room_tone(reel, work_.selection.clip_id(), std::nullopt);
    });
  });
  connect(face_, &Segmented::chosen, this, [this](int i) { show_spectrogram(i == 1); });
  connect(shows_, &Segmented::chosen, this, [this](int i) {
    scope_->spectrogram().set_show(static_cast<ScopeSpectrogram::Show>(i));
  });
  connect(advice_, &AdviceLine::place_wanted, this, [this](double s) {
    scope_->show_range(s - 1, 2);
    work_.listening.seek(ClipTime{s});
    scope_->show_playhead(s);
  });
  connect(scope_, &Scope::playhead_set, this, [this](double s) {
    work_.listening.seek(ClipTime{s});
    scope_->show_playhead(s);
  });
  connect(scope_, &Scope::selection_changed, this, &Bench::apply_loop);
  connect(scope_, &Scope::view_changed, this, &Bench::show_view);
  connect(scope_, &Scope::view_changed, lane_, qOverload<>(&CurveLane::update));
  connect(scope_, &Scope::trim_wanted, &work_.jobs, &Jobs::trim);
  connect(scroll_, &QScrollBar::valueChanged, this,
          [this](int v) { scope_->show_range(v / 1000.0, scope_->view_length()); });
  connect(foot_, &Foot::loop_changed, this, &Bench::apply_loop);
  connect(foot_, &Foot::matched_changed, this,
          [this](bool on) { scope_->spectrogram().set_matched(on); });
  connect(shelf_, &Shelf::context_wanted, this, &Bench::context_wanted);
  connect(shelf_, &Shelf::group_context_wanted, this, &Bench::group_context_wanted);
  connect(&work_.selection, &Selection::clip_changed, this, &Bench::show_clip);
  connect(&work_.document, &Document::reel_changed, this, &Bench::show_clip);
  connect(&foot_->meter(), &Meter::next_place_wanted, this, &Bench::next_over);
  connect(&work_.measurements, &Measurements::levels_changed, this, &Bench::find_overs);
  timer_ = new QTimer(this);
  timer_->setInterval(16);
  connect(timer_, &QTimer::timeout, this, &Bench::live);
  timer_->start();
  auto& spectrogram = scope_->spectrogram();
  spectrogram.set_range(spectrogram.top_db(),
                        QSettings().value("scope/range_db", spectrogram.range_db()).toDouble());
  show_spectrogram(QSettings().value("scope/spectrogram", false).toBool());
  show_clip();
}

void Bench::search() {
  search_->setFocus();
  search_->selectAll();
}

void Bench::show_target() {
  const auto& t = work_.document.target();
  target_->setText(tr("Target: %1").arg(t ? QString::fromStdString(t->label) : tr("none")));
  meet_->setVisible(t.has_value());
}

void Bench::show_spectrogram(bool on) {
  face_->set_current(on ? 1 : 0);
  shows_->setVisible(on);
  scope_->spectrogram().set_on(on);
  QSettings().setValue("scope/spectrogram", on);
}

void Bench::widen_spectrogram(double by_db) {
  auto& s = scope_->spectrogram();
  s.set_range(s.top_db(), s.range_db() + by_db);
  QSettings().setValue("scope/range_db", s.range_db());
}

void Bench::compare_blind() {
  if (!work_.listening.plan()) return;
  auto* dialog =
      new BlindDialog(work_, scope_->selection(), QRandomGenerator::global()->generate(), this);
  dialog->setModal(true);
  // What was listened to before, and how, comes back.
  connect(dialog, &QDialog::finished, this, [this] {
    Player& player = work_.listening.player();
    player.pause();
    player.set_listen(static_cast<Listen>(foot_->compare().current()));
    player.set_matched(foot_->matched());
    apply_loop();
  });
  dialog->show();
}

void Bench::find_overs() {
  overs_s_.clear();
  if (const LevelPath* path = work_.measurements.levels(); path && path->after) {
    const double rate = work_.document.reel().rate;
    for (const auto& place : overs_of(*path->after, rate))
      overs_s_.push_back(
          path->sounds.back().from_clip.in_of(static_cast<double>(place.begin) / rate));
    std::ranges::sort(overs_s_);
  }
  foot_->meter().show_places(static_cast<int>(overs_s_.size()));
}

void Bench::next_over() {
  if (overs_s_.empty())
    return work_.notices.tell(tr("Nothing of this clip passes 0 dBFS behind its chain."));
  const double here = work_.listening.clip_position().s + 0.001;
  auto next = std::ranges::upper_bound(overs_s_, here);
  if (next == overs_s_.end()) next = overs_s_.begin();
  if (scope_->view_length() > 4)
    scope_->show_range(*next - 1, 2);
  else
    scope_->show_range(*next - scope_->view_length() / 2, scope_->view_length());
  work_.listening.seek(ClipTime{*next});
  scope_->show_playhead(*next);
  work_.notices.tell(tr("Place %1 of %2 that passes 0 dBFS")
                         .arg(next - overs_s_.begin() + 1)
                         .arg(overs_s_.size()));
}

void Bench::mark_room_tone() {
  if (const auto selection = scope_->selection()) {
    mark_->setChecked(false);
    scope_->set_marking(false);
    scope_->select(std::nullopt);
    work_.document.change([&](const Reel& reel) {
      return edits::set_room_tone(reel, work_.selection.clip_id(), selection);
    });
    return;
  }
  mark_->setChecked(!mark_->isChecked());
  scope_->set_marking(mark_->isChecked());
}

void Bench::show_clip() {
  const Clip* c = work_.selection.clip();
  name_->setText(c ? QString::fromStdString(c->name) : tr("No clip"));
  // What it is called is read before how long it is.
  constexpr int least_name = 60, most_name = 180;
  name_->setMinimumWidth(std::clamp(name_->sizeHint().width(), least_name, most_name));
  for (QWidget* w : std::initializer_list<QWidget*>{mark_, find_}) {
    w->setEnabled(c != nullptr);
    w->setVisible(!c || !is_bus(*c));
  }
  clear_->setVisible(c && c->room_tone);
  if (!c) return facts_->clear();
  const auto& s = work_.document.reel().source_of(*c);
  const QString channels = s.channels == 1   ? tr("mono")
                           : s.channels == 2 ? tr("stereo")
                                             : tr("%1 channels").arg(s.channels);
  if (is_bus(*c) && c->id != mix_clip_id)
    return facts_->setText(
        tr("%1  %2  what is fed into the space")
            .arg(QString::fromStdString(length_text(work_.selection.clip_seconds())), channels));
  if (is_bus(*c))
    return facts_->setText(
        tr("%1  %2  sum of %3")
            .arg(QString::fromStdString(length_text(work_.selection.clip_seconds())), channels,
                 counted(std::ssize(work_.document.reel().clips), tr("clip"))));
  const ClipId lender = work_.document.reel().group_of(*c).room_tone_clip;
  const Clip* other =
      !c->room_tone && lender != c->id ? work_.document.reel().find(lender) : nullptr;
  const QString tone =
      lends_room_tone(work_.document.reel(), *c) ? tr("  its room tone serves the group")
      : other && other->room_tone ? tr("  room tone of %1").arg(QString::fromStdString(other->name))
                                  : QString();
  facts_->setText(tr("%1  %2  %3 kHz")
                      .arg(QString::fromStdString(length_text(work_.selection.clip_seconds())),
                           channels, QString::number(s.rate / 1000)) +
                  tone);
}

void Bench::show_view() {
  const QSignalBlocker quiet(scroll_);
  const auto ms = [](double s) { return static_cast<int>(std::lround(s * 1000)); };
  const ClipRange most = scope_->limits();
  const int page = ms(scope_->view_length());
  scroll_->setRange(ms(most.begin.s), std::max(ms(most.begin.s), ms(most.end.s) - page));
  scroll_->setPageStep(page);
  scroll_->setSingleStep(std::max(1, page / 20));
  scroll_->setValue(ms(scope_->view_begin()));
}

void Bench::apply_loop() {
  if (!foot_->looping()) return work_.listening.set_loop(std::nullopt);
  work_.listening.set_loop(
      scope_->selection().value_or(ClipRange{{0}, {work_.selection.clip_seconds()}}));
}

void Bench::live() {
  if (!isVisible()) return;
  const double at = work_.listening.clip_position().s;
  scope_->show_playhead(at);
  lane_->show_playhead(at);
  editor_->show_playhead(at);
  foot_->live();
  const bool playing = work_.listening.player().playing();
  // Once more after the end, so that the pictures come to rest.
  if (playing || was_playing_) editor_->live();
  was_playing_ = playing;
}

}  // namespace drevan::desktop
