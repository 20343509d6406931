// SPDX-License-Identifier: GPL-3.0-or-later
// The film with the reel's mix as its sound.
#pragma once

#include "work/open_reel.h"
#include "work/work.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;

namespace drevan::desktop {

class FilmSheet : public ReelSheet {
  Q_OBJECT

 public:
  explicit FilmSheet(const Work& work, QWidget* parent = nullptr);
  /// Where it is written; the sound follows what is usual there.
  void set_goal(const QString& file);
  /// Renders the mix and writes the film, then closes; what is wrong is told.
  void write();
  /// What was written; empty: nothing.
  QString written() const { return written_; }

 private:
  bool works_on() const override { return lane_.busy(); }
  void choose_goal();
  void show_state();

  const Work& work_;
  QString goal_, written_;
  QComboBox *film_, *sound_;
  QCheckBox* keeps_;
  QPushButton *goal_button_, *write_;
  QLabel* told_;
  QProgressBar* progress_;
  TaskLane lane_;
};

}  // namespace drevan::desktop
