// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/radio_channel.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/carrier.h"
#include "dsp/lfo.h"

namespace drevan {

namespace {

constexpr double turn = 2 * std::numbers::pi;
constexpr double second_way_s = 0.0012;  // by which the longer of two ways is late
constexpr double station_off_hz = 870;

// Gain of one way at a time in fades: six waves from around, of chance phases, power 1.
std::complex<double> jakes(double fades, int way) {
  std::complex<double> sum = 0;
  constexpr int waves = 6;
  for (int k = 0; k < waves; ++k) {
    const double chance = 0.5 + 0.5 * static_cast<double>(frame_noise(k + 17 * way, 400));
    const double from = turn * (k + 0.5 + 0.3 * chance) / waves;
    sum += std::polar(1.0, turn * (fades * std::cos(from) + chance * 7));
  }
  return sum / std::sqrt(static_cast<double>(waves));
}

}  // namespace

RadioChannel::RadioChannel(double rate, const RadioSystem& system, int number)
    : rate_(rate),
      system_(system),
      number_(number),
      deviation_(std::min(system.deviation_hz, 0.12 * rate)) {
  const double half = std::min(system.channel_hz / 2, 0.4 * rate);
  for (size_t k = 0; k < filter_.size(); ++k)
    filter_[k].set(design_biquad(BiquadKind::low_pass, half,
                                 butterworth_q(4, static_cast<int>(k % 2)), 0, rate));
  // Noise bandwidth of a Butterworth filter of the fourth order, both sides of the carrier.
  noise_hz_ = 2 * half * (std::numbers::pi / 8) / std::sin(std::numbers::pi / 8);
  late_ = std::min(past_.size() - 1, static_cast<size_t>(second_way_s * rate));
  mean_.set(300, rate);
  reset();
}

void RadioChannel::reset() noexcept {
  for (auto& f : filter_) f.reset();
  phase_ = tuned_ = 0;
  last_ = {1, 0};
  past_ = {};
  mean_.reset();
  place(0);
}

void RadioChannel::place(Samples frame) noexcept {
  frame_ = frame;
  fresh_ = true;
}

// Where the ways' gains go until the grid's next point.
void RadioChannel::aim(const RadioPath& path) noexcept {
  const auto goal_at = [&](Samples frame, int way) {
    const double fades = path.fades_hz * static_cast<double>(frame) / rate_;
    const Complex own = jakes(fades, 2 * number_ + way);
    if (!system_.selective)
      return way == 0 ? Complex(1 - path.fading) + path.fading * own : Complex(0);
    // Two ways alike when it fades wholly, the direct one alone when it does not.
    return way == 0 ? Complex(1 - path.fading) + path.fading * own * 0.7071
                    : path.fading * own * 0.7071;
  };
  const Samples next = frame_ - frame_ % grid + grid;
  for (size_t way = 0; way < 2; ++way) {
    if (fresh_) gains_[way] = goal_at(frame_, static_cast<int>(way));
    gain_steps_[way] =
        (goal_at(next, static_cast<int>(way)) - gains_[way]) / static_cast<double>(next - frame_);
  }
  fresh_ = false;
}

RadioChannel::Complex RadioChannel::send(double x, double carrier) noexcept {
  if (!system_.frequency) return carrier * (1 + am_depth * std::max(-1.2, x));
  phase_ += turn * deviation_ * x / rate_;
  if (std::abs(phase_) > 1e4) phase_ = std::remainder(phase_, turn);
  return std::polar(carrier, phase_);
}

// Somebody else, a little off, who talks in syllables that are none.
RadioChannel::Complex RadioChannel::other_station() noexcept {
  const double s = static_cast<double>(frame_) / rate_;
  const double talks = 0.5 + 0.5 * lfo_value(LfoShape::drift, 4.3 * s);
  const double buzz = std::sin(turn * 190 * s) + 0.6 * std::sin(turn * 570 * s + 3 * talks);
  // By the frame alone; it sways by some hundred Hz as it talks.
  const double phase = turn * station_off_hz * s + 2 * talks * std::cos(turn * 190 * s);
  return std::polar(system_.frequency ? 1 : 1 + 0.3 * talks * buzz, phase);
}

double RadioChannel::receive(Complex z) noexcept {
  double re = z.real(), im = z.imag();
  for (size_t k = 0; k < 2; ++k) {
    re = filter_[k].process(re);
    im = filter_[2 + k].process(im);
  }
  const Complex now(re, im);
  if (system_.frequency) {
    const Complex turned = now * std::conj(last_);
    last_ = now;
    return std::atan2(turned.imag(), turned.real()) * rate_ / (turn * deviation_);
  }
  // The receiver's gain follows the carrier, and brings up the noise where there is none.
  const double envelope = std::abs(now);
  const double mean = std::max(mean_.process_power(envelope), 0.02);
  return (envelope / mean - 1) / am_depth;
}

double RadioChannel::pass(double x, double carrier, const RadioPath& path) noexcept {
  if (fresh_ || frame_ % grid == 0) aim(path);
  const Complex sent = send(x, carrier);
  const auto at = static_cast<size_t>(frame_) % past_.size();
  past_[at] = sent;
  Complex z = gains_[0] * sent + gains_[1] * past_[(at + past_.size() - late_) % past_.size()];
  for (size_t way = 0; way < 2; ++way) gains_[way] += gain_steps_[way];
  if (path.station > 0) z += path.station * other_station();
  // White over the whole stream, so that within the channel it has its share.
  if (path.signal_db != signal_db_) {
    signal_db_ = path.signal_db;
    noise_ = std::sqrt(1.5 * std::pow(10, -signal_db_ / 10) * rate_ / noise_hz_);
  }
  Complex noise(static_cast<double>(frame_noise(frame_, 500 + 2 * number_)),
                static_cast<double>(frame_noise(frame_, 501 + 2 * number_)));
  // White noise stays white when it is turned; so it does not matter how far the carrier has turned
  // since the beginning.
  if (system_.frequency) noise *= std::polar(1.0, phase_);
  z += noise_ * noise;
  if (path.off_hz != 0) {
    tuned_ += turn * path.off_hz / rate_;
    if (std::abs(tuned_) > 1e4) tuned_ = std::remainder(tuned_, turn);
    z *= std::polar(1.0, -tuned_);
  }
  ++frame_;
  return receive(z);
}

}  // namespace drevan
