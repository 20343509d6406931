// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/biquad.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace drevan {

BiquadCoefficients design_biquad(BiquadKind kind, double hz, double q, double gain_db,
                                 double rate) {
  const double w = 2 * std::numbers::pi * std::clamp(hz, 1.0, 0.49 * rate) / rate;
  const double cs = std::cos(w);
  const double alpha = std::sin(w) / (2 * q);
  const double a = std::pow(10.0, gain_db / 40);
  const double root = 2 * std::sqrt(a) * alpha;
  double b0 = 1, b1 = 0, b2 = 0, a0 = 1, a1 = 0, a2 = 0;
  switch (kind) {
    case BiquadKind::low_pass:
      b0 = b2 = (1 - cs) / 2, b1 = 1 - cs;
      a0 = 1 + alpha, a1 = -2 * cs, a2 = 1 - alpha;
      break;
    case BiquadKind::high_pass:
      b0 = b2 = (1 + cs) / 2, b1 = -(1 + cs);
      a0 = 1 + alpha, a1 = -2 * cs, a2 = 1 - alpha;
      break;
    case BiquadKind::bell:
      b0 = 1 + alpha * a, b1 = -2 * cs, b2 = 1 - alpha * a;
      a0 = 1 + alpha / a, a1 = -2 * cs, a2 = 1 - alpha / a;
      break;
    case BiquadKind::notch:
      b0 = b2 = 1, b1 = -2 * cs;
      a0 = 1 + alpha, a1 = -2 * cs, a2 = 1 - alpha;
      break;
    case BiquadKind::low_shelf:
      b0 = a * ((a + 1) - (a - 1) * cs + root), b1 = 2 * a * ((a - 1) - (a + 1) * cs);
      b2 = a * ((a + 1) - (a - 1) * cs - root), a0 = (a + 1) + (a - 1) * cs + root;
      a1 = -2 * ((a - 1) + (a + 1) * cs), a2 = (a + 1) + (a - 1) * cs - root;
      break;
    case BiquadKind::high_shelf:
      b0 = a * ((a + 1) + (a - 1) * cs + root), b1 = -2 * a * ((a - 1) + (a + 1) * cs);
      b2 = a * ((a + 1) + (a - 1) * cs - root), a0 = (a + 1) - (a - 1) * cs + root;
      a1 = 2 * ((a - 1) - (a + 1) * cs), a2 = (a + 1) - (a - 1) * cs - root;
      break;
  }
  return {b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0};
}

std::complex<double> response(const BiquadCoefficients& c, double hz, double rate) {
  const auto z = std::polar(1.0, -2 * std::numbers::pi * hz / rate);
  return (c.b0 + z * (c.b1 + z * c.b2)) / (1.0 + z * (c.a1 + z * c.a2));
}

long ring_samples(const BiquadCoefficients& c) {
  // Poles of 1 + a1 z^-1 + a2 z^-2.
  const double d = c.a1 * c.a1 / 4 - c.a2;
  const double radius = d < 0 ? std::sqrt(c.a2) : std::abs(c.a1) / 2 + std::sqrt(d);
  if (radius <= 1e-6) return 2;
  const double r = std::min(radius, 0.9999999);
  return static_cast<long>(std::ceil(-4.0 * std::numbers::ln10 / std::log(r)));
}

double butterworth_q(int order, int index) {
  return 1 / (2 * std::sin((2 * index + 1) * std::numbers::pi / (2 * order)));
}

}  // namespace drevan
