// The Batch: every clip with its levels before and after, rendered in one go.
#pragma once

#include <QElapsedTimer>
#include <QWidget>

#include "batch/batch.h"
#include "workspace.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTableView;

namespace drevan::desktop {

class BatchModel;

class BatchPage : public QWidget {
  Q_OBJECT

 public:
  explicit BatchPage(Workspace& workspace, QWidget* parent = nullptr);
  ~BatchPage() override;

  void set_folder(const QString& folder);
  bool rendering() const { return rendering_; }
  const std::vector<JobResult>& results() const;
  QTableView& table() { return *table_; }

 public Q_SLOTS:
  void render();
  void cancel();

 Q_SIGNALS:
  void finished();

 private:
  void refresh();
  void show_progress();
  void ended(std::vector<JobResult> results);
  void save_report();
  BatchOptions options() const;

  Workspace& workspace_;
  BatchModel* model_;
  QTableView* table_;
  QLineEdit *folder_, *pattern_;
  QComboBox *container_, *samples_;
  QPushButton *render_, *cancel_, *report_;
  QProgressBar* progress_;
  QLabel* status_;
  QElapsedTimer since_;
  std::vector<BatchJob> jobs_;
  bool rendering_ = false;
  Worker worker_{nullptr};
};

}  // namespace drevan::desktop
