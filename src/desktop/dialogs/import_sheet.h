// SPDX-License-Identifier: GPL-3.0-or-later
// One sheet for all recipes that come in: what is new, what is the same, what differs, and what is to
// become of each.
#pragma once

#include <QDialog>

#include "reel/library/library.h"

class QComboBox;
class QPushButton;
class QTreeWidget;

namespace drevan::desktop {

class ImportSheet : public QDialog {
  Q_OBJECT

 public:
  ImportSheet(std::vector<Incoming> incoming, QWidget* parent = nullptr);
  std::vector<std::pair<Incoming, Decision>> decisions() const;
  /// The decision for all that differ.
  void decide_all(Decision decision);

 private:
  void count();

  std::vector<Incoming> incoming_;
  std::vector<QComboBox*> boxes_;  // empty where there is nothing to decide
  QTreeWidget* list_;
  QPushButton* take_;
};

}  // namespace drevan::desktop
