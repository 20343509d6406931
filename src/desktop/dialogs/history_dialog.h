// SPDX-License-Identifier: GPL-3.0-or-later
// The list of edits: each in plain words, and a way to any of them.
#pragma once

#include "work/open_reel.h"
#include "work/work.h"

class QListWidget;

namespace drevan::desktop {

/// Stays open beside the work. A click goes to a state; what lies after it is kept until the next edit.
class HistoryDialog : public ReelSheet {
  Q_OBJECT

 public:
  explicit HistoryDialog(const Work& work, QWidget* parent = nullptr);
  QListWidget& list() { return *list_; }

 private:
  void refresh();

  const Work& work_;
  QListWidget* list_;
};

}  // namespace drevan::desktop
