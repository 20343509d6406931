// SPDX-License-Identifier: GPL-3.0-or-later
// All clips by group, each with a small waveform and its loudness after the chain. Clips and groups
// are dragged into another order, renamed in place, folded and searched.
#pragma once

#include <QAbstractScrollArea>
#include <QPixmap>
#include <map>
#include <optional>
#include <set>

#include "media/peaks.h"
#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLineEdit;

namespace drevan::desktop {

class Shelf : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit Shelf(const Work& work, QWidget* parent = nullptr);

  /// The clips that are marked (Ctrl or Shift and click); the selected one when none are.
  std::vector<ClipId> marked() const;
  void mark_all();
  QRectF clip_rect(ClipId clip_id) const;
  QRectF group_rect(GroupId group) const;
  /// Which group an entry of the menu means: the one whose heading was touched last, else the
  /// selected clip's.
  GroupId group_at_hand() const;
  void touch_group(GroupId group) { touched_group_ = group; }
  /// Only clips whose name or group holds all of these words are shown.
  void set_filter(const QString& words);
  bool folded(GroupId group) const;
  void fold(GroupId group, bool folded);
  void fold_all(bool folded);
  /// A field opens over the name; Return takes what is typed.
  void rename_clip(ClipId clip_id);
  void rename_group(GroupId group);
  QSize sizeHint() const override { return {250, 400}; }

 Q_SIGNALS:
  void context_wanted(const QPoint& global);
  void group_context_wanted(const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  bool viewportEvent(QEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void resizeEvent(QResizeEvent*) override;
  void hideEvent(QHideEvent* e) override;
  void changeEvent(QEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dragMoveEvent(QDragMoveEvent* e) override;
  void dragLeaveEvent(QDragLeaveEvent*) override;
  void dropEvent(QDropEvent* e) override;

 private:
  struct Row {
    GroupId group = 0;  // of the clip, or a heading
    ClipId clip = 0;    // its id; 0: a heading
    double y = 0, height = 0;
  };
  /// Where what is dragged would go: before a clip (0: at the end) of a group.
  struct Landing {
    GroupId group = 0;
    ClipId before = 0;
    double y = 0;  // where the line is drawn
  };
  std::vector<Row> rows() const;
  QRectF rect_of(const Row& row) const;
  const Row* row_at(double y) const;
  void refresh();
  void tell_visible();
  void draw_verdict(QPainter& p, const Clip& clip, QPointF at) const;
  void draw_clip(QPainter& p, const Row& row, const Clip& clip);
  void draw_heading(QPainter& p, const Row& row, const Group& group) const;
  void draw_landing(QPainter& p) const;
  void draw_wave(QPainter& p, const Clip& clip, const QRectF& at);
  QImage draw_outline(const Clip& clip, const PeakPyramid& peaks, QSizeF wave) const;
  QString heading_tip(GroupId group) const;
  QString clip_tip(ClipId clip) const;
  void press_clip(ClipId id, Qt::KeyboardModifiers keys);
  void mark_to(ClipId id);
  void go_by(int steps);
  void scroll_to(const QRectF& r);
  Landing landing_at(double y) const;
  void land(const Landing& at);
  void edit_name(const QRectF& at, const QString& name, std::function<void(std::string)> taken);

  const Work& work_;
  std::set<ClipId> marked_;
  std::vector<Row> rows_;  ///< of the reel as refresh() saw it
  QStringList filter_;
  std::set<GroupId> folded_;
  GroupId touched_group_ = 0;

  Grab grab_;                       // the clips, or the reel of the group, that are dragged
  std::optional<QPointF> pressed_;  // where; with what:
  ClipId pressed_clip_ = 0;
  GroupId pressed_group_ = 0;
  std::optional<Landing> landing_;  // while something is dragged
  void end_name();
  QLineEdit* name_ = nullptr;

  /// A small waveform as it was drawn, and of what.
  struct Wave {
    std::shared_ptr<const PeakPyramid> peaks;
    Samples begin = 0, frames = 0;
    QSize size;
    QPixmap picture;
  };
  std::map<ClipId, Wave> waves_;  ///< by clip
};

}  // namespace drevan::desktop
