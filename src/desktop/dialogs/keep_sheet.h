// Steps of a clip, its group and the reel that are to become a recipe: which of them, and under what name.
#pragma once

#include <QDialog>

#include "reel/reel.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace drevan::desktop {

class KeepSheet : public QDialog {
  Q_OBJECT

 public:
  /// Ticked at first: the clip's own steps, or all when it has none.
  KeepSheet(const Reel& reel, const Clip& clip, QWidget* parent = nullptr);
  /// The ticked steps, in the order the sound flows.
  Recipe recipe() const;

 private:
  void judge();

  std::vector<ChainStep> steps_;  // of the list's rows
  QLineEdit *name_, *note_, *tags_;
  QListWidget* list_;
  QLabel* told_;
  QPushButton* keep_;
};

}  // namespace drevan::desktop
