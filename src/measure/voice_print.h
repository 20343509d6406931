// SPDX-License-Identifier: GPL-3.0-or-later
// What tells one voice from another, and which clips are likely of one speaker.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fft.h"

namespace drevan {

/// The rate that voices are listened to at, Hz.
inline constexpr double voice_print_rate = 16000;

/// A voice over the whole of a clip: means and spreads of its mel cepstrum, and its pitch. Values
/// mean nothing alone; prints are compared.
struct VoicePrint {
  std::vector<double> values;  ///< empty: nobody speaks long enough to tell
  double speech_s = 0;         ///< how much speech it is of
};

/// Hears a clip at voice_print_rate. Mel-frequency cepstra after S. Davis and P. Mermelstein (IEEE
/// Transactions on Acoustics, Speech and Signal Processing 28, 1980), over speech only, with the
/// room's power taken off; pitch by the autocorrelation of frames of 64 ms.
class VoicePrintMeter {
 public:
  explicit VoicePrintMeter(int channels);
  void hear(const AudioBlock& block);
  VoicePrint print() const;

 private:
  static constexpr int size = 512, hop = 256, bands = 26, cepstra = 14;
  struct Frame {
    std::array<float, bands> mel{};  // powers
    float power = 0, pitch_hz = 0;   // 0: no voice in it
  };
  void take_frame();
  float pitch() const;

  int channels_;
  RealFft fft_, pitch_fft_;
  FloatVector window_, time_, long_;
  ComplexVector bins_;
  std::vector<std::array<float, size / 2 + 1>> filters_;
  size_t filled_ = 0;
  std::vector<Frame> frames_;
};

/// Who is likely to speak in each of some clips.
struct SpeakerGuess {
  int speakers = 0;
  std::vector<int> speaker;        ///< of each clip, counted from 0; -1: cannot be told
  std::vector<double> confidence;  ///< 0 to 1: how much nearer its own speaker is than the next
  std::vector<std::array<double, 2>> place;  ///< on a plane on which likes lie together, -1 to 1
};

/// Groups clips by voice: Ward's linkage, as many speakers as make the silhouettes (P. Rousseeuw,
/// Journal of Computational and Applied Mathematics 20, 1987) widest; one where none stand apart.
/// `speakers`: how many there are; 0: not known.
SpeakerGuess guess_speakers(std::span<const VoicePrint> prints, int speakers = 0);

}  // namespace drevan
