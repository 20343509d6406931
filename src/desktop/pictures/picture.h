// What a step does, drawn so that it can be held. One class for each kind of StepType::Picture; all
// follow from the step's own description.
#pragma once

#include <QWidget>
#include <span>
#include <vector>

#include "reel/reel.h"
#include "work/work.h"

namespace drevan::desktop {

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
  /// Settings that follow a curve are drawn as they are at this moment of the clip.
  void show_playhead(double clip_s);
  /// Which handle's settings the sliders should show; 0: none.
  int page() const { return page_; }
  void set_page(int page);
  QSize minimumSizeHint() const override { return {280, 150}; }

 Q_SIGNALS:
  void changed(int parameter, double value);
  void settled();
  void page_chosen(int page);

 protected:
  StepPicture(const Work& work, StepId id, QWidget* parent);
  const ChainStep* step() const;
  /// The step's, at the playhead.
  Settings settings() const;
  virtual QRectF plot_rect() const;
  void draw_ground(QPainter& p) const;

  const Work& work_;
  StepId step_id_;
  int page_ = 0;

 private:
  double playhead_s_ = 0;
};

}  // namespace drevan::desktop
