// SPDX-License-Identifier: GPL-3.0-or-later
// The clip's ends in the scope: trimmed along the ruler, faded at the upper corners; the levels
// that are read off it.
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "audio/decibel.h"
#include "audio/time_text.h"
#include "pages/bench/pause_snap.h"
#include "pages/bench/scope.h"
#include "pages/bench/selection_levels.h"
#include "reel/edits/cuts.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/heard.h"
#include "work/measurements.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {

constexpr double grip_reach = 9, snap_reach = 8;  // pixels
constexpr double least_around_s = 2, around_share = 0.25;

// The largest sample of a range, in dBFS.
QString peak_text(const PeakPyramid* peaks, double rate, double from_s, double to_s) {
  if (!peaks) return "-";
  const PeakPair pair = peaks->range(
      static_cast<Samples>(from_s * rate),
      std::max(static_cast<Samples>(to_s * rate), static_cast<Samples>(from_s * rate) + 1));
  const double peak = static_cast<double>(std::max(pair.high, -pair.low));
  return peak > 0 ? QString::number(to_db(peak), 'f', 1) : QString("-");
}

}  // namespace

ClipRange Scope::limits() const {
  const double all = std::max(0.01, work_.selection.clip_seconds());
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip)) return {{0}, {all}};
  const Source& source = work_.document.reel().source_of(*clip);
  const double around = std::max(least_around_s, all * around_share);
  const double before = static_cast<double>(clip->begin) / source.rate;
  const double behind =
      static_cast<double>(source.frames - clip->begin - clip->frames) / source.rate;
  return {{-std::min(before, around)}, {all + std::min(behind, around)}};
}

QPointF Scope::trim_grip(bool end) const {
  const ClipRange now = kept_.value_or(ClipRange{{0}, {work_.selection.clip_seconds()}});
  // At the window's edges they stay within.
  return {std::clamp(x_of(end ? now.end.s : now.begin.s), 3.0, width() - 3.0),
          axis().rect.bottom() + 10};
}

QPointF Scope::fade_grip(bool end) const {
  const Clip* clip = work_.selection.clip();
  const double all = work_.selection.clip_seconds();
  if (!clip) return {};
  const EdgeFade fade = fade_[end ? 1 : 0].value_or(end ? clip->fade_out : clip->fade_in);
  const double seconds = std::max(0.0, fade.seconds - fade.gone_s);
  return {std::clamp(x_of(end ? all - seconds : seconds), 4.0, width() - 4.0), 5};
}

std::optional<Scope::Drag> Scope::grip_at(QPointF at) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || work_.document.missing(*clip)) return std::nullopt;
  for (const bool end : {false, true}) {
    const QPointF trim = trim_grip(end) - at, fade = fade_grip(end) - at;
    if (std::abs(trim.x()) < grip_reach && std::abs(trim.y()) <= grip_reach)
      return end ? Drag::trim_end : Drag::trim_begin;
    if (!spectrogram_->on() && std::abs(fade.x()) < grip_reach && std::abs(fade.y()) < grip_reach)
      return end ? Drag::fade_out : Drag::fade_in;
  }
  return std::nullopt;
}

void Scope::drag_grip(double s, bool snaps) {
  const Clip* clip = work_.selection.clip();
  if (!clip) return;
  const ClipRange most = limits();
  if (drag_ == Drag::trim_begin || drag_ == Drag::trim_end) {
    pauses_->hear(most);
    if (snaps) s = pauses_->snapped(s, snap_reach * length_s_ / std::max(1, width()));
  }
  const double all = work_.selection.clip_seconds();
  constexpr double least = 2 * edits::least_piece_s;
  if (drag_ == Drag::trim_begin)
    kept_ = ClipRange{{std::clamp(s, most.begin.s, all - least)}, {all}};
  if (drag_ == Drag::trim_end) kept_ = ClipRange{{0}, {std::clamp(s, least, most.end.s)}};
  if (drag_ == Drag::fade_in) fade_[0] = {std::clamp(s, 0.0, all), clip->fade_in.shape};
  if (drag_ == Drag::fade_out) fade_[1] = {std::clamp(all - s, 0.0, all), clip->fade_out.shape};
  update();
}

void Scope::end_grip(Drag ended) {
  const auto kept = std::exchange(kept_, std::nullopt);
  const auto in = std::exchange(fade_[0], std::nullopt),
             out = std::exchange(fade_[1], std::nullopt);
  update();
  if (kept && (ended == Drag::trim_begin || ended == Drag::trim_end)) {
    Q_EMIT trim_wanted(*kept);
    return;
  }
  const Clip* clip = work_.selection.clip();
  if (clip && (in || out))
    work_.document.change([id = clip->id, in = in.value_or(clip->fade_in),
                           out = out.value_or(clip->fade_out)](const Reel& reel) {
      return edits::set_fades(reel, id, in, out);
    });
}

// From a straight one to a smooth one and back.
void Scope::turn_fade(bool end) {
  const Clip* clip = work_.selection.clip();
  if (!clip) return;
  EdgeFade in = clip->fade_in, out = clip->fade_out;
  EdgeFade& fade = end ? out : in;
  fade.shape = fade.shape == CurveShape::line ? CurveShape::smooth : CurveShape::line;
  if (fade.seconds > 0)
    work_.document.change(
        [&, id = clip->id](const Reel& reel) { return edits::set_fades(reel, id, in, out); });
}

