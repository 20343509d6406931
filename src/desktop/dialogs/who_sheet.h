// SPDX-License-Identifier: GPL-3.0-or-later
// Proposes groups by who speaks: a picture on which likes lie together, a list with how sure it is,
// names to give. Nothing is grouped before it is agreed to.
#pragma once

#include <vector>

#include "measure/voice_print.h"
#include "work/document.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QTreeWidget;
class QVBoxLayout;

namespace drevan::desktop {

/// The clips on a plane, each with its speaker's shape; faint where it is not sure.
class VoicePlane : public QWidget {
  Q_OBJECT

 public:
  explicit VoicePlane(QWidget* parent = nullptr);
  void show_guess(const SpeakerGuess& guess, const QStringList& names);
  void show_current(int clip);
  QSize minimumSizeHint() const override { return {260, 220}; }

 Q_SIGNALS:
  void clip_chosen(int index);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  bool event(QEvent* e) override;

 private:
  QPointF at(size_t i) const;
  int clip_near(QPointF point) const;

  SpeakerGuess guess_;
  QStringList names_;
  int current_ = -1;
};

class WhoSheet : public ReelSheet {
  Q_OBJECT

 public:
  /// `clips`: whose voices are told apart.
  WhoSheet(const Work& work, std::vector<ClipId> clips, QWidget* parent = nullptr);
  bool hearing() const { return lane_.busy(); }
  const SpeakerGuess& guess() const { return guess_; }
  VoicePlane& plane() { return *plane_; }
  /// The name of a speaker's group.
  QLineEdit* name_of(int speaker) const;

 private:
  void hear();
  void show_guess();
  void fill_names();
  void fill_list();
  void group();

  const Work& work_;
  std::vector<ClipId> clips_;
  std::vector<VoicePrint> prints_;
  SpeakerGuess guess_;
  QLabel* told_;
  QProgressBar* progress_;
  VoicePlane* plane_;
  QTreeWidget* list_;
  QSpinBox* count_;
  QVBoxLayout* names_box_;
  std::vector<QLineEdit*> names_;
  QPushButton* group_;
  ReelLane lane_{work_.document};
};

}  // namespace drevan::desktop
