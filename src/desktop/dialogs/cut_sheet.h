// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts a long take into pieces: at its pauses, at the marks in its file, by a list, or every so
// many seconds. What will be cut is drawn before it is done.
#pragma once

#include <optional>

#include "dialogs/cut_view.h"
#include "engine/recording/take.h"
#include "widgets/segmented.h"
#include "widgets/value_slider.h"
#include "work/document.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QScrollBar;
class QStackedWidget;
class QTimer;

namespace drevan::desktop {

class CutSheet : public ReelSheet {
  Q_OBJECT

 public:
  CutSheet(const Work& work, ClipId clip, QWidget* parent = nullptr);

  enum class At { pauses, marks, list, every };
  void cut_at(At at);
  CutView& view() { return *view_; }
  /// Whether the take is still being heard.
  bool hearing() const { return lane_.busy(); }
  /// Uses a list of times; tells what is wrong with it.
  void use_list(const QString& file);
  /// The limits of the pauses, by their ids: "least_pause_s".
  ValueSlider* limit(std::string_view id) const;

 private:
  QWidget* make_limits();
  QWidget* make_list();
  QWidget* make_every();
  void hear();
  void refresh();
  void show_count();
  void choose_list();
  void cut();
  PauseRules rules() const;
  const Clip* clip() const;

  const Work& work_;
  const ClipId clip_;
  double length_s_ = 1;
  Segmented* at_;
  QStackedWidget* limits_;
  std::vector<ValueSlider*> sliders_;
  ValueSlider* every_ = nullptr;
  QLabel *list_name_ = nullptr, *marks_told_ = nullptr, *told_;
  QProgressBar* progress_;
  CutView* view_;
  QPushButton* cut_;
  QTimer* timer_;
  std::optional<HeardTake> heard_;
  std::vector<edits::Piece> marks_, list_;
  ReelLane lane_{work_.document};
};

}  // namespace drevan::desktop
