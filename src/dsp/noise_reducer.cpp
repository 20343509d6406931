// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/noise_reducer.h"

#include <algorithm>
#include <cmath>

#include "dsp/clones.h"
#include "dsp/fast_math.h"

namespace drevan {

namespace {

constexpr float least_prior = 0.00316F;  // -25 dB, against musical noise (Cappe 1994)
constexpr float most_posterior = 1e6F;

// One step of a decision-directed recursion with Wiener gains. `clean` is the state: |S|^2 over the
// noise as the spectrum before (or behind) estimated it.
struct Recursion {
  const float* __restrict power;
  const float* __restrict inverse_noise;
  float* __restrict clean;
  float* __restrict prior;
  const float* __restrict alpha;
};

DREVAN_CLONES void forward_kernel(Recursion r, size_t n) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float post = std::min(r.power[k] * r.inverse_noise[k], most_posterior);
    const float alpha = r.alpha[k];
    const float prior =
        std::max(alpha * r.clean[k] + (1.0F - alpha) * std::max(post - 1.0F, 0.0F), least_prior);
    const float gain = prior / (1.0F + prior);
    r.prior[k] = prior;
    r.clean[k] = gain * gain * post;
  }
}

// The same backward, from what lies beyond the block.
DREVAN_CLONES void backward_kernel(Recursion r, size_t n) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float post = std::min(r.power[k] * r.inverse_noise[k], most_posterior);
    const float alpha = r.alpha[k];
    const float prior =
        std::max(alpha * r.clean[k] + (1.0F - alpha) * std::max(post - 1.0F, 0.0F), least_prior);
    const float gain = prior / (1.0F + prior);
    r.clean[k] = gain * gain * post;
  }
}

// And within it: takes the larger of both directions and refines it, twice, by its own gain.
DREVAN_CLONES void refine_kernel(Recursion r, size_t n) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float post = std::min(r.power[k] * r.inverse_noise[k], most_posterior);
    const float alpha = r.alpha[k];
    const float prior =
        std::max(alpha * r.clean[k] + (1.0F - alpha) * std::max(post - 1.0F, 0.0F), least_prior);
    const float gain = prior / (1.0F + prior);
    r.clean[k] = gain * gain * post;
    const float both = std::max(prior, r.prior[k]);
    const float wiener = both / (1.0F + both);
    const float once = std::max(wiener * wiener * post, least_prior);
    const float again = once / (1.0F + once);
    r.prior[k] = std::max(again * again * post, least_prior);
  }
}

// Keeps a spectrum and its power.
DREVAN_CLONES void keep_kernel(const float* __restrict bins, float* __restrict kept,
                               float* __restrict power, size_t n) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float re = bins[2 * k], im = bins[2 * k + 1];
    kept[2 * k] = re;
    kept[2 * k + 1] = im;
    power[k] = re * re + im * im;
  }
}

// Speech is absent where the SNR around a bin is below -10 dB, certain above -5 dB (the values of
// I. Cohen and B. Berdugo, "Speech enhancement for non-stationary noise environments", Signal
// Processing 81, 2001).
constexpr float inverse_low = 10.0F;
constexpr float inverse_span = 1.0F / 1.66096405F;

inline float presence(float mean_prior) noexcept {
  const float x = fast_log2(std::max(mean_prior * inverse_low, 1e-6F)) * inverse_span;
  return std::min(std::max(x, 0.0F), 1.0F);
}

// Sums of `five` boxes each into presence, times `activity`.
DREVAN_CLONES void presence_kernel(float* five, size_t n, float share, float activity) noexcept {
  for (size_t b = 0; b < n; ++b) five[b] = activity * presence(five[b] * share);
}

// At the common rates a box has ten bins; a length the compiler knows is much faster.
template <class Do>
inline void with_box(size_t box, Do&& act) noexcept {
  if (box == 10)
    act(std::integral_constant<size_t, 10>{});
  else
    act(box);
}

// The sum of each box of values.
void box_sums(const float* __restrict x, float* __restrict sums, size_t count,
              size_t any_box) noexcept {
  with_box(any_box, [&](auto box) {
    for (size_t b = 0; b < count; ++b, x += box) {
      float even = 0, odd = 0;
      for (size_t k = 0; k < box; k += 2) even += x[k], odd += x[k + 1];
      sums[b] = even + odd;
    }
  });
}
// Each of `values` over a box.
void fill_boxes(const float* __restrict values, float* __restrict out, size_t count,
                size_t any_box) noexcept {
  with_box(any_box, [&](auto box) {
    for (size_t b = 0; b < count; ++b, out += box)
      for (size_t k = 0; k < box; ++k) out[k] = values[b];
  });
}

// `steps` holds the presence of the box a bin lies in; between the boxes' middles it goes straight.
DREVAN_CLONES void gain_kernel(const float* __restrict prior, const float* __restrict steps,
                               const float* __restrict next, const float* __restrict share,
                               float* __restrict gain, size_t n, float floor) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float there = steps[k] + share[k] * (next[k] - steps[k]);
    const float speech = std::max(prior[k] / (1.0F + prior[k]), floor);
    gain[k] = floor + there * (speech - floor);
  }
}

