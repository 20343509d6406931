// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/recipe_drawer.h"

#include <QComboBox>
#include <QDragEnterEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QUrl>
#include <QVBoxLayout>

#include "audio/error.h"
#include "dialogs/import_sheet.h"
#include "dialogs/keep_sheet.h"
#include "pages/bench/recipe_picture.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/recipe_files.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

RecipeDrawer::RecipeDrawer(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setProperty("chapter", tr("Recipes"));
  setObjectName("recipes");
  setAcceptDrops(true);
  make_controls();
  lay_out();
  connect_all();
  hide();
}

void RecipeDrawer::set_open(bool open) {
  setVisible(open);
  if (!open) return;
  read();
  search_->setFocus();
  search_->selectAll();
}

QList<QUrl> RecipeDrawer::files_of_marked() {
  QList<QUrl> out;
  for (const auto* item : list_->selectedItems()) {
    const LibraryEntry* e = entry_of(item);
    if (!e) continue;
    fs::path file = e->file;
    if (e->own()) {
      file = fs::path(dragged_.path().toStdString()) / (e->recipe.name + ".recipe");
      try {
        save_recipe(e->recipe, file);
      } catch (const Error& error) {
        work_.notices.warn(error);
        continue;
      }
    }
    out << QUrl::fromLocalFile(QString::fromStdString(file.string()));
  }
  return out;
}

void RecipeDrawer::bring_back() {
  if (removed_.empty()) return;
  try {
    std::error_code error;
    // Another recipe may have come to its place meanwhile.
    if (fs::exists(removed_.back().file, error))
      add_to_library(removed_.back().recipe, library_folder());
    else
      save_recipe(removed_.back().recipe, removed_.back().file);
    removed_.pop_back();
  } catch (const Error& e) {
    work_.notices.warn(e);
  }
  read();
}

void RecipeDrawer::read() {
  std::vector<std::string> problems;
  library_ = read_library(library_folder(), &problems);
  for (const auto& problem : problems) work_.notices.warn(QString::fromStdString(problem));
  fill();
}

void RecipeDrawer::fill() {
  const LibraryEntry* before = marked();
  const std::string name = before ? before->recipe.name : "";
  {
    const QSignalBlocker quiet(list_);
    list_->clear();
    for (size_t i = 0; i < library_.size(); ++i) {
      const auto& e = library_[i];
      if (!matches(e.recipe, search_->text().toStdString())) continue;
      QStringList tags;
      for (const auto& tag : e.recipe.tags) tags << QString::fromStdString(tag);
      auto* item = new QListWidgetItem(
          QString::fromStdString(e.recipe.name) + (e.own() ? QString() : tr("   (yours)")), list_);
      item->setData(Qt::UserRole, static_cast<int>(i));
      item->setToolTip(QString::fromStdString(e.recipe.note) +
                       (tags.isEmpty() ? QString() : "\n" + tags.join(", ")));
      if (e.recipe.name == name) list_->setCurrentItem(item);
    }
    if (!list_->currentItem() && list_->count() > 0) list_->setCurrentRow(0);
  }
  show_marked();
}

const LibraryEntry* RecipeDrawer::entry_of(const QListWidgetItem* item) const {
  if (!item) return nullptr;
  const auto i = static_cast<size_t>(item->data(Qt::UserRole).toInt());
  return i < library_.size() ? &library_[i] : nullptr;
}
const LibraryEntry* RecipeDrawer::marked() const { return entry_of(list_->currentItem()); }

void RecipeDrawer::show_marked() {
  const LibraryEntry* e = marked();
  name_->setText(e ? QString::fromStdString(e->recipe.name) : tr("No recipe is found"));
  note_->setText(e ? QString::fromStdString(e->recipe.note) : QString());
  note_->setCursorPosition(0);
  note_->setToolTip(note_->text().isEmpty() ? tr("What the recipe is for") : note_->text());
  QStringList tags, steps;
  if (e) {
    for (const auto& tag : e->recipe.tags) tags << QString::fromStdString(tag);
    for (const auto& s : e->recipe.chain.steps)
      steps << QString("%1 (%2)").arg(
          text(s.type->label),
          s.on ? QString::fromStdString(s.type->brief(s.settings)) : tr("off"));
    if (std::ranges::any_of(e->recipe.chain.steps,
                            [](const ChainStep& s) { return s.type->hears == Hears::room_tone; }))
      steps << tr("needs room tone: each clip's own is used");
  }
  tags_->setText(tags.join(", "));
  tags_->setCursorPosition(0);
  steps_->setText(steps.join(",  "));
  const bool yours = e && !e->own();
  note_->setReadOnly(!yours);
  tags_->setReadOnly(!yours);
  remove_->setEnabled(yours);
  remove_->setToolTip(yours ? tr("Takes the recipe out of the library; Bring back undoes it")
                            : tr("Drevan's own recipes stay"));
  back_->setVisible(!removed_.empty());
  apply_->setEnabled(e && work_.selection.clip());
  picture_->show_recipe(e ? &e->recipe : nullptr);
}

ChainOwner RecipeDrawer::owner() const { return static_cast<ChainOwner>(where_->currentIndex()); }

