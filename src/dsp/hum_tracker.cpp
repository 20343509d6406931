// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/hum_tracker.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"
#include "dsp/hum_follower.h"

namespace drevan {

namespace {

using Complex = std::complex<double>;
constexpr double two_pi = 2 * std::numbers::pi;
constexpr double low_rate_least = 5600;
constexpr double ask_s = 120;  // a hum is looked for after so much sound, then again
constexpr double most_waiting_s = 1200;
constexpr double periods =
    3;  // a step: neighbours 1/3 of the fundamental away do not disturb each other
constexpr auto all = static_cast<size_t>(most_hum_harmonics);

Complex turned(double cycles) {
  const double a = two_pi * (cycles - std::floor(cycles));
  return {std::cos(a), std::sin(a)};
}

// Sums of x * c and x * s.
DREVAN_CLONES void project(const float* __restrict x, const float* __restrict c,
                           const float* __restrict s, size_t n, double& re, double& im) noexcept {
  constexpr size_t lanes = 16;
  std::array<float, lanes> a{}, b{};
  size_t i = 0;
  for (; i + lanes <= n; i += lanes)
    for (size_t l = 0; l < lanes; ++l) {
      a[l] += x[i + l] * c[i + l];
      b[l] += x[i + l] * s[i + l];
    }
  re = im = 0;
  for (size_t l = 0; l < lanes; ++l) {
    re += static_cast<double>(a[l]);
    im += static_cast<double>(b[l]);
  }
  for (; i < n; ++i) {
    re += static_cast<double>(x[i] * c[i]);
    im += static_cast<double>(x[i] * s[i]);
  }
}

void add_low_pass(std::array<Biquad, 4>& stages, double rate) {
  for (int i = 0; i < 4; ++i)
    stages[static_cast<size_t>(i)].set(
        design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, rate));
}

// What the low-pass does to a harmonic.
Complex low_pass_at(double hz, double rate) {
  Complex out = 1;
  for (int i = 0; i < 4; ++i)
    out *=
        response(design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, rate), hz, rate);
  return out;
}

}  // namespace

HumTracker::HumTracker(StreamFormat format, double least_hz, double most_hz)
    : format_(format),
      finder_(format, least_hz, most_hz),
      every_(std::max(1, static_cast<int>(format.rate / low_rate_least))),
      low_rate_(format.rate / every_),
      channels_(static_cast<size_t>(format.channels)) {
  for (auto& c : channels_) add_low_pass(c.low_pass, format.rate);
}

void HumTracker::hear_silence(const AudioBlock& block) {
  for (int i = 0; i < block.frames(); ++i) {
    bool silent = true;
    for (int c = 0; c < block.channels() && silent; ++c)
      silent = block.channel(c)[static_cast<size_t>(i)] == 0;
    if (silent) {
      ++silent_;
    } else if (silent_ > 0) {
      if (static_cast<double>(silent_) > 0.01 * format_.rate)
        silences_.push_back({frames_ + i - silent_, frames_ + i});
      silent_ = 0;
    }
  }
}

void HumTracker::hear(const AudioBlock& block) {
  finder_.hear(block);
  hear_silence(block);
  frames_ += block.frames();
  for (size_t c = 0; c < channels_.size(); ++c) {
    Channel& channel = channels_[c];
    int phase = phase_;
    for (const float x : block.channel(static_cast<int>(c))) {
      double y = static_cast<double>(x);
      for (auto& stage : channel.low_pass) y = stage.process(y);
      if (++phase < every_) continue;
      phase = 0;
      channel.waiting.push_back(static_cast<float>(y));
    }
  }
  low_frames_ += (phase_ + block.frames()) / every_;
  phase_ = (phase_ + block.frames()) % every_;
  if (hz_ > 0) return take_steps();
  if (static_cast<double>(low_frames_ - asked_at_) < ask_s * low_rate_) return;
  asked_at_ = low_frames_;
  if (const auto hum = finder_.find()) {
    begin(hum->hz);
    take_steps();
  } else if (static_cast<double>(channels_[0].waiting.size()) > most_waiting_s * low_rate_) {
    // A hum that begins so late is followed from there on.
    const auto drop = static_cast<std::ptrdiff_t>(channels_[0].waiting.size() / 2);
    for (auto& channel : channels_)
      channel.waiting.erase(channel.waiting.begin(), channel.waiting.begin() + drop);
    lost_ += drop;
  }
}

// The reference is known: tables of each harmonic, and of what stands a third of the fundamental beside it.
void HumTracker::begin(double hz) {
  hz_ = hz;
  step_ = static_cast<int>(std::lround(periods * low_rate_ / hz));
  const auto n = static_cast<size_t>(step_);
  table_.resize(all * 3 * 2 * n);
  for (size_t h = 0; h < all; ++h)
    for (size_t side = 0; side < 3; ++side) {
      const double f =
          (static_cast<double>(h + 1) * hz + (static_cast<double>(side) - 1) * low_rate_ / step_) /
          low_rate_;
      float* line = &table_[(h * 3 + side) * 2 * n];
      for (size_t i = 0; i < n; ++i) {
        const Complex p = turned(f * static_cast<double>(i));
        line[i] = static_cast<float>(p.real());
        line[n + i] = static_cast<float>(-p.imag());
      }
    }
}

