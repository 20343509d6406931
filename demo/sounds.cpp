// SPDX-License-Identifier: GPL-3.0-or-later
#include "sounds.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <string_view>

#include "dsp/biquad.h"

namespace demo {

namespace {

constexpr double tau = 2 * std::numbers::pi;

size_t frames(double seconds) { return static_cast<size_t>(std::llround(seconds * rate)); }

// Slow random movement around 1, for gusts and drifting motors.
Sound drift(double seconds, double hz, double amount, std::uint64_t seed) {
  Noise noise(seed);
  Sound out(frames(seconds));
  double value = 0, goal = 0;
  const auto every = static_cast<size_t>(rate / hz);
  for (size_t i = 0; i < out.size(); ++i) {
    if (i % every == 0) goal = static_cast<double>(noise.next());
    value += (goal - value) * hz * 4 / rate;
    out[i] = static_cast<float>(std::exp(amount * value));
  }
  return out;
}

}  // namespace

double Noise::uniform() {
  state_ ^= state_ >> 12;
  state_ ^= state_ << 25;
  state_ ^= state_ >> 27;
  return static_cast<double>((state_ * 0x2545f4914f6cdd1dULL) >> 11) * 0x1p-53;
}

float Noise::next() {
  // Twelve uniforms make a good enough normal.
  double sum = -6;
  for (int i = 0; i < 12; ++i) sum += uniform();
  return static_cast<float>(sum);
}

void mix(Sound& to, const Sound& add, double at_s, double gain) {
  const size_t at = frames(at_s);
  if (to.size() < at + add.size()) to.resize(at + add.size());
  for (size_t i = 0; i < add.size(); ++i) to[at + i] += static_cast<float>(gain) * add[i];
}

void filter(Sound& sound, const char* kind, double hz, double q, double gain_db) {
  using drevan::BiquadKind;
  const std::string_view k = kind;
  const auto type = k == "low_pass"    ? BiquadKind::low_pass
                    : k == "high_pass" ? BiquadKind::high_pass
                    : k == "bell"      ? BiquadKind::bell
                                       : BiquadKind::high_shelf;
  drevan::Biquad b;
  b.set(drevan::design_biquad(type, hz, q, gain_db, rate));
  for (float& x : sound) x = b.process(x);
}

void peak_to(Sound& sound, double db) {
  float peak = 1e-9F;
  for (const float x : sound) peak = std::max(peak, std::abs(x));
  const auto g = static_cast<float>(std::pow(10, db / 20)) / peak;
  for (float& x : sound) x *= g;
}

void power_to(Sound& sound, double db) {
  double sum = 1e-12;
  for (const float x : sound) sum += static_cast<double>(x * x);
  const auto g = static_cast<float>(std::pow(10, db / 20) /
                                    std::sqrt(sum / static_cast<double>(sound.size())));
  for (float& x : sound) x *= g;
}

Sound silence(double seconds) { return Sound(frames(seconds)); }

Sound hiss(double seconds, std::uint64_t seed) {
  Noise noise(seed);
  Sound out(frames(seconds));
  for (float& x : out) x = noise.next();
  filter(out, "high_shelf", 3000, 0.7, 5);
  filter(out, "high_pass", 120, 0.7);
  return out;
}

Sound mains_hum(double seconds, std::uint64_t seed) {
  const Sound wander = drift(seconds, 0.3, 0.0006, seed);
  Sound out(frames(seconds));
  const double level[] = {1, 0.55, 0.7, 0.2, 0.35, 0.12, 0.2, 0.06, 0.1, 0.05};
  double phase = 0;
  Noise noise(seed + 1);
  for (size_t i = 0; i < out.size(); ++i) {
    phase += 50 * static_cast<double>(wander[i]) / rate;
    double x = 0.02 * static_cast<double>(noise.next());
    for (int h = 0; h < 10; ++h) x += level[h] * std::sin(tau * phase * (h + 1) + h);
    out[i] = static_cast<float>(x);
  }
  return out;
}

Sound fan(double seconds, std::uint64_t seed) {
  Noise noise(seed);
  const Sound wander = drift(seconds, 0.5, 0.004, seed + 1);
  Sound out(frames(seconds));
  double phase = 0;
  for (size_t i = 0; i < out.size(); ++i) {
    phase += 88 * static_cast<double>(wander[i]) / rate;
    out[i] = noise.next() * static_cast<float>(1 + 0.12 * std::sin(tau * phase));
  }
  filter(out, "low_pass", 900, 0.6);
  filter(out, "bell", 240, 1.2, 7);
  phase = 0;
  for (size_t i = 0; i < out.size(); ++i) {
    phase += 88 * static_cast<double>(wander[i]) / rate;
    out[i] += static_cast<float>(0.05 * std::sin(tau * phase) + 0.03 * std::sin(tau * 2 * phase));
  }
  return out;
}

Sound rumble(double seconds, std::uint64_t seed) {
  Noise noise(seed);
  Sound out(frames(seconds));
  for (float& x : out) x = noise.next();
  filter(out, "low_pass", 60, 0.8);
  filter(out, "low_pass", 90, 0.7);
  return out;
}

Sound in_room(const Sound& dry, double seconds, double wet) {
  Sound out = dry;
  out.resize(dry.size() + frames(seconds));
  const double lengths[] = {0.0297, 0.0371, 0.0411, 0.0437};
  Sound late(out.size());
  for (const double length : lengths) {
    const size_t n = frames(length);
    const auto feedback = static_cast<float>(std::pow(10, -3 * length / seconds));
    Sound line(out.size());
    float dull = 0;
    for (size_t i = 0; i < line.size(); ++i) {
      const float back = i >= n ? line[i - n] : 0.0F;
      dull += 0.6F * (back - dull);  // walls take the heights
      line[i] = (i < dry.size() ? dry[i] : 0.0F) + feedback * dull;
      if (i >= n) late[i] += 0.25F * back;
    }
  }
  for (size_t i = 0; i < out.size(); ++i) out[i] += static_cast<float>(wet) * late[i];
  return out;
}

Sound over_radio(const Sound& dry, std::uint64_t seed) {
  Sound out = dry;
  filter(out, "high_pass", 450, 0.8);
  filter(out, "high_pass", 450, 0.8);
  for (float& x : out) x = std::tanh(4 * x) * 0.5F;
  Noise noise(seed);
  const Sound gusts = drift(static_cast<double>(out.size()) / rate, 1.5, 0.5, seed + 1);
  for (size_t i = 0; i < out.size(); ++i) out[i] += 0.012F * gusts[i] * noise.next();
  filter(out, "low_pass", 3000, 0.9);
  filter(out, "low_pass", 3200, 0.7);
  return out;
}

Sound wind(double seconds, std::uint64_t seed) {
  const Sound gust = drift(seconds, 0.35, 0.7, seed);
  Noise noise(seed + 1);
  Sound out(frames(seconds));
  float low = 0, band = 0;
  for (size_t i = 0; i < out.size(); ++i) {
    // A resonance that climbs with the gust, as it does round a tower.
    const auto f = static_cast<float>(
        2 * std::sin(tau / 2 * (180 + 260 * static_cast<double>(gust[i])) / rate));
    low += f * band;
    band += f * (noise.next() - low - 0.35F * band);
    out[i] = (band + 0.5F * low) * gust[i];
  }
  filter(out, "high_pass", 60, 0.7);
  peak_to(out, -7);
  return out;
}

Sound foghorn(double seconds) {
  Sound out(frames(seconds));
  for (int blast = 0; blast < 2; ++blast) {
    const double from = 0.8 + blast * 5.0, to = from + 2.8;
    for (size_t i = 0; i < out.size(); ++i) {
      const double t = static_cast<double>(i) / rate;
      if (t < from || t > to) continue;
      const double swell = std::min(1.0, (t - from) / 0.35) * std::min(1.0, (to - t) / 0.25);
      const double hz = 113 * (1 - 0.06 * std::max(0.0, t - to + 0.35) / 0.35);
      double x = 0;
      for (int h = 1; h <= 14; ++h)
        x += std::sin(tau * hz * h * (t - from) + 0.3 * h) / std::pow(h, 1.1);
      out[i] += static_cast<float>(swell * x);
    }
  }
  out = in_room(out, 2.6, 0.8);
  out.resize(frames(seconds));
  mix(out, wind(seconds, 77), 0, 0.08);
  peak_to(out, -4);
  return out;
}

Sound door() {
  Sound out = silence(4.0);
  Noise noise(91);
  // A creak: stick and slip, faster as it opens; then the slam.
  double next = 0.4, gap = 0.035;
  while (next < 1.7) {
    Sound tick(frames(0.02));
    for (size_t i = 0; i < tick.size(); ++i)
      tick[i] = noise.next() * static_cast<float>(std::exp(-static_cast<double>(i) / 90));
    filter(tick, "bell", 900 + 500 * next, 6, 24);
    mix(out, tick, next, 0.02);
    gap *= 0.985;
    next += gap;
  }
  Sound slam(frames(0.5));
  for (size_t i = 0; i < slam.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    slam[i] = static_cast<float>(std::exp(-t * 30) * std::sin(tau * 62 * t) * 1.2) +
              noise.next() * static_cast<float>(0.5 * std::exp(-t * 55));
  }
  filter(slam, "low_pass", 2400, 0.7);
  mix(out, slam, 2.1, 1);
  out = in_room(out, 0.9, 0.6);
  out.resize(frames(4.0));
  peak_to(out, -2);
  return out;
}

std::vector<Sound> boat_pass(double seconds) {
  std::vector<Sound> out(2, silence(seconds));
  Noise noise(31);
  double phase = 0;
  float water = 0;
  for (size_t i = 0; i < out[0].size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    // Past the rock at 9 m/s, 25 m away at its nearest; pitch bends as it passes.
    const double x = 9 * (t - seconds / 2), distance = std::hypot(x, 25.0);
    const double toward = -9 * x / distance;
    phase += 27 * (1 + toward / 343) / rate;
    const double stroke = std::pow(0.5 + 0.5 * std::sin(tau * phase), 6);
    water += 0.2F * (noise.next() - water);
    const double s =
        (stroke * (0.7 * std::sin(tau * phase * 3) + 0.3 * static_cast<double>(noise.next())) +
         0.5 * static_cast<double>(water)) *
        25 / distance;
    const double angle =
        (std::atan2(x, 25.0) / (std::numbers::pi / 2) + 1) / 2 * std::numbers::pi / 2;
    out[0][i] = static_cast<float>(s * std::cos(angle));
    out[1][i] = static_cast<float>(s * std::sin(angle));
  }
  for (auto& side : out) {
    filter(side, "low_pass", 2500, 0.7);
    filter(side, "high_pass", 35, 0.7);
    for (float& v : side) v *= 0.28F;
  }
  return out;
}

std::vector<Sound> beam_sweep(double seconds) {
  std::vector<Sound> out(2, silence(seconds));
  Noise noise(57);
  float low = 0, band = 0;
  for (size_t i = 0; i < out[0].size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    // The lamp turns once in four seconds; a breath of light at each pass.
    const double turn = tau * t / 4;
    const double near = std::pow(0.5 + 0.5 * std::cos(turn - std::numbers::pi), 3);
    const auto f = static_cast<float>(2 * std::sin(tau / 2 * (300 + 2200 * near) / rate));
    low += f * band;
    band += f * (noise.next() - low - 0.25F * band);
    const double s = 0.09 * near * static_cast<double>(band) + 0.015 * std::sin(tau * 96 * t);
    const double pan = 0.5 + 0.45 * std::sin(turn);
    out[0][i] = static_cast<float>(s * std::cos(pan * std::numbers::pi / 2));
    out[1][i] = static_cast<float>(s * std::sin(pan * std::numbers::pi / 2));
  }
  return out;
}

}  // namespace demo
