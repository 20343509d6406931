#include "dialogs/recipes_dialog.h"

#include <QComboBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "audio/error.h"
#include "engine/reference_voice.h"
#include "dialogs/import_sheet.h"
#include "dialogs/keep_sheet.h"
#include "theme/theme.h"
#include "widgets/level_bar.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

fs::path library_folder() {
  return fs::path(
             QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString()) /
         "drevan" / "recipes";
}

// --- the picture ---

RecipePicture::RecipePicture(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setMinimumHeight(150);
  setAccessibleName(tr("What the recipe does to a reference voice"));
  setToolTip(tr("A reference voice in a room: noise floor, loudness and peak after each step"));
}

void RecipePicture::show_recipe(const Recipe* recipe) {
  stages_.clear();
  chain_ = recipe ? recipe->chain : Chain{};
  std::erase_if(chain_.steps, [](const ChainStep& step) { return !step.on; });
  update();
  if (!recipe) return lane_.cancel();
  lane_.start([this, chain = chain_](const CancelToken& cancel) -> TaskLane::Finish {
    try {
      const auto sound = reference_voice(peak_cache_folder().parent_path());
      LevelPathOptions options;
      options.store = &work_.measurements.findings();
      options.levels = &levels_;
      options.cancel = &cancel;
      const auto stages = measure_level_path(plan_of(sound, chain), options).stages;
      return [this, stages] {
        stages_ = stages;
        update();
      };
    } catch (const Error&) {
      return {};  // no cache folder: no picture
    }
  });
}

void RecipePicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  draw_panel(p, QRectF(rect()));
  if (stages_.empty()) return;
  const QRectF plot = QRectF(rect()).adjusted(34, 10, -10, -26);
  const auto y = [&](double db) {
    return plot.top() + (3 - std::clamp(db, -75.0, 3.0)) / 78 * plot.height();
  };
  p.setFont(small_font());
  for (int db = 0; db >= -60; db -= 20) {
    p.setPen(QPen(faded(t.line, 0.6), 1));
    p.drawLine(QPointF(plot.left(), y(db)), QPointF(plot.right(), y(db)));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y(db) - 8, 28, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(db));
  }
  const double each = std::min(96.0, plot.width() / static_cast<double>(stages_.size()));
  for (size_t i = 0; i < stages_.size(); ++i) {
    const double x = plot.left() + each * (static_cast<double>(i) + 0.5);
    draw_level_bar(p, stages_[i], x, y, i == 0);
    p.setPen(i == 0 ? t.quiet : t.text);
    const QString label = i == 0 ? tr("voice") : text(chain_.steps[i - 1].type->label);
    p.drawText(QRectF(x - each / 2, plot.bottom() + 5, each, 16), Qt::AlignCenter,
               p.fontMetrics().elidedText(label, Qt::ElideRight, static_cast<int>(each - 3)));
  }
}

// --- the library ---

