// SPDX-License-Identifier: GPL-3.0-or-later
// Above every page while it is recorded: the inputs, the line's text, what it becomes.
#pragma once

#include <QWidget>

#include "work/recording_desk.h"
#include "work/work.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;
class QScrollArea;
class QTimer;

namespace drevan::desktop {

class InputMeter;

class RecordStrip : public QWidget {
  Q_OBJECT

 public:
  explicit RecordStrip(const Work& work, QWidget* parent = nullptr);

  /// Shows it with open inputs, or closes both.
  void open(bool on);
  /// The line that is to be recorded, as it is typed.
  RecordedLine line() const;
  InputMeter* meter(int lane) const;

 Q_SIGNALS:
  /// Record, or stop.
  void record_wanted();
  void settings_wanted();

 protected:
  void paintEvent(QPaintEvent*) override;
  void showEvent(QShowEvent*) override;

 private:
  QWidget* make_state();
  QWidget* make_line();
  QWidget* make_habits();
  void refresh();
  void refresh_inputs();
  void refresh_line();
  void keep_habits();
  void keep_text();
  void live();
  bool another_take() const;

  const Work& work_;
  QLabel *state_, *latency_, *no_input_;
  QPushButton* record_;
  QWidget* inputs_;
  QScrollArea* input_scroll_;
  QGridLayout* input_rows_;
  QLineEdit *name_, *group_;
  QComboBox* as_;
  QPlainTextEdit* text_;
  QDoubleSpinBox* pre_roll_;
  QCheckBox *count_in_, *own_voice_;
  QTimer* timer_;
  ClipId text_of_ = 0;  // the clip whose text is shown; 0: a new line's
};

}  // namespace drevan::desktop
