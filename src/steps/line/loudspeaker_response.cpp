// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/line/loudspeaker_response.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/room.h"

namespace drevan {

namespace {

using std::numbers::pi;

double square(double x) { return x * x; }

// Amplitude of a high-pass of second order.
double high_pass(double hz, double corner, double q) {
  const std::complex<double> s(0, hz / corner);
  return std::abs(s * s / (s * s + s / q + 1.0));
}

double box_factor(const Speaker& d, double hz) {
  switch (d.box) {
    case SpeakerBox::closed:
      return 1;
    case SpeakerBox::vented:
      return high_pass(hz, d.port_hz, 1 / std::numbers::sqrt2);
    case SpeakerBox::open: {
      // What comes round from its back cancels what is long: first order below c / (2 path).
      const double corner = sound_m_s / (2 * d.path_m), r = hz / corner;
      return r / std::sqrt(1 + r * r);
    }
    case SpeakerBox::horn:
      break;
  }
  // The throat's resistance above the cut-off, an evanescent wave along the horn below it. In a
  // horn of no end nothing would pass at the cut-off; reflections from a real mouth leave -3 dB.
  if (hz >= d.horn_hz) return std::sqrt(std::sqrt(1 - 0.75 * square(d.horn_hz / hz)));
  const double decay = 2 * pi / sound_m_s * std::sqrt(square(d.horn_hz) - square(hz));
  return 1 / std::numbers::sqrt2 * std::exp(-decay * d.horn_m);
}

// Of a bell as in the W3C's Audio EQ Cookbook, in the analogue world.
double peak_db(const SpeakerPeak& p, double hz) {
  const double a = std::pow(10.0, p.db / 40);
  const std::complex<double> s(0, hz / p.hz), s2 = s * s + 1.0;
  return to_db(std::abs((s2 + s * (a / p.q)) / (s2 + s / (a * p.q))));
}

double upper_db(const Speaker& d, double hz) {
  if (d.upper_hz >= 20000) return 0;
  return -10 * std::log10(1 + std::pow(hz / d.upper_hz, d.upper_slope_db / 3.0));
}

double measured_db(const std::vector<SpeakerPoint>& points, double hz) {
  const auto next = std::ranges::lower_bound(points, hz, {}, &SpeakerPoint::hz);
  if (next == points.begin()) return points.front().db;
  if (next == points.end()) return points.back().db;
  const auto last = next - 1;
  const double share = std::log(hz / last->hz) / std::log(next->hz / last->hz);
  return last->db + share * (next->db - last->db);
}

// Harmonics of a bent sine in percent of it.
double bend_distortion_pct(const Speaker& d, double over) {
  constexpr int points = 256;
  double mean = 0, power = 0, first = 0;
  for (int i = 0; i < points; ++i) {
    const double sine = std::sin(2 * pi * i / points), y = bent(d.clip, over * sine + d.bias);
    mean += y / points;
    power += y * y / points;
    first += 2 * y * sine / points;
  }
  // What of the power is neither the mean nor the tone itself.
  const double tone = first * first / 2;
  return 100 * std::sqrt(std::max(0.0, power - mean * mean - tone) / std::max(tone, 1e-30));
}

// Third harmonic of the pressure at the resonance. The displacement Y of a tone U there solves
// ((3/4 (Y/X)^2)^2 + 1/Q^2) Y^2 = U^2; its cube drives the third harmonic, whose pressure counts
// nine times its displacement.
double cone_distortion_pct(const Speaker& d, double u) {
  const double x = from_db(d.excursion_dbfs);
  double low = 0, high = u * d.q + 1e-9;
  for (int i = 0; i < 60; ++i) {
    const double y = (low + high) / 2, stiff = 0.75 * square(y / x);
    ((square(stiff) + 1 / square(d.q)) * y * y < u * u ? low : high) = y;
  }
  const double y3 = square(low / x) / 4 / std::abs(std::complex<double>(-8, 3 / d.q));
  return 100 * 9 * y3;
}

}  // namespace

double piston_factor(double z) noexcept {
  if (z <= 3) {
    const double t = square(z / 3);
    return 2 *
           (0.5 +
            t * (-0.56249985 +
                 t * (0.21093573 +
                      t * (-0.03954289 + t * (0.00443319 + t * (-0.00031761 + t * 0.00001109))))));
  }
  const double t = 3 / z;
  const double f =
      0.79788456 +
      t * (0.00000156 +
           t * (0.01659667 +
                t * (0.00017105 + t * (-0.00249511 + t * (0.00113653 - t * 0.00020033)))));
  const double phase =
      z - 2.35619449 +
      t * (0.12499612 +
           t * (0.0000565 +
                t * (-0.00637879 + t * (0.00074348 + t * (0.00079824 - t * 0.00029166)))));
  return 2 * f * std::cos(phase) / (std::sqrt(z) * z);
}

Speaker in_use(const Speaker& device, const SpeakerUse& use) {
  Speaker d = device;
  const double down = std::exp2(use.bass_st / 12), up = std::exp2(use.treble_st / 12);
  const double age = use.age_pct / 100;
  d.resonance_hz = std::clamp(d.resonance_hz * down, 15.0, 8000.0);
  d.port_hz *= down;
  d.horn_hz *= down;
  d.path_m /= down;
  d.q *= 1 + age;
  const bool ends = d.upper_hz < 20000 || up < 1 || age > 0;
  d.upper_hz = ends ? std::min(d.upper_hz * up * std::exp2(-age), 19999.0) : 20000;
  for (auto& p : d.break_up) {
    p.hz = std::min(p.hz * up, 20000.0);
    if (p.db > 0) p.db += 6 * age;
  }
  d.measured_up *= up;
  d.rattle_at_dbfs -= 12 * age;
  if (age > 0) d.rattle_db = to_db(from_db(d.rattle_db) + 0.05 * age * age);
  return d;
}

double cone_db(const Speaker& d, double hz) { return to_db(high_pass(hz, d.resonance_hz, d.q)); }

double body_db(const Speaker& d, double hz) {
  double db = 0;
  if (d.measured) {
    db = measured_db(*d.measured, hz / d.measured_up) - std::max(cone_db(d, hz), -40.0);
  } else {
    db = to_db(box_factor(d, hz)) + upper_db(d, hz);
    for (const auto& p : d.break_up) db += peak_db(p, hz);
    for (const auto& p : d.cabinet) db += peak_db(p, hz);
  }
  return std::clamp(db, -100.0, 40.0);
}

double angle_db(const Speaker& d, double hz, double angle_deg) {
  const double k = 2 * pi * hz / sound_m_s, sine = std::sin(angle_deg * pi / 180);
  double factor = std::abs(piston_factor(k * d.radius_mm / 1000 * std::abs(sine)));
  if (const double z = k * d.line_m / 2 * std::abs(sine); z > 1e-6) factor *= std::sin(z) / z;
  // No real one has nulls: walls and the box's edges fill them.
  double power = square(factor) + 0.01;
  // Behind it: what is short against the box stays in front, an open back radiates by itself.
  if (angle_deg > 90) {
    const double behind = -std::cos(angle_deg * pi / 180), wide = k * d.box_m / 2;
    power /= 1 + behind * square(d.box == SpeakerBox::open ? std::min(wide, 2.0) : wide);
  }
  return power_to_db(power / 1.01);
}

double distortion_pct(const Speaker& d, double level_dbfs, bool at_resonance) {
  const double amplifier = bend_distortion_pct(d, from_db(level_dbfs - d.clip_dbfs));
  if (!at_resonance) return amplifier;
  return std::hypot(amplifier, cone_distortion_pct(d, from_db(level_dbfs)));
}

}  // namespace drevan
