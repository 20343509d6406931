// SPDX-License-Identifier: GPL-3.0-or-later
// "Where do my clips differ?": every clip that stands out of its group.
#pragma once

#include "engine/planning/uneven.h"
#include "work/document.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QTreeWidget;

namespace drevan::desktop {

class UnevenDialog : public ReelSheet {
  Q_OBJECT

 public:
  explicit UnevenDialog(const Work& work, QWidget* parent = nullptr);
  /// Listens to all clips anew, in the background.
  void listen();
  int rows() const;
  bool listening() const { return lane_.busy(); }

 private:
  void show_found(const std::vector<Uneven>& found);

  const Work& work_;
  QLabel* told_;
  QProgressBar* progress_;
  QTreeWidget* list_;
  QPushButton *again_, *in_line_;
  ReelLane lane_{work_.document, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
