// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/cut_sheet.h"

#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include "audio/error.h"
#include "audio/time_text.h"
#include "reel/scene/cut_list.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {

Parameter seconds(std::string_view id, std::string_view label, double least, double most,
                  double standard, std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = "s",
          .least = least,
          .most = most,
          .standard = standard,
          .help = help,
          .fixed = true};
}

// In the order of PauseRules.
const std::vector<Parameter>& pause_limits() {
  static const PauseRules standard;
  static const std::vector<Parameter> all{
      seconds("least_pause_s", "Least pause", 0.1, 5, standard.least_pause_s,
              "A pause shorter than this, in seconds, lies within a piece."),
      seconds("least_piece_s", "Least piece", 0.1, 30, standard.least_piece_s,
              "A piece shorter than this, in seconds, goes to its nearer neighbour."),
      {.id = "air_before_ms",
       .label = "Air before",
       .unit = "ms",
       .least = 0,
       .most = 2000,
       .standard = standard.air_before_s * 1000,
       .help = "How much of the pause is kept before the first word, in ms.",
       .fixed = true},
      {.id = "air_after_ms",
       .label = "Air behind",
       .unit = "ms",
       .least = 0,
       .most = 2000,
       .standard = standard.air_after_s * 1000,
       .help = "How much of the pause is kept behind the last word, in ms.",
       .fixed = true},
      {.id = "above_room_db",
       .label = "Above room",
       .unit = "dB",
       .least = 3,
       .most = 30,
       .standard = standard.above_room_db,
       .help = "What is this much louder than the room around it, in dB, is taken for speech.",
       .fixed = true}};
  return all;
}

const Parameter& every_limit() {
  static const Parameter p =
      seconds("every_s", "Every", 0.5, 600, 30, "How long each piece is, in seconds.");
  return p;
}

}  // namespace

CutSheet::CutSheet(const Work& work, ClipId clip, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work), clip_(clip) {
  setObjectName("cut_sheet");
  // What is cut stays as it was when it was heard.
  setWindowModality(Qt::WindowModal);
  setProperty("chapter", tr("From a folder to a finished reel"));
  const Clip* take = this->clip();
  setWindowTitle(tr("Cut %1 into pieces").arg(take ? QString::fromStdString(take->name) : ""));
  resize(940, 520);
  const auto c = &Theme::after;
  at_ = new Segmented({{tr("Pauses"), tr("Where nobody speaks"), c},
                       {tr("Marks"), tr("Cue points that a recorder left in the file"), c},
                       {tr("A list"), tr("Times and names: CSV, SRT or WebVTT"), c},
                       {tr("Every ..."), tr("Pieces of one length"), c}},
                      this);
  at_->setObjectName("cut_at");
  at_->setAccessibleName(tr("Cut at"));
  told_ = new QLabel(this);
  told_->setObjectName("quiet");
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  progress_->setMaximumWidth(180);
  limits_ = new QStackedWidget(this);
  marks_told_ = new QLabel(this);
  marks_told_->setObjectName("quiet");
  marks_told_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  for (QWidget* page :
       {make_limits(), static_cast<QWidget*>(marks_told_), make_list(), make_every()})
    limits_->addWidget(page);
  limits_->setFixedHeight(116);
  view_ = new CutView(this);
  cut_ = new QPushButton(tr("Cut"), this);
  cut_->setObjectName("cut");
  cut_->setDefault(false);
  auto* cancel = new QPushButton(tr("Cancel"), this);
  auto* head = new QHBoxLayout;
  head->addWidget(at_);
  head->addStretch();
  head->addWidget(progress_);
  auto* foot = new QHBoxLayout;
  foot->addWidget(told_, 1);
  foot->addWidget(cancel);
  foot->addWidget(cut_);
  auto* all = new QVBoxLayout(this);
  all->setSpacing(8);
  all->addLayout(head);
  all->addWidget(limits_);
  all->addWidget(view_, 1);
  all->addLayout(foot);

  connect(at_, &Segmented::chosen, this, [this](int i) { cut_at(static_cast<At>(i)); });
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(cut_, &QPushButton::clicked, this, &CutSheet::cut);
  connect(view_, &CutView::pieces_changed, this, &CutSheet::show_count);
  connect(view_, &CutView::piece_wanted, this, [this](double from, double to) {
    work_.selection.select_clip(clip_);
    work_.listening.set_loop(ClipRange{{from}, {to}});
    work_.listening.seek(ClipTime{from});
    work_.listening.player().play();
  });
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) {
    work_.notices.warn(why);
    told_->setText(QString::fromStdString(why.text));
    progress_->hide();
  });
  // The take is another one now, or gone.
  const auto show_take = [this] {
    const Clip* now = this->clip();
    if (!now) return reject();
    const double rate = work_.document.reel().rate;
    const double begin =
        static_cast<double>(now->begin) / work_.document.reel().source_of(*now).rate;
    view_->show_take(work_.shelf.source_peaks(*now), rate, begin, length_s_);
  };
  connect(&work_.shelf, &ShelfMeasurements::peaks_changed, this, show_take);
  timer_ = new QTimer(this);
  timer_->setInterval(30);
  connect(timer_, &QTimer::timeout, this, [this] {
    const bool here = work_.selection.clip_id() == clip_ && work_.listening.player().playing();
    view_->show_playhead(here ? work_.listening.clip_position().s : -1);
  });
  timer_->start();
  connect(this, &QDialog::finished, this, [this] { work_.listening.set_loop(std::nullopt); });
  if (!take) return;
  length_s_ = clip_seconds(work_.document.reel(), *take);
  show_take();
  hear();
  view_->setFocus();
}

