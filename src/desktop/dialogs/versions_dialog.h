// SPDX-License-Identifier: GPL-3.0-or-later
// The versions of the selected clip, as the tree they are.
#pragma once

#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QPushButton;
class QTreeWidget;

namespace drevan::desktop {

class VersionsDialog : public ReelSheet {
  Q_OBJECT

 public:
  explicit VersionsDialog(const Work& work, QWidget* parent = nullptr);

  /// The version that is marked in the list; -1: none.
  int marked() const;
  void mark(int version);

 protected:
  void showEvent(QShowEvent* e) override;

 private:
  void refresh();
  void show_buttons();

  const Work& work_;
  QLabel* clip_;
  QTreeWidget* tree_;
  QPushButton *go_, *chain_, *against_, *clear_;
};

}  // namespace drevan::desktop
