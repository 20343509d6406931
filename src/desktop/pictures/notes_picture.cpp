// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "engine/listening/level_path.h"
#include "measure/spectrum.h"
#include "pictures/voice_pictures.h"
#include "steps/curve_edit.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/curve_clock.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double least_note_s = 0.08, bridged_s = 0.04, leap_st = 2;

double semitone_of(double hz) { return 12 * std::log2(hz / 440); }

QString note_name(int semitone) {
  static const char* const names[] = {"A",  "A#", "B", "C",  "C#", "D",
                                      "D#", "E",  "F", "F#", "G",  "G#"};
  const int above_c0 = semitone + 57;  // A4 lies 57 semitones above C0
  return QString("%1%2").arg(names[((semitone % 12) + 12) % 12]).arg(above_c0 / 12);
}

}  // namespace

NotesPicture::NotesPicture(const Work& work, StepId id, const NotesSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Pitch over the clip"),
                  tr("The voice's pitch before (thin) and after. Drag a note to another pitch, the "
                     "dashed line to shift all; the dashed line in the spectra below moves the "
                     "formants."),
                  parent),
      spec_(spec) {
  connect(&work_.measurements, &Measurements::course_changed, this, [this] { refresh(); });
  NotesPicture::refresh();
}

QRectF NotesPicture::notes_rect() const {
  const QRectF r = plot_rect();
  return QRectF(r.topLeft(), QSizeF(r.width(), r.height() * 0.62));
}
QRectF NotesPicture::spectra_rect() const {
  const QRectF r = plot_rect();
  return r.adjusted(0, r.height() * 0.62 + 8, 0, 0);
}

double NotesPicture::x_of(double clip_s) const {
  const double all = std::max(0.1, block_s_ * static_cast<double>(pitch_hz_.size()));
  return notes_rect().left() + clip_s / all * notes_rect().width();
}
double NotesPicture::y_of(double semitone) const {
  const QRectF r = notes_rect();
  return r.bottom() - (semitone - lowest_) / (highest_ - lowest_) * r.height();
}
double NotesPicture::semitone_at(double y) const {
  const QRectF r = notes_rect();
  return lowest_ + (r.bottom() - y) / r.height() * (highest_ - lowest_);
}

// The shift over the clip; what it needs of the step is looked up once.
std::function<double(double)> NotesPicture::shifts() const {
  const ChainStep& s = *step();
  const auto of = [&s](int parameter) {
    const Curve* curve = curve_of(s.curves, parameter);
    const double still = s.settings[static_cast<size_t>(parameter)];
    const Parameter& range = s.type->parameters[static_cast<size_t>(parameter)];
    return
        [curve, still, &range](double at) { return curve ? value_at(*curve, range, at) : still; };
  };
  return [clock = curve_clock(work_, step_id_), shift = of(spec_.shift),
          fine = of(spec_.fine)](double clip_s) {
    const double at = clock.curve_s(clip_s);
    return shift(at) + fine(at) / 100;
  };
}

void NotesPicture::refresh() {
  const StepCourse* course = work_.measurements.course();
  if (course && !course->pitch_hz.empty() && course->pitch_hz.size() >= pitch_hz_.size()) {
    pitch_hz_ = course->pitch_hz;
    block_s_ = PlayRun::block / work_.document.reel().rate;
    if (!holds_any()) find_notes();
  }
  update();
}

// Stretches of voice, parted where the pitch leaps.
void NotesPicture::find_notes() {
  notes_.clear();
  std::vector<double> run, all;
  size_t begin = 0, silent = 0;
  const auto close = [&](size_t end) {
    const double length = static_cast<double>(end - begin) * block_s_;
    if (!run.empty() && length >= least_note_s) {
      std::ranges::nth_element(run, run.begin() + std::ssize(run) / 2);
      notes_.push_back(
          {{static_cast<double>(begin) * block_s_, static_cast<double>(end) * block_s_},
           run[run.size() / 2]});
    }
    run.clear();
  };
  double last = 0;
  for (size_t i = 0; i < pitch_hz_.size(); ++i) {
    if (pitch_hz_[i] <= 0) {
      if (!run.empty() && static_cast<double>(++silent) * block_s_ > bridged_s)
        close(i - silent + 1);
      continue;
    }
    const double now = semitone_of(static_cast<double>(pitch_hz_[i]));
    all.push_back(now);
    if (!run.empty() && std::abs(now - last) > leap_st) close(i);
    if (run.empty()) begin = i;
    run.push_back(last = now);
    silent = 0;
  }
  close(pitch_hz_.size());
  if (all.empty()) return;
  std::ranges::sort(all);
  middle_ = all[all.size() / 2];
  // An octave round what was said; single frames that are no notes may lie outside.
  lowest_ = middle_ - 12;
  highest_ = middle_ + 12;
  for (const Note& n : notes_) {
    lowest_ = std::max(middle_ - 24, std::min(lowest_, n.semitone - 7));
    highest_ = std::min(middle_ + 24, std::max(highest_, n.semitone + 7));
  }
}

