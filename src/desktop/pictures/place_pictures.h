// Pictures of where a sound is heard.
#pragma once

#include "pictures/axes.h"
#include "pictures/picture.h"

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

}  // namespace drevan::desktop
