// SPDX-License-Identifier: GPL-3.0-or-later
// A take's waveform with the pieces it is to be cut into: their ends can be dragged, pieces
// dropped.
#pragma once

#include <QPixmap>
#include <QWidget>
#include <memory>
#include <optional>
#include <vector>

#include "media/peaks.h"
#include "pictures/axes.h"
#include "reel/edits/cuts.h"

namespace drevan::desktop {

class CutView : public QWidget {
  Q_OBJECT

 public:
  explicit CutView(QWidget* parent = nullptr);

  /// The take: `peaks` of its whole source at `rate`, where it begins in that, how long it is.
  void show_take(std::shared_ptr<const PeakPyramid> peaks, double rate, double begin_s,
                 double length_s);
  void set_pieces(std::vector<edits::Piece> pieces);
  const std::vector<edits::Piece>& pieces() const { return pieces_; }
  void show_playhead(double s);
  void zoom(double factor, double at_s);
  /// A piece's ends, on the screen.
  QRectF piece_rect(size_t i) const;
  /// The piece that keys act on; empty: none.
  std::optional<size_t> current() const { return current_; }

  QSize sizeHint() const override { return {880, 230}; }
  QSize minimumSizeHint() const override { return {300, 120}; }

 Q_SIGNALS:
  /// By hand: a piece was dragged or dropped.
  void pieces_changed();
  /// A piece is to be heard.
  void piece_wanted(double from_s, double to_s);
  void view_changed();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

 private:
  struct Edge {
    size_t piece = 0;
    bool end = false;
  };
  TimeAxis axis() const;
  void show_range(double begin_s, double length_s);
  void draw_wave();
  std::optional<Edge> edge_at(double x) const;
  std::optional<size_t> piece_at(double x) const;
  void move_edge(const Edge& edge, double s);
  void drop_current();
  void show_current();

  std::shared_ptr<const PeakPyramid> peaks_;
  double rate_ = 48000, take_begin_s_ = 0, take_length_s_ = 1;
  double begin_s_ = 0, length_s_ = 1, playhead_s_ = -1;
  std::vector<edits::Piece> pieces_;
  std::optional<size_t> current_;
  std::optional<Edge> held_;
  std::optional<double> scrolled_from_;  // x, while the view is dragged
  QPixmap wave_;
};

}  // namespace drevan::desktop
