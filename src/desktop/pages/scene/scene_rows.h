// SPDX-License-Identifier: GPL-3.0-or-later
// Films, events and clips over time: a row for each group, clips as silhouettes on a ruler in dB, and
// a row for the space or the mix where that is chosen.
#pragma once

#include <QAbstractScrollArea>
#include <QPixmap>
#include <optional>
#include <set>
#include <vector>

#include "reel/times/crossings.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLineEdit;

namespace drevan {
struct SoundCourse;
}

namespace drevan::desktop {

/// What is drawn over a row: a setting of one of the clip's chains, a send, or the clip's gain. Of a
/// space or the mix the same, but sends.
struct RowLine {
  StepId step = 0;
  int parameter = 0;  ///< of the step, or on_parameter
  SpaceId space = 0;  ///< a send's
  bool of_gain() const { return step == 0 && space == 0; }
};

class SceneRows : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit SceneRows(const Work& work, QWidget* parent = nullptr);

  // --- time ---
  double x_of(double reel_s) const;
  double seconds_at(double x) const;
  /// Where time begins, right of headers and rulers.
  static constexpr double ruler_right() { return header_width + ruler_width; }
  /// By a factor, a moment staying where it is.
  void zoom(double by, double around_s);
  void show_all();
  double view_begin() const { return begin_s_; }
  double view_seconds() const;
  /// What there is, and a little more.
  double all_seconds() const;

  // --- the playhead ---
  double playhead() const { return playhead_s_; }
  /// Moved by playing: `follow` keeps it in sight.
  void show_playhead(double reel_s, bool follow);

  // --- what is chosen ---
  /// The clips that are marked (Ctrl or Shift and click); the selected one when none are.
  std::vector<ClipId> marked() const;
  /// The id of an event; empty: none.
  std::optional<EventId> event() const { return event_; }
  /// Marks an event at the playhead, and lets its name be typed when nothing plays.
  void mark_event(bool name_it);
  /// Takes out the event that is chosen, or the marked clips.
  void remove_chosen();
  /// The selected clip's gain can be drawn over its row, or no longer; a space's or the mix's, too.
  void toggle_gain_line();
  /// A setting of the selected clip is drawn over its row; where it has no curve yet, it gets one.
  void show_line(const RowLine& of);
  /// What is drawn stands still again.
  void take_line_out();
  RowLine line() const;
  /// Where a point of that line stands. For tests.
  QPointF line_point(size_t i) const;
  void nudge(double by_s);
  /// Copies of the marked clips, behind the last of them; they are marked then.
  void duplicate_marked();
  /// The selected clip sounds along with what it overlaps, or is crossfaded with it again.
  void set_layered(bool layered);
  /// What is heard of the selected clip at the playhead is bound there.
  void bind_at_playhead();
  /// Where a bound moment of the selected clip is drawn. For tests.
  QPointF anchor_point(size_t i) const;
  /// The dot that shapes a crossfade. For tests.
  QPointF crossing_dot(ClipId before, ClipId after) const;

  // --- geometry, for tests and pictures ---
  QRectF clip_rect(ClipId clip_id) const;
  QRectF event_rect(EventId id) const;
  QRectF header_rect(GroupId group) const;
  QRectF row_rect(GroupId group) const;
  /// Of the space or the mix that is selected: it stays in sight at the bottom. Empty: none is.
  QRectF bus_rect() const;
  bool folded(GroupId group) const;

