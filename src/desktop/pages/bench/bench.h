// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench: one clip on its way through its chain.
#pragma once

#include <QWidget>

#include "pages/bench/advice_line.h"
#include "pages/bench/curve_lane.h"
#include "pages/bench/foot.h"
#include "pages/bench/level_path.h"
#include "pages/bench/scope.h"
#include "pages/bench/shelf.h"
#include "pages/bench/step_editor.h"
#include "work/work.h"

class QLabel;
class QLineEdit;
class QScrollBar;
class QTimer;
class QToolButton;

namespace drevan::desktop {

class RecipeDrawer;

class Bench : public QWidget {
  Q_OBJECT

 public:
  explicit Bench(const Work& work, QWidget* parent = nullptr);

  Shelf& shelf() { return *shelf_; }
  /// The field that searches the shelf gets the keys.
  void search();
  Scope& scope() { return *scope_; }
  CurveLane& lane() { return *lane_; }
  LevelPathView& level_path() { return *path_; }
  StepEditor& editor() { return *editor_; }
  RecipeDrawer& recipes() { return *recipes_; }
  Foot& foot() { return *foot_; }
  AdviceLine& advice() { return *advice_; }
  QToolButton& mark_button() { return *mark_; }
  QToolButton& target_button() { return *target_; }
  QToolButton& meet_button() { return *meet_; }
  Segmented& face() { return *face_; }
  Segmented& spectrogram_shows() { return *shows_; }

 public Q_SLOTS:
  /// Marks the selection as room tone, or switches to marking by mouse when there is none.
  void mark_room_tone();
  /// Waveform or spectrogram in the scope.
  void show_spectrogram(bool on);
  void widen_spectrogram(double by_db);
  /// Ten hidden trials over the selection, or the whole clip.
  void compare_blind();
  /// The playhead goes to the next place that passes full scale behind the chain, round and round.
  void next_over();

 Q_SIGNALS:
  void group_context_wanted(const QPoint& global);
  void context_wanted(const QPoint& global);

 private:
  void show_clip();
  void show_view();
  void apply_loop();
  void live();
  void find_overs();

  const Work& work_;
  Shelf* shelf_;
  Scope* scope_;
  QLineEdit* search_;
  CurveLane* lane_;
  LevelPathView* path_;
  StepEditor* editor_;
  RecipeDrawer* recipes_;
  Foot* foot_;
  AdviceLine* advice_;
  QLabel *name_, *facts_;
  Segmented *face_, *shows_;
  void show_target();

  QToolButton *mark_, *find_, *clear_, *target_, *meet_;
  QScrollBar* scroll_;
  QTimer* timer_;
  std::vector<double> overs_s_;  // of the clip
  bool was_playing_ = false;
};

}  // namespace drevan::desktop
