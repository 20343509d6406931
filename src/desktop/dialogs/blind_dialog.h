// SPDX-License-Identifier: GPL-3.0-or-later
// The blind comparison: ten hidden trials, then the score.
#pragma once

#include "engine/listening/blind_test.h"
#include <optional>
#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QPushButton;

namespace drevan::desktop {

/// Plays before (A), after (B) or the hidden one (X), level matched, round and round over the selection
/// or the whole clip; the listener says which X is.
class BlindDialog : public ReelSheet {
  Q_OBJECT

 public:
  BlindDialog(const Work& work, std::optional<ClipRange> loop, unsigned seed,
              QWidget* parent = nullptr);

  const BlindTest& test() const { return test_; }
  QString result() const;

 private:
  void hear(int which);
  void answer(bool after);
  void show_state();

  const Work& work_;
  BlindTest test_;
  QLabel *title_, *state_;
  QPushButton *hear_[3], *is_before_, *is_after_, *again_;
  int heard_ = 2;
};

}  // namespace drevan::desktop