 Q_SIGNALS:
  /// The playhead was set by hand, or dragged or stepped along.
  void playhead_set(double reel_s);
  void playhead_dragged(double reel_s);
  /// Other moments are in sight, or other things.
  void view_changed();
  /// Another event or other clips are chosen.
  void chosen_changed();
  /// A clip is to be looked at on the Bench.
  void bench_wanted();
  void context_wanted(const QPoint& global);
  void film_context_wanted(int film, const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void hideEvent(QHideEvent* e) override;
  void scrollContentsBy(int, int) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  bool viewportEvent(QEvent* e) override;
  void changeEvent(QEvent* e) override;

 private:
  enum class Drag {
    none,
    playhead,
    clips,
    event,
    trim_begin,
    trim_end,
    stretch,
    line,
    cross,
    anchor
  };
  static constexpr double header_width = 132, ruler_width = 28;
  static constexpr double strip_height = 40, event_height = 22, fold_height = 22;
  static constexpr double least_row = 56, most_row = 110;
  static constexpr double bottom_db = -60;

  // paint
  void redraw();
  void draw_strip(QPainter& p) const;
  void draw_events(QPainter& p) const;
  void draw_row(QPainter& p, GroupId group) const;
  void draw_bus(QPainter& p) const;
  void draw_ruler(QPainter& p, const QRectF& row) const;
  void draw_header(QPainter& p, GroupId group) const;
  void draw_clip(QPainter& p, const Clip& clip) const;
  void draw_silhouettes(QPainter& p) const;
  struct Silhouette {
    QRectF row{};
    double from_s = 0, gain_db = 0, strength = 1;
  };
  void draw_silhouette(QImage& on, const Silhouette& how, const SoundCourse& course) const;
  void draw_line(QPainter& p) const;
  void draw_recording(QPainter& p) const;
  void draw_crossings(QPainter& p) const;
  double y_of(const QRectF& row, double db) const;
  QRectF part_rect(GroupId group, int part) const;  // of the header: 0 only, 1 off
  double rows_top() const;
  double rows_height() const;
  double row_height() const;
  void lay_out_rows();
  double clip_seconds(const Clip& clip) const;
  /// The space or the mix, where it is selected.
  const Clip* bus() const;
  QRectF row_of(const Clip& clip) const;
  void follow_size();

  // what is held
  void keep_hold();
  void let_go();
  void end_name();
  /// The clip whose end or bound moment is held.
  const Clip& held() const;

  // input
  bool in_rows(QPointF at) const;
  /// 0: there is none.
  ClipId clip_at(QPointF at) const;
  /// Whose pictures are drawn there; -1: no film's.
  int film_at(QPointF at) const;
  /// Its id; 0: there is none.
  EventId event_at(QPointF at) const;
  GroupId header_at(QPointF at) const;
  void press_header(GroupId group, QPointF at);
  void choose_clip(ClipId clip, Qt::KeyboardModifiers how);
  void drag_clips(double x, bool snaps);
  /// The end of the selected clip that the pointer is at: Drag::trim_begin, trim_end or none.
  Drag edge_at(QPointF at) const;
  void drag_edge(double x, bool snaps);
  void end_edge();
  void stretch_marked(const Clip& held);
  /// The clip whose row has the line; nullptr: none.
  const Clip* line_clip() const;
  const Parameter& line_parameter() const;
  std::optional<Curve> line_curve() const;
  double line_begin_s() const;
  void draw_line_as(const std::optional<Curve>& curve);
  double line_y(double value) const;
  double line_value(double y) const;
  QString line_name() const;
  /// The point of the line that the pointer is at; the number of points: the line itself; -1:
  /// neither.
  int line_hit(QPointF at) const;
  void press_line(int hit, QPointF at);
  void drag_line(QPointF at);
  void take_point_out(int hit);
  /// The bound moment of the selected clip that the pointer is at; -1: none.
  int anchor_hit(QPointF at) const;
  void drag_anchor(double x, bool snaps);
  void end_anchor();
  void end_event();
  void draw_anchors(QPainter& p) const;
  /// Of the rows that are open, as they stand.
  const std::vector<Crossing>& crossings() const;
  QPointF dot_of(const Crossing& crossing) const;
  /// The two clips whose crossfade the pointer shapes.
  std::optional<std::pair<ClipId, ClipId>> crossing_at(QPointF at) const;
  void drag_crossing(QPointF at);
  std::optional<double> snapped(double s, const std::set<ClipId>& but) const;
  enum class By { jump, drag };
  void set_playhead(double s, By how);
  void rename_event(EventId id);
  QString tip_at(QPointF at) const;

  const Work& work_;
  double begin_s_ = 0, per_pixel_s_ = 0.1;
  bool fitted_ = false;  // the view shows all until it is zoomed by hand
  double playhead_s_ = 0;
  std::set<ClipId> marked_;
  std::optional<EventId> event_;
  std::set<GroupId> folded_;
  std::vector<double> row_tops_{0};  // of the groups and behind the last, from the first one's top
  QPixmap drawn_;
  bool stale_ = true;
  Drag drag_ = Drag::none;
  Grab grab_;   // of what is dragged
  Grab named_;  // of what name_ names
  QPointF pressed_;
  bool moved_ = false;
  double pressed_s_ = 0;
  std::vector<std::pair<ClipId, double>> places_;  // of the dragged clips, when they were pressed
  std::optional<double> snap_line_s_;
  double edge_s_ = 0;  // where the dragged end of a clip has come to
  RowLine line_;       // as it was chosen
  size_t line_point_ = 0;
  int anchor_ = 0;  // the bound moment that is held; edge_s_ is where it has come to
  mutable std::shared_ptr<const Reel> crossings_of_;  // whose crossings_ are
  mutable std::vector<Crossing> crossings_;
  std::pair<ClipId, ClipId> crossing_;  // the clips whose crossfade is held
  QLineEdit* name_ = nullptr;
};

}  // namespace drevan::desktop