RecipesDialog::RecipesDialog(const Work& work, QWidget* parent) : QDialog(parent), work_(work) {
  setProperty("chapter", tr("Recipes"));
  setWindowTitle(tr("Recipes"));
  setObjectName("recipes");
  setAcceptDrops(true);
  resize(860, 500);
  search_ = new QLineEdit(this);
  search_->setObjectName("search");
  search_->setPlaceholderText(tr("Search name, note, tag or step"));
  search_->setAccessibleName(tr("Search recipes"));
  search_->setToolTip(tr("By name, note, tag or step"));
  search_->setClearButtonEnabled(true);
  list_ = new QListWidget(this);
  list_->setAccessibleName(tr("Recipes"));
  list_->setToolTip(tr(
      "The pointer over a recipe lets the level path and what plays show it, before it is used"));
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  list_->setMouseTracking(true);
  list_->viewport()->installEventFilter(this);
  name_ = new QLabel(this);
  name_->setObjectName("heading");
  note_ = new QLineEdit(this);
  note_->setAccessibleName(tr("Note"));
  note_->setToolTip(tr("What the recipe is for"));
  note_->setPlaceholderText(tr("Note"));
  tags_ = new QLineEdit(this);
  tags_->setAccessibleName(tr("Tags"));
  tags_->setToolTip(tr("Words to find it by, with commas between"));
  tags_->setPlaceholderText(tr("Tags, with commas between"));
  steps_ = new QLabel(this);
  steps_->setWordWrap(true);
  steps_->setObjectName("quiet");
  picture_ = new RecipePicture(work, this);
  where_ = new QComboBox(this);
  where_->addItems({tr("for this clip"), tr("for its group"), tr("for the whole reel")});
  where_->setAccessibleName(tr("Where the recipe is used"));
  where_->setToolTip(tr("Which of the three chains gets its steps"));
  how_ = new QComboBox(this);
  how_->addItems({tr("in place of the steps there"), tr("after the steps there")});
  how_->setAccessibleName(tr("How the recipe is used"));
  how_->setToolTip(tr("Whether the steps that are there stay"));
  apply_ = new QPushButton(tr("Use"), this);
  apply_->setObjectName("primary");
  auto* keep = new QPushButton(tr("Keep the clip's steps ..."), this);
  keep->setObjectName("keep");
  keep->setToolTip(
      tr("Makes a recipe of the selected clip's steps, or of some of them; its group's and the "
         "reel's, too"));
  auto* in = new QPushButton(tr("Import ..."), this);
  auto* in_folder = new QPushButton(tr("Import a folder ..."), this);
  auto* out = new QPushButton(tr("Export ..."), this);
  out->setToolTip(tr(
      "Writes the marked recipes when several are marked, else all that are listed, as one zip"));
  remove_ = new QPushButton(tr("Remove"), this);
  back_ = new QPushButton(tr("Bring back"), this);
  back_->setToolTip(tr("Undoes the last Remove"));

  auto* left = new QVBoxLayout;
  left->addWidget(search_);
  left->addWidget(list_, 1);
  auto* left_row = new QHBoxLayout;
  for (auto* b : {in, in_folder, out}) left_row->addWidget(b);
  left->addLayout(left_row);
  auto* right = new QVBoxLayout;
  right->addWidget(name_);
  right->addWidget(note_);
  right->addWidget(tags_);
  right->addWidget(picture_, 1);
  right->addWidget(steps_);
  auto* use = new QHBoxLayout;
  use->addWidget(where_);
  use->addWidget(how_, 1);
  use->addWidget(apply_);
  right->addLayout(use);
  auto* right_row = new QHBoxLayout;
  right_row->addWidget(keep);
  right_row->addStretch();
  right_row->addWidget(remove_);
  right_row->addWidget(back_);
  right->addLayout(right_row);
  auto* box = new QHBoxLayout(this);
  box->addLayout(left, 4);
  box->addSpacing(8);
  box->addLayout(right, 6);

  connect(search_, &QLineEdit::textChanged, this, &RecipesDialog::fill);
  connect(list_, &QListWidget::currentRowChanged, this, &RecipesDialog::show_marked);
  connect(list_, &QListWidget::itemDoubleClicked, this, &RecipesDialog::apply);
  connect(note_, &QLineEdit::editingFinished, this, &RecipesDialog::keep_words);
  connect(tags_, &QLineEdit::editingFinished, this, &RecipesDialog::keep_words);
  connect(apply_, &QPushButton::clicked, this, &RecipesDialog::apply);
  connect(keep, &QPushButton::clicked, this, &RecipesDialog::save_chain);
  connect(remove_, &QPushButton::clicked, this, &RecipesDialog::remove);
  connect(back_, &QPushButton::clicked, this, [this] {
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
      work_.notices.warn(QString::fromUtf8(e.what()));
    }
    read();
  });
  connect(in, &QPushButton::clicked, this, [this] {
    const auto files = QFileDialog::getOpenFileNames(this, tr("Import recipes"), {},
                                                     tr("Recipes and zips (*.recipe *.zip)"));
    std::vector<fs::path> what;
    for (const auto& f : files) what.emplace_back(f.toStdString());
    if (!what.empty()) import(what);
  });
  connect(in_folder, &QPushButton::clicked, this, [this] {
    const auto folder = QFileDialog::getExistingDirectory(this, tr("Import a folder of recipes"));
    if (!folder.isEmpty()) import({folder.toStdString()});
  });
  connect(out, &QPushButton::clicked, this, [this] {
    auto file =
        QFileDialog::getSaveFileName(this, tr("Export recipes"), "recipes.zip", tr("Zips (*.zip)"));
    if (!file.isEmpty()) export_to((file.endsWith(".zip") ? file : file + ".zip").toStdString());
  });
  connect(&importer_, &TaskLane::failed, this,
          [this](const QString& why) { work_.notices.warn(why); });
  read();
}

