// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/help_window.h"

#include <QFile>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QScrollBar>
#include <QSplitter>
#include <QTextBlock>
#include <QTextBrowser>
#include <QVBoxLayout>

#include "theme/theme.h"

// Resources of a static library are linked in only when somebody asks for them by name.
static void take_help() { Q_INIT_RESOURCE(help); }

namespace drevan::desktop {

HelpWindow::HelpWindow(QWidget* parent) : QDialog(parent) {
  take_help();
  setObjectName("help");
  setWindowTitle(tr("Drevan, the manual"));
  resize(980, 680);
  search_ = new QLineEdit(this);
  search_->setObjectName("help_search");
  search_->setAccessibleName(tr("Search the manual"));
  search_->setPlaceholderText(tr("Search the manual; Return goes to the next place"));
  contents_ = new QListWidget(this);
  contents_->setAccessibleName(tr("Contents"));
  page_ = new QTextBrowser(this);
  page_->setObjectName("help_page");
  page_->setAccessibleName(tr("The manual"));
  page_->setOpenExternalLinks(true);
  page_->setSearchPaths({":/help"});
  page_->document()->setDocumentMargin(18);
  QFile manual(":/help/manual.md");
  if (manual.open(QIODevice::ReadOnly)) page_->setMarkdown(QString::fromUtf8(manual.readAll()));
  auto* parts = new QSplitter(Qt::Horizontal, this);
  parts->addWidget(contents_);
  parts->addWidget(page_);
  parts->setSizes({230, 750});
  parts->setChildrenCollapsible(false);
  auto* box = new QVBoxLayout(this);
  box->addWidget(search_);
  box->addWidget(parts, 1);
  fill_contents();
  connect(contents_, &QListWidget::currentRowChanged, this, [this](int row) {
    if (row >= 0) show_chapter(contents_->item(row)->data(Qt::UserRole).toString());
  });
  connect(search_, &QLineEdit::returnPressed, this, &HelpWindow::find_next);
  connect(search_, &QLineEdit::textEdited, this, [this] {
    page_->moveCursor(QTextCursor::Start);
    find_next();
  });
}

void HelpWindow::fill_contents() {
  for (auto block = page_->document()->begin(); block.isValid(); block = block.next()) {
    const int level = block.blockFormat().headingLevel();
    if (level < 2) continue;
    auto* item = new QListWidgetItem(QString(level > 2 ? "    " : "") + block.text(), contents_);
    item->setData(Qt::UserRole, block.text());
  }
}

bool HelpWindow::show_chapter(const QString& heading) {
  for (auto block = page_->document()->begin(); block.isValid(); block = block.next()) {
    if (block.blockFormat().headingLevel() == 0 || block.text() != heading) continue;
    QTextCursor cursor(block);
    // At the top of the page, not at its edge.
    page_->moveCursor(QTextCursor::End);
    page_->setTextCursor(cursor);
    page_->verticalScrollBar()->setValue(page_->verticalScrollBar()->value() +
                                         page_->cursorRect().top() - 12);
    return true;
  }
  return false;
}

QString HelpWindow::chapter() const {
  for (auto block = page_->textCursor().block(); block.isValid(); block = block.previous())
    if (block.blockFormat().headingLevel() > 0) return block.text();
  return {};
}

// From the top again behind the last place.
void HelpWindow::find_next() {
  const QString words = search_->text();
  if (words.isEmpty()) return;
  if (page_->find(words)) return;
  page_->moveCursor(QTextCursor::Start);
  const bool found = page_->find(words);
  search_->setToolTip(found ? QString() : tr("The manual does not hold %1").arg(words));
  search_->setStyleSheet(found ? QString() : "color: " + theme().over.name());
}

QString chapter_of(const QWidget* of) {
  for (; of; of = of->parentWidget())
    if (const auto chapter = of->property("chapter").toString(); !chapter.isEmpty()) return chapter;
  return {};
}

}  // namespace drevan::desktop
