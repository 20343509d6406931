// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/scope.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "pages/bench/pause_snap.h"
#include "pages/bench/selection_levels.h"
#include "theme/theme.h"
#include "widgets/columns.h"
#include "work/document.h"
#include "work/heard.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {
constexpr double ruler_height = 20;
constexpr double reduction_height = 26;
constexpr double most_reduction_db = 18;
// Two pixels a cell of the peak pyramid: closer there is nothing more to see.
constexpr double least_frames_per_pixel = PeakPyramid::cell / 2.0;
}  // namespace

Scope::Scope(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Scope"));
  setToolTip(
      tr("<p>The clip over time: the line is before, the body is after the chain.</p>"
         "<p>Click sets the playhead, drag selects, the wheel zooms at the pointer, "
         "Shift and wheel moves. The edges of the room tone can be dragged.</p>"));
  connect(&work_.selection, &Selection::clip_changed, this, [this] {
    let_go_of_another();
    const bool same = clip_shown_ == work_.selection.clip_id();
    clip_shown_ = work_.selection.clip_id();
    if (!same) {
      selection_.reset();
      levels_->want(std::nullopt);
      playhead_s_ = 0;
      show_all();
      Q_EMIT selection_changed();
    }
    redraw();
  });
  connect(&work_.document, &Document::reel_changed, this, [this] {
    let_go_of_another();
    redraw();
  });
  connect(&work_.measurements, &Measurements::levels_changed, this, &Scope::redraw);
  connect(&work_.shelf, &ShelfMeasurements::peaks_changed, this, &Scope::redraw);
  connect(&work_.measurements, &Measurements::course_changed, this, &Scope::redraw);
  spectrogram_ = new ScopeSpectrogram(work_, this);
  connect(spectrogram_, &ScopeSpectrogram::changed, this, &Scope::redraw);
  levels_ = new SelectionLevels(work_, this);
  connect(levels_, &SelectionLevels::changed, this, qOverload<>(&QWidget::update));
  pauses_ = new PauseSnap(work_, this);
  connect(&work_.heard, &Heard::changed, this,
          [this] { update(0, height() - static_cast<int>(ruler_height), width(), 4); });
}

void Scope::redraw() {
  stale_ = true;
  update();
}

void Scope::set_marking(bool on) {
  marking_ = on;
  setCursor(on ? Qt::IBeamCursor : Qt::ArrowCursor);
  update();
}

void Scope::select(std::optional<ClipRange> range) {
  selection_ = range;
  levels_->want(range);
  Q_EMIT selection_changed();
  update();
}

void Scope::show_playhead(double seconds) {
  if (seconds == playhead_s_) return;
  // Two narrow strips instead of the whole scope, 60 times a second.
  const auto strip = [&](double s) {
    return QRect(static_cast<int>(x_of(s)) - 8, 0, 17, height());
  };
  const QRect old = strip(playhead_s_);
  playhead_s_ = seconds;
  if (work_.listening.player().playing() &&
      (seconds > begin_s_ + length_s_ || seconds < begin_s_) &&
      length_s_ < work_.selection.clip_seconds() - 0.001) {
    show_range(seconds - length_s_ * 0.05, length_s_);
    return;
  }
  update(old);
  update(strip(seconds));
}

QRectF Scope::wave_rect() const {
  return {0, 0, static_cast<double>(width()), height() - ruler_height - reduction_rect().height()};
}

QRectF Scope::reduction_rect() const {
  const auto* course = work_.measurements.course();
  if (spectrogram_->on() || !course || course->reduction_db.empty() || height() < 110) return {};
  return {0, height() - ruler_height - reduction_height, static_cast<double>(width()),
          reduction_height};
}
TimeAxis Scope::axis() const {
  return {QRectF(0, 0, width(), height() - ruler_height), begin_s_, length_s_};
}
double Scope::x_of(double seconds) const { return axis().x_of(seconds); }
double Scope::seconds_at(double x) const { return axis().s_at(x); }

void Scope::show_all() { show_range(0, work_.selection.clip_seconds()); }

void Scope::show_range(double begin_s, double length_s) {
  const ClipRange most = limits();
  const double all = std::max(0.01, most.length().s);
  const double least = std::min(all, least_frames_per_pixel * width() / work_.document.reel().rate);
  length_s_ = std::clamp(length_s, least, all);
  begin_s_ = std::clamp(begin_s, most.begin.s, most.begin.s + all - length_s_);
  redraw();
  Q_EMIT view_changed();
}

void Scope::zoom(double factor, double at_s) {
  const double length = length_s_ / factor;
  show_range(at_s - (at_s - begin_s_) / factor, length);
}