DREVAN_CLONES void apply_kernel(const float* __restrict in, const float* __restrict gain,
                                float* __restrict out, size_t n) noexcept {
  for (size_t k = 0; k < n; ++k) {
    out[2 * k] = in[2 * k] * gain[k];
    out[2 * k + 1] = in[2 * k + 1] * gain[k];
  }
}

// A band stands out when its excess is this many times the spread of the room tone's.
constexpr float stand_out = 9;
// The room tone is a sample of the noise, no more: it is taken to be this much stronger (0.5 dB).
constexpr float caution = 1.12F;

// The recursions' memory at a hop of 10.7 ms: voiced sounds below 300 Hz hold on longer than the
// consonants above 4 kHz. Like the two values above found with benchmarks/noise_quality.
double smoothing(double hz) {
  const double high = std::log(std::max(hz, 1.0) / 300) / std::log(4000.0 / 300);
  return 0.96 - 0.08 * std::clamp(high, 0.0, 1.0);
}

}  // namespace

NoiseReducer::NoiseReducer(const Setup& setup)
    : bins_(setup.bins),
      box_(std::max(2, 2 * static_cast<int>(std::lround(94 / setup.bin_hz)))),
      bands_(noise_bands(setup.bins, setup.bin_hz)) {
  const auto n = static_cast<size_t>(bins_);
  const auto all = n * ring_frames;
  spectra_.resize(all);
  for (auto* v : {&power_, &prior_}) v->resize(all);
  for (auto* v : {&inverse_noise_, &clean_ahead_, &clean_behind_, &gain_}) v->resize(n);
  alpha_.resize(n);
  for (size_t k = 0; k < n; ++k)
    alpha_[k] = static_cast<float>(
        std::pow(smoothing(static_cast<double>(k) * setup.bin_hz), setup.hop_s / 0.010667));
  inverse_spread_.resize(bands_.size());
  const auto box = static_cast<size_t>(box_);
  boxes_.resize(n / box + 4);
  five_.resize(n / box);
  steps_.resize(n + 2 * box);
  share_.resize(n);
  for (size_t k = box / 2; k < n; ++k)
    share_[k] = static_cast<float>((k - box / 2) % box) / static_cast<float>(box);
  excess_.resize(history * bands_.size());
  reset();
}

void NoiseReducer::reset() noexcept {
  std::ranges::fill(spectra_, 0.0F);
  std::ranges::fill(power_, 0.0F);
  std::ranges::fill(prior_, least_prior);
  std::ranges::fill(clean_ahead_, 0.0F);
  std::ranges::fill(gain_, 1.0F);
  std::ranges::fill(excess_, -1.0F);
  activity_.fill(0.0F);
  time_ = 0;
  block_end_ = -ahead_frames;
  renewed_ = false;
}

void NoiseReducer::set_noise(std::span<const float> power, std::span<const float> spread,
                             float lift) noexcept {
  for (size_t k = 0; k < inverse_noise_.size(); ++k)
    inverse_noise_[k] = 1.0F / std::max(power[k] * lift * caution, 1e-20F);
  for (size_t b = 0; b < bands_.size(); ++b) inverse_spread_[b] = 1.0F / spread[b];
  known_ = true;
  renewed_ = time_ > 0;
}

std::span<float> NoiseReducer::row(FloatVector& v, long t) noexcept {
  const auto n = static_cast<size_t>(bins_);
  const auto slot = static_cast<size_t>((t + ring_frames) % ring_frames);
  return std::span(v).subspan(slot * n, n);
}

float& NoiseReducer::excess(long t, size_t band) noexcept {
  return excess_[static_cast<size_t>((t + history) % history) * bands_.size() + band];
}

float& NoiseReducer::activity(long t) noexcept {
  return activity_[static_cast<size_t>((t + ring_frames) % ring_frames)];
}

void NoiseReducer::forward(long t) noexcept {
  const auto power = row(power_, t);
  forward_kernel({power.data(), inverse_noise_.data(), clean_ahead_.data(), row(prior_, t).data(),
                  alpha_.data()},
                 power.size());
  for (size_t b = 0; b < bands_.size(); ++b)
    // Caution is for the gains; whether a band stands out is asked of the noise as it was learned.
    excess(t, b) = (band_excess(bands_[b], power, inverse_noise_) + 1.0F) * caution - 1.0F;
}

void NoiseReducer::estimate(long begin, long end) noexcept {
  const auto n = static_cast<size_t>(bins_);
  find_activity(begin, end);
  // Where nothing but noise is about, the floor is all there is and no prior is asked for.
  long first = begin;
  while (first < end && activity(first) <= 0) ++first;
  if (first == end) return;
  std::ranges::fill(clean_behind_, 0.0F);
  for (long t = time_; t >= first; --t) {
    const Recursion r{row(power_, t).data(), inverse_noise_.data(), clean_behind_.data(),
                      row(prior_, t).data(), alpha_.data()};
    if (t >= end || activity(t) <= 0)
      backward_kernel(r, n);
    else
      refine_kernel(r, n);
  }
}

