// SPDX-License-Identifier: GPL-3.0-or-later
// Steps of a clip, its group and the reel that are to become a recipe: which of them, which of
// their settings and curves, and under what name.
#pragma once

#include <QDialog>

#include "reel/reel.h"

class QLabel;
class QLineEdit;
class QPushButton;
class QTreeWidget;
class QTreeWidgetItem;

namespace drevan::desktop {

class KeepSheet : public QDialog {
  Q_OBJECT

 public:
  /// Ticked at first: the clip's own steps, or all when it has none, with all they are set to.
  KeepSheet(const Reel& reel, const Clip& clip, QWidget* parent = nullptr);
  /// The ticked steps, in the order the sound flows. Of a step what is not ticked has its standard
  /// value, or stands still.
  Recipe recipe() const;

 private:
  void add_step(const ChainStep& step, const QString& where, bool ticked);
  void show_steps(const Reel& reel, const Clip& clip);
  ChainStep ticked(int row) const;
  void judge();

  std::vector<ChainStep> steps_;  // of the list's rows
  QLineEdit *name_, *note_, *tags_;
  QTreeWidget* list_;
  QLabel* told_;
  QPushButton* keep_;
};

}  // namespace drevan::desktop
