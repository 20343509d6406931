#include "bench/advice_line.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>

#include "theme/theme.h"

namespace drevan::desktop {

AdviceLine::AdviceLine(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
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
  connect(&workspace_, &Workspace::tone_judged, this, &AdviceLine::refresh);
  connect(dismiss_, &QToolButton::clicked, this, &AdviceLine::dismiss);
  connect(&workspace_, &Workspace::reel_changed, this, &AdviceLine::refresh);
  connect(&workspace_, &Workspace::clip_changed, this, &AdviceLine::refresh);
  connect(&workspace_, &Workspace::levels_changed, this, &AdviceLine::refresh);
  refresh();
}

void AdviceLine::refresh() {
  shown_.reset();
  if (const Clip* clip = workspace_.clip()) {
    const Reel& reel = workspace_.reel();
    const auto any_on = [](const Chain& c) { return std::ranges::any_of(c.steps, &ChainStep::on); };
    // A group's or the reel's steps come later and may set the level in the end.
    const bool more = any_on(reel.groups[static_cast<size_t>(clip->group)].chain) || any_on(reel.chain);
    const LevelPath* levels = workspace_.levels_fresh() ? workspace_.levels() : nullptr;
    for (auto& advice : advise(clip->chain, levels, reel.rate, workspace_.tone())) {
      if (dismissed_.contains({clip->id, advice.rule}) || (more && advice.rule == "no-final-level")) continue;
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
  if (advice.room_tone) return workspace_.set_room_tone(advice.room_tone);
  workspace_.set_chain(advice.mended, QString::fromStdString(advice.action));
}

void AdviceLine::dismiss() {
  if (shown_) dismissed_.insert({workspace_.clip_id(), shown_->rule});
  refresh();
}

}  // namespace drevan::desktop
