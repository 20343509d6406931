// SPDX-License-Identifier: GPL-3.0-or-later
// A voice at another pitch, period by period.
#pragma once

#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/voice_pitch.h"

namespace drevan {

/// Pitch-synchronous overlap-add (E. Moulines and F. Charpentier, "Pitch-synchronous waveform
/// processing techniques for text-to-speech synthesis using diphones", Speech Communication 9,
/// 1990): pieces of two periods are set down at the distance of the new pitch. The formants stay by
/// nature; they move where a piece is read faster or slower. Where there is no voice the sound is
/// left as it is. Without a shift the sound comes out as it went in. All channels are cut at the
/// same moments. Real-time safe but for construction; the same bits for any block size.
class VoiceShifter {
 public:
  /// `copies`: how many shifted voices it makes of one.
  VoiceShifter(double rate, int channels, int copies = 1);
  void reset() noexcept;
  Samples latency() const noexcept { return latency_; }
  /// Frequency ratios of pitch and formants, from the next frame on; both from 1/4 to 4, the
  /// formants' held within 1/2 to 4.
  void set(double pitch, double formants, int copy = 0) noexcept;
  /// A muted copy is silence, and costs little.
  void mute(bool muted, int copy) noexcept;
  /// One copy, in place, latency() frames late.
  void process(const AudioBlock& block) noexcept;
  /// All copies, `out` one each.
  void process(const AudioBlock& in, std::span<const AudioBlock> out) noexcept;
  /// Of the frame that left last, in Hz; 0: no voice.
  double pitch_in() const noexcept { return pitch_in_; }
  double pitch_out() const noexcept { return pitch_out_; }

 private:
  // A moment at which a period begins, in frames; where there is no voice one every 5 ms.
  struct Mark {
    double at = 0;
    bool voiced = false;
  };
  // A piece that will be set down when the place of the next one is known.
  struct Piece {
    double at = 0;    // where it is set down
    long mark = 0;    // which one it is cut round
    double left = 0;  // distance of the piece before
    bool voiced = false, before_voiced = false;
  };
  // Where a piece comes to lie, and how fast it is read.
  struct Patch {
    double at = 0;
    Samples first = 0;
    size_t frames = 0;
    double pace = 1;
  };
  using Rings = std::vector<std::vector<float>>;  // by channel
  struct Ratios {
    double pitch = 1, formants = 1;
  };

  struct Copy {
    Ratios ratios_at(double frame) const noexcept;
    Rings sum;                   // what leaves
    std::vector<Ratios> ratios;  // one for each `grid` frames
    Ratios now;
    Piece piece;
    bool muted = false;
  };

  const Mark& mark(long i) const noexcept { return marks_[static_cast<size_t>(i) & mark_mask]; }
  float low(long i) const noexcept { return low_[static_cast<size_t>(i) & low_mask]; }
  float burst(long i) const noexcept { return bursts_[static_cast<size_t>(i) & low_mask]; }
  double period_at(double low_at) const noexcept;
  double frame_of(double low_at) const noexcept;
  void hear(const AudioBlock& in, size_t i, size_t at) noexcept;
  void hear_low(float x) noexcept;
  void find_marks() noexcept;
  double next_period(double from, double period) const noexcept;
  double loudest_near(double from, double to) const noexcept;
  void add_mark(double low_at, bool voiced) noexcept;
  void set_down(Copy& copy) noexcept;
  void write(Copy& copy, const Piece& piece, double right, bool next_voiced) noexcept;
  void add(Copy& copy, const Rings& rings, double cut, const Patch& patch, double gain) noexcept;

  static constexpr size_t mark_mask = 255, low_mask = 4095, period_mask = 255;

  double rate_;
  int channels_;
  Samples latency_;
  Decimator decimator_;
  VoicePitch pitch_;
  // What came in, and what of it is low; they hold all twice, so that every piece lies in one.
  Rings in_, low_in_;
  std::vector<Copy> copies_;
  std::vector<float> low_taps_, power_;  // the latter a ring of what is high
  double low_late_ = 0;
  float last_ = 0;
  size_t ring_mask_;
  std::vector<float> low_, bursts_;  // and the power of what is high, at the same moments
  long low_count_ = 0;
  std::vector<double> periods_;  // one a hop, in low samples
  long period_count_ = 0;
  std::vector<Mark> marks_;
  long mark_count_ = 0;
  double mark_low_ = 0;  // the last mark
  bool mark_voiced_ = false;
  Samples frame_ = 0;
  std::vector<float> window_, read_;
  double pitch_in_ = 0, pitch_out_ = 0;
};

}  // namespace drevan
