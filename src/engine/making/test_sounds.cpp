// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/making/test_sounds.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace drevan {

namespace {

constexpr double tone_hz = 1000, tone_level = 0.1, test_tone_fade_s = 0.01;
constexpr int chirps = 10, enough_in_a_row = 3;
constexpr double chirp_s = 0.1, apart_s = 0.5, longer_s = 0.03, latest_s = 2, from_hz = 200,
                 to_hz = 6000, chirp_level = 0.25;
// A chirp is heard where the sound is so like it (normalised correlation): noise as loud gives 0.7.
constexpr double like_a_chirp = 0.5;

size_t frames_of(double seconds, double rate) {
  return static_cast<size_t>(std::lround(seconds * rate));
}

std::vector<float> chirp(double rate) {
  const size_t n = frames_of(chirp_s, rate);
  std::vector<float> out(n);
  for (size_t i = 0; i < n; ++i) {
    const double t = static_cast<double>(i) / rate;
    const double window = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) /
                                               static_cast<double>(n));
    const double phase = from_hz * t + (to_hz - from_hz) * t * t / (2 * chirp_s);
    out[i] = static_cast<float>(chirp_level * window * std::sin(2 * std::numbers::pi * phase));
  }
  return out;
}

std::vector<Samples> chirps_at(double rate) {
  std::vector<Samples> out;
  double s = 0;
  for (int k = 0; k < chirps; ++k) {
    out.push_back(static_cast<Samples>(frames_of(s, rate)));
    s += apart_s + longer_s * k;
  }
  return out;
}

}  // namespace

std::vector<float> test_tone(double rate) {
  const size_t each = frames_of(1, rate);
  const double fade = test_tone_fade_s * rate;
  std::vector<float> out(4 * each);
  for (size_t i = 0; i < 2 * each; ++i) {
    const auto at = static_cast<double>(i % each);
    const double envelope = std::min({1.0, at / fade, (static_cast<double>(each) - at) / fade});
    out[2 * i + i / each] = static_cast<float>(
        tone_level * envelope * std::sin(2 * std::numbers::pi * tone_hz * at / rate));
  }
  return out;
}

std::vector<float> latency_chirps(double rate) {
  const auto one = chirp(rate);
  const auto places = chirps_at(rate);
  std::vector<float> out(
      2 * (static_cast<size_t>(places.back()) + one.size() + frames_of(latest_s, rate)));
  for (const Samples at : places)
    for (size_t i = 0; i < one.size(); ++i)
      for (size_t c = 0; c < 2; ++c) out[2 * (static_cast<size_t>(at) + i) + c] = one[i];
  return out;
}

ChirpsHeard::ChirpsHeard(double rate)
    : rate_(rate),
      chirp_(chirp(rate)),
      heard_(latency_chirps(rate).size() / 2),
      played_at_(chirps_at(rate)) {
  for (const float x : chirp_) chirp_power_ += static_cast<double>(x) * static_cast<double>(x);
}

void ChirpsHeard::hear(const InputBlock& block) noexcept {
  if (block.over_at < 0) return;
  auto at = static_cast<size_t>(block.over_at);
  for (int i = 0; i < block.frames && at < heard_.size(); ++i, ++at)
    heard_[at] = block.interleaved[static_cast<size_t>(i) * static_cast<size_t>(block.channels)];
  at_.store(at, std::memory_order_release);
}

bool ChirpsHeard::done() {
  look_on();
  return in_a_row_ >= enough_in_a_row || at_.load() >= heard_.size();
}

void ChirpsHeard::look_on() {
  const size_t to = at_.load(std::memory_order_acquire), n = chirp_.size();
  const auto square = [&](size_t i) {
    return static_cast<double>(heard_[i]) * static_cast<double>(heard_[i]);
  };
  if (looked_ == 0 && to >= n)
    for (size_t i = 0; i < n; ++i) power_ += square(i);
  for (; looked_ + n < to; ++looked_) {
    float sum = 0;
    for (size_t i = 0; i < n; ++i) sum += heard_[looked_ + i] * chirp_[i];
    // A loopback may turn the sign.
    const double like =
        power_ > 1e-9 ? std::abs(static_cast<double>(sum)) / std::sqrt(power_ * chirp_power_) : 0;
    power_ += square(looked_ + n) - square(looked_);
    const auto here = static_cast<Samples>(looked_);
    if (like > std::max(best_, like_a_chirp)) {
      best_ = like;
      best_at_ = here;
    }
    if (best_ > 0 && here - best_at_ > static_cast<Samples>(n)) {
      found(best_at_);
      best_ = 0;
    }
  }
}

// Between which two it came is told by how far it is from the last.
void ChirpsHeard::found(Samples at) {
  const auto before = std::exchange(last_, at);
  if (!before) return;
  std::optional<size_t> number;
  for (size_t k = 0; k + 1 < played_at_.size(); ++k)
    if (std::abs(at - *before - (played_at_[k + 1] - played_at_[k])) <= 1) number = k + 1;
  const bool follows = number && last_number_ && *number == *last_number_ + 1;
  in_a_row_ = follows ? in_a_row_ + 1 : number ? 2 : 1;
  if (!number) ++losses_;
  last_number_ = number;
  if (number && at >= played_at_[*number]) latency_ = at - played_at_[*number];
}

float ChirpsHeard::peak() const {
  float most = 0;
  for (const float x : heard_) most = std::max(most, std::abs(x));
  return most;
}

}  // namespace drevan
