// SPDX-License-Identifier: GPL-3.0-or-later
// Opens from a plus of the level path: all steps by family, the ones used last on top, a field that
// searches. A step that is rested upon is heard and drawn before it is added.
#pragma once

#include <QFrame>
#include <QTimer>

#include "reel/reel.h"
#include "work/work.h"

class QLineEdit;
class QListWidget;
class QListWidgetItem;

namespace drevan::desktop {

class StepChooser : public QFrame {
  Q_OBJECT

 public:
  /// `at`: where in the selected clip's chains the step goes.
  StepChooser(const Work& work, StepPlace at, QWidget* parent);
  void open_at(const QPoint& global);
  QLineEdit& search() { return *search_; }
  QListWidget& list() { return *list_; }
  /// The entry of a step, by its id; nullptr: it is not shown.
  QListWidgetItem* entry(std::string_view id) const;

 protected:
  void hideEvent(QHideEvent*) override;
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  void fill();
  void add_heading(const QString& label);
  void add_entry(const StepType& type);
  const StepType* current() const;
  void go_by(int steps);
  void preview();
  void take();

  const Work& work_;
  const StepPlace at_;
  QLineEdit* search_;
  QListWidget* list_;
  QTimer rest_;
  bool taken_ = false;
};

}  // namespace drevan::desktop
