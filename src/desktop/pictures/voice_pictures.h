// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of what makes voices and spaces.
#pragma once

#include <functional>

#include "pictures/axes.h"
#include "pictures/picture.h"
#include "steps/picture_spec.h"

namespace drevan::desktop {

/// How a space dies away in three bands; when it begins, how loud it is and each decay can be
/// dragged.
class DecayPicture final : public StepPicture {
  Q_OBJECT

 public:
  DecayPicture(const Work& work, StepId id, const DecaySpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void grip_taken() override;

 private:
  double value(int parameter) const { return settings()[static_cast<size_t>(parameter)]; }
  TimeAxis axis() const;
  LevelAxis levels() const { return {plot_rect(), -60, 6}; }

  const DecaySpec& spec_;
  double held_length_s_ = 0;
};

/// Copies of a voice by where they stand and how much higher they are; each can be dragged, the
/// wheel over one turns its level.
class CopiesPicture final : public StepPicture {
  Q_OBJECT

 public:
  CopiesPicture(const Work& work, StepId id, const CopiesSpec& spec, QWidget* parent);
  std::vector<Grip> grips() const override;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  QPointF place(double pan, double shift) const;

  const CopiesSpec& spec_;
};

/// The pitch of a voice over the clip, before and after, on note lines; below it both spectra. A note
/// can be dragged to another pitch, the line of all to shift all, the upright line below to move the
/// formants.
class NotesPicture final : public StepPicture {
  Q_OBJECT

 public:
  NotesPicture(const Work& work, StepId id, const NotesSpec& spec, QWidget* parent);
  void refresh() override;
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  /// A stretch of voice on about one pitch.
  struct Note {
    ClipRange clip;
    double semitone = 0;  ///< above A4, in the middle
  };
  QRectF notes_rect() const;
  QRectF spectra_rect() const;
  FrequencyAxis spectra_axis() const { return {spectra_rect(), 60, 12000}; }
  double x_of(double clip_s) const;
  double y_of(double semitone) const;
  double semitone_at(double y) const;
  std::function<double(double)> shifts() const;
  void find_notes();
  void draw_note_lines(QPainter& p) const;
  void draw_pitch(QPainter& p) const;
  void draw_spectra(QPainter& p) const;

  const NotesSpec& spec_;
  std::vector<float> pitch_hz_;  // of the clip, per block
  double block_s_ = 0;
  std::vector<Note> notes_;
  double middle_ = -20, lowest_ = -44, highest_ = 4;  // in semitones
};

/// Levels of a vocoder's bands, of the voice and of what is made of it; where they begin and end, how
/// many there are, their shift and the carrier's pitch can be dragged.
class VocoderPicture final : public StepPicture {
  Q_OBJECT

 public:
  VocoderPicture(const Work& work, StepId id, const VocoderSpec& spec, QWidget* parent);
  void live(std::span<const float> readings, std::span<const float> in,
            std::span<const float> out) override;
  std::vector<Grip> grips() const override;
  bool wide() const override { return true; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  FrequencyAxis axis() const { return {plot_rect(), 30, 16000}; }
  LevelAxis levels() const { return {plot_rect(), -72, 0}; }

  const VocoderSpec& spec_;
  std::vector<float> readings_;
};

}  // namespace drevan::desktop
