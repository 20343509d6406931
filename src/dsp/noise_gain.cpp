#include "dsp/noise_gain.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <numbers>

#include "dsp/fast_math.h"

namespace drevan {

namespace {

// v from 2^-16 to 2^6, 64 steps an octave: the index is the float's own exponent and upper mantissa.
constexpr int table_octaves = 22;
constexpr int table_per_octave = 64;
constexpr int table_size = table_octaves * table_per_octave;
constexpr std::int32_t table_base = (127 - 16) << 6;

const std::array<float, table_size + 1>& table() {
  static const auto made = [] {
    std::array<float, table_size + 1> t{};
    for (int i = 0; i <= table_size; ++i) {
      // The middle of the cell that the index stands for.
      const auto low = std::bit_cast<float>((table_base + i) << 17);
      const auto high = std::bit_cast<float>((table_base + i + 1) << 17);
      const double v = 0.5 * (static_cast<double>(low) + static_cast<double>(high));
      t[static_cast<size_t>(i)] =
          static_cast<float>(-0.5 * std::expint(-v) / std::numbers::ln2);
    }
    return t;
  }();
  return made;
}

constexpr float least_prior = 0.00316F;  // -25 dB, against musical noise (Cappe 1994)

// Mean over bins k - half .. k + half, shorter at the ends, by running sums.
void smooth(std::span<const float> in, std::span<float> out, std::vector<double>& running,
            int half) noexcept {
  const auto n = static_cast<int>(in.size());
  running[0] = 0;
  for (int k = 0; k < n; ++k)
    running[static_cast<size_t>(k + 1)] =
        running[static_cast<size_t>(k)] + static_cast<double>(in[static_cast<size_t>(k)]);
  const auto sum = [&](int from, int to) {
    return running[static_cast<size_t>(to)] - running[static_cast<size_t>(from)];
  };
  const double inverse = 1.0 / (2 * half + 1);
  for (int k = half; k < n - half; ++k)
    out[static_cast<size_t>(k)] = static_cast<float>(sum(k - half, k + half + 1) * inverse);
  for (int k = 0; k < std::min(half, n); ++k) {
    const int to = std::min(n, k + half + 1);
    out[static_cast<size_t>(k)] = static_cast<float>(sum(0, to) / to);
    out[static_cast<size_t>(n - 1 - k)] = static_cast<float>(sum(n - to, n) / to);
  }
}

// 0 at `low` and below, 1 at `high` and above, straight in decibels between (powers).
inline float ramp(float power, float inverse_low, float inverse_span) noexcept {
  const float x = fast_log2(std::max(power * inverse_low, 1e-6F)) * inverse_span;
  return std::min(std::max(x, 0.0F), 1.0F);
}

// Presence from the smoothed prior SNR: absent below -10 dB, certain above -5 dB (paper's values).
constexpr float ramp_inverse_low = 10.0F;
constexpr float ramp_inverse_span = 1.0F / 1.66096405F;

}  // namespace

float half_expint_log2(float v) noexcept {
  const std::int32_t i = (std::bit_cast<std::int32_t>(v) >> 17) - table_base;
  return table()[static_cast<size_t>(std::clamp(i, 0, table_size))];
}

NoiseGain::NoiseGain(const Setup& setup)
    : bins_(setup.bins),
      local_(std::max(1, static_cast<int>(std::lround(30 / setup.bin_hz)))),
      wide_(std::max(4, static_cast<int>(std::lround(350 / setup.bin_hz)))) {
  table();  // made here, not on the real-time thread
  // 0.98 and 0.7 at the hop of 8 ms that the papers use.
  alpha_ = static_cast<float>(std::pow(0.98, setup.hop_s / 0.008));
  beta_ = static_cast<float>(std::pow(0.7, setup.hop_s / 0.008));
  const auto n = static_cast<size_t>(bins_);
  for (auto* v : {&inverse_noise_, &posterior_, &prior_, &clean_, &mean_, &lsa_log2_, &presence_,
                  &near_, &far_, &v_})
    v->assign(n, 0.0F);
  running_.assign(n + 1, 0.0);
  reset();
}

void NoiseGain::set_noise(std::span<const float> power) noexcept {
  for (size_t k = 0; k < inverse_noise_.size(); ++k)
    inverse_noise_[k] = 1.0F / std::max(power[k], 1e-20F);
}

void NoiseGain::reset() noexcept {
  std::ranges::fill(clean_, 0.0F);
  std::ranges::fill(mean_, 0.0F);
  frame_mean_ = frame_peak_ = 0;
}

void NoiseGain::prior_snr(std::span<const float> power) noexcept {
  const auto n = static_cast<size_t>(bins_);
  for (size_t k = 0; k < n; ++k) {
    const float post = std::min(power[k] * inverse_noise_[k], 1e6F);
    const float prior = std::max(alpha_ * clean_[k] + (1 - alpha_) * std::max(post - 1.0F, 0.0F),
                                 least_prior);
    const float ratio = prior / (1.0F + prior);
    posterior_[k] = std::max(post, 1e-6F);
    prior_[k] = prior;
    lsa_log2_[k] = ratio;
    v_[k] = ratio * posterior_[k];
    mean_[k] = beta_ * mean_[k] + (1 - beta_) * prior;
  }
  for (size_t k = 0; k < n; ++k)
    lsa_log2_[k] = std::min(fast_log2(lsa_log2_[k]) + half_expint_log2(v_[k]), 0.0F);
}

void NoiseGain::presence() noexcept {
  const auto n = static_cast<size_t>(bins_);
  smooth(mean_, near_, running_, local_);
  smooth(mean_, far_, running_, wide_);
  // Presence in the frame as a whole: at once when the mean SNR rises, slowly away.
  const auto all = static_cast<float>(running_[n] / static_cast<double>(n));
  float frame = 0;
  if (all > 0.1F) {
    if (all > frame_mean_) {
      frame_peak_ = std::clamp(all, 1.0F, 10.0F);
      frame = 1;
    } else {
      frame = ramp(all / frame_peak_, ramp_inverse_low, ramp_inverse_span);
    }
  }
  frame_mean_ = all;
  for (size_t k = 0; k < n; ++k) {
    const float likely = frame * ramp(near_[k], ramp_inverse_low, ramp_inverse_span) *
                         ramp(far_[k], ramp_inverse_low, ramp_inverse_span);
    const float absent = std::min(1.0F - likely, 0.99F);
    const float odds =
        absent / (1.0F - absent) * (1.0F + prior_[k]) * fast_exp2(-1.44269504F * v_[k]);
    presence_[k] = 1.0F / (1.0F + odds);
  }
}

void NoiseGain::gains(std::span<const float> power, std::span<float> gain) noexcept {
  prior_snr(power);
  presence();
  const auto n = static_cast<size_t>(bins_);
  for (size_t k = 0; k < n; ++k) {
    const float p = presence_[k];
    const float speech = lsa_log2_[k];
    gain[k] = std::min(fast_exp2(p * std::max(speech, floor_log2_) + (1.0F - p) * floor_log2_), 1.0F);
    // The next prior starts from the estimate under presence, not from the floor.
    const float g = fast_exp2(speech);
    clean_[k] = g * g * posterior_[k];
  }
}

}  // namespace drevan
