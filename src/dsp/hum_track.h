// Mains hum followed through a whole recording: one phase for all harmonics, and each one's size.
#pragma once

#include <array>
#include <complex>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/biquad.h"
#include "dsp/hum.h"

namespace drevan {

/// What hums over the length of a sound, its frame 0 at time 0. The hum in channel c at time t is the sum over
/// harmonics k (from 1) of the real part of size(c, k, t) exp(2 pi i k (hz t + cycles(t))).
struct HumTrack {
  Hum hum;                      ///< hz is the reference of `cycles`
  double rate = 48000;          ///< Hz
  Samples frames = 0;           ///< of the sound
  int channels = 1;
  double step_s = 0.06;         ///< between two values of `cycles`; the first belongs to half of it
  std::vector<float> cycles;    ///< of the fundamental, beyond hz t; in straight lines from one to the next
  double knot_s = 2;            ///< between two sizes; the first belongs to time 0
  std::vector<std::complex<float>> sizes;  ///< channels x knots x most_hum_harmonics; zero where none hums
  std::vector<FrameRange> silences;        ///< digital silence of 10 ms and more: there is no hum in it

  size_t knots() const { return sizes.size() / (static_cast<size_t>(channels) * most_hum_harmonics); }
};

/// As floats, for a finding, and back; empty when they are no track.
std::vector<float> to_floats(const HumTrack& track);
std::optional<HumTrack> hum_track_from(std::span<const float> floats);

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
  int every_;                // frames of the sound for one of the lower rate
  double low_rate_;
  int phase_ = 0;
  std::vector<Channel> channels_;
  Samples frames_ = 0, low_frames_ = 0, asked_at_ = 0, lost_ = 0;  // lost: low frames dropped before a hum was found
  double hz_ = 0;            // once it is known
  int step_ = 0;             // low frames
  std::vector<float> table_; // cosines and sines of a step: 3 lines a harmonic
  Samples steps_ = 0;
  Samples silent_ = 0;       // frames of digital silence up to now
  std::vector<FrameRange> silences_;
};

/// Makes the hum of a track anew, from any frame on. The same bits for any block size. Real-time safe but for
/// construction and set_track() with a longer track.
class HumMaker {
 public:
  explicit HumMaker(int channels) : channels_(static_cast<size_t>(channels)) {}
  void set_track(const HumTrack& track);
  /// The next frame is this one of the sound.
  void seek(Samples frame) noexcept { at_ = frame; }
  /// The lowest `harmonics` only, 0 to most_hum_harmonics.
  void set_harmonics(int harmonics) noexcept;
  /// The hum of the next frames, one span a channel, all of one length.
  void next(std::span<const std::span<float>> hum) noexcept;

 private:
  static constexpr int grid = 64;
  void make(Samples chunk) noexcept;
  double cycles_at(double seconds) const noexcept;
  bool silent(Samples frame) const noexcept;

  HumTrack track_;
  std::vector<std::array<float, grid>> channels_;  // the newest chunk of each
  static constexpr Samples none = std::numeric_limits<Samples>::min();
  Samples made_ = none, at_ = 0;                   // its number; the next frame
  int harmonics_ = most_hum_harmonics;
};

}  // namespace drevan
