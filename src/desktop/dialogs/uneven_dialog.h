// "Where do my clips differ?": every clip that stands out of its group.
#pragma once

#include <QDialog>

#include "engine/uneven.h"
#include "work/task_lane.h"
#include "work/work.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QTreeWidget;

namespace drevan::desktop {

class UnevenDialog : public QDialog {
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
  TaskLane lane_{TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
