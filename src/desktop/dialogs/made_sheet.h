// SPDX-License-Identifier: GPL-3.0-or-later
// A clip of tone, noise, silence or room tone: what it is, how long, how loud.
#pragma once

#include "work/open_reel.h"
#include "work/work.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;

namespace drevan::desktop {

class MadeSheet : public ReelSheet {
  Q_OBJECT

 public:
  /// It is placed at a moment of the reel, in the selected clip's group.
  MadeSheet(const Work& work, ReelTime place, QWidget* parent = nullptr);

 private:
  void show_state();
  void make();

  const Work& work_;
  ReelTime place_;
  QComboBox* kind_;
  QDoubleSpinBox *seconds_, *level_, *hz_;
  QLabel* where_;
};

}  // namespace drevan::desktop
