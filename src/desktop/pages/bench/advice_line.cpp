// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/advice_line.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>

#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

AdviceLine::AdviceLine(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(10, 0, 4, 0);
  row->setSpacing(6);
  reason_ = new QLabel(this);
  reason_->setObjectName("message");
  reason_->setMinimumWidth(10);
  reason_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  show_ = new QToolButton(this);
  show_->setText(tr("Show it"));
  show_->setToolTip(tr("Goes to the place in the scope"));
  action_ = new QToolButton(this);
  action_->setObjectName("advice_action");
  action_->setToolTip(tr("Does what is advised; undo takes it back"));
  dismiss_ = new QToolButton(this);
  dismiss_->setText(tr("Leave it"));
  dismiss_->setToolTip(tr("Says no more of this for this clip"));
  row->addWidget(reason_, 1);
  row->addWidget(show_);
  row->addWidget(action_);
  row->addWidget(dismiss_);
  setFixedHeight(26);
  connect(action_, &QToolButton::clicked, this, &AdviceLine::take);
  connect(show_, &QToolButton::clicked, this, [this] {
    if (shown_ && shown_->at_s) Q_EMIT place_wanted(*shown_->at_s);
  });
  connect(&work_.measurements, &Measurements::tone_judged, this, &AdviceLine::refresh);
  connect(dismiss_, &QToolButton::clicked, this, &AdviceLine::dismiss);
  connect(&work_.document, &Document::reel_changed, this, &AdviceLine::refresh);
  connect(&work_.selection, &Selection::clip_changed, this, &AdviceLine::refresh);
  connect(&work_.measurements, &Measurements::levels_changed, this, &AdviceLine::refresh);
  refresh();
}

void AdviceLine::refresh() {
  shown_.reset();
  if (const Clip* clip = work_.selection.clip()) {
    const LevelPath* levels =
        work_.measurements.levels_fresh() ? work_.measurements.levels() : nullptr;
    const auto& target = work_.document.target();
    for (auto& advice : advise_clip(work_.document.reel(), *clip, levels, work_.measurements.tone(),
                                    target ? peak_limit(*target) : std::nullopt)) {
      if (dismissed_.contains({clip->id, advice.rule})) continue;
      shown_ = std::move(advice);
      break;
    }
  }
  // The line keeps its place, so that nothing jumps when it falls silent.
  dismiss_->setVisible(shown_.has_value());
  action_->setVisible(shown_ && !shown_->action.empty());
  show_->setVisible(shown_ && shown_->at_s);
  const auto reason = shown_ ? QString::fromStdString(shown_->reason) : QString();
  reason_->setText(reason);
  reason_->setToolTip(reason);
  if (shown_) action_->setText(QString::fromStdString(shown_->action));
}

void AdviceLine::take() {
  if (!shown_) return;
  const Advice advice = *shown_;
  work_.document.change([&, clip = work_.selection.clip_id()](const Reel& reel) {
    return advice.room_tone ? edits::set_room_tone(reel, clip, advice.room_tone)
                            : edits::set_chain(reel, clip, advice.mended, advice.action);
  });
}

void AdviceLine::dismiss() {
  if (shown_) dismissed_.insert({work_.selection.clip_id(), shown_->rule});
  refresh();
}

}  // namespace drevan::desktop
