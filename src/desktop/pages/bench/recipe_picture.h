// SPDX-License-Identifier: GPL-3.0-or-later
// What a recipe does, drawn before it is used.
#pragma once

#include <QWidget>

#include "engine/listening/level_path.h"
#include "work/task_lane.h"
#include "work/work.h"

namespace drevan::desktop {

/// A chain's level path in small, over the reference voice.
class RecipePicture : public QWidget {
 public:
  explicit RecipePicture(const Work& work, QWidget* parent = nullptr);
  void show_recipe(const Recipe* recipe);
  bool shown() const { return !stages_.empty(); }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  const Work& work_;
  Chain chain_;
  std::vector<Levels> stages_;
  LevelStore levels_;
  TaskLane lane_{TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
