// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/cut_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "theme/theme.h"
#include "widgets/columns.h"

namespace drevan::desktop {

namespace {
constexpr double ruler_height = 20, edge_reach = 5;
}

CutView::CutView(QWidget* parent) : QWidget(parent) {
  setObjectName("cut_view");
  setAccessibleName(tr("The take and its pieces"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setToolTip(
      tr("<p>Drag a piece's end to move it, click a piece to choose it, Delete drops it, a double "
         "click or Return plays it. The wheel zooms, dragging between pieces moves along.</p>"));
}

void CutView::show_take(std::shared_ptr<const PeakPyramid> peaks, double rate, double begin_s,
                        double length_s) {
  const bool other = length_s != take_length_s_;
  peaks_ = std::move(peaks);
  rate_ = rate;
  take_begin_s_ = begin_s;
  take_length_s_ = std::max(0.01, length_s);
  if (other) show_range(0, take_length_s_);
  wave_ = {};
  update();
}

void CutView::set_pieces(std::vector<edits::Piece> pieces) {
  pieces_ = std::move(pieces);
  current_.reset();
  held_.reset();
  update();
}

void CutView::show_playhead(double s) {
  if (s == playhead_s_) return;
  playhead_s_ = s;
  update();
}

TimeAxis CutView::axis() const {
  return {QRectF(0, 0, width(), height() - ruler_height), begin_s_, length_s_};
}

QRectF CutView::piece_rect(size_t i) const {
  const auto& range = pieces_.at(i).range;
  const double left = axis().x_of(range.begin.s);
  return {left, 0, axis().x_of(range.end.s) - left, axis().rect.height()};
}

void CutView::show_range(double begin_s, double length_s) {
  length_s_ = std::clamp(length_s, std::min(0.05, take_length_s_), take_length_s_);
  begin_s_ = std::clamp(begin_s, 0.0, take_length_s_ - length_s_);
  wave_ = {};
  update();
  Q_EMIT view_changed();
}

void CutView::zoom(double factor, double at_s) {
  show_range(at_s - (at_s - begin_s_) / factor, length_s_ / factor);
}

void CutView::draw_wave() {
  const Theme& t = theme();
  const double ratio = devicePixelRatioF();
  wave_ = QPixmap(size() * ratio);
  wave_.setDevicePixelRatio(ratio);
  wave_.fill(t.panel);
  if (!peaks_) return;
  QPainter p(&wave_);
  const QRectF r = axis().rect;
  Columns columns(r.size().toSize(), ratio);
  QPolygonF upper, lower;
  // To the take's own peak: it shows where words are.
  const PeakPair all =
      peaks_->range(static_cast<Samples>(take_begin_s_ * rate_),
                    static_cast<Samples>((take_begin_s_ + take_length_s_) * rate_));
  const double peak = std::max(0.001, static_cast<double>(std::max(all.high, -all.low)));
  const double half = (r.height() / 2 - 2) / peak;
  for (int x = 0; x <= width(); ++x) {
    const auto from = static_cast<Samples>((take_begin_s_ + axis().s_at(x)) * rate_);
    const auto to = static_cast<Samples>((take_begin_s_ + axis().s_at(x + 1)) * rate_);
    const PeakPair pair = peaks_->range(from, std::max(to, from + 1));
    upper << QPointF(x, r.center().y() - static_cast<double>(pair.high) * half - 0.3);
    lower << QPointF(x, r.center().y() - static_cast<double>(pair.low) * half + 0.3);
  }
  columns.fill(upper, lower, t.before);
  p.drawImage(r.topLeft(), columns.image());
  p.setFont(small_font());
  axis().draw(p);
}

void CutView::paintEvent(QPaintEvent*) {
  if (wave_.size() != size() * devicePixelRatioF()) draw_wave();
  QPainter p(this);
  p.drawPixmap(0, 0, wave_);
  const Theme& t = theme();
  p.setFont(small_font());
  double named_to = -1;  // names that would run into each other are left out
  for (size_t i = 0; i < pieces_.size(); ++i) {
    const QRectF r = piece_rect(i);
    if (r.right() < 0 || r.left() > width()) continue;
    const bool chosen = current_ == i;
    p.fillRect(r, faded(chosen ? t.attention : t.after, chosen ? 0.32 : 0.2));
    p.setPen(QPen(chosen ? t.attention : t.after, 1));
    p.drawLine(r.topLeft(), r.bottomLeft());
    p.drawLine(r.topRight(), r.bottomRight());
    const QString name =
        pieces_[i].name.empty() ? QString::number(i + 1) : QString::fromStdString(pieces_[i].name);
    const double x = std::max(r.left(), 0.0) + 4;
    const double room = std::max(r.right() - x, 18.0);
    if (x < named_to) continue;
    p.setPen(chosen ? t.text : t.quiet);
    const QString shown = p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(room));
    p.drawText(QPointF(x, 13), shown);
    named_to = x + p.fontMetrics().horizontalAdvance(shown) + 4;
  }
  if (playhead_s_ >= 0) {
    p.setPen(QPen(t.attention, 1.5));
    const double x = axis().x_of(playhead_s_);
    p.drawLine(QPointF(x, 0), QPointF(x, axis().rect.bottom()));
  }
  if (hasFocus()) {
    p.setPen(QPen(t.attention, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
  }
}

void CutView::resizeEvent(QResizeEvent*) { wave_ = {}; }

std::optional<CutView::Edge> CutView::edge_at(double x) const {
  std::optional<Edge> best;
  double least = edge_reach;
  for (size_t i = 0; i < pieces_.size(); ++i) {
    const QRectF r = piece_rect(i);
    for (const bool end : {false, true}) {
      const double d = std::abs(x - (end ? r.right() : r.left()));
      if (d >= least) continue;
      least = d;
      best = Edge{i, end};
    }
  }
  return best;
}

std::optional<size_t> CutView::piece_at(double x) const {
  const double s = axis().s_at(x);
  for (size_t i = 0; i < pieces_.size(); ++i)
    if (s >= pieces_[i].range.begin.s && s < pieces_[i].range.end.s) return i;
  return std::nullopt;
}

void CutView::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  held_ = edge_at(e->position().x());
  current_ = held_ ? std::optional(held_->piece) : piece_at(e->position().x());
  if (!current_) scrolled_from_ = e->position().x();
  update();
}

void CutView::mouseMoveEvent(QMouseEvent* e) {
  const double x = e->position().x();
  if (held_) return move_edge(*held_, axis().s_at(x));
  if (scrolled_from_) {
    show_range(begin_s_ - (x - *scrolled_from_) / width() * length_s_, length_s_);
    scrolled_from_ = x;
    return;
  }
  setCursor(edge_at(x) ? Qt::SizeHorCursor : Qt::ArrowCursor);
}

void CutView::mouseReleaseEvent(QMouseEvent*) {
  scrolled_from_.reset();
  if (std::exchange(held_, std::nullopt)) Q_EMIT pieces_changed();
}

void CutView::move_edge(const Edge& edge, double s) {
  auto& range = pieces_[edge.piece].range;
  constexpr double least = 2 * edits::least_piece_s;
  if (edge.end)
    range.end.s =
        std::clamp(s, range.begin.s + least, std::max(range.begin.s + least, take_length_s_));
  else
    range.begin.s = std::clamp(s, 0.0, range.end.s - least);
  update();
}

void CutView::mouseDoubleClickEvent(QMouseEvent* e) {
  if (const auto i = piece_at(e->position().x()))
    Q_EMIT piece_wanted(pieces_[*i].range.begin.s, pieces_[*i].range.end.s);
}

void CutView::wheelEvent(QWheelEvent* e) {
  const double steps =
      (e->angleDelta().y() != 0 ? e->angleDelta().y() : -e->angleDelta().x()) / 120.0;
  if (e->modifiers() & Qt::ShiftModifier || e->angleDelta().x() != 0)
    show_range(begin_s_ - steps * length_s_ * 0.12, length_s_);
  else
    zoom(std::pow(1.25, steps), axis().s_at(e->position().x()));
  e->accept();
}

void CutView::drop_current() {
  if (!current_ || *current_ >= pieces_.size()) return;
  pieces_.erase(pieces_.begin() + static_cast<std::ptrdiff_t>(*current_));
  current_ =
      pieces_.empty() ? std::nullopt : std::optional(std::min(*current_, pieces_.size() - 1));
  update();
  Q_EMIT pieces_changed();
}

void CutView::show_current() {
  const auto& range = pieces_[*current_].range;
  if (range.begin.s < begin_s_ || range.end.s > begin_s_ + length_s_)
    show_range((range.begin.s + range.end.s - length_s_) / 2, length_s_);
  update();
}

void CutView::keyPressEvent(QKeyEvent* e) {
  const bool forward = e->key() == Qt::Key_Right, back = e->key() == Qt::Key_Left;
  if ((forward || back) && !pieces_.empty()) {
    const size_t last = pieces_.size() - 1;
    if (!current_)
      current_ = forward ? 0 : last;
    else if (forward)
      current_ = std::min(*current_ + 1, last);
    else if (*current_ > 0)
      --*current_;
    return show_current();
  }
  if (e->key() == Qt::Key_Delete || e->key() == Qt::Key_Backspace) return drop_current();
  if (e->key() == Qt::Key_Return && current_)
    return Q_EMIT piece_wanted(pieces_[*current_].range.begin.s, pieces_[*current_].range.end.s);
  if (e->key() == Qt::Key_Plus) return zoom(1.5, begin_s_ + length_s_ / 2);
  if (e->key() == Qt::Key_Minus) return zoom(1 / 1.5, begin_s_ + length_s_ / 2);
  QWidget::keyPressEvent(e);
}

}  // namespace drevan::desktop
