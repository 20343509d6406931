// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/k_weighting.h"

#include <cmath>
#include <cstring>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

std::array<BiquadCoefficients, 2> k_weighting(double rate) {
  std::array<BiquadCoefficients, 2> out;
  {
    const double k = std::tan(std::numbers::pi * 1681.974450955533 / rate);
    const double q = 0.7071752369554196, high = std::pow(10.0, 3.999843853973347 / 20),
                 band = std::pow(high, 0.4996667741545416);
    const double a0 = 1 + k / q + k * k;
    out[0] = {(high + band * k / q + k * k) / a0, 2 * (k * k - high) / a0,
              (high - band * k / q + k * k) / a0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0};
  }
  {
    const double k = std::tan(std::numbers::pi * 38.13547087602444 / rate);
    const double q = 0.5003270373238773;
    const double a0 = 1 + k / q + k * k;
    out[1] = {1, -2, 1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0};
  }
  return out;
}

namespace {

using Four = double __attribute__((vector_size(4 * sizeof(double))));

// One sample through both sections.
double step(const std::array<BiquadCoefficients, 2>& sections, double in, KPower::State& s) {
  const auto& [shelf, cut] = sections;
  const double a = shelf.b0 * in + s[0];
  s[0] = shelf.b1 * in - shelf.a1 * a + s[1];
  s[1] = shelf.b2 * in - shelf.a2 * a;
  const double b = cut.b0 * a + s[2];
  s[2] = cut.b1 * a - cut.a1 * b + s[3];
  s[3] = cut.b2 * a - cut.a2 * b;
  return b;
}

DREVAN_CLONES double squares(const KPower::Tables& t, const float* x, size_t n,
                             KPower::State& state) noexcept {
  Four out_of_state[4], out_of_in[4], state_of_state[4], state_of_in[4], s, sum{};
  std::memcpy(out_of_state, t.out_of_state.data(), sizeof out_of_state);
  std::memcpy(out_of_in, t.out_of_in.data(), sizeof out_of_in);
  std::memcpy(state_of_state, t.state_of_state.data(), sizeof state_of_state);
  std::memcpy(state_of_in, t.state_of_in.data(), sizeof state_of_in);
  std::memcpy(&s, state.data(), sizeof s);
  for (size_t i = 0; i + 4 <= n; i += 4) {
    const auto a = static_cast<double>(x[i]), b = static_cast<double>(x[i + 1]),
               c = static_cast<double>(x[i + 2]), d = static_cast<double>(x[i + 3]);
    const Four in_out =
        (a * out_of_in[0] + b * out_of_in[1]) + (c * out_of_in[2] + d * out_of_in[3]);
    const Four in_state =
        (a * state_of_in[0] + b * state_of_in[1]) + (c * state_of_in[2] + d * state_of_in[3]);
    const Four y = ((s[0] * out_of_state[0] + s[1] * out_of_state[1]) +
                    (s[2] * out_of_state[2] + s[3] * out_of_state[3])) +
                   in_out;
    s = ((s[0] * state_of_state[0] + s[1] * state_of_state[1]) +
         (s[2] * state_of_state[2] + s[3] * state_of_state[3])) +
        in_state;
    sum += y * y;
  }
  std::memcpy(state.data(), &s, sizeof s);
  return (sum[0] + sum[1]) + (sum[2] + sum[3]);
}

}  // namespace

KPower::KPower(double rate) : sections_(k_weighting(rate)) {
  // Four samples of what each number inside, or each sample alone, leads to.
  const auto probe = [&](State s, size_t sample, std::array<double, 4>& out, State& stays) {
    for (size_t i = 0; i < 4; ++i) out[i] = step(sections_, i == sample ? 1 : 0, s);
    stays = s;
  };
  for (size_t k = 0; k < 4; ++k) {
    State one{};
    one[k] = 1;
    probe(one, 4, tables_.out_of_state[k], tables_.state_of_state[k]);
    probe({}, k, tables_.out_of_in[k], tables_.state_of_in[k]);
  }
}

double KPower::of(std::span<const float> x, State& state) const noexcept {
  double sum = squares(tables_, x.data(), x.size(), state);
  for (size_t i = x.size() - x.size() % 4; i < x.size(); ++i) {
    const double y = step(sections_, static_cast<double>(x[i]), state);
    sum += y * y;
  }
  return sum;
}

}  // namespace drevan