const Clip* CutSheet::clip() const { return work_.document.reel().find(clip_); }

QWidget* CutSheet::make_limits() {
  auto* page = new QWidget(this);
  auto* grid = new QGridLayout(page);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(24);
  grid->setVerticalSpacing(2);
  const auto& limits = pause_limits();
  for (size_t i = 0; i < limits.size(); ++i) {
    auto* slider = new ValueSlider(limits[i], page);
    slider->setObjectName(text(limits[i].id));
    sliders_.push_back(slider);
    connect(slider, &ValueSlider::changed, this, [this, slider](double v) {
      slider->show_value(v);
      refresh();
    });
    connect(slider, &ValueSlider::refused, this,
            [this](const QString& why) { work_.notices.warn(why); });
    grid->addWidget(slider, static_cast<int>(i) % 3, static_cast<int>(i) / 3);
  }
  return page;
}

QWidget* CutSheet::make_list() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* row = new QHBoxLayout;
  auto* choose = new QPushButton(tr("Choose the list ..."), page);
  choose->setObjectName("choose_list");
  choose->setToolTip(tr("Lines of begin, end, name; or subtitles, whose text names the pieces"));
  list_name_ = new QLabel(tr("No list is chosen yet."), page);
  list_name_->setObjectName("quiet");
  list_name_->setWordWrap(true);
  row->addWidget(choose);
  row->addStretch();
  box->addLayout(row);
  box->addWidget(list_name_);
  box->addStretch();
  connect(choose, &QPushButton::clicked, this, &CutSheet::choose_list);
  return page;
}

QWidget* CutSheet::make_every() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  every_ = new ValueSlider(every_limit(), page);
  every_->setObjectName("every_s");
  every_->setMaximumWidth(420);
  box->addWidget(every_);
  box->addStretch();
  connect(every_, &ValueSlider::changed, this, [this](double v) {
    every_->show_value(v);
    refresh();
  });
  return page;
}

ValueSlider* CutSheet::limit(std::string_view id) const {
  const auto at =
      std::ranges::find_if(sliders_, [&](const ValueSlider* s) { return s->parameter().id == id; });
  return at == sliders_.end() ? nullptr : *at;
}

