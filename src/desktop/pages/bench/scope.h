// SPDX-License-Identifier: GPL-3.0-or-later
// The selected clip over time: before as an outline over after as a body, with room tone, selection
// and playhead.
#pragma once

#include <QPixmap>
#include <QWidget>
#include <optional>

#include "pages/bench/scope_spectrogram.h"
#include "media/peaks.h"
#include "pictures/axes.h"
#include "reel/reel.h"
#include "widgets/time_view.h"
#include "work/open_reel.h"
#include "work/work.h"

class QScrollBar;

namespace drevan::desktop {

class PauseSnap;
class SelectionLevels;

class Scope : public QWidget, public TimeView {
  Q_OBJECT

 public:
  explicit Scope(const Work& work, QWidget* parent = nullptr);

  /// While on, dragging marks the room tone instead of a selection.
  void set_marking(bool on);
  bool marking() const { return marking_; }
  std::optional<ClipRange> selection() const { return selection_; }
  void select(std::optional<ClipRange> range);
  void show_playhead(double seconds);
  /// Seconds shown at the left edge, and shown in all.
  double view_begin() const { return begin_s_; }
  double view_length() const override { return length_s_; }
  void show_range(double begin_s, double length_s);
  /// What can be shown: the clip, and some of what its source has around it.
  ClipRange limits() const;
  void show_all();
  void zoom(double factor, double at_s);
  double x_of(double seconds) const override;
  double seconds_at(double x) const override;

  /// The other face; on or off.
  ScopeSpectrogram& spectrogram() { return *spectrogram_; }
  /// Where the clip's end is held to trim it, and where its fade is.
  QPointF trim_grip(bool end) const;
  QPointF fade_grip(bool end) const;
  /// Where the selected step's gain reduction is drawn; empty when it has none.
  QRectF reduction_rect() const;

  QSize minimumSizeHint() const override { return {200, 64}; }

 Q_SIGNALS:
  void playhead_set(double seconds);
  void selection_changed();
  void marking_ended();
  /// The clip is to be this range alone.
  void trim_wanted(ClipRange keep);
  void view_changed();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void changeEvent(QEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

 private:
  enum class Drag {
    none,
    select,
    mark,
    tone_begin,
    tone_end,
    legend_top,
    legend_floor,
    trim_begin,
    trim_end,
    fade_in,
    fade_out
  };
  void redraw();
  void draw_waves();
  void draw_bodies(QPainter& p, const Clip& clip);
  void draw_reduction(QPainter& p) const;
  TimeAxis axis() const;
  // `map`: from the time that is shown to that of the peaks.
  void mark_overs(QPainter& p, const PeakPyramid& peaks, double rate, const TimeMap& map) const;
  QPolygonF outline(const PeakPyramid& peaks, double rate, bool upper,
                    const TimeMap& map = {}) const;
  QRectF wave_rect() const;
  Drag edge_at(QPointF at) const;
  std::optional<Drag> grip_at(QPointF at) const;
  void drag_grip(double s, bool snaps);
  void end_grip(Drag ended);
  void turn_fade(bool end);
  void draw_edges(QPainter& p, const Clip& clip) const;
  void draw_fade(QPainter& p, const EdgeFade& fade, bool end) const;
  void draw_levels(QPainter& p) const;
  void draw_selection(QPainter& p) const;
  QString selection_text() const;
  void draw_heard(QPainter& p) const;
  void drag_legend(double y);
  void let_go_of_another();

  const Work& work_;
  QPixmap waves_;  // everything but selection and playhead
  bool stale_ = true;
  double begin_s_ = 0, length_s_ = 1;
  double playhead_s_ = 0;
  ClipId clip_shown_ = 0;
  std::optional<ClipRange> selection_;
  std::optional<ClipRange> marked_;  // while dragging
  bool marking_ = false;
  Drag drag_ = Drag::none;
  Grab grab_;                        // the clip in which it is dragged
  std::optional<ClipRange> kept_;    // while an end is dragged
  std::optional<EdgeFade> fade_[2];  // while it is dragged
  double pressed_x_ = 0;
  double pressed_y_ = 0, pressed_top_db_ = 0, pressed_range_db_ = 0;
  ScopeSpectrogram* spectrogram_;
  SelectionLevels* levels_;
  PauseSnap* pauses_;
};

}  // namespace drevan::desktop
