// SPDX-License-Identifier: GPL-3.0-or-later
// A place from above and from the side.
#pragma once

#include "pictures/axes.h"
#include "pictures/picture.h"
#include "steps/picture_spec.h"

namespace drevan::desktop {

/// The floor plan to scale with a strip that shows heights; the source, its path, the listener and
/// the walls are held, and a path is drawn. Beside it how long the place rings, octave by octave.
class PlanPicture final : public StepPicture {
  Q_OBJECT

 public:
  PlanPicture(const Work& work, StepId id, const PlanSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;

 private:
  enum Held : size_t { source, height, listener, look, others };
  double value(int parameter) const { return settings()[static_cast<size_t>(parameter)]; }
  // The source is placed in metres of the room.
  bool in_room() const { return value(spec_.placed) == 1; }
  QRectF plan_rect() const;
  QRectF strip_rect() const;
  QRectF decay_rect() const;
  // What of the place is in the picture, and how large a metre is.
  struct Scaled {
    QRectF on_screen;     // of the plan
    double pixels_per_m;  // of the plan
    Place from;           // at its left front corner
    double strip_pixels_per_m;
    QPointF at(const Place& p) const;
    Place place(QPointF at) const;
  };
  Scaled scaled(const PlanView& view) const;
  double strip_y(const Scaled& s, double z) const;
  std::vector<DragValue> put_source(const Scaled& s, const PlanView& v, QPointF to) const;
  void draw_walls(QPainter& p, const PlanView& v, const Scaled& s) const;
  void draw_ways(QPainter& p, const PlanView& v, const Scaled& s) const;
  void draw_people(QPainter& p, const PlanView& v, const Scaled& s) const;
  void draw_strip(QPainter& p, const PlanView& v, const Scaled& s) const;
  void draw_decay(QPainter& p, const PlanView& v) const;
  void draw_words(QPainter& p, const PlanView& v) const;

  const PlanSpec& spec_;
  bool begins_stroke(const QMouseEvent& e) const;
  void take_stroke(const QPolygonF& stroke);

  QPolygonF stroke_;          // of a path that is being drawn
  std::optional<Place> now_;  // while it plays
};

}  // namespace drevan::desktop
