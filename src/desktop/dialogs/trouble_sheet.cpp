// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/trouble_sheet.h"

#include <QClipboard>
#include <QDialogButtonBox>
#include <QGuiApplication>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "work/remedies.h"

namespace drevan::desktop {

TroubleSheet::TroubleSheet(const QList<Trouble>& troubles, QWidget* parent)
    : QDialog(parent), troubles_(troubles) {
  setWindowTitle(tr("What went wrong"));
  setObjectName("trouble");
  setProperty("chapter", tr("When something goes wrong"));
  resize(560, 320);
  message_ = new QLabel(this);
  message_->setWordWrap(true);
  message_->setFont(bold_font());
  message_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
  message_->setFocusPolicy(Qt::StrongFocus);
  message_->setAccessibleName(tr("Message"));
  message_->setToolTip(tr("Can be marked and copied"));
  what_to_do_ = new QLabel(this);
  what_to_do_->setWordWrap(true);
  what_to_do_->setObjectName("what_to_do");
  list_ = new QListWidget(this);
  list_->setAccessibleName(tr("Messages of this session"));
  list_->setToolTip(tr("What went wrong in this session, the newest on top"));
  for (auto at = troubles_.rbegin(); at != troubles_.rend(); ++at)
    list_->addItem(at->when.toString("HH:mm:ss   ") + QString::fromStdString(at->what.text));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
  auto* manual = buttons->addButton(tr("In the manual"), QDialogButtonBox::ActionRole);
  manual->setToolTip(tr("Opens the manual where more is said of it"));
  auto* copy = buttons->addButton(tr("Copy"), QDialogButtonBox::ActionRole);
  copy->setToolTip(tr("The message as text, to send to somebody who can help"));
  auto* all = new QVBoxLayout(this);
  all->setSpacing(10);
  all->addWidget(message_);
  all->addWidget(what_to_do_);
  all->addWidget(list_, 1);
  all->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  connect(manual, &QPushButton::clicked, this, [this] { Q_EMIT chapter_wanted(chapter_); });
  connect(copy, &QPushButton::clicked, this,
          [this] { QGuiApplication::clipboard()->setText(message_->text()); });
  connect(list_, &QListWidget::currentRowChanged, this, &TroubleSheet::show_one);
  list_->setCurrentRow(0);
}

void TroubleSheet::show_one(int row) {
  if (row < 0) return;
  const auto& one = troubles_[troubles_.size() - 1 - row];
  const Remedy remedy = remedy_for(one.what.cause);
  message_->setText(QString::fromStdString(one.what.text));
  what_to_do_->setText(remedy.what_to_do);
  chapter_ = remedy.chapter;
}

}  // namespace drevan::desktop
