// SPDX-License-Identifier: GPL-3.0-or-later
// One quiet line of advice under the level path: a reason, a button that does it, and a way to be
// left alone.
#pragma once

#include <QWidget>
#include <set>

#include "engine/planning/advice.h"
#include "work/work.h"

class QLabel;
class QToolButton;

namespace drevan::desktop {

class AdviceLine : public QWidget {
  Q_OBJECT

 public:
  explicit AdviceLine(const Work& work, QWidget* parent = nullptr);
  /// The rule that is spoken of, empty: none.
  std::string rule() const { return shown_ ? shown_->rule : std::string(); }
  QToolButton& action() { return *action_; }
  QToolButton& dismiss_button() { return *dismiss_; }
  QToolButton& show_button() { return *show_; }

 Q_SIGNALS:
  /// Where it happens, in seconds of the clip.
  void place_wanted(double seconds);

 private:
  void refresh();
  void take();
  void dismiss();

  const Work& work_;
  QLabel* reason_;
  QToolButton *show_, *action_, *dismiss_;
  std::optional<Advice> shown_;
  std::set<std::pair<ClipId, std::string>> dismissed_;  // clip and rule, for as long as Drevan runs
};

}  // namespace drevan::desktop