std::vector<Grip> NotesPicture::grips() const {
  std::vector<Grip> all;
  const QRectF r = notes_rect();
  const double shift = settings()[static_cast<size_t>(spec_.shift)];
  // Above the notes, so that these can be reached.
  all.push_back(
      {.form = Grip::Form::level_line,
       .at = {r.center().x(), y_of(middle_ + shift)},
       .reach = 4,
       .within = r,
       .drag =
           [this](QPointF to) {
             return std::vector<DragValue>{{spec_.shift, semitone_at(to.y()) - middle_, 0.5}};
           },
       .wheel = spec_.fine,
       .resets = {spec_.shift, spec_.fine}});
  const auto shift_at = shifts();
  for (const Note& note : notes_) {
    const double s = (note.clip.begin + note.clip.length() / 2).s;
    all.push_back({.at = {x_of(s), y_of(note.semitone + shift_at(s))},
                   .reach = 8,
                   .drag = [this, note](QPointF to) {
                     return std::vector<DragValue>{
                         {spec_.shift, semitone_at(to.y()) - note.semitone, 0.1, note.clip}};
                   }});
  }
  const FrequencyAxis hz = spectra_axis();
  const double formant = settings()[static_cast<size_t>(spec_.formant)];
  all.push_back({.form = Grip::Form::upright_line,
                 .at = {hz.x_of(1000 * std::exp2(formant / 12)), spectra_rect().center().y()},
                 .within = spectra_rect(),
                 .drag =
                     [this, hz](QPointF to) {
                       return std::vector<DragValue>{
                           {spec_.formant, 12 * std::log2(hz.hz_at(to.x()) / 1000), 0.5}};
                     },
                 .resets = {spec_.formant}});
  return all;
}

void NotesPicture::draw_note_lines(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = notes_rect();
  for (int st = static_cast<int>(std::ceil(lowest_)); st <= highest_; ++st) {
    const bool named = ((st % 12) + 12) % 12 == 3 || ((st % 12) + 12) % 12 == 10;  // C and G
    p.setPen(QPen(faded(t.line, named ? 0.9 : 0.35), 1));
    p.drawLine(QPointF(r.left(), y_of(st)), QPointF(r.right(), y_of(st)));
    if (!named) continue;
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y_of(st) - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               note_name(st));
  }
}

void NotesPicture::draw_pitch(QPainter& p) const {
  const Theme& t = theme();
  const auto shift_at = shifts();
  // A long clip has many more moments than there are pixels.
  const auto stride = std::max<size_t>(
      1, pitch_hz_.size() / static_cast<size_t>(std::max(1.0, 2 * notes_rect().width())));
  for (const bool after : {false, true}) {
    QPolygonF line;
    double last = 0;
    const auto end = [&] {
      p.setPen(QPen(after ? (step()->on ? t.after : t.quiet) : t.before, after ? 2.4 : 1.4));
      p.drawPolyline(line);
      line.clear();
    };
    for (size_t i = 0; i < pitch_hz_.size(); i += stride) {
      if (pitch_hz_[i] <= 0) {
        if (!line.isEmpty()) end();
        continue;
      }
      const double s = static_cast<double>(i) * block_s_;
      const double st = semitone_of(static_cast<double>(pitch_hz_[i]));
      if (!line.isEmpty() && std::abs(st - last) > leap_st) end();
      last = st;
      line << QPointF(x_of(s), y_of(after ? st + shift_at(s) : st));
    }
    if (!line.isEmpty()) end();
  }
}

void NotesPicture::draw_spectra(QPainter& p) const {
  const Theme& t = theme();
  const FrequencyAxis hz = spectra_axis();
  const QRectF r = spectra_rect();
  hz.draw(p);
  const auto* levels = work_.measurements.levels();
  if (!levels || levels->spectrum_in.empty()) return;
  const double bin = work_.document.reel().rate / SpectrumMeter::size;
  p.setClipRect(r);
  const auto after = spectrum_line(hz, levels->spectrum_out, bin, -10, 3);
  fill_below(p, after, r.bottom(), faded(t.after, 0.35));
  p.setPen(QPen(t.before, 1.4));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(spectrum_line(hz, levels->spectrum_in, bin, -10, 3));
  p.setClipping(false);
}

void NotesPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  draw_note_lines(p);
  p.setClipRect(notes_rect());
  draw_pitch(p);
  p.setClipping(false);
  if (pitch_hz_.empty()) {
    p.setPen(t.quiet);
    p.drawText(notes_rect(), Qt::AlignCenter,
               tr("the voice's pitch is shown once it has been heard"));
  }
  draw_spectra(p);
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    if (all[i].form == Grip::Form::level_line) {
      draw_line(p, i, all[i], notes_rect());
    } else if (all[i].form == Grip::Form::upright_line) {
      draw_line(p, i, all[i], spectra_rect());
    } else {
      p.setPen(QPen(t.window, 1));
      p.setBrush(holds(i) ? t.text : t.attention);
      p.drawEllipse(all[i].at, 4, 4);
    }
  }
}

}  // namespace drevan::desktop