void RecipeDrawer::preview(const LibraryEntry* entry) {
  if (entry)
    work_.document.preview([&](const Reel& reel) {
      return edits::use_recipe(reel, work_.selection.clip_id(), owner(), entry->recipe,
                               how_->currentIndex() == 1);
    });
  else
    work_.document.end_preview();
}

void RecipeDrawer::apply() {
  const LibraryEntry* e = marked();
  if (!e) return;
  work_.document.change([&](const Reel& reel) {
    return edits::use_recipe(reel, work_.selection.clip_id(), owner(), e->recipe,
                             how_->currentIndex() == 1);
  });
}

void RecipeDrawer::save_chain() {
  const Clip* c = work_.selection.clip();
  if (!c || running_steps(work_.document.reel(), *c).empty()) {
    work_.notices.warn(tr("The clip has no steps to keep."));
    return;
  }
  KeepSheet sheet(work_.document.reel(), *c, this);
  if (sheet.exec() != QDialog::Accepted) return;
  Incoming incoming{sheet.recipe(), "", Incoming::State::fresh};
  const bool there = std::ranges::any_of(
      library_, [&](const LibraryEntry& e) { return e.recipe.name == incoming.recipe.name; });
  if (there) incoming.state = Incoming::State::differs;
  try {
    // A name that is taken gets a number; nothing is written over.
    take_in(incoming, Decision::keep_both, library_folder());
  } catch (const Error& e) {
    work_.notices.warn(e);
  }
  search_->clear();
  read();
}

void RecipeDrawer::keep_words() {
  const LibraryEntry* e = marked();
  if (!e || e->own()) return;
  Recipe next = e->recipe;
  next.note = note_->text().trimmed().toStdString();
  next.tags = tags_of(tags_->text());
  if (next == e->recipe) return;
  try {
    save_recipe(next, e->file);
  } catch (const Error& error) {
    work_.notices.warn(error);
  }
  read();
}

void RecipeDrawer::remove() {
  const LibraryEntry* e = marked();
  if (!e || e->own()) return;
  removed_.push_back(*e);
  std::error_code error;
  fs::remove(e->file, error);
  read();
}

void RecipeDrawer::import(const std::vector<fs::path>& what) {
  work_.notices.tell(tr("Looking at what comes in ..."));
  importer_.enqueue([this, what,
                     library = library_](const CancelToken& cancel) -> TaskLane::Finish {
    return [this, incoming = look_at_incoming(what, library, &cancel)] { take_in_asked(incoming); };
  });
}

void RecipeDrawer::take_in_asked(std::vector<Incoming> incoming) {
  ImportSheet sheet(std::move(incoming), this);
  if (sheet.exec() != QDialog::Accepted) return;
  std::vector<std::string> problems;
  const int taken = take_in(sheet.decisions(), library_folder(), problems);
  for (const auto& problem : problems) work_.notices.warn(QString::fromStdString(problem));
  read();
  work_.notices.tell(tr("%1 taken in").arg(counted(taken, tr("recipe"))));
}

void RecipeDrawer::export_to(const fs::path& file) {
  std::vector<Recipe> out;
  auto items = list_->selectedItems();
  if (items.size() < 2) {
    items.clear();
    for (int i = 0; i < list_->count(); ++i) items << list_->item(i);
  }
  for (const auto* item : items)
    if (const LibraryEntry* e = entry_of(item)) out.push_back(e->recipe);
  try {
    export_zip(out, file);
    work_.notices.tell(tr("%1 in %2")
                           .arg(counted(std::ssize(out), tr("recipe")),
                                QString::fromStdString(file.filename().string())));
  } catch (const Error& e) {
    work_.notices.warn(e);
  }
}

bool RecipeDrawer::eventFilter(QObject* watched, QEvent* e) {
  if (watched == list_->viewport()) {
    if (e->type() == QEvent::MouseMove)
      preview(entry_of(list_->itemAt(static_cast<QMouseEvent*>(e)->position().toPoint())));
    if (e->type() == QEvent::Leave) preview(nullptr);
  }
  if (watched == list_ && e->type() == QEvent::FocusOut) preview(nullptr);
  return QWidget::eventFilter(watched, e);
}

void RecipeDrawer::hideEvent(QHideEvent* e) {
  preview(nullptr);
  QWidget::hideEvent(e);
}

void RecipeDrawer::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape) return set_open(false);
  QWidget::keyPressEvent(e);
}

void RecipeDrawer::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().panel);
  p.drawRoundedRect(QRectF(rect()), 6, 6);
}

void RecipeDrawer::dragEnterEvent(QDragEnterEvent* e) {
  // Its own, on their way out, need not come in.
  if (e->mimeData()->hasUrls() && e->source() != list_) e->acceptProposedAction();
}
void RecipeDrawer::dropEvent(QDropEvent* e) {
  std::vector<fs::path> what;
  for (const auto& url : e->mimeData()->urls())
    if (url.isLocalFile()) what.emplace_back(url.toLocalFile().toStdString());
  e->acceptProposedAction();
  import(what);
}

}  // namespace drevan::desktop
