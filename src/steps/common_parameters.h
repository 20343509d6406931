// SPDX-License-Identifier: GPL-3.0-or-later
// Parameters that several steps have alike.
#pragma once

#include <algorithm>
#include <memory>

#include "audio/decibel.h"
#include "dsp/lfo.h"
#include "steps/step.h"

namespace drevan {

inline Parameter mix_parameter(double standard) {
  return {.id = "mix_pct",
          .label = "Mix",
          .unit = "%",
          .least = 0,
          .most = 100,
          .standard = standard,
          .help = "How much of the effect is heard; the rest is the untouched sound."};
}

/// Levels of parts (an echo, a copy, the late sound) end here: lower is off.
inline constexpr double part_off_db = -60;
inline double part_gain(double db) { return db <= part_off_db ? 0 : from_db(db); }
/// A part that may be a little louder than the sound itself.
inline Parameter part_parameter(std::string_view id, std::string_view label, double standard,
                                std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = "dB",
          .least = part_off_db,
          .most = 6,
          .standard = standard,
          .help = help,
          .off_at = part_off_db};
}
/// Gain of the left (0) or right side of what stands at `side`, -1 to 1: the farther one gives way.
inline double side_gain(int channel, double side) {
  return channel == 0 ? std::min(1.0, 1 - side) : std::min(1.0, 1 + side);
}

/// Where what leaves is as loud as what came in, over the whole clip.
inline constexpr int level_kept = 0, level_as_it_is = 1;
inline Parameter level_parameter() {
  Parameter p = choice_parameter(
      "level", "Level", {{"kept", "kept"}, {"as_it_is", "as it is"}}, level_kept,
      "Kept: as loud as what enters, over the whole clip, so that a comparison is fair.");
  p.fixed = true;
  return p;
}

/// A mono sound stays mono, or becomes stereo.
inline constexpr int out_as_it_comes = 0, out_stereo = 1;
inline Parameter out_parameter() {
  Parameter p =
      choice_parameter("out", "Out", {{"as_it_comes", "as it comes"}, {"stereo", "stereo"}},
                       out_as_it_comes, "Whether a mono sound becomes stereo.");
  p.fixed = true;
  return p;
}

/// StepType::channels_out of a step whose setting `Index` is an out_parameter().
template <int Index>
int channels_by_out(const Settings& s, int in) {
  return in == 1 && s[Index] == out_stereo ? 2 : in;
}

/// Traits::keeps_level of a step whose setting `Index` is a level_parameter().
template <int Index>
bool level_is_kept(const Settings& s) {
  return s[Index] == level_kept;
}

/// StepType::make of a step that learns nothing.
template <class Work>
std::unique_ptr<Processor> make_work(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Work>(s, format);
}

/// One end of a sweep.
inline Parameter corner_parameter(std::string_view id, std::string_view label, double least,
                                  double standard, std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = "Hz",
          .least = least,
          .most = 8000,
          .standard = standard,
          .scale = Scale::logarithmic,
          .help = help};
}

inline Parameter rate_parameter(double least, double most, double standard) {
  return {.id = "rate_hz",
          .label = "Rate",
          .unit = "Hz",
          .least = least,
          .most = most,
          .standard = standard,
          .scale = Scale::logarithmic,
          .help = "How often it goes to and fro, in Hz.",
          .paces = true};
}

inline Parameter phase_parameter() {
  return {.id = "phase_deg",
          .label = "Sides",
          .unit = "deg",
          .least = 0,
          .most = 180,
          .standard = 90,
          .help = "How far the right side goes behind the left, in degrees; heard in stereo."};
}

/// In the order of LfoShape.
inline Parameter shape_parameter() {
  return choice_parameter("shape", "Shape",
                          {{"sine", "sine"},
                           {"triangle", "triangle"},
                           {"square", "square"},
                           {"rise", "rising"},
                           {"fall", "falling"},
                           {"drift", "drifting"}},
                          0, "How it goes to and fro.");
}

/// What moves a setting.
inline constexpr int moved_by_clock = 0, moved_by_voice = 1;
inline Parameter moved_by_parameter() {
  return choice_parameter("moved_by", "Moved by",
                          {{"clock", "rate"}, {"voice", "the sound's loudness"}}, moved_by_clock,
                          "By its rate, to and fro, or by how loud the sound is.");
}

}  // namespace drevan
