// SPDX-License-Identifier: GPL-3.0-or-later
// What a step does, drawn so that it can be held. One class for each kind of PictureSpec, made from
// what the step says of itself.
#pragma once

#include <QWidget>
#include <optional>
#include <span>
#include <vector>

#include "pictures/grip.h"
#include "reel/reel.h"
#include "work/work.h"

namespace drevan::desktop {

/// Draws; lists its grips. All holding, dragging and snapping is done here: Shift moves finely, a
/// double click puts a value back.
class StepPicture : public QWidget {
  Q_OBJECT

 public:
  /// The picture a step's type asks for.
  static StepPicture* make(const Work& work, StepId id, QWidget* parent);

  /// New settings, levels or spectra: draw again.
  virtual void refresh() { update(); }
  /// Called some 30 times a second while playing, with the step's readings; an empty span: stopped.
  virtual void live(std::span<const float> readings, std::span<const float> in,
                    std::span<const float> out);
  /// What can be held now.
  virtual std::vector<Grip> grips() const = 0;
  /// Whether it wants more room than the sliders beside it.
  virtual bool wide() const { return false; }
  /// Settings that follow a curve are drawn as they are at this moment of the clip.
  void show_playhead(double clip_s);
  /// Which part's settings the sliders should show; 0: none.
  int page() const { return page_; }
  void set_page(int page);
  QSize minimumSizeHint() const override { return {200, 84}; }

 Q_SIGNALS:
  void changed(int parameter, double value);
  /// Only over a stretch of the clip.
  void changed_within(int parameter, double value, ClipRange clip);
  void settled();
  void page_chosen(int page);

 protected:
  /// `name`, `help`: for those who do not see it, and as its tooltip.
  StepPicture(const Work& work, StepId id, const QString& name, const QString& help,
              QWidget* parent);
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  /// A grip was taken; its drag goes by the axes as they are now.
  virtual void grip_taken() {}

  const ChainStep* step() const;
  /// The step's, at the playhead.
  Settings settings() const;
  const Parameter& parameter(int index) const;
  /// Its place among the stages that were measured; nullopt: they are not known yet.
  std::optional<size_t> measured_stage() const;
  /// What it learned from this clip; nullptr: nothing, or not yet.
  const Findings* found() const;
  virtual QRectF plot_rect() const;
  void draw_ground(QPainter& p) const;
  /// The dashed line of a level_line or upright_line grip, from edge to edge of `area`.
  void draw_line(QPainter& p, size_t grip, const Grip& line, const QRectF& area) const;
  /// Whether grips()[grip] is held.
  bool holds(size_t grip) const { return held_ == grip; }
  bool holds_any() const { return held_.has_value(); }

  const Work& work_;
  StepId step_id_;
  int page_ = 0;

 private:
  void show_cursor(QPointF at);

  double playhead_s_ = 0;
  std::optional<size_t> held_;
  Grip grip_;             // the one that is held, as it was when it was taken
  QPointF point_, last_;  // where it is held, and the pointer
};

}  // namespace drevan::desktop
