// SPDX-License-Identifier: GPL-3.0-or-later
// The drawer's controls: made, laid out and connected.
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>

#include "pages/bench/recipe_drawer.h"
#include "pages/bench/recipe_picture.h"
#include "theme/theme.h"
#include "widgets/show_folder.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/recipe_files.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {

// Its recipes can be dragged out as files.
class RecipeList : public QListWidget {
 public:
  RecipeList(RecipeDrawer& drawer) : QListWidget(&drawer), drawer_(drawer) {
    setDragEnabled(true);
    setDragDropMode(QAbstractItemView::DragOnly);
  }

 protected:
  QMimeData* mimeData(const QList<QListWidgetItem*>&) const override {
    auto* files = new QMimeData;
    files->setUrls(drawer_.files_of_marked());
    return files;
  }
  Qt::DropActions supportedDropActions() const override { return Qt::CopyAction; }

 private:
  RecipeDrawer& drawer_;
};

}  // namespace

void RecipeDrawer::make_controls() {
  search_ = new QLineEdit(this);
  search_->setObjectName("search_recipes");
  search_->setPlaceholderText(tr("Search name, note, tag or step"));
  search_->setAccessibleName(tr("Search recipes"));
  search_->setToolTip(tr("By name, note, tag or step"));
  search_->setClearButtonEnabled(true);
  list_ = new RecipeList(*this);
  list_->setAccessibleName(tr("Recipes"));
  list_->setToolTip(
      tr("The pointer over a recipe lets the level path and what plays show it, before it is used; "
         "dragged out, it is a file to send"));
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  list_->setMouseTracking(true);
  list_->setContextMenuPolicy(Qt::CustomContextMenu);
  list_->viewport()->installEventFilter(this);
  list_->installEventFilter(this);
  name_ = new QLabel(this);
  name_->setObjectName("heading");
  name_->setMinimumWidth(20);
  note_ = new QLineEdit(this);
  note_->setAccessibleName(tr("Note"));
  note_->setPlaceholderText(tr("Note"));
  note_->setToolTip(tr("What the recipe is for"));
  tags_ = new QLineEdit(this);
  tags_->setAccessibleName(tr("Tags"));
  tags_->setToolTip(tr("Words to find it by, with commas between"));
  tags_->setPlaceholderText(tr("Tags, with commas between"));
  steps_ = new QLabel(this);
  steps_->setWordWrap(true);
  steps_->setObjectName("quiet");
  picture_ = new RecipePicture(work_, this);
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
  apply_->setToolTip(tr("Puts the recipe's steps into the chain that is chosen beside it"));
  keep_ = new QPushButton(tr("Keep the clip's steps ..."), this);
  keep_->setObjectName("keep");
  keep_->setToolTip(
      tr("Makes a recipe of the selected clip's steps, or of some of them; its group's and the "
         "reel's, too"));
  remove_ = new QPushButton(tr("Remove"), this);
  remove_->setToolTip(tr("Takes the recipe out of the library; Bring back undoes it"));
  back_ = new QPushButton(tr("Bring back"), this);
  back_->setToolTip(tr("Undoes the last Remove"));
  menu_ = new QToolButton(this);
  menu_->setText(tr("Files"));
  menu_->setToolTip(tr("Import, export, the folder the recipes lie in"));
  menu_->setPopupMode(QToolButton::InstantPopup);
  menu_->setMenu(make_menu());
  close_ = new QToolButton(this);
  close_->setObjectName("close");
  close_->setText(tr("Close"));
  close_->setToolTip(tr("Closes the drawer (Esc, Ctrl+R)"));
}

