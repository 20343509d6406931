// The library of recipes: found by words, seen by what they do, heard before they are used.
#pragma once

#include <QDialog>
#include <map>

#include "reel/library.h"
#include "engine/level_path.h"
#include "work/task_lane.h"
#include "work/work.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QListWidgetItem;
class QPushButton;

namespace drevan::desktop {

/// Where the user's recipes lie: $XDG_DATA_HOME/drevan/recipes.
std::filesystem::path library_folder();

/// A chain's level path in small, over the reference voice.
class RecipePicture : public QWidget {
 public:
  explicit RecipePicture(const Work& work, QWidget* parent = nullptr);
  void show_recipe(const Recipe* recipe);
  bool shown() const { return !stages_.empty(); }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  const Work& work_;
  Chain chain_;
  std::vector<Levels> stages_;
  LevelStore levels_;
  TaskLane lane_{TaskLane::Urgency::background};
};

class RecipesDialog : public QDialog {
  Q_OBJECT

 public:
  explicit RecipesDialog(const Work& work, QWidget* parent = nullptr);

  void read();
  QListWidget& list() { return *list_; }
  RecipePicture& picture() { return *picture_; }
  /// Looks at these in the background, then asks what to do with them and takes them in.
  void import(const std::vector<std::filesystem::path>& what);
  /// The marked recipes, or all that are listed, in one zip.
  void export_to(const std::filesystem::path& file);

 protected:
  void closeEvent(QCloseEvent* e) override;
  bool eventFilter(QObject* watched, QEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;

 private:
  void fill();
  const LibraryEntry* marked() const;
  const LibraryEntry* entry_of(const QListWidgetItem* item) const;
  void show_marked();
  void preview(const LibraryEntry* entry);
  void apply();
  void save_chain();
  void keep_words();
  void remove();
  void take_in_asked(std::vector<Incoming> incoming);
  ChainOwner owner() const;

  const Work& work_;
  std::vector<LibraryEntry> library_;
  std::vector<LibraryEntry> removed_;  // for bringing back
  QLineEdit *search_, *tags_, *note_;
  QListWidget* list_;
  QLabel *name_, *steps_;
  RecipePicture* picture_;
  QComboBox *where_, *how_;
  QPushButton *apply_, *remove_, *back_;
  TaskLane importer_;
};

}  // namespace drevan::desktop