// What lies around the clip is dim, and so is what a drag would take off.
void Scope::draw_edges(QPainter& p, const Clip& clip) const {
  if (is_bus(clip) || work_.document.missing(clip)) return;
  const Theme& t = theme();
  const QRectF r = wave_rect();
  const ClipRange now = kept_.value_or(ClipRange{{0}, {work_.selection.clip_seconds()}});
  const double left = x_of(now.begin.s), right = x_of(now.end.s);
  if (left > 0) p.fillRect(QRectF(0, 0, left, r.height()), faded(t.window, 0.62));
  if (right < width())
    p.fillRect(QRectF(right, 0, width() - right, r.height()), faded(t.window, 0.62));
  if (!spectrogram_->on()) {
    draw_fade(p, fade_[0].value_or(clip.fade_in), false);
    draw_fade(p, fade_[1].value_or(clip.fade_out), true);
  }
  for (const bool end : {false, true}) {
    const QPointF at = trim_grip(end);
    const double way = end ? -5 : 5;
    p.setPen(QPen(kept_ ? t.attention : t.quiet, 2));
    p.drawPolyline(QPolygonF{at + QPointF(way, -7), at + QPointF(0, -7), at + QPointF(0, 7),
                             at + QPointF(way, 7)});
  }
}

void Scope::draw_fade(QPainter& p, const EdgeFade& fade, bool end) const {
  const Theme& t = theme();
  const QRectF r = wave_rect();
  const QPointF grip = fade_grip(end);
  // Those that only keep a cut from clicking are nobody's business.
  const bool shown = fade.seconds > 2 * edits::cut_fade_s;
  if (shown) {
    const double edge = x_of(end ? work_.selection.clip_seconds() : 0);
    QPainterPath line(QPointF(edge, r.bottom()));
    for (int i = 1; i <= 24; ++i) {
      const double x = i / 24.0;
      const double gone = fade.gone_s / fade.seconds, at = gone + x * (1 - gone);
      const double gain = fade.shape == CurveShape::smooth ? at * at * (3 - 2 * at) : at;
      line.lineTo(edge + (grip.x() - edge) * x, r.bottom() - gain * (r.height() - grip.y()));
    }
    p.setPen(QPen(t.attention, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawPath(line);
  }
  p.setPen(QPen(t.window, 1));
  p.setBrush(shown ? t.attention : t.quiet);
  p.drawRect(QRectF(grip - QPointF(3.5, 3.5), QSizeF(7, 7)));
}

// The waveform's own ruler, in dB below full scale.
void Scope::draw_levels(QPainter& p) const {
  const QRectF r = wave_rect();
  const double half = r.height() / 2 - 3;
  p.setFont(small_font());
  for (const int db : {-6, -12, -24}) {
    const double y = half * from_db(db);
    if (y < 9) continue;
    p.setPen(QPen(faded(theme().line, 0.55), 1));
    for (const double way : {-1.0, 1.0})
      p.drawLine(QPointF(0, r.center().y() + way * y), QPointF(width(), r.center().y() + way * y));
    p.setPen(faded(theme().quiet, 0.8));
    p.drawText(QRectF(width() - 40, r.center().y() - y - 13, 36, 12), Qt::AlignRight,
               QString::number(db));
  }
}

// What was heard since the chain changed is underlined.
void Scope::draw_heard(QPainter& p) const {
  const double y = axis().rect.bottom() + 1;
  for (const auto& part : work_.heard.parts(work_.selection.clip_id()))
    p.fillRect(
        QRectF(x_of(part.begin.s), y, std::max(1.0, x_of(part.end.s) - x_of(part.begin.s)), 2),
        faded(theme().after, 0.8));
}

// Its length, and what it measures before and after; the peak is known at once.
QString Scope::selection_text() const {
  const Clip* clip = work_.selection.clip();
  const double rate = work_.document.reel().rate;
  const double offset =
      static_cast<double>(clip->begin) / work_.document.reel().source_of(*clip).rate;
  const auto* path = work_.measurements.levels();
  const bool same_clock = path && path->sounds.back().from_clip.identity();
  const QString peaks[] = {peak_text(work_.shelf.source_peaks(*clip).get(), rate,
                                     selection_->begin.s + offset, selection_->end.s + offset),
                           peak_text(same_clock ? path->after.get() : nullptr, rate,
                                     selection_->begin.s, selection_->end.s)};
  QString sides[2];
  const RangeLevels* known = levels_->levels();
  for (size_t i = 0; i < 2; ++i) {
    sides[i] = tr("peak %1").arg(peaks[i]);
    if (!known) continue;
    const Levels& l = i == 0 ? known->before : known->after;
    if (l.loudness_lufs) sides[i] += tr(", %1 LUFS").arg(*l.loudness_lufs, 0, 'f', 1);
    if (l.noise_floor_dbfs) sides[i] += tr(", floor %1").arg(*l.noise_floor_dbfs, 0, 'f', 1);
  }
  return tr("%1   before: %2   after: %3")
      .arg(QString::fromStdString(length_text(selection_->end.s - selection_->begin.s)), sides[0],
           sides[1]);
}

void Scope::draw_selection(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = wave_rect();
  const double left = x_of(selection_->begin.s), right = x_of(selection_->end.s);
  const QRectF band(left, 0, right - left, r.height());
  p.fillRect(band, faded(t.text, 0.13));
  p.setPen(QPen(faded(t.text, 0.5), 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(band);
  const QString told = selection_text();
  p.setFont(small_font());
  const double wide = p.fontMetrics().horizontalAdvance(told) + 12;
  const QRectF chip(
      std::clamp(band.center().x() - wide / 2, 4.0, std::max(4.0, width() - wide - 4)),
      r.bottom() - 19, wide, 16);
  p.setPen(Qt::NoPen);
  p.setBrush(faded(t.window, 0.85));
  p.drawRoundedRect(chip, 3, 3);
  p.setPen(t.text);
  p.drawText(chip, Qt::AlignCenter, told);
}

}  // namespace drevan::desktop