PauseRules CutSheet::rules() const {
  return {.least_pause_s = sliders_[0]->value(),
          .least_piece_s = sliders_[1]->value(),
          .air_before_s = sliders_[2]->value() / 1000,
          .air_after_s = sliders_[3]->value() / 1000,
          .above_room_db = sliders_[4]->value()};
}

// Once; from then on other limits cost nothing.
void CutSheet::hear() {
  told_->setText(tr("Listening to the take ..."));
  lane_.start([this, sound = clip_sound(work_.document.reel(), *clip())](
                  const CancelToken& cancel) -> TaskLane::Finish {
    const auto marks = cue_points(sound);
    const auto heard = std::make_shared<HeardTake>(hear_take(sound, cancel, [&](double share) {
      lane_.post(cancel, [this, share] { progress_->setValue(static_cast<int>(share * 1000)); });
    }));
    return [this, heard, marks] {
      heard_ = std::move(*heard);
      marks_ = marks;
      progress_->hide();
      marks_told_->setText(
          marks_.empty() ? tr("This file has no marks.")
                         : tr("The file has %1.").arg(counted(std::ssize(marks_), tr("mark"))));
      refresh();
    };
  });
}

void CutSheet::cut_at(At at) {
  at_->set_current(static_cast<int>(at));
  limits_->setCurrentIndex(static_cast<int>(at));
  refresh();
}

void CutSheet::refresh() {
  std::vector<edits::Piece> pieces;
  switch (static_cast<At>(at_->current())) {
    case At::pauses:
      if (!heard_) return view_->set_pieces({});
      pieces = heard_->at_pauses(rules());
      break;
    case At::marks:
      pieces = pieces_between(marks_, length_s_);
      break;
    case At::list:
      pieces = list_;
      break;
    case At::every:
      pieces = pieces_every(every_->value(), length_s_);
      break;
  }
  view_->set_pieces(std::move(pieces));
  show_count();
}

void CutSheet::show_count() {
  const auto& pieces = view_->pieces();
  double kept = 0;
  for (const auto& p : pieces) kept += p.range.end.s - p.range.begin.s;
  cut_->setEnabled(!pieces.empty());
  cut_->setText(pieces.empty() ? tr("Cut")
                               : tr("Cut into %1").arg(counted(std::ssize(pieces), tr("piece"))));
  told_->setText(pieces.empty() ? tr("There is nothing to cut yet.")
                                : tr("%1, %2 in all; %3 are left out")
                                      .arg(counted(std::ssize(pieces), tr("piece")),
                                           QString::fromStdString(length_text(kept)),
                                           QString::fromStdString(
                                               length_text(std::max(0.0, length_s_ - kept)))));
}

void CutSheet::choose_list() {
  const auto file = QFileDialog::getOpenFileName(
      this, tr("Cut by a list"), {}, tr("Lists of times (*.csv *.txt *.srt *.vtt);;All files (*)"));
  if (!file.isEmpty()) use_list(file);
}

void CutSheet::use_list(const QString& file) {
  try {
    auto pieces = pieces_from_file(file.toStdString());
    const auto all = std::ssize(pieces);
    std::erase_if(pieces, [&](const edits::Piece& p) {
      return p.range.begin.s > length_s_ - edits::least_piece_s;
    });
    for (auto& p : pieces) p.range.end.s = std::min(p.range.end.s, length_s_);
    const auto beyond = all - std::ssize(pieces);
    list_ = std::move(pieces);
    list_name_->setText(beyond > 0 ? tr("%1: %2 lie behind the take's end and are left out")
                                         .arg(file, counted(beyond, tr("line")))
                                   : file);
  } catch (const Error& e) {
    list_.clear();
    list_name_->setText(QString::fromUtf8(e.what()));
    work_.notices.warn(QString::fromUtf8(e.what()));
  }
  refresh();
}

void CutSheet::cut() {
  work_.jobs.cut_into(clip_, view_->pieces());
  accept();
}

}  // namespace drevan::desktop
