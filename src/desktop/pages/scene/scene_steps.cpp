// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/scene_steps.h"

#include <QHBoxLayout>
#include <QScrollArea>
#include <QSplitter>

#include "pages/scene/scene_rows.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/selection.h"

namespace drevan::desktop {

double RowsClipTime::place_s() const {
  const Clip* clip = work_.selection.clip();
  return clip ? clip->place.s : 0;
}
double RowsClipTime::x_of(double clip_s) const { return rows_.x_of(clip_s + place_s()); }
double RowsClipTime::seconds_at(double x) const { return rows_.seconds_at(x) - place_s(); }
double RowsClipTime::view_length() const { return rows_.view_seconds(); }

SceneSteps::SceneSteps(const Work& work, SceneRows& rows, QWidget* parent)
    : QWidget(parent), work_(work), time_(work, rows) {
  setObjectName("scene_steps");
  setProperty("chapter", tr("The steps"));
  path_ = new LevelPathView(work_, this);
  lane_ = new CurveLane(work_, time_, parent);
  editor_ = new StepEditor(work_, *lane_, this);
  auto* area = new QScrollArea(this);
  area->setWidget(path_);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  auto* both = new QSplitter(Qt::Horizontal, this);
  both->setObjectName("scene_steps_split");
  both->addWidget(area);
  both->addWidget(editor_);
  both->setSizes({460, 800});
  both->setChildrenCollapsible(false);
  auto* box = new QHBoxLayout(this);
  box->setContentsMargins(8, 4, 8, 4);
  box->addWidget(both);
  connect(&rows, &SceneRows::view_changed, lane_, qOverload<>(&CurveLane::update));
}

void SceneSteps::live() {
  const double at = work_.listening.clip_position().s;
  lane_->show_playhead(at);
  editor_->show_playhead(at);
}

}  // namespace drevan::desktop
