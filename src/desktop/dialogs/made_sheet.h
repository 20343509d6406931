// A clip of tone, noise, silence or room tone: what it is, how long, how loud.
#pragma once

#include <QDialog>

#include "work/work.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;

namespace drevan::desktop {

class MadeSheet : public QDialog {
  Q_OBJECT

 public:
  /// It is placed at a moment of the reel, in the selected clip's group.
  MadeSheet(const Work& work, double place_s, QWidget* parent = nullptr);

 private:
  void show_state();
  void make();

  const Work& work_;
  double place_s_;
  QComboBox* kind_;
  QDoubleSpinBox *seconds_, *level_, *hz_;
  QLabel* where_;
};

}  // namespace drevan::desktop
