// SPDX-License-Identifier: GPL-3.0-or-later
// From above, beside the picture: who stands where, and the ways they take.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "reel/scene/standing.h"
#include "steps/picture_spec.h"
#include "work/open_reel.h"
#include "work/work.h"

namespace drevan::desktop {

/// The room that the selected clip stands in, or what is in front of the listener where it stands in
/// none; of all that sound at the playhead, and of the selected clip. The same movement as the dot
/// on the picture.
class ScenePlan : public QWidget {
  Q_OBJECT

 public:
  explicit ScenePlan(const Work& work, QWidget* parent = nullptr);
  /// `playing`: what is held is held over time.
  void show_playhead(double reel_s, bool playing);
  /// Where a clip's dot stands; empty: it is not on the plan. For tests.
  std::optional<QPointF> dot(ClipId clip) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;

 private:
  struct Dot {
    ClipId clip = 0;  ///< one of those that stand there
    Standing standing;
    QString name;
    bool selected = false;
  };
  std::vector<Dot> dots() const;
  struct Room {
    PlanView view;
    double turn_deg = 0;  ///< of the listener, who looks up here
  };
  std::optional<Room> room() const;
  const Clip* selected() const;
  double clip_s(const Clip& clip) const;
  /// How the plan is laid out: metres to pixels, the listener.
  struct Layout {
    QPointF ear;
    double pixels_per_m = 20;
    double reach_m = 3;
  };
  Layout layout(const std::vector<Dot>& dots, const std::optional<Room>& room) const;
  Layout in_room(const Room& room) const;
  QPointF at(const Layout& l, double azimuth_deg, double distance_m) const;
  void hold(QPointF to, bool alone);
  void draw_ground(QPainter& p, const Layout& l, const std::optional<Room>& room) const;
  void draw_way(QPainter& p, const Layout& l, const Clip& clip) const;

  const Work& work_;
  double reel_s_ = 0, last_s_ = 0;
  bool playing_ = false;
  Grab grab_;                            // the clip that is held
  std::optional<Layout> held_;           // while something is held the plan stands still
  QPointF grabbed_at_, grabbed_beside_;  // the second: from the dot's middle
  bool dragged_ = false;
};

}  // namespace drevan::desktop
