// SPDX-License-Identifier: GPL-3.0-or-later
// Which recipe each clip gets, by patterns of group and name.
#pragma once

#include "batch/rules.h"
#include "reel/library/library.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QPushButton;
class QTableWidget;

namespace drevan::desktop {

class RulesDialog : public ReelSheet {
  Q_OBJECT

 public:
  explicit RulesDialog(const Work& work, QWidget* parent = nullptr);
  void add_rule(const QString& group = "*", const QString& name = "*", const QString& recipe = {},
                bool append = false);
  std::vector<Rule> rules() const;
  /// One edit that gives every clip the chain its rule says.
  void apply();

 protected:
  void showEvent(QShowEvent* e) override;

 private:
  void begin_rows();
  void count();
  void move(int by);
  void load();
  void save();

  const Work& work_;
  std::vector<LibraryEntry> library_;
  QTableWidget* table_;
  QLabel* told_;
  QPushButton* apply_;
  QPushButton *up_, *down_;
  QStringList seeded_;  ///< the groups that rows were made for
};

}  // namespace drevan::desktop