// Upper or lower edge of a waveform, a point per pixel.
namespace {

// The frames that sound between two moments of the shown time.
FrameRange frames_between(double begin_s, double end_s, double rate, const TimeMap& map) {
  const auto [from, to] = std::minmax({map.out_of(begin_s) * rate, map.out_of(end_s) * rate});
  const auto first = static_cast<Samples>(std::floor(from));
  return {first, std::max(static_cast<Samples>(to), first + 1)};
}

}  // namespace

QPolygonF Scope::outline(const PeakPyramid& peaks, double rate, bool upper,
                         const TimeMap& map) const {
  const QRectF r = wave_rect();
  const double middle = r.center().y(), half = r.height() / 2 - 3;
  const double per_pixel = length_s_ * rate / width();
  // Columns are bound to the sound, not to the screen, so that scrolling does not make them dance.
  const auto first = static_cast<Samples>(std::floor(begin_s_ * rate / per_pixel));
  QPolygonF points;
  points.reserve(width() + 2);
  for (Samples i = first; i <= first + width() + 1; ++i) {
    FrameRange span{static_cast<Samples>(static_cast<double>(i) * per_pixel),
                    static_cast<Samples>(static_cast<double>(i + 1) * per_pixel)};
    if (!map.identity())
      span = frames_between(static_cast<double>(i) * per_pixel / rate,
                            static_cast<double>(i + 1) * per_pixel / rate, rate, map);
    if (span.begin >= peaks.frames() || span.end <= 0) continue;
    const PeakPair pair =
        peaks.range(std::max<Samples>(0, span.begin), std::max(span.end, span.begin + 1));
    const double x = (static_cast<double>(i) * per_pixel / rate - begin_s_) / length_s_ * width();
    const auto v = static_cast<double>(std::clamp(upper ? pair.high : pair.low, -1.0F, 1.0F));
    points << QPointF(x, middle - v * half);
  }
  return points;
}

// A clay edge where the sound passes full scale and the body can grow no further.
void Scope::mark_overs(QPainter& p, const PeakPyramid& peaks, double rate,
                       const TimeMap& map) const {
  const QRectF r = wave_rect();
  const double per_pixel = length_s_ * rate / width();
  for (int x = 0; x < width(); ++x) {
    const auto span = frames_between(begin_s_ + x * per_pixel / rate,
                                     begin_s_ + (x + 1) * per_pixel / rate, rate, map);
    if (span.begin >= peaks.frames() || span.end <= 0) continue;
    const PeakPair pair = peaks.range(std::max<Samples>(0, span.begin), span.end);
    if (pair.high > 1) p.fillRect(QRectF(x, r.top(), 1.5, 5), theme().over);
    if (pair.low < -1) p.fillRect(QRectF(x, r.bottom() - 5, 1.5, 5), theme().over);
  }
}

void Scope::draw_waves() {
  const double ratio = devicePixelRatioF();
  waves_ = QPixmap(size() * ratio);
  waves_.setDevicePixelRatio(ratio);
  const Theme& t = theme();
  waves_.fill(t.window);
  QPainter p(&waves_);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(t.panel);
  p.drawRoundedRect(QRectF(rect()), 6, 6);
  const Clip* clip = work_.selection.clip();
  stale_ = false;
  if (!clip) {
    p.setPen(t.quiet);
    p.drawText(rect(), Qt::AlignCenter,
               tr("Drop sound or video files here, or add them with Ctrl+I"));
    return;
  }
  if (work_.document.missing(*clip)) {
    p.setPen(t.over);
    p.drawText(rect(), Qt::AlignCenter,
               tr("The source of this clip is missing. Clip, Find the source ... brings it back."));
    return;
  }
  if (spectrogram_->on()) {
    const QRectF r = wave_rect();
    const int halves = spectrogram_->show() == ScopeSpectrogram::Show::before_over_after ? 2 : 1;
    spectrogram_->want(begin_s_, length_s_, {width(), static_cast<int>(r.height()) / halves});
    spectrogram_->draw(p, r, begin_s_, length_s_);
  } else {
    draw_levels(p);
    draw_bodies(p, *clip);
    draw_reduction(p);
  }
  p.setFont(small_font());
  axis().draw(p);
}

