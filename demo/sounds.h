// SPDX-License-Identifier: GPL-3.0-or-later
// Noises, rooms and effects for the demo, all synthesised.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace demo {

constexpr double rate = 48000;
using Sound = std::vector<float>;  // one channel at 48 kHz

/// White noise of standard deviation 1 from a fixed seed.
class Noise {
 public:
  explicit Noise(std::uint64_t seed) : state_(seed * 0x9e3779b97f4a7c15ULL + 1) {}
  float next();

 private:
  double uniform();
  std::uint64_t state_;
};

/// Adds `add` to `to` at `at_s`, times `gain`; `to` grows as it must.
void mix(Sound& to, const Sound& add, double at_s, double gain);
void filter(Sound& sound, const char* kind, double hz, double q, double gain_db = 0);
/// Scales to a peak in dB.
void peak_to(Sound& sound, double db);
/// Scales to a mean power in dB.
void power_to(Sound& sound, double db);
Sound silence(double seconds);

Sound hiss(double seconds, std::uint64_t seed);
Sound mains_hum(double seconds, std::uint64_t seed);
Sound fan(double seconds, std::uint64_t seed);
Sound rumble(double seconds, std::uint64_t seed);

/// A small hard room: delays that feed each other.
Sound in_room(const Sound& dry, double seconds, double wet);
/// A narrow, gritty channel with static on it.
Sound over_radio(const Sound& dry, std::uint64_t seed);

Sound wind(double seconds, std::uint64_t seed);
Sound foghorn(double seconds);
Sound door();
/// Left and right.
std::vector<Sound> boat_pass(double seconds);
std::vector<Sound> beam_sweep(double seconds);

/// `text` spoken by one of flite's voices, sentences apart by `pause_s`, peaks near -6 dB.
/// Sentences end at a "|" in the text.
Sound speak(const std::string& voice, const std::string& text, double pause_s, double pace);

}  // namespace demo
