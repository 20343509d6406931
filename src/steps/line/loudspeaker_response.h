// SPDX-License-Identifier: GPL-3.0-or-later
// What a loudspeaker makes of a sound, by formula: response, directivity, distortion.
#pragma once

#include "steps/line/loudspeaker_device.h"

namespace drevan {

/// What became of a device.
struct SpeakerUse {
  double bass_st = 0, treble_st = 0;  ///< its lower and its upper end moved, semitones
  double age_pct = 0;
};

/// The device as it is in use: its ends moved, and aged. A magnet that has lost its strength damps
/// less (Q goes with 1 / Bl^2; A. N. Thiele, "Loudspeakers in vented boxes", 1961, JAES 19(5),
/// 1971), a cone gone soft is duller and breaks up more; what holds it all together comes loose.
Speaker in_use(const Speaker& device, const SpeakerUse& use);

/// The cone in its box alone, dB: a high-pass of second order by resonance and Q (R. H. Small,
/// "Closed-box loudspeaker systems", JAES 20(10), 1972).
double cone_db(const Speaker& device, double hz);
/// All that follows the cone, in front of it, dB: port, open back or horn (L. L. Beranek, T. J.
/// Mellow, "Acoustics: sound fields and transducers", 2012, chapters 6, 7 and 9), break-up, cabinet
/// and upper end; where there is a measured response, what is missing to it.
double body_db(const Speaker& device, double hz);
/// At an angle against in front of it, dB: a piston in a wall, a line of them (Beranek and Mellow,
/// chapters 4 and 13), and the shade of the box behind it, which is a rule of our own.
double angle_db(const Speaker& device, double hz, double angle_deg);
/// Distortion of a tone in percent, its harmonics against itself: of the amplifier where the cone
/// moves little, or `at_resonance` of the cone as well (third harmonic by harmonic balance; A. H.
/// Nayfeh, D. T. Mook, "Nonlinear oscillations", 1979, chapter 4).
double distortion_pct(const Speaker& device, double level_dbfs, bool at_resonance);

/// 2 J1(z) / z by polynomials (M. Abramowitz, I. A. Stegun, "Handbook of mathematical functions",
/// 1964, 9.4.4 and 9.4.6), z >= 0.
double piston_factor(double z) noexcept;

}  // namespace drevan
