// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring a place or a device: a sweep is written, played there and recorded; a response is made
// of what came back.
#pragma once

#include <QDialog>

#include "work/task_lane.h"

class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;

namespace drevan::desktop {

class SweepSheet : public QDialog {
  Q_OBJECT

 public:
  explicit SweepSheet(QWidget* parent = nullptr);
  /// Writes a sweep to be played; it is then the one that was played.
  void write_sweep_to(const QString& file);
  void set_played(const QString& file);
  void set_recording(const QString& file);
  /// Makes the response beside the recording and closes; what is wrong is told.
  void make();
  /// The response that was made; empty: none.
  QString response() const { return response_; }

 private:
  QPushButton* file_button(const QString& name, void (SweepSheet::*chosen)(const QString&));
  void show_state();
  void tell(const QString& words);

  QString played_, recording_, response_;
  QComboBox* seconds_;
  QPushButton *played_button_, *recording_button_;
  QLabel* told_;
  QProgressBar* progress_;
  QPushButton* make_;
  TaskLane lane_;
};

}  // namespace drevan::desktop
