// SPDX-License-Identifier: GPL-3.0-or-later
// The level path and the editor of what is chosen, inside the Scene, with a curve under the rows.
#pragma once

#include <QWidget>

#include "pages/bench/curve_lane.h"
#include "pages/bench/level_path.h"
#include "pages/bench/step_editor.h"
#include "work/work.h"

namespace drevan::desktop {

class SceneRows;

/// The selected clip's moments, where its row shows them; a bus's are the reel's.
class RowsClipTime final : public TimeView {
 public:
  RowsClipTime(const Work& work, const SceneRows& rows) : work_(work), rows_(rows) {}
  double x_of(double clip_s) const override;
  double seconds_at(double x) const override;
  double view_length() const override;

 private:
  double place_s() const;
  const Work& work_;
  const SceneRows& rows_;
};

/// All of it works on the selected clip, group, space or mix, as on the Bench, while all plays.
class SceneSteps : public QWidget {
  Q_OBJECT

 public:
  SceneSteps(const Work& work, SceneRows& rows, QWidget* parent = nullptr);
  LevelPathView& level_path() { return *path_; }
  StepEditor& editor() { return *editor_; }
  /// Stands by itself under the rows: its time is theirs.
  CurveLane& lane() { return *lane_; }
  void live();

 private:
  const Work& work_;
  RowsClipTime time_;
  LevelPathView* path_;
  CurveLane* lane_;
  StepEditor* editor_;
};

}  // namespace drevan::desktop
