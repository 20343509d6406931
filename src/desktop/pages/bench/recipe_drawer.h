// SPDX-License-Identifier: GPL-3.0-or-later
// The library of recipes, beside the chain it previews: found by words, seen by what they do, heard
// before they are used.
#pragma once

#include <QTemporaryDir>
#include <QWidget>

#include "reel/library/library.h"
#include "reel/reel.h"
#include "work/task_lane.h"
#include "work/work.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QListWidgetItem;
class QMenu;
class QPushButton;
class QToolButton;

namespace drevan::desktop {

class RecipePicture;

class RecipeDrawer : public QWidget {
  Q_OBJECT

 public:
  explicit RecipeDrawer(const Work& work, QWidget* parent = nullptr);

  /// Opens, with the keyboard in the search; or closes.
  void set_open(bool open);
  void read();
  QListWidget& list() { return *list_; }
  RecipePicture& picture() { return *picture_; }
  /// Looks at these in the background, then asks what to do with them and takes them in.
  void import(const std::vector<std::filesystem::path>& what);
  /// The marked recipes, or all that are listed, in one zip.
  void export_to(const std::filesystem::path& file);
  /// A file for each marked recipe, for dragging out; Drevan's own are written to a temporary
  /// folder.
  QList<QUrl> files_of_marked();

 protected:
  void hideEvent(QHideEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void paintEvent(QPaintEvent* e) override;
  bool eventFilter(QObject* watched, QEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;

 private:
  void make_controls();
  void lay_out();
  void connect_all();
  QMenu* make_menu();
  void fill();
  const LibraryEntry* marked() const;
  const LibraryEntry* entry_of(const QListWidgetItem* item) const;
  void show_marked();
  void preview(const LibraryEntry* entry);
  void apply();
  void save_chain();
  void keep_words();
  void remove();
  void bring_back();
  void take_in_asked(std::vector<Incoming> incoming);
  ChainOwner owner() const;

  const Work& work_;
  std::vector<LibraryEntry> library_;
  std::vector<LibraryEntry> removed_;  // for bringing back
  QTemporaryDir dragged_;
  QLineEdit *search_, *tags_, *note_;
  QListWidget* list_;
  QLabel *name_, *steps_;
  RecipePicture* picture_;
  QComboBox *where_, *how_;
  QPushButton *apply_, *keep_, *remove_, *back_;
  QToolButton *menu_, *close_;
  TaskLane importer_;
};

}  // namespace drevan::desktop
