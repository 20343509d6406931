// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/blind_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QRandomGenerator>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/selection.h"

namespace drevan::desktop {

BlindDialog::BlindDialog(const Work& work, std::optional<ClipRange> loop, unsigned seed,
                         QWidget* parent)
    : ReelSheet(work.document, parent), work_(work), test_(seed) {
  setWindowTitle(tr("Blind comparison"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(22, 18, 22, 18);
  box->setSpacing(12);
  title_ = new QLabel(this);
  title_->setObjectName("heading");
  state_ = new QLabel(this);
  state_->setWordWrap(true);
  state_->setMinimumWidth(420);
  box->addWidget(title_);
  box->addWidget(state_);
  auto* listen = new QHBoxLayout;
  const QString names[] = {tr("A: before"), tr("B: after"), tr("X: hidden")};
  for (int i = 0; i < 3; ++i) {
    hear_[i] = new QPushButton(names[i], this);
    hear_[i]->setCheckable(true);
    hear_[i]->setShortcut(QKeySequence(QString("ABX").mid(i, 1)));
    hear_[i]->setToolTip(tr("Listen to it (%1)").arg(QString("ABX").mid(i, 1)));
    connect(hear_[i], &QPushButton::clicked, this, [this, i] { hear(i); });
    listen->addWidget(hear_[i]);
  }
  box->addLayout(listen);
  auto* answers = new QHBoxLayout;
  is_before_ = new QPushButton(tr("X is before"), this);
  is_before_->setObjectName("is_before");
  is_after_ = new QPushButton(tr("X is after"), this);
  is_after_->setObjectName("is_after");
  again_ = new QPushButton(tr("Once more"), this);
  answers->addWidget(is_before_);
  answers->addWidget(is_after_);
  answers->addWidget(again_);
  box->addLayout(answers);
  connect(is_before_, &QPushButton::clicked, this, [this] { answer(false); });
  connect(is_after_, &QPushButton::clicked, this, [this] { answer(true); });
  connect(again_, &QPushButton::clicked, this, [this] {
    test_ = BlindTest(QRandomGenerator::global()->generate());
    hear(2);
    show_state();
  });
  Player& player = work_.listening.player();
  player.set_matched(true);  // or the louder one would give itself away
  work_.listening.set_loop(loop.value_or(ClipRange{{0}, {work_.selection.clip_seconds()}}));
  hear(2);
  hear_[2]->setFocus();
  if (!player.playing()) player.play();
  show_state();
}

void BlindDialog::hear(int which) {
  heard_ = which;
  for (int i = 0; i < 3; ++i) hear_[i]->setChecked(i == which);
  const bool after = which == 1 || (which == 2 && !test_.finished() && test_.hidden_is_after());
  work_.listening.player().set_listen(after ? Listen::after : Listen::before);
}

void BlindDialog::answer(bool after) {
  test_.answer(after);
  if (!test_.finished()) hear(2);
  show_state();
}

QString BlindDialog::result() const {
  if (!test_.finished()) return {};
  const double chance = chance_of(test_.right(), BlindTest::trials);
  const QString score = tr("%1 of %2 right.").arg(test_.right()).arg(BlindTest::trials);
  const QString odds = tr("By guessing alone that happens in %1 % of all tries")
                           .arg(100 * chance, 0, 'f', chance < 0.1 ? 1 : 0);
  return chance < 0.05 ? tr("%1 %2: you do hear a difference.").arg(score, odds)
                       : tr("%1 %2: this does not beat chance.").arg(score, odds);
}

void BlindDialog::show_state() {
  const bool done = test_.finished();
  title_->setText(done ? tr("The score")
                       : tr("Trial %1 of %2").arg(test_.trial() + 1).arg(BlindTest::trials));
  const QString what =
      work_.listening.solo_step() ? tr("the selected step") : tr("the whole chain");
  state_->setText(done ? result()
                       : tr("Before and after %1 at one loudness. X is one of the two, hidden anew "
                            "in every trial: listen as often as you "
                            "like, then say which it is.")
                             .arg(what));
  is_before_->setVisible(!done);
  is_after_->setVisible(!done);
  again_->setVisible(done);
  hear_[2]->setEnabled(!done);
  if (done && heard_ == 2) hear(1);
}

}  // namespace drevan::desktop
