#include "dsp/k_weighting.h"

#include <cmath>
#include <numbers>

namespace drevan {

std::array<BiquadCoefficients, 2> k_weighting(double rate) {
  std::array<BiquadCoefficients, 2> out;
  {
    const double k = std::tan(std::numbers::pi * 1681.974450955533 / rate);
    const double q = 0.7071752369554196, high = std::pow(10.0, 3.999843853973347 / 20), band = std::pow(high, 0.4996667741545416);
    const double a0 = 1 + k / q + k * k;
    out[0] = {(high + band * k / q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / q + k * k) / a0,
              2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0};
  }
  {
    const double k = std::tan(std::numbers::pi * 38.13547087602444 / rate);
    const double q = 0.5003270373238773;
    const double a0 = 1 + k / q + k * k;
    out[1] = {1, -2, 1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0};
  }
  return out;
}

}  // namespace drevan
