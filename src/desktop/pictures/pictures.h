// The kinds of picture.
#pragma once

#include "pictures/frequency_axis.h"
#include "measure/levels.h"
#include "pictures/picture.h"
#include "measure/spectrum.h"
#include "work/work.h"

namespace drevan::desktop {

/// Gain over frequency, over the clip's spectrum before and after; bands are held by their dots,
/// the wheel over a dot sets its width, a double click resets it.
class ResponsePicture final : public StepPicture {
 public:
  ResponsePicture(const Work& work, StepId id, QWidget* parent);
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// Where handle `i` is drawn; for tests.
  QPointF handle_at(size_t i) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;

 private:
  FrequencyAxis axis() const { return {plot_rect()}; }
  double y_of(double db) const;
  /// The gains at the top and at the bottom of the plot.
  std::pair<double, double> span_db() const;
  int handle_near(QPointF point) const;
  void move_sideways(int parameter, double x);
  QPolygonF line_of(std::span<const float> power) const;
  void draw_curve(QPainter& p) const;
  void draw_found_lines(QPainter& p) const;

  SpectrumMeter live_in_, live_out_;
  std::vector<float> shown_in_, shown_out_;
  int held_ = -1;
};

/// Level out over level in, with the live point and the gain reduction beside it.
class TransferPicture final : public StepPicture {
 public:
  TransferPicture(const Work& work, StepId id, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// Where the threshold's or ceiling's line crosses the plot's middle; for tests.
  QPointF threshold_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  QRectF plot_rect() const override;

 private:
  double x_of(double db) const;
  double y_of(double db) const;
  int parameter(const char* id) const;
  /// The setting called `id`, 0 when the step has none.
  double setting(const char* id) const;
  bool has_ceiling() const;
  bool has_line() const;
  double drive_through(double in, double out) const;
  bool bends_below() const;
  int line_parameter() const;
  int parameter_at(QPointF at) const;

  double level_db_ = -200, reduction_db_ = 0;
  bool is_live_ = false;
  int held_ = -1;  // parameter
};

/// The room tone as it was learned, the clip over it, and what is taken at this moment.
class ReductionPicture final : public StepPicture {
 public:
  ReductionPicture(const Work& work, StepId id, QWidget* parent);
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  QPointF depth_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  FrequencyAxis axis() const { return {plot_rect(), band_hz(0), band_hz(63)}; }
  double depth_y(double depth_db) const;
  const Findings* found() const;
  void draw_spectra(QPainter& p) const;

  std::vector<float> gains_db_;
  bool held_ = false;
};

/// Peak, loudness and noise floor before and after; the goal or gain can be dragged.
class LevelsPicture final : public StepPicture {
 public:
  LevelsPicture(const Work& work, StepId id, QWidget* parent);
  QPointF goal_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  double y_of(double db) const;
  double db_at(double y) const;
  /// The parameter that is held, and where its line lies in dB.
  int held_parameter() const;
  double goal_db() const;
  void draw_stage(QPainter& p, double x, const Levels& levels, const QColor& color,
                  const QString& name) const;

  bool held_ = false;
  double held_offset_ = 0;
};

/// When things happen, before and after; the end can be dragged.
class ClockPicture final : public StepPicture {
 public:
  ClockPicture(const Work& work, StepId id, QWidget* parent);
  /// The end of the sound as it leaves; for tests.
  QPointF end_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  double seconds() const;
  std::unique_ptr<Rewriter> rewriter(const Settings& settings) const;
  double length(const Settings& settings) const;
  double reach() const;
  QRectF strip(bool after) const;

  bool held_ = false;
  double held_offset_ = 0, held_reach_ = 2;
};

/// Where sounds stand between left and right, seen from above; they can be dragged.
class FieldPicture final : public StepPicture {
 public:
  FieldPicture(const Work& work, StepId id, QWidget* parent);
  /// What is held; for tests.
  QPointF handle_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  struct Place {
    double side = 0, level = 0;
  };
  QPointF at(double side) const;
  int channels_in() const;
  Place place_of(float left, float right) const;
  void draw_deep_sound(QPainter& p, QPointF ear) const;
  double handle_side() const;
  const Parameter& parameter() const;

  bool held_ = false;
  double held_offset_ = 0;
};

/// What a step hears over time, against its line, and what it takes.
class CoursePicture final : public StepPicture {
 public:
  CoursePicture(const Work& work, StepId id, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// Where the line crosses the plot's middle; for tests.
  QPointF line_at() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  struct Moment {
    double level, reduction;
  };
  int line_parameter() const;
  double y_of(double db) const;
  void draw_reach(QPainter& p) const;

  std::vector<Moment> past_;
  bool held_ = false;
};

/// Bands over frequency: where they meet and each one's threshold can be dragged; its level and what is
/// taken from it are drawn in it.
class BandsPicture final : public StepPicture {
 public:
  BandsPicture(const Work& work, StepId id, QWidget* parent);
  void refresh() override;
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  /// The middle of a band's threshold, and the band itself; for tests.
  QPointF threshold_at(int band) const;
  QRectF band_rect(int band) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  FrequencyAxis axis() const;
  double y_of(double db) const;
  int bands() const;
  int threshold_parameter(int band) const;
  int handle_near(QPointF at) const;
  void draw_band(QPainter& p, int band) const;

  std::vector<float> readings_;
  int held_ = -1;  // handle: the corners come first
};

}  // namespace drevan::desktop
