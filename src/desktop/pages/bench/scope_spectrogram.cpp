// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/scope_spectrogram.h"

#include <QPainter>

#include "pictures/axes.h"
#include "theme/theme.h"
#include "work/listening.h"

namespace drevan::desktop {

namespace {

// From nothing by way of the role's colour to the text's: darker is always quieter.
QRgb shade(double f, const QColor& role) {
  const Theme& t = theme();
  const auto mix = [](const QColor& a, const QColor& b, double m) {
    return qRgb(static_cast<int>(a.red() + m * (b.red() - a.red())),
                static_cast<int>(a.green() + m * (b.green() - a.green())),
                static_cast<int>(a.blue() + m * (b.blue() - a.blue())));
  };
  return f < 0.6 ? mix(t.window, role, f / 0.6) : mix(role, t.text, (f - 0.6) / 0.4);
}

}  // namespace

ScopeSpectrogram::ScopeSpectrogram(const Work& work, QObject* parent)
    : QObject(parent), work_(work), lane_(work.document, TaskLane::Urgency::background) {
  connect(&work_.listening, &Listening::plan_changed, this, [this] {
    stale_ = true;
    start();
  });
}

void ScopeSpectrogram::set_on(bool on) {
  if (on == on_) return;
  on_ = on;
  if (on)
    start();
  else
    lane_.cancel();
  Q_EMIT changed();
}

void ScopeSpectrogram::set_show(Show show) {
  show_ = show;
  Q_EMIT changed();
}

void ScopeSpectrogram::set_range(double top_db, double range_db) {
  range_db_ = std::clamp(range_db, least_range_db, most_range_db);
  top_db_ = std::clamp(top_db, -60.0, 0.0);
  render();
  Q_EMIT changed();
}

void ScopeSpectrogram::set_matched(bool matched) {
  if (matched == matched_) return;
  matched_ = matched;
  stale_ = true;
  start();
}

void ScopeSpectrogram::want(double begin_s, double length_s, QSize pixels) {
  const bool same = view_.begin_s == begin_s && view_.length_s == length_s &&
                    view_.columns == pixels.width() && view_.rows == pixels.height();
  if (same) return;
  view_.begin_s = begin_s;
  view_.length_s = length_s;
  view_.columns = std::max(16, pixels.width());
  view_.rows = std::max(16, pixels.height());
  stale_ = true;
  start();
}

void ScopeSpectrogram::start() {
  const auto plan = work_.listening.plan();
  if (!on_ || !stale_) return;
  if (!plan) {
    lane_.cancel();
    picture_ = {};
    return render();
  }
  stale_ = false;
  auto view = view_;
  view.matched = matched_;
  lane_.start([this, plan, view](const CancelToken& cancel) -> TaskLane::Finish {
    const auto take = [this](const Spectrogram& s) {
      picture_ = s;
      render();
      Q_EMIT changed();
    };
    Spectrogram last;
    try {
      draw_spectrogram(plan, view, cancel, [&](const Spectrogram& s) {
        cancel.check();
        last = s;
        lane_.post(cancel, [take, s] { take(s); });
      });
    } catch (const Error&) {
      return {};  // the measuring of levels tells what is wrong
    }
    return [take, last] { take(last); };
  });
}

QImage ScopeSpectrogram::image_of(const std::vector<std::uint8_t>& cells, const QColor& role,
                                  double gain_db) const {
  if (cells.empty()) return {};
  std::array<QRgb, 256> colors;
  for (int i = 0; i < 256; ++i)
    colors[static_cast<size_t>(i)] = shade(
        std::clamp(
            (Spectrogram::level_db(static_cast<std::uint8_t>(i)) + gain_db - top_db_ + range_db_) /
                range_db_,
            0.0, 1.0),
        role);
  QImage image(picture_.columns, picture_.rows, QImage::Format_RGB32);
  for (int y = 0; y < picture_.rows; ++y) {
    auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
    const auto* from =
        cells.data() + static_cast<size_t>(y) * static_cast<size_t>(picture_.columns);
    for (int x = 0; x < picture_.columns; ++x) line[x] = colors[from[x]];
  }
  return image;
}

void ScopeSpectrogram::render() {
  const Theme& t = theme();
  // As when listening: before is shown as loud as after, so that what differs is not just level.
  const auto plan = work_.listening.plan();
  images_[0] = image_of(picture_.before, t.before, matched_ && plan ? plan->match_db : 0);
  images_[1] = image_of(picture_.after, t.after, 0);
  images_[2] = image_of(picture_.removed, t.removed, 0);
}

void ScopeSpectrogram::draw(QPainter& p, const QRectF& rect, double begin_s, double length_s) {
  const Theme& t = theme();
  const bool step = work_.listening.solo_step();
  if (show_ == Show::before_over_after) {
    const QRectF upper(rect.left(), rect.top(), rect.width(), std::floor(rect.height() / 2) - 1);
    const QRectF lower(rect.left(), upper.bottom() + 2, rect.width(),
                       rect.bottom() - upper.bottom() - 2);
    draw_part(p, upper, images_[0], begin_s, length_s,
              step ? tr("before this step") : tr("before"));
    draw_part(p, lower, images_[1], begin_s, length_s, step ? tr("after this step") : tr("after"));
    draw_legend(p, rect, t.quiet);
    return;
  }
  const bool removed = show_ == Show::removed;
  draw_part(p, rect, images_[removed ? 2 : 1], begin_s, length_s,
            removed ? (step ? tr("removed by this step") : tr("removed"))
            : step  ? tr("after this step")
                    : tr("after"));
  draw_legend(p, rect, removed ? t.removed : t.after);
}

void ScopeSpectrogram::draw_part(QPainter& p, const QRectF& rect, const QImage& image,
                                 double begin_s, double length_s, const QString& name) const {
  const Theme& t = theme();
  p.save();
  p.setClipRect(rect);
  p.fillRect(rect, t.window);
  if (!image.isNull()) {
    // What there is of another part of the clip stands in until the wanted one comes.
    const double left = rect.left() + (picture_.begin_s - begin_s) / length_s * rect.width();
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(
        QRectF(left, rect.top(), picture_.length_s / length_s * rect.width(), rect.height()),
        image);
  }
  p.setFont(small_font());
  const auto chip = [&](QRectF at, const QString& text, const QColor& color) {
    p.fillRect(at, faded(t.window, 0.55));
    p.setPen(color);
    p.drawText(at, Qt::AlignCenter, text);
  };
  const double all = std::log(picture_.high_hz / picture_.low_hz);
  for (const double hz : {100.0, 300.0, 1000.0, 3000.0, 10000.0}) {
    if (rect.height() < 90 && (hz == 300 || hz == 3000)) continue;
    const double y = rect.top() + std::log(picture_.high_hz / hz) / all * rect.height();
    p.setPen(QPen(faded(t.text, 0.12), 1));
    p.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y));
    chip({rect.left() + 2, y - 7, 26, 14},
         hz < 1000 ? QString::number(hz) : QString("%1k").arg(hz / 1000), t.quiet);
  }
  const double width = QFontMetricsF(small_font()).horizontalAdvance(name) + 12;
  chip({rect.right() - width - 56, rect.top() + 3, width, 16}, name, t.text);
  p.restore();
}

void ScopeSpectrogram::draw_legend(QPainter& p, const QRectF& rect, const QColor& role) const {
  const Theme& t = theme();
  const QRectF r = legend_rect(rect);
  p.fillRect(r.adjusted(-34, -6, 4, 6), faded(t.window, 0.6));
  for (double y = r.top(); y < r.bottom(); ++y)
    p.fillRect(QRectF(r.left(), y, r.width(), 1.2),
               QColor(shade((r.bottom() - y) / r.height(), role)));
  p.setFont(small_font());
  p.setPen(t.text);
  p.drawText(QRectF(r.left() - 34, r.top() - 6, 30, 14), Qt::AlignRight | Qt::AlignVCenter,
             QString::number(top_db_, 'f', 0));
  p.drawText(QRectF(r.left() - 34, r.bottom() - 8, 30, 14), Qt::AlignRight | Qt::AlignVCenter,
             QString::number(top_db_ - range_db_, 'f', 0));
}

}  // namespace drevan::desktop
