// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/start/start_page.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "work/recent_reels.h"

namespace drevan::desktop {

namespace {

QPushButton* wide_button(const QString& name, const QString& label, const QString& tip,
                         QWidget* parent) {
  auto* b = new QPushButton(label, parent);
  b->setObjectName(name);
  b->setToolTip(tip);
  b->setMinimumWidth(220);
  return b;
}

// Where there is no picture yet: a line, as of silence.
QPixmap blank_picture(QSize size) {
  QPixmap out(size);
  out.fill(theme().panel);
  QPainter p(&out);
  p.setPen(theme().line);
  p.drawLine(0, size.height() / 2, size.width(), size.height() / 2);
  return out;
}

}  // namespace

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
  setObjectName("start");
  setProperty("chapter", tr("From a folder to a finished reel"));
  recent_part_ = new QWidget(this);
  auto* left = new QVBoxLayout(recent_part_);
  left->setContentsMargins(0, 0, 0, 0);
  auto* title = new QLabel(tr("Go on with"), recent_part_);
  title->setObjectName("heading");
  recent_ = new QListWidget(recent_part_);
  recent_->setObjectName("recent");
  recent_->setAccessibleName(tr("Reels that were open last"));
  recent_->setToolTip(tr("Return or a double click opens a reel"));
  recent_->setIconSize({192, 54});
  recent_->setSpacing(3);
  recent_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  recent_->setTextElideMode(Qt::ElideMiddle);
  left->addWidget(title);
  left->addWidget(recent_, 1);
  drop_ = make_drop();
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(48, 32, 48, 40);
  row->setSpacing(36);
  row->addWidget(recent_part_, 10);
  row->addWidget(drop_, 9);
  connect(recent_, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
    Q_EMIT reel_wanted(item->data(Qt::UserRole).toString());
  });
  refresh();
}

QWidget* StartPage::make_drop() {
  auto* part = new QWidget(this);
  auto* box = new QVBoxLayout(part);
  box->setContentsMargins(28, 28, 28, 28);
  box->setSpacing(10);
  auto* title = new QLabel(tr("Drop sounds, films or a folder here"), part);
  title->setObjectName("heading");
  title->setAlignment(Qt::AlignCenter);
  auto* note =
      new QLabel(tr("The folders within a folder become groups.\nYour files are only read, "
                    "never changed."),
                 part);
  note->setObjectName("quiet");
  note->setAlignment(Qt::AlignCenter);
  note->setWordWrap(true);
  box->addStretch(3);
  box->addWidget(title);
  box->addWidget(note);
  box->addSpacing(16);
  auto* files = wide_button("start_files", tr("Add files ..."),
                            tr("Sound files, or films for their sound (Ctrl+I)"), part);
  auto* folder = wide_button("start_folder", tr("Add a folder ..."),
                             tr("All sounds in it and in its folders"), part);
  auto* open = wide_button("start_open", tr("Open a reel ..."),
                           tr("A reel that was saved before (Ctrl+O)"), part);
  auto* record = wide_button("start_record", tr("Record ..."),
                             tr("From a microphone or any other input (Shift+Space)"), part);
  auto* demo =
      wide_button("start_demo", tr("Open the demo reel"),
                  tr("Skerry Light: a keeper, a narrator, a coast station, the sea"), part);
  demo->setVisible(!demo_reel().isEmpty());
  for (auto* b : {files, folder, record, open, demo}) box->addWidget(b, 0, Qt::AlignHCenter);
  box->addStretch(4);
  connect(files, &QPushButton::clicked, this, &StartPage::files_wanted);
  connect(folder, &QPushButton::clicked, this, &StartPage::folder_wanted);
  connect(record, &QPushButton::clicked, this, &StartPage::record_wanted);
  connect(open, &QPushButton::clicked, this, &StartPage::open_wanted);
  connect(demo, &QPushButton::clicked, this, [this] { Q_EMIT reel_wanted(demo_reel()); });
  return part;
}

void StartPage::refresh() {
  recent_->clear();
  for (const auto& file : recent_reels()) {
    const QFileInfo info(file);
    const QPixmap picture = recent_picture(file);
    const QString folder = info.path().length() > 48 ? "... " + info.path().right(46) : info.path();
    QIcon icon;
    for (const auto mode : {QIcon::Normal, QIcon::Selected})
      icon.addPixmap(picture.isNull() ? blank_picture(recent_->iconSize()) : picture, mode);
    auto* item = new QListWidgetItem(icon,
                                     tr("%1\n%2\n%3")
                                         .arg(info.completeBaseName(), folder,
                                              info.lastModified().toString("d MMM yyyy, hh:mm")),
                                     recent_);
    item->setData(Qt::UserRole, file);
    item->setToolTip(file);
  }
  if (recent_->count() > 0) recent_->setCurrentRow(0);
  recent_part_->setVisible(recent_->count() > 0);
}

void StartPage::showEvent(QShowEvent*) {
  refresh();
  if (recent_->count() > 0) recent_->setFocus();
}

void StartPage::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(theme().line, 2, Qt::DashLine));
  p.drawRoundedRect(QRectF(drop_->geometry()).adjusted(1, 1, -1, -1), 12, 12);
}

}  // namespace drevan::desktop
