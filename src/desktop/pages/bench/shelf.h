// All clips by group, each with a small waveform and its loudness after the chain.
#pragma once

#include <QAbstractScrollArea>
#include <QPixmap>
#include <map>
#include <set>

#include "media/peaks.h"
#include "reel/reel.h"
#include "work/work.h"

namespace drevan::desktop {

class Shelf : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit Shelf(const Work& work, QWidget* parent = nullptr);

  /// The clips that are marked (Ctrl or Shift and click); the selected one when none are.
  std::vector<int> marked() const;
  QRectF clip_rect(int clip_id) const;
  QSize sizeHint() const override { return {250, 400}; }

 Q_SIGNALS:
  void context_wanted(const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  bool viewportEvent(QEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void resizeEvent(QResizeEvent*) override;
  void contextMenuEvent(QContextMenuEvent* e) override;

 private:
  struct Row {
    int group = -1;  // a heading
    int clip = 0;    // or a clip's id
    double y = 0, height = 0;
  };
  std::vector<Row> rows() const;
  QRectF rect_of(const Row& row) const;
  void refresh();
  void tell_visible();
  void draw_verdict(QPainter& p, const Clip& clip, QPointF at) const;
  void draw_clip(QPainter& p, const Row& row, const Clip& clip);
  void draw_wave(QPainter& p, const Clip& clip, const QRectF& at);
  QImage draw_outline(const Clip& clip, const PeakPyramid& peaks, QSizeF wave) const;
  int clip_at(double y) const;

  const Work& work_;
  std::set<int> marked_;
  std::vector<Row> rows_;  ///< of the reel as refresh() saw it

  /// A small waveform as it was drawn, and of what.
  struct Wave {
    std::shared_ptr<const PeakPyramid> peaks;
    Samples begin = 0, frames = 0;
    QSize size;
    QPixmap picture;
  };
  std::map<int, Wave> waves_;  ///< by clip
};

}  // namespace drevan::desktop