void HumTracker::take_steps() {
  const auto n = static_cast<size_t>(step_);
  const size_t count = channels_[0].waiting.size() / n;
  if (count == 0) return;
  for (auto& channel : channels_) {
    for (size_t k = 0; k < count; ++k) {
      const float* x = channel.waiting.data() + k * n;
      // A low frame j is the sound's frame (j + 1) every - 1.
      const double begins_s =
          (static_cast<double>((lost_ + (steps_ + static_cast<Samples>(k)) * step_) + 1) * every_ -
           1) /
          format_.rate;
      for (size_t h = 0; h < all; ++h) {
        Heard heard;
        if (static_cast<double>(h + 1) * hz_ < 2330 &&
            static_cast<double>(h + 1) * hz_ < 0.45 * low_rate_) {
          double beside = 0;
          for (size_t side = 0; side < 3; ++side) {
            double re, im;
            const float* line = &table_[(h * 3 + side) * 2 * n];
            project(x, line, line + n, n, re, im);
            if (side == 1)
              heard.z = std::complex<float>(Complex(re, im) * (2.0 / step_) *
                                            turned(-static_cast<double>(h + 1) * hz_ * begins_s));
            else
              beside += (re * re + im * im) * 2 / (static_cast<double>(step_) * step_);
          }
          heard.beside = static_cast<float>(beside);
        }
        channel.steps.push_back(heard);
      }
    }
    channel.waiting.erase(channel.waiting.begin(),
                          channel.waiting.begin() + static_cast<std::ptrdiff_t>(count * n));
  }
  steps_ += static_cast<Samples>(count);
}

std::optional<HumTrack> HumTracker::find() const {
  const auto hum = finder_.find();
  if (!hum) return std::nullopt;
  if (hz_ <= 0) {
    HumTracker now = *this;
    now.begin(hum->hz);
    now.take_steps();
    return now.steps_ > 0 ? now.find() : std::nullopt;
  }
  const auto steps = static_cast<size_t>(steps_);
  if (steps < 4) return std::nullopt;
  const double step_s = step_ / low_rate_;
  HumFollower follower(steps, step_s);
  for (size_t h = 0; h < all; ++h)
    follower.there[h] = hum->above_db[h] > 0 &&
                        (static_cast<double>(h + 1) * hz_) < std::min(2330.0, 0.45 * low_rate_);
  for (const auto& channel : channels_) {
    auto& line = follower.lines.emplace_back();
    line.z.resize(steps * all);
    line.weight.resize(steps * all);
    for (size_t h = 0; h < all; ++h) {
      if (!follower.there[h]) continue;
      std::vector<float> sorted(steps);
      for (size_t n = 0; n < steps; ++n) sorted[n] = channel.steps[n * all + h].beside;
      std::ranges::nth_element(sorted, sorted.begin() + static_cast<std::ptrdiff_t>(steps / 2));
      // No step is believed without end, nor is one without sound believed at all.
      const float least = 1e-3F * sorted[steps / 2] + 1e-14F;
      for (size_t n = 0; n < steps; ++n) {
        const auto beside = [&](size_t k) { return channel.steps[k * all + h].beside; };
        const float around = 0.5F * beside(n) + 0.25F * (beside(n > 0 ? n - 1 : n) +
                                                         beside(std::min(n + 1, steps - 1)));
        const Heard& heard = channel.steps[n * all + h];
        line.z[n * all + h] = Complex(heard.z);
        line.weight[n * all + h] =
            heard.beside == 0 && heard.z == std::complex<float>{} ? 0 : 1 / (around + least);
      }
    }
  }
  follower.run();

  HumTrack out;
  out.hum = *hum;
  out.hum.hz = hz_;
  out.rate = format_.rate;
  out.frames = frames_;
  out.channels = format_.channels;
  // Steps that were lost before the hum was found hum as the first that was heard.
  const double begins_s = static_cast<double>(lost_) / low_rate_ + (every_ - 1) / format_.rate;
  out.step_s = step_s;
  const double first_s = begins_s + (step_ - 1) / (2 * low_rate_) -
                         step_s / 2;  // of the first, against what a track says
  const auto& radians = follower.radians();
  const double slope = (radians[1] - radians[0]);
  const auto before = static_cast<size_t>(std::max(0.0, std::ceil(first_s / step_s)));
  const double shift = (static_cast<double>(before) * step_s - first_s) / step_s;  // 0 to 1 step
  for (size_t n = 0; n < before + steps; ++n) {
    const double at =
        static_cast<double>(n) - static_cast<double>(before) + shift;  // in steps of the follower
    const double k = std::clamp(std::floor(at), 0.0, static_cast<double>(steps) - 2);
    const auto i = static_cast<size_t>(k);
    const double value =
        at < 0 ? radians[0] + slope * at : radians[i] + (radians[i + 1] - radians[i]) * (at - k);
    out.cycles.push_back(static_cast<float>(value / two_pi));
  }
  const auto knots =
      static_cast<size_t>(static_cast<double>(frames_) / format_.rate / out.knot_s) + 2;
  out.sizes.resize(channels_.size() * knots * all);
  for (size_t h = 0; h < all; ++h) {
    if (!follower.there[h]) continue;
    const Complex through = low_pass_at(static_cast<double>(h + 1) * hz_, format_.rate);
    for (size_t c = 0; c < channels_.size(); ++c)
      for (size_t k = 0; k < knots; ++k) {
        const double at = (static_cast<double>(k) * out.knot_s - first_s) / step_s - 0.5;
        const auto n =
            static_cast<size_t>(std::clamp(std::lround(at), 0L, static_cast<long>(steps) - 1));
        out.sizes[(c * knots + k) * all + h] =
            std::complex<float>(follower.lines[c].size[n * all + h] / through);
      }
  }
  out.silences = silences_;
  if (static_cast<double>(silent_) > 0.01 * format_.rate)
    out.silences.push_back({frames_ - silent_, frames_});
  return out;
}

}  // namespace drevan
