// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of picture.
#pragma once

#include "measure/levels.h"
#include "measure/spectrum.h"
#include "pictures/axes.h"
#include "pictures/picture.h"
#include "steps/picture_spec.h"

namespace drevan::desktop {

/// Gain over frequency, over the clip's spectrum before and after; bands are held by their dots,
/// the wheel over a dot sets its width.
class ResponsePicture final : public StepPicture {
  Q_OBJECT

 public:
  ResponsePicture(const Work& work, StepId id, const ResponseSpec& spec, QWidget* parent);
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  FrequencyAxis axis() const { return {plot_rect()}; }
  LevelAxis gain_axis() const { return {plot_rect(), spec_.least_db, spec_.most_db}; }
  Grip grip_of(const ResponseBand& band, const Settings& now) const;
  DragValue frequency_at(int parameter, double x) const;
  DragValue gain_at(int parameter, QPointF at) const;
  QPolygonF line_of(std::span<const float> power) const;
  void draw_curve(QPainter& p) const;
  void draw_found_lines(QPainter& p) const;
  void draw_grips(QPainter& p) const;

  const ResponseSpec& spec_;
  SpectrumMeter live_in_, live_out_;
  std::vector<float> shown_in_, shown_out_;
};

/// Level out over level in, with the live point and the gain reduction beside it.
class TransferPicture final : public StepPicture {
  Q_OBJECT

 public:
  TransferPicture(const Work& work, StepId id, const TransferSpec& spec, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// The line first, if there is one.
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  QRectF plot_rect() const override;

 private:
  LevelAxis in_axis() const;
  LevelAxis out_axis() const;
  double drive_through(double in, double out) const;
  double ratio_through(double in, double out) const;
  Grip line_grip() const;
  Grip bend_grip() const;
  void draw_curve(QPainter& p) const;
  void draw_reduction(QPainter& p) const;
  void draw_hold(QPainter& p, size_t grip, const Grip& hold) const;

  const TransferSpec& spec_;
  double level_db_ = -200, reduction_db_ = 0;
  bool is_live_ = false;
};

/// The room tone as it was learned, the clip over it, and what is taken at this moment.
class ReductionPicture final : public StepPicture {
  Q_OBJECT

 public:
  ReductionPicture(const Work& work, StepId id, const ReductionSpec& spec, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  FrequencyAxis axis() const { return {plot_rect(), band_hz(0), band_hz(63)}; }
  /// The depth, counted downwards.
  LevelAxis depth_axis() const;
  void draw_spectra(QPainter& p) const;

  const ReductionSpec& spec_;
  std::vector<float> gains_db_;
};

/// Peak, loudness and noise floor before and after; the goal or gain can be dragged.
class LevelsPicture final : public StepPicture {
  Q_OBJECT

 public:
  LevelsPicture(const Work& work, StepId id, const LevelsSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  LevelAxis axis() const;
  /// How far the line lies above its value, in dB.
  double line_above_value() const;
  void draw_stage(QPainter& p, double x, const Levels& levels, const QColor& color,
                  const QString& name) const;

  const LevelsSpec& spec_;
};

/// When things happen, before and after; the end can be dragged.
class ClockPicture final : public StepPicture {
  Q_OBJECT

 public:
  ClockPicture(const Work& work, StepId id, const ClockSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void grip_taken() override;

 private:
  double seconds() const;
  std::unique_ptr<Rewriter> rewriter(const Settings& settings) const;
  double length(const Settings& settings) const;
  /// From the beginning, as wide as both lengths need; it stands still while the end is held.
  TimeAxis axis(double after_s) const;
  QRectF strip(const TimeAxis& axis, bool after, double length_s) const;
  double value_for(double length_s) const;

  const ClockSpec& spec_;
  double held_reach_ = 2;
};

/// Where sounds stand between left and right, seen from above; they can be dragged.
class FieldPicture final : public StepPicture {
  Q_OBJECT

 public:
  FieldPicture(const Work& work, StepId id, const FieldSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  struct Place {
    double side = 0, level = 0;
  };
  QPointF at(double side) const;
  double side_at(double x) const;
  int channels_in() const;
  Place place_of(float left, float right) const;
  void draw_sounds(QPainter& p, QPointF ear) const;
  void draw_deep_sound(QPainter& p, QPointF ear) const;
  /// How far to the side the highest value stands.
  double reach() const;

  const FieldSpec& spec_;
};

/// What a step hears over time, against its line, and what it takes.
class CoursePicture final : public StepPicture {
  Q_OBJECT

 public:
  CoursePicture(const Work& work, StepId id, const CourseSpec& spec, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  struct Moment {
    double level, reduction;
  };
  LevelAxis axis() const;
  void draw_past(QPainter& p) const;
  void draw_reach(QPainter& p) const;

  const CourseSpec& spec_;
  std::vector<Moment> past_;
};

/// Bands over frequency: where they meet and each one's threshold can be dragged; its level and
/// what is taken from it are drawn in it.
class BandsPicture final : public StepPicture {
  Q_OBJECT

 public:
  BandsPicture(const Work& work, StepId id, const BandsSpec& spec, QWidget* parent);
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// The corners, the thresholds, then the bands themselves, which can only be touched.
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  FrequencyAxis axis() const { return {plot_rect()}; }
  LevelAxis level_axis() const;
  int bands(const Settings& now) const { return spec_.count(now); }
  QRectF band_rect(const Settings& now, int band) const;
  void draw_band(QPainter& p, const Settings& now, int band, size_t grip, const Grip& line) const;

  const BandsSpec& spec_;
  std::vector<float> readings_;
};

/// What goes to and fro over two rounds; its rate and reach can be dragged.
class MotionPicture final : public StepPicture {
  Q_OBJECT

 public:
  MotionPicture(const Work& work, StepId id, const MotionSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  double y_of(double value) const;
  double value_at(double y) const;
  /// Whether the sound's loudness moves it: then the loudness runs from left to right.
  bool by_loudness(const Settings& now) const;
  QPointF rate_dot() const;
  double lowest(Settings now) const;
  QPolygonF line(const Settings& now, int index, double behind) const;
  void draw_scale(QPainter& p, const Settings& now) const;

  const MotionSpec& spec_;
};

/// Echoes on a time line; each can be dragged, the wheel over one turns its feedback.
class TapsPicture final : public StepPicture {
  Q_OBJECT

 public:
  TapsPicture(const Work& work, StepId id, const TapsSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  TimeAxis axis() const;
  LevelAxis levels() const;
  void draw_tap(QPainter& p, const TapSpec& tap, const Settings& now, bool chosen) const;

  const TapsSpec& spec_;
};

}  // namespace drevan::desktop