// Whether any band's excess, averaged over seven spectra, stands out of the room tone.
bool NoiseReducer::stands_out(long t) noexcept {
  const auto weights = excess_weights();
  for (size_t b = 0; b < bands_.size(); ++b) {
    float mean = 0;
    for (int w = 0; w < 7; ++w) mean += weights[static_cast<size_t>(w)] * excess(t + w - 3, b);
    if (mean * inverse_spread_[b] > stand_out) return true;
  }
  return false;
}

// Activity of the spectra [begin, end), 0 to 1: three of five neighbours must stand out, so that no
// single one opens a pause; two spectra before and three after are opened with them, softly.
void NoiseReducer::find_activity(long begin, long end) noexcept {
  constexpr int reach = 7;
  constexpr int most = ring_frames + 2 * reach;
  std::array<bool, most> out{}, active{};
  const auto at = [&](long t) { return static_cast<size_t>(t - begin + reach); };
  for (long t = begin - reach; t < end + reach - 1; ++t) out[at(t)] = stands_out(t);
  for (long t = begin - reach + 2; t < end + reach - 3; ++t) {
    int count = 0;
    for (long j = t - 2; j <= t + 2; ++j) count += out[at(j)] ? 1 : 0;
    if (count < 3 || !out[at(t)]) continue;
    for (long j = std::max(t - 2, begin - reach); j <= std::min(t + 3, end + reach - 1); ++j)
      active[at(j)] = true;
  }
  constexpr std::array<float, 5> soft{1 / 9.0F, 2 / 9.0F, 3 / 9.0F, 2 / 9.0F, 1 / 9.0F};
  for (long t = begin; t < end; ++t) {
    float sum = 0;
    for (long j = 0; j < 5; ++j)
      if (active[at(t + j - 2)]) sum += soft[static_cast<size_t>(j)];
    activity(t) = std::min(sum, 1.0F);
  }
}

// False: every bin has the floor.
bool NoiseReducer::shape(long t) noexcept {
  const float active = activity(t);
  if (active <= 0) {
    std::ranges::fill(gain_, floor_);
    return false;
  }
  const auto prior = row(prior_, t);
  spread_presence(prior, active);
  gain_kernel(prior.data(), steps_.data(), steps_.data() + box_, share_.data(), gain_.data(),
              gain_.size(), floor_);
  return true;
}

// Presence by the mean prior over five boxes of bins (some 940 Hz). Boxes beyond the edges are taken to
// be like the last ones.
void NoiseReducer::spread_presence(std::span<const float> prior, float activity) noexcept {
  const auto box = static_cast<size_t>(box_);
  const size_t count = prior.size() / box;
  box_sums(prior.data(), boxes_.data() + 2, count, box);
  boxes_[0] = boxes_[1] = boxes_[2];
  boxes_[count + 2] = boxes_[count + 3] = boxes_[count + 1];
  for (size_t b = 0; b < count; ++b)
    five_[b] = (boxes_[b] + boxes_[b + 1]) + boxes_[b + 2] + (boxes_[b + 3] + boxes_[b + 4]);
  presence_kernel(five_.data(), count, 1.0F / static_cast<float>(5 * box), activity);
  // Bins before the middle of the first box, and after that of the last, have its presence.
  std::fill_n(steps_.begin(), box / 2, five_[0]);
  fill_boxes(five_.data(), steps_.data() + box / 2, count, box);
  std::fill(steps_.begin() + static_cast<std::ptrdiff_t>(box / 2 + count * box), steps_.end(),
            five_[count - 1]);
}

std::optional<OneGain> NoiseReducer::process(std::span<std::complex<float>> bins) noexcept {
  const auto n = static_cast<size_t>(bins_);
  const auto spectrum = [&](long t) {
    return spectra_.data() + static_cast<size_t>((t + ring_frames) % ring_frames) * n;
  };
  keep_kernel(reinterpret_cast<const float*>(bins.data()),
              reinterpret_cast<float*>(spectrum(time_)), row(power_, time_).data(), n);
  const long given = time_ - delay();
  if (known_) {
    if (renewed_) {
      // All that is still to come is looked at again with the noise as it is known now.
      std::ranges::fill(clean_ahead_, 0.0F);
      for (long t = given; t < time_; ++t) forward(t);
    }
    forward(time_);
    if ((time_ + 1) % block_frames == 0) {
      block_end_ = given + block_frames;
      estimate(given, block_end_);
    } else if (renewed_) {
      estimate(given, block_end_);
    }
    renewed_ = false;
  }
  if (!known_ || !shape(given)) {
    if (!known_) std::ranges::fill(gain_, 1.0F);
    ++time_;
    return OneGain{known_ ? floor_ : 1.0F, delay()};
  }
  apply_kernel(reinterpret_cast<const float*>(spectrum(given)), gain_.data(),
               reinterpret_cast<float*>(bins.data()), n);
  ++time_;
  return {};
}

}  // namespace drevan
