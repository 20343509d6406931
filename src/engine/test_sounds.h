// Sounds that test a device: a tone to hear it by, and chirps that tell its round-trip latency.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "engine/player_inputs.h"

namespace drevan {

/// 1 kHz at -20 dBFS, a second left, then a second right; interleaved stereo.
std::vector<float> test_tone(double rate);

/// Three chirps (200 Hz to 6 kHz, 0.1 s, -12 dBFS) half a second apart, and a last half second;
/// interleaved stereo. For Player::play_over().
std::vector<float> latency_chirps(double rate);

/// Keeps what the first input hears of latency_chirps() as Player::play_over() plays them.
class ChirpsHeard final : public InputTap {
 public:
  explicit ChirpsHeard(double rate);
  void hear(const InputBlock& block) noexcept override;
  bool done() const { return done_.load(); }
  /// Frames from playing to hearing, to the sample, 0 to half a second; empty: the chirps are not
  /// heard, or not twice at the same distance. Only when done().
  std::optional<Samples> latency() const;
  /// The highest sample that was heard, of full scale.
  float peak() const;

 private:
  double rate_;
  std::vector<float> heard_;
  size_t at_ = 0;
  std::atomic<bool> done_{false};
};

}  // namespace drevan
