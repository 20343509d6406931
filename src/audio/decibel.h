// SPDX-License-Identifier: GPL-3.0-or-later
// Decibels. Amplitude: 20 log10; power: 10 log10.
#pragma once

#include <cmath>
#include <limits>

namespace drevan {

/// What silence reads as; below any 24-bit or float recording's floor.
inline constexpr double silence_db = -200.0;

/// Amplitude ratio of a level in dB. 0 dB is 1.
inline double from_db(double db) { return std::pow(10.0, db / 20.0); }

/// Level in dB of an amplitude; never below silence_db.
inline double to_db(double amplitude) {
  return amplitude > 1e-10 ? 20.0 * std::log10(amplitude) : silence_db;
}

/// Level in dB of a power (mean square); never below silence_db.
inline double power_to_db(double power) {
  return power > 1e-20 ? 10.0 * std::log10(power) : silence_db;
}

}  // namespace drevan
