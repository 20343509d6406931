// SPDX-License-Identifier: GPL-3.0-or-later
// The chain drawn as what it does: one column per step, a bar from noise floor to peak with the
// loudness marked, joined from step to step.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

class QMenu;

namespace drevan::desktop {

class LevelPathView : public QWidget {
  Q_OBJECT

 public:
  explicit LevelPathView(const Work& work, QWidget* parent = nullptr);

  QSize minimumSizeHint() const override;
  /// Where the column of a step is drawn; empty when there is none. For tests and the scroll area.
  QRectF step_rect(StepPlace place) const;
  QRectF switch_rect(StepPlace place) const;
  /// The plus at the end of a chain.
  QRectF add_rect(ChainOwner owner) const;
  /// Opens the list of steps to add at a place.
  void ask_step(ChainOwner owner, int index, const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void leaveEvent(QEvent*) override;
  void keyPressEvent(QKeyEvent* e) override;
  bool event(QEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;

 private:
  enum class Kind { source, step, add };
  struct Column {
    Kind kind = Kind::source;
    StepPlace place;
    const ChainStep* step = nullptr;
    bool runs = true;  // it is on and the clip does not sit out
    int stage = 0;     // index into LevelPath::stages; of a step that does not run: the one before
    double x = 0, width = 0;
  };
  std::vector<Column> columns() const;
  QRectF column_rect(const Column& c) const;
  QRectF plot_rect() const;
  double y_of(double db) const;
  const Column* at(const std::vector<Column>& all, double x) const;
  /// The place between columns nearest to x, for dropping and for the plus.
  std::optional<StepPlace> gap_at(const std::vector<Column>& all, double x, double* gap_x) const;
  void draw_axis(QPainter& p) const;
  void draw_target(QPainter& p) const;
  void draw_sections(QPainter& p, const std::vector<Column>& all) const;
  void draw_links(QPainter& p, const std::vector<Column>& all) const;
  void draw_column(QPainter& p, const Column& c) const;
  void draw_bar(QPainter& p, const Column& c) const;
  // A copy: the edit replaces the reel that holds the step.
  void switch_step(const ChainStep& step);
  void remove_step(StepId step);
  void move_step(StepId step, StepPlace to);
  std::optional<StepPlace> selected_place() const;
  void move_selected(int by);

  const Work& work_;
  Grab grab_;  // the clip in whose path a step is dragged
  StepId pressed_ = 0;
  QPointF pressed_at_;
  bool dragging_ = false;
  QPointF pointer_{-1, -1};
};

}  // namespace drevan::desktop
