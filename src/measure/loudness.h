// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness of a whole sound.
#pragma once

#include <optional>
#include <vector>

#include "audio/buffer.h"
#include "dsp/k_weighting.h"

namespace drevan {

/// By how much each channel's power counts (ITU-R BS.1770-4, annex 1 and 3), of the channels in
/// their usual order.
std::vector<double> channel_weights(int channels);

/// Loudness by ITU-R BS.1770-4 with the gates of EBU R 128, and its range by EBU Tech 3342. Hears blocks of any size.
/// Of more than two channels the weights are those of their usual order (left, right, centre, low frequencies, left and
/// right surround; the low ones do not count). Keeps a number for every tenth of a second.
class LoudnessMeter {
 public:
  explicit LoudnessMeter(StreamFormat format);
  void hear(const AudioBlock& block);

  /// LUFS; empty: everything lies below the gate, or it is shorter than 0.4 s.
  std::optional<double> integrated() const;
  /// The largest of 3 s, read every tenth of a second; LUFS.
  std::optional<double> short_term_maximum() const;
  /// LU.
  double range() const;

 private:
  KPower power_;
  std::vector<KPower::State> states_;
  std::vector<double> weights_;
  std::vector<double> tenths_;  // mean power over each tenth of a second
  int tenth_frames_, filled_ = 0;
  double sum_ = 0;
};

}  // namespace drevan
