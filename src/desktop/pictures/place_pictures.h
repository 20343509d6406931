// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of where a sound is heard.
#pragma once

#include "pictures/axes.h"
#include "pictures/picture.h"
#include "steps/picture_spec.h"

namespace drevan::desktop {

/// A wall cut open on the left, with its face and its opening to be held; on the right what comes
/// through over frequency, over the spectrum before and after.
class WallPicture final : public StepPicture {
  Q_OBJECT

 public:
  WallPicture(const Work& work, StepId id, const WallSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  double value(int parameter) const { return settings()[static_cast<size_t>(parameter)]; }
  QRectF cut_rect() const;
  QRectF loss_rect() const;
  FrequencyAxis frequencies() const { return {loss_rect()}; }
  LevelAxis losses() const { return {loss_rect(), -72, 6}; }
  double near_x() const;
  double face_x(double mm) const;
  double mm_at(double x) const;
  double gap_y(double m2) const;
  double m2_at(double y) const;
  void draw_cut(QPainter& p) const;
  void draw_loss(QPainter& p) const;

  const WallSpec& spec_;
};

/// A loudspeaker: what comes out of it over frequency, over the spectrum before and after; how much
/// it distorts over the level that enters; where it radiates to, and where one stands.
class LoudspeakerPicture final : public StepPicture {
  Q_OBJECT

 public:
  LoudspeakerPicture(const Work& work, StepId id, const LoudspeakerSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  double value(int parameter) const { return settings()[static_cast<size_t>(parameter)]; }
  QRectF response_rect() const;
  QRectF distortion_rect() const;
  QRectF plan_rect() const;
  FrequencyAxis frequencies() const { return {response_rect()}; }
  LevelAxis gains() const { return {response_rect(), -48, 18}; }
  LevelAxis entering() const { return {distortion_rect(), -40, 6, Qt::Horizontal}; }
  double gain_at(double hz) const;
  Grip end_grip(int parameter, double hz) const;
  void draw_response(QPainter& p) const;
  void draw_distortion(QPainter& p) const;
  void draw_plan(QPainter& p) const;

  const LoudspeakerSpec& spec_;
};

/// A recorded response over time, and what is made of it: when it begins, its length and its decay
/// can be dragged.
class EchogramPicture final : public StepPicture {
  Q_OBJECT

 public:
  EchogramPicture(const Work& work, StepId id, const EchogramSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void grip_taken() override { held_axis_ = axis(); }

 private:
  double value(int parameter) const { return settings()[static_cast<size_t>(parameter)]; }
  TimeAxis axis() const;
  LevelAxis levels() const { return {plot_rect(), -60, 3}; }
  const ResponseCourse& course() const;
  double mix_db() const;

  const EchogramSpec& spec_;
  TimeAxis held_axis_{};
  mutable Settings known_{};  // for which course_ was reckoned
  mutable ResponseCourse course_{};
};

}  // namespace drevan::desktop
