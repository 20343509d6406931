// SPDX-License-Identifier: GPL-3.0-or-later
// A step's settings that are no numbers: words, files, and what it hears beside its own sound.
#pragma once

#include <QWidget>
#include <vector>

#include "reel/chain.h"
#include "work/work.h"

class QLineEdit;
class QToolButton;

namespace drevan::desktop {

class StepWords : public QWidget {
  Q_OBJECT

 public:
  StepWords(const Work& work, StepId step, QWidget* parent);
  /// Whether the step has such settings.
  bool any() const { return !words_.empty() || !sides_.empty(); }
  /// Whether they are what the step is about, and stand before its other settings.
  bool lead() const { return lead_; }
  void refresh();
  /// The next file of the same kinds in the folder of the one that is chosen, by name and round at
  /// the end; -1: the one before. So a folder is browsed by ear.
  void browse(int index, int way);

 private:
  QWidget* file_field(int index);
  void measure_response(int index);
  void set_text(int index, const QString& text);
  void set_side(int index, SideChoice choice);
  QString chosen_file(const QString& kinds);
  void fill_side_menu(int index);
  QString side_name(int index) const;

  struct Words {
    QLineEdit* line = nullptr;                       ///< words
    QToolButton* file = nullptr;                     ///< or a file
    QToolButton *before = nullptr, *next = nullptr;  ///< in its folder
  };
  const Work& work_;
  StepId step_;
  std::vector<Words> words_;
  bool lead_ = false;
  std::vector<QToolButton*> sides_;
};

}  // namespace drevan::desktop
