// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/voice_pitch.h"

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/low_pass.h"

namespace drevan {

namespace {

// Weights of RAPT's costs (Talkin's table), here for frames of 5 ms.
constexpr float lag_weight = 0.3F;        // shorter lags are preferred: against halves of the pitch
constexpr float voice_bias = -0.12F;      // noise now and then is a little like itself
constexpr float jump_weight = 0.02F * 5;  // per octave and 10 ms
constexpr float octave_cost = 0.35F;
constexpr float change_cost = 0.06F;  // voice begins or ends
constexpr float level_weight = 0.5F;  // where the level rises or falls it may
constexpr float least_peak = 0.3F;
// What is quieter than this is no voice: its power is added to that of both stretches.
constexpr double quiet_power = 1e-7;

}  // namespace

Decimator::Decimator(double rate)
    : factor_(std::max(1, static_cast<int>(std::lround(rate / 8000)))) {
  const double cut = std::min(1600.0, 0.4 * rate / factor_) / rate;  // -6 dB, in cycles a frame
  const int half = factor_ == 1 ? 8 : 6 * factor_;
  taps_ = low_pass_taps(cut, half);
  past_.resize(2 * taps_.size());
}

void Decimator::reset() noexcept {
  std::ranges::fill(past_, 0.0F);
  at_ = 0;
  phase_ = 0;
}

bool Decimator::process(float x, float& out) noexcept {
  const size_t n = taps_.size();
  past_[at_] = past_[at_ + n] = x;
  if (++at_ == n) at_ = 0;
  if (++phase_ < factor_) return false;
  phase_ = 0;
  out = sum_of_taps(past_.data() + at_, taps_);
  return true;
}

VoicePitch::VoicePitch(double rate)
    : rate_(rate),
      hop_(static_cast<int>(std::lround(hop_s * rate))),
      least_lag_(static_cast<int>(std::floor(rate / most_hz))),
      most_lag_(static_cast<int>(std::ceil(rate / least_hz))),
      window_(static_cast<int>(std::lround(0.02 * rate))),
      reach_((window_ + most_lag_) / 2 + 2),
      past_(static_cast<size_t>(4 * (2 * reach_ + hop_))),
      squares_(static_cast<size_t>(2 * reach_)),
      correlation_(static_cast<size_t>(most_lag_) + 2) {
  reset();
}

void VoicePitch::reset() noexcept {
  std::ranges::fill(past_, 0.0F);
  end_ = static_cast<size_t>(2 * reach_);
  until_ = hop_;
  count_ = 0;
  period_ = 0;
}

bool VoicePitch::process(float x) noexcept {
  if (end_ == past_.size()) {
    const auto keep = static_cast<size_t>(2 * reach_);
    std::copy(past_.end() - static_cast<std::ptrdiff_t>(keep), past_.end(), past_.begin());
    end_ = keep;
  }
  past_[end_++] = x;
  if (--until_ > 0) return false;
  until_ = hop_;
  correlate();
  Frame& frame = frames_[static_cast<size_t>(count_ % (delay + 1))];
  find_candidates(frame);
  add_to_path(frame,
              count_ > 0 ? &frames_[static_cast<size_t>((count_ - 1) % (delay + 1))] : nullptr);
  ++count_;
  if (count_ <= delay) return false;
  // Back along the best path.
  size_t state = 0;
  for (int k = 1; k < frame.count; ++k)
    if (frame.sum[static_cast<size_t>(k)] < frame.sum[state]) state = static_cast<size_t>(k);
  const Frame* at = &frame;
  for (long back = 1; back <= delay; ++back) {
    state = static_cast<size_t>(at->from[state]);
    at = &frames_[static_cast<size_t>((count_ - 1 - back) % (delay + 1))];
  }
  period_ = state == 0 ? 0 : static_cast<double>(at->all[state].lag);
  return true;
}

// How much a stretch is like the one `lag` before it, both round the same middle.
void VoicePitch::correlate() noexcept {
  const float* middle = past_.data() + end_ - static_cast<size_t>(reach_);
  // Sums of squares up to each sample.
  const float* first = middle - reach_ + 1;
  for (size_t i = 0; i + 1 < squares_.size(); ++i)
    squares_[i + 1] = squares_[i] + static_cast<double>(first[i]) * static_cast<double>(first[i]);
  const auto power = [&](const float* from) {
    const auto i = static_cast<size_t>(from - first);
    return squares_[i + static_cast<size_t>(window_)] - squares_[i];
  };
  const double quiet = quiet_power * window_;
  for (int lag = least_lag_ - 1; lag <= most_lag_ + 1; ++lag) {
    const float* a = middle - (window_ + lag) / 2;
    const float* b = a + lag;
    const double norm = std::sqrt((power(a) + quiet) * (power(b) + quiet));
    correlation_[static_cast<size_t>(lag)] = static_cast<float>(
        static_cast<double>(sum_of_taps(a, {b, static_cast<size_t>(window_)})) / norm);
  }
}

void VoicePitch::find_candidates(Frame& frame) noexcept {
  frame.count = 1;
  float best = 0;
  const auto c = [&](int lag) { return correlation_[static_cast<size_t>(lag)]; };
  for (int lag = least_lag_; lag <= most_lag_; ++lag) {
    if (c(lag) < least_peak || c(lag) < c(lag - 1) || c(lag) <= c(lag + 1)) continue;
    // The crest of a parabola through three points.
    const float bend = c(lag - 1) - 2 * c(lag) + c(lag + 1);
    const float off = bend < 0 ? 0.5F * (c(lag - 1) - c(lag + 1)) / bend : 0;
    const float peak = c(lag) - 0.25F * (c(lag - 1) - c(lag + 1)) * off;
    best = std::max(best, peak);
    Candidate found;
    found.lag = static_cast<float>(lag) + off;
    found.cost = 1 - peak * (1 - lag_weight * found.lag / static_cast<float>(most_lag_));
    found.log_lag = std::log2(found.lag);
    // The best stay.
    int place = frame.count;
    if (place > most_candidates) {
      place = 1;
      for (int k = 2; k <= most_candidates; ++k)
        if (frame.all[static_cast<size_t>(k)].cost > frame.all[static_cast<size_t>(place)].cost)
          place = k;
      if (frame.all[static_cast<size_t>(place)].cost < found.cost) continue;
    } else {
      ++frame.count;
    }
    frame.all[static_cast<size_t>(place)] = found;
  }
  frame.all[0].cost = voice_bias + best;
  const float* middle = past_.data() + end_ - static_cast<size_t>(reach_ + hop_);
  frame.level_db = static_cast<float>(power_to_db(
      static_cast<double>(sum_of_taps(middle, {middle, static_cast<size_t>(2 * hop_)})) /
          (2 * hop_) +
      1e-12));
}

void VoicePitch::add_to_path(Frame& frame, const Frame* before) noexcept {
  for (int k = 0; k < frame.count; ++k) {
    const auto to = static_cast<size_t>(k);
    const Candidate& now = frame.all[to];
    if (!before) {
      frame.sum[to] = now.cost;
      frame.from[to] = 0;
      continue;
    }
    const float change = std::abs(frame.level_db - before->level_db) / 20 * level_weight;
    float best = 1e30F;
    for (int j = 0; j < before->count; ++j) {
      const auto from = static_cast<size_t>(j);
      float cost = before->sum[from];
      if ((k == 0) != (j == 0)) {
        cost += std::max(0.01F, change_cost - 0.1F * change);
      } else if (k > 0) {
        const float jump = std::abs(now.log_lag - before->all[from].log_lag);
        // A leap of an octave is rather the other half of an irregular period.
        cost +=
            std::min(jump_weight * 8 * jump, octave_cost + std::abs(jump - 1) * jump_weight * 8);
      }
      if (cost < best) best = cost, frame.from[to] = j;
    }
    frame.sum[to] = best + now.cost;
  }
  // So that sums never grow beyond what a float tells apart.
  const float least = *std::min_element(frame.sum.begin(), frame.sum.begin() + frame.count);
  for (int k = 0; k < frame.count; ++k) frame.sum[static_cast<size_t>(k)] -= least;
}

}  // namespace drevan