// Before as an outline over after as a body.
void Scope::draw_bodies(QPainter& p, const Clip& clip) {
  const Theme& t = theme();
  const double rate = work_.document.reel().rate;
  const QRectF r = wave_rect();
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(0, r.center().y()), QPointF(width(), r.center().y()));
  Columns columns(r.size().toSize(), devicePixelRatioF());
  const auto* levels = work_.measurements.levels();
  const TimeMap map = levels ? levels->sounds.back().from_clip : TimeMap();
  if (levels && levels->after)
    columns.fill(outline(*levels->after, rate, true, map),
                 outline(*levels->after, rate, false, map),
                 faded(t.after, work_.measurements.levels_fresh() ? 0.85 : 0.55));
  if (const auto before = work_.shelf.source_peaks(clip)) {
    // The clip may be a part of its source.
    const auto& source = work_.document.reel().source_of(clip);
    const double offset = static_cast<double>(clip.begin) / source.rate;
    begin_s_ += offset;
    for (const bool upper : {true, false})
      columns.line(outline(*before, rate, upper), 1.3, t.before);
    begin_s_ -= offset;
  } else {
    p.setPen(t.quiet);
    p.drawText(r, Qt::AlignCenter, tr("Reading the waveform ..."));
  }
  p.drawImage(r.topLeft(), columns.image());
  if (levels && levels->after) mark_overs(p, *levels->after, rate, map);
}

// What the selected step takes, hanging from the top of a strip of its own; what it gives stands in it.
void Scope::draw_reduction(QPainter& p) const {
  const QRectF r = reduction_rect();
  if (r.isEmpty()) return;
  const Theme& t = theme();
  const auto& course = work_.measurements.course()->reduction_db;
  p.setPen(QPen(t.line, 1));
  p.drawLine(r.topLeft(), r.topRight());
  const double rate = work_.document.reel().rate / PlayRun::block, per_pixel = length_s_ / width();
  const auto* levels = work_.measurements.levels();
  const TimeMap map = levels ? levels->sounds.back().from_clip : TimeMap();
  double most = 0;
  for (int x = 0; x < width(); ++x) {
    const auto span =
        frames_between(begin_s_ + x * per_pixel, begin_s_ + (x + 1) * per_pixel, rate, map);
    const auto from = static_cast<size_t>(std::max<Samples>(0, span.begin));
    const auto to = static_cast<size_t>(std::max<Samples>(0, span.end));
    float taken = 0, given = 0;
    for (size_t i = from; i < std::min(to, course.size()); ++i)
      taken = std::max(taken, course[i]), given = std::max(given, -course[i]);
    const auto tall = [&](float db) {
      return std::min(1.0, static_cast<double>(db) / most_reduction_db) * (r.height() - 2);
    };
    if (taken > 0.05F) p.fillRect(QRectF(x, r.top() + 1, 1, tall(taken)), t.attention);
    if (given > 0.05F)
      p.fillRect(QRectF(x, r.bottom() - tall(given), 1, tall(given)), faded(t.after, 0.8));
    most = std::max({most, static_cast<double>(taken), static_cast<double>(given)});
  }
  p.setFont(small_font());
  p.setPen(t.quiet);
  p.drawText(r.adjusted(6, 0, -6, -1), Qt::AlignLeft | Qt::AlignBottom,
             tr("gain, this step: up to %1 dB").arg(most, 0, 'f', 1));
}

void Scope::paintEvent(QPaintEvent*) {
  if (stale_ || waves_.size() != size() * devicePixelRatioF()) draw_waves();
  QPainter p(this);
  p.drawPixmap(0, 0, waves_);
  const Clip* clip = work_.selection.clip();
  if (!clip) return;
  const Theme& t = theme();
  p.setRenderHint(QPainter::Antialiasing);
  const auto tone = marked_ ? marked_ : clip->room_tone;
  const QRectF r = wave_rect();
  if (tone) {
    const QRectF band(x_of(tone->begin.s), 0, x_of(tone->end.s) - x_of(tone->begin.s), r.height());
    p.fillRect(band, faded(t.removed, 0.3));
    p.setPen(QPen(t.removed, 1));
    p.drawLine(band.topLeft(), band.bottomLeft());
    p.drawLine(band.topRight(), band.bottomRight());
    p.setFont(small_font());
    if (band.width() > 50)
      p.drawText(band.adjusted(5, 3, -2, 0), Qt::AlignLeft | Qt::AlignTop, tr("room tone"));
  }
  draw_edges(p, *clip);
  draw_heard(p);
  if (selection_) draw_selection(p);
  const double x = x_of(playhead_s_);
  p.setPen(QPen(t.attention, 2));
  p.drawLine(QPointF(x, 0), QPointF(x, r.bottom()));
  p.setPen(Qt::NoPen);
  p.setBrush(t.attention);
  p.drawPolygon(QPolygonF{{x - 5, 0}, {x + 5, 0}, {x, 7}});
  if (hasFocus() || marking_) {
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(marking_ ? t.removed : t.attention, 1));
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
  }
}

// Other colours.
void Scope::changeEvent(QEvent* e) {
  if (e->type() == QEvent::StyleChange) redraw();
}

void Scope::resizeEvent(QResizeEvent*) { show_range(begin_s_, length_s_); }

}  // namespace drevan::desktop