void RecipesDialog::read() {
  std::vector<std::string> problems;
  library_ = read_library(library_folder(), &problems);
  for (const auto& problem : problems)
    work_.notices.warn(QString::fromStdString(problem));
  fill();
}

void RecipesDialog::fill() {
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

const LibraryEntry* RecipesDialog::entry_of(const QListWidgetItem* item) const {
  if (!item) return nullptr;
  const auto i = static_cast<size_t>(item->data(Qt::UserRole).toInt());
  return i < library_.size() ? &library_[i] : nullptr;
}
const LibraryEntry* RecipesDialog::marked() const { return entry_of(list_->currentItem()); }

void RecipesDialog::show_marked() {
  const LibraryEntry* e = marked();
  name_->setText(e ? QString::fromStdString(e->recipe.name) : tr("No recipe is found"));
  note_->setText(e ? QString::fromStdString(e->recipe.note) : QString());
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

ChainOwner RecipesDialog::owner() const { return static_cast<ChainOwner>(where_->currentIndex()); }

void RecipesDialog::preview(const LibraryEntry* entry) {
  if (entry)
    work_.document.preview([&](const Reel& reel) {
      return edits::use_recipe(reel, work_.selection.clip_id(), owner(), entry->recipe,
                               how_->currentIndex() == 1);
    });
  else
    work_.document.end_preview();
}

void RecipesDialog::apply() {
  const LibraryEntry* e = marked();
  if (!e) return;
  work_.document.change([&](const Reel& reel) {
    return edits::use_recipe(reel, work_.selection.clip_id(), owner(), e->recipe,
                             how_->currentIndex() == 1);
  });
}

void RecipesDialog::save_chain() {
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
    work_.notices.warn(QString::fromUtf8(e.what()));
  }
  search_->clear();
  read();
}

void RecipesDialog::keep_words() {
  const LibraryEntry* e = marked();
  if (!e || e->own()) return;
  Recipe next = e->recipe;
  next.note = note_->text().trimmed().toStdString();
  next.tags = tags_of(tags_->text());
  if (next == e->recipe) return;
  try {
    save_recipe(next, e->file);
  } catch (const Error& error) {
    work_.notices.warn(QString::fromUtf8(error.what()));
  }
  read();
}

void RecipesDialog::remove() {
  const LibraryEntry* e = marked();
  if (!e || e->own()) return;
  removed_.push_back(*e);
  std::error_code error;
  fs::remove(e->file, error);
  read();
}

void RecipesDialog::import(const std::vector<fs::path>& what) {
  work_.notices.tell(tr("Looking at what comes in ..."));
  importer_.enqueue([this, what,
                     library = library_](const CancelToken& cancel) -> TaskLane::Finish {
    return [this, incoming = look_at_incoming(what, library, &cancel)] { take_in_asked(incoming); };
  });
}

void RecipesDialog::take_in_asked(std::vector<Incoming> incoming) {
  ImportSheet sheet(std::move(incoming), this);
  if (sheet.exec() != QDialog::Accepted) return;
  std::vector<std::string> problems;
  const int taken = take_in(sheet.decisions(), library_folder(), problems);
  for (const auto& problem : problems)
    work_.notices.warn(QString::fromStdString(problem));
  read();
  work_.notices.tell(tr("%1 taken in").arg(counted(taken, tr("recipe"))));
}

void RecipesDialog::export_to(const fs::path& file) {
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
    work_.notices.warn(QString::fromUtf8(e.what()));
  }
}

bool RecipesDialog::eventFilter(QObject* watched, QEvent* e) {
  if (watched == list_->viewport()) {
    if (e->type() == QEvent::MouseMove)
      preview(entry_of(list_->itemAt(static_cast<QMouseEvent*>(e)->position().toPoint())));
    if (e->type() == QEvent::Leave) preview(nullptr);
  }
  return QDialog::eventFilter(watched, e);
}

void RecipesDialog::closeEvent(QCloseEvent* e) {
  preview(nullptr);
  QDialog::closeEvent(e);
}

void RecipesDialog::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void RecipesDialog::dropEvent(QDropEvent* e) {
  std::vector<fs::path> what;
  for (const auto& url : e->mimeData()->urls())
    if (url.isLocalFile()) what.emplace_back(url.toLocalFile().toStdString());
  e->acceptProposedAction();
  import(what);
}

}  // namespace drevan::desktop