void RecipeDrawer::lay_out() {
  auto* title = new QLabel(tr("Recipes"), this);
  title->setFont(bold_font());
  auto* head = new QHBoxLayout;
  head->addWidget(title);
  head->addStretch();
  head->addWidget(menu_);
  head->addWidget(close_);
  auto* use = new QHBoxLayout;
  use->addWidget(how_, 1);
  use->addWidget(apply_);
  auto* own = new QHBoxLayout;
  own->addWidget(keep_, 1);
  own->addWidget(remove_);
  own->addWidget(back_);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(10, 8, 10, 10);
  all->setSpacing(5);
  all->addLayout(head);
  all->addWidget(search_);
  all->addWidget(list_, 3);
  all->addWidget(name_);
  all->addWidget(note_);
  all->addWidget(tags_);
  all->addWidget(picture_, 2);
  all->addWidget(steps_);
  all->addWidget(where_);
  all->addLayout(use);
  all->addLayout(own);
  list_->setMinimumHeight(60);
  for (QWidget* w : std::initializer_list<QWidget*>{where_, how_, apply_, keep_, remove_, back_})
    w->setMinimumWidth(56);
}

void RecipeDrawer::connect_all() {
  connect(search_, &QLineEdit::textChanged, this, &RecipeDrawer::fill);
  connect(list_, &QListWidget::currentRowChanged, this, &RecipeDrawer::show_marked);
  // One that the arrows come to is heard and drawn, as one under the pointer is.
  connect(list_, &QListWidget::currentRowChanged, this, [this] {
    if (list_->hasFocus()) preview(marked());
  });
  connect(list_, &QListWidget::itemDoubleClicked, this, &RecipeDrawer::apply);
  connect(list_, &QListWidget::customContextMenuRequested, this,
          [this](const QPoint& at) { menu_->menu()->popup(list_->viewport()->mapToGlobal(at)); });
  connect(note_, &QLineEdit::editingFinished, this, &RecipeDrawer::keep_words);
  connect(tags_, &QLineEdit::editingFinished, this, &RecipeDrawer::keep_words);
  connect(apply_, &QPushButton::clicked, this, &RecipeDrawer::apply);
  connect(keep_, &QPushButton::clicked, this, &RecipeDrawer::save_chain);
  connect(remove_, &QPushButton::clicked, this, &RecipeDrawer::remove);
  connect(back_, &QPushButton::clicked, this, &RecipeDrawer::bring_back);
  connect(close_, &QToolButton::clicked, this, [this] { set_open(false); });
  connect(&work_.selection, &Selection::clip_changed, this,
          [this] { apply_->setEnabled(marked() && work_.selection.clip()); });
  connect(&importer_, &TaskLane::failed, this,
          [this](const Problem& why) { work_.notices.warn(why); });
}

QMenu* RecipeDrawer::make_menu() {
  auto* menu = new QMenu(this);
  const auto entry = [&](const QString& name, std::function<void()> run) {
    connect(menu->addAction(name), &QAction::triggered, this, std::move(run));
  };
  entry(tr("Import ..."), [this] {
    const auto files = QFileDialog::getOpenFileNames(this, tr("Import recipes"), {},
                                                     tr("Recipes and zips (*.recipe *.zip)"));
    std::vector<fs::path> what;
    for (const auto& f : files) what.emplace_back(f.toStdString());
    if (!what.empty()) import(what);
  });
  entry(tr("Import a folder ..."), [this] {
    const auto folder = QFileDialog::getExistingDirectory(this, tr("Import a folder of recipes"));
    if (!folder.isEmpty()) import({folder.toStdString()});
  });
  entry(tr("Export the marked, or all that are listed ..."), [this] {
    auto file =
        QFileDialog::getSaveFileName(this, tr("Export recipes"), "recipes.zip", tr("Zips (*.zip)"));
    if (!file.isEmpty()) export_to((file.endsWith(".zip") ? file : file + ".zip").toStdString());
  });
  menu->addSeparator();
  entry(tr("Open the folder of my recipes"), [this] {
    std::error_code error;
    fs::create_directories(library_folder(), error);
    show_folder(work_.notices, library_folder());
  });
  return menu;
}

}  // namespace drevan::desktop
