// SPDX-License-Identifier: GPL-3.0-or-later
// Mains hum followed through a whole recording.
#pragma once

#include <array>
#include <complex>
#include <optional>
#include <vector>

#include "dsp/biquad.h"
#include "dsp/hum_track.h"

namespace drevan {

/// Hears a whole sound, then follows its hum. The phase is smoothed forward and backward (H. E. Rauch, F. Tung,
/// C. T. Striebel, AIAA Journal 3(8), 1965) over steps of three periods; a step counts by what stands beside each
/// harmonic in it, so that words hardly move the track and pauses fix it. Sizes are means over some seconds to
/// either side, weighed likewise; both in turn, some rounds. Memory: 5 kB a second and channel.
class HumTracker {
 public:
  /// Looks for fundamentals between these, Hz.
  HumTracker(StreamFormat format, double least_hz, double most_hz);
  void hear(const AudioBlock& block);
  /// Empty when nothing hums.
  std::optional<HumTrack> find() const;

 private:
  // What is heard of a harmonic in one step: its size and phase against the reference, and the power beside it.
  struct Heard {
    std::complex<float> z;
    float beside = 0;
  };
  struct Channel {
    std::array<Biquad, 4> low_pass{};
    std::vector<float> waiting;  // of the lower rate, not taken into steps yet
    std::vector<Heard> steps;    // steps x most_hum_harmonics
  };

  void begin(double hz);
  void take_steps();
  void hear_silence(const AudioBlock& block);

  StreamFormat format_;
  HumFinder finder_;
  int every_;  // frames of the sound for one of the lower rate
  double low_rate_;
  int phase_ = 0;
  std::vector<Channel> channels_;
  Samples frames_ = 0, low_frames_ = 0, asked_at_ = 0,
          lost_ = 0;          // lost: low frames dropped before a hum was found
  double hz_ = 0;             // once it is known
  int step_ = 0;              // low frames
  std::vector<float> table_;  // cosines and sines of a step: 3 lines a harmonic
  Samples steps_ = 0;
  Samples silent_ = 0;  // frames of digital silence up to now
  std::vector<FrameRange> silences_;
};

}  // namespace drevan
