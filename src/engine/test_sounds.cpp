#include "engine/test_sounds.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace drevan {

namespace {

constexpr double tone_hz = 1000, tone_level = 0.1, fade_s = 0.01;
constexpr int chirps = 3;
constexpr double chirp_s = 0.1, apart_s = 0.5, from_hz = 200, to_hz = 6000, chirp_level = 0.25;
// A chirp is found where it stands out of everything else by so much.
constexpr double stands_out = 6;

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

// Where in `heard` the chirp lies best; empty: nowhere clearly. A loopback may turn the sign.
std::optional<Samples> find_chirp(std::span<const float> heard, std::span<const float> wanted) {
  if (heard.size() < wanted.size()) return std::nullopt;
  std::vector<float> likeness(heard.size() - wanted.size() + 1);
  double power = 0;
  for (size_t lag = 0; lag < likeness.size(); ++lag) {
    float sum = 0;
    for (size_t i = 0; i < wanted.size(); ++i) sum += heard[lag + i] * wanted[i];
    likeness[lag] = std::abs(sum);
    power += static_cast<double>(sum) * static_cast<double>(sum);
  }
  const auto best = std::ranges::max_element(likeness);
  const double usual = std::sqrt(power / static_cast<double>(likeness.size()));
  if (!(*best > stands_out * usual) || *best <= 0) return std::nullopt;
  return best - likeness.begin();
}

}  // namespace

std::vector<float> test_tone(double rate) {
  const size_t each = frames_of(1, rate);
  const double fade = fade_s * rate;
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
  const size_t apart = frames_of(apart_s, rate);
  std::vector<float> out(2 * apart * (chirps + 1));
  for (size_t k = 0; k < chirps; ++k)
    for (size_t i = 0; i < one.size(); ++i)
      for (size_t c = 0; c < 2; ++c) out[2 * (k * apart + i) + c] = one[i];
  return out;
}

ChirpsHeard::ChirpsHeard(double rate) : rate_(rate), heard_(latency_chirps(rate).size() / 2) {}

void ChirpsHeard::hear(const InputBlock& block) noexcept {
  if (done_ || block.over_at < 0) return;
  at_ = static_cast<size_t>(block.over_at);
  for (int i = 0; i < block.frames && at_ < heard_.size(); ++i, ++at_)
    heard_[at_] = block.interleaved[static_cast<size_t>(i) * static_cast<size_t>(block.channels)];
  if (at_ >= heard_.size()) done_ = true;
}

std::optional<Samples> ChirpsHeard::latency() const {
  const auto one = chirp(rate_);
  const size_t apart = frames_of(apart_s, rate_);
  std::vector<Samples> found;
  for (size_t k = 0; k < chirps; ++k)
    if (const auto at = find_chirp(std::span(heard_).subspan(k * apart, apart + one.size()), one))
      found.push_back(*at);
  // Twice the same within a sample is no chance.
  for (size_t a = 0; a < found.size(); ++a)
    for (size_t b = a + 1; b < found.size(); ++b)
      if (std::abs(found[a] - found[b]) <= 1) return std::min(found[a], found[b]);
  return std::nullopt;
}

float ChirpsHeard::peak() const {
  float most = 0;
  for (const float x : heard_) most = std::max(most, std::abs(x));
  return most;
}

}  // namespace drevan
