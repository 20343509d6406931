// SPDX-License-Identifier: GPL-3.0-or-later
// The Batch: every clip with its levels before and after, rendered in one go.
#pragma once

#include <QElapsedTimer>
#include <QJsonObject>
#include <QTimer>
#include <QWidget>

#include "batch/mix.h"
#include "work/task_lane.h"
#include "work/work.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QHBoxLayout;
class QMenu;
class QPushButton;
class QToolButton;
class QTableView;

namespace drevan::desktop {

class BatchModel;

class BatchPage : public QWidget {
  Q_OBJECT

 public:
  explicit BatchPage(const Work& work, QWidget* parent = nullptr);
  ~BatchPage() override;

  void set_folder(const QString& folder);
  bool rendering() const { return rendering_; }
  const std::vector<JobResult>& results() const;
  /// What the last batch wrote beside the clips.
  const std::vector<MixFile>& mixes() const { return mixes_; }
  /// What is rendered, see the list of that name.
  void set_what(int which);
  void save_report_to(const std::filesystem::path& file);
  class RulesDialog& rules();
  /// Plays the finished file of the current row, or pauses it.
  void play_row();
  /// The file a clip was last rendered into in this session; empty: none.
  std::filesystem::path file_of(ClipId clip_id) const;
  QTableView& table() { return *table_; }

 public Q_SLOTS:
  void render();
  void cancel();
  /// Workers wait where they are, or go on.
  void pause(bool on);

 Q_SIGNALS:
  /// How it went, in a sentence.
  void finished(const QString& how);
  /// Share done while it renders, 0 to 1.
  void progressed(double share);

 protected:
  void showEvent(QShowEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  void hideEvent(QHideEvent* e) override;

 private:
  void fit_columns();
  void show_target();
  void refresh();
  void show_estimate();
  void say_edits_come_later();
  void remember_speed(double seconds);
  QJsonObject form() const;
  void use_form(const QJsonObject& form);
  void keep_form();
  void say_clashes();
  void show_progress();
  QHBoxLayout* make_form();
  QHBoxLayout* make_formats();
  QHBoxLayout* make_rows();
  QHBoxLayout* make_run();
  QMenu* make_words();
  void connect_all();
  Reel to_render() const;
  void ended(std::vector<JobResult> results, std::vector<MixFile> mixes);
  void save_report();
  BatchOptions options() const;

  const Work& work_;
  BatchModel* model_;
  QTableView* table_;
  QLineEdit *folder_, *pattern_;
  QComboBox *container_, *samples_, *target_, *what_, *rate_;
  QToolButton* also_;
  QCheckBox *changed_, *all_box_, *overwrite_, *same_length_, *mix_chain_;
  QPushButton *render_, *cancel_, *report_, *pause_, *rules_button_, *choose_, *open_mix_, *play_,
      *show_;
  QToolButton* words_;
  class RulesDialog* rules_ = nullptr;
  QProgressBar* progress_;
  QLabel *status_, *estimate_;
  QTimer estimate_soon_;
  QElapsedTimer since_;
  std::vector<BatchJob> jobs_;
  std::vector<MixFile> mixes_;
  std::atomic<bool> paused_{false};
  double seconds_ = 0;  ///< of all that is rendered
  bool rendering_ = false;
  bool edit_told_ = false;  // that it belongs to the next batch
  bool columns_touched_ = false, fitting_columns_ = false;
  TaskLane lane_;
};

}  // namespace drevan::desktop
