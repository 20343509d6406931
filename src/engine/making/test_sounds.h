// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds that test a device: a tone to hear it by, and chirps that tell its round-trip latency.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "engine/playing/player_inputs.h"

namespace drevan {

/// 1 kHz at -20 dBFS, a second left, then a second right; interleaved stereo.
std::vector<float> test_tone(double rate);

/// Ten chirps (200 Hz to 6 kHz, 0.1 s, -12 dBFS), half a second apart and each distance 30 ms longer
/// than the one before, so that it tells which two it lies between; and two seconds more, since a
/// sound server may be as late. Interleaved stereo. For Player::play_over().
std::vector<float> latency_chirps(double rate);

/// Hears latency_chirps() with the first input as Player::play_over() plays them. A sound server may
/// lose sound until it runs evenly: what counts are chirps that follow each other as they were played.
class ChirpsHeard final : public InputTap {
 public:
  explicit ChirpsHeard(double rate);
  void hear(const InputBlock& block) noexcept override;
  /// Looks at what came since it was asked last. Whether it is known: three chirps in a row came as
  /// they were played; or all was heard. One thread, not the device's.
  bool done();
  /// Frames from playing to hearing, to the sample, 0 to two seconds; empty: the chirps are not
  /// heard, or not two in a row as they were played. Only when done().
  std::optional<Samples> latency() const { return latency_; }
  /// How often sound was lost between two chirps that were heard.
  int losses() const { return losses_; }
  /// The highest sample that was heard, of full scale.
  float peak() const;

 private:
  void look_on();
  void found(Samples at);

  double rate_;
  std::vector<float> chirp_, heard_;
  std::vector<Samples> played_at_;
  double chirp_power_ = 0;
  std::atomic<size_t> at_{0};
  // Of what was looked at:
  size_t looked_ = 0;
  double power_ = 0;  // of what a chirp would lie in there
  double best_ = 0;   // the best likeness of late, and where
  Samples best_at_ = 0;
  std::optional<Samples> last_;  // where the last chirp was
  std::optional<size_t> last_number_;
  int in_a_row_ = 1, losses_ = 0;
  std::optional<Samples> latency_;
};

}  // namespace drevan
