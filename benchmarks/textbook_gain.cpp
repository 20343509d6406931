// SPDX-License-Identifier: GPL-3.0-or-later
#include "textbook_gain.h"

#include <algorithm>
#include <cmath>

#include "dsp/clones.h"
#include "dsp/fast_math.h"
#include "dsp/lsa_gain.h"

namespace drevan::bench {

namespace {

constexpr float least_prior = 0.00316F;  // -25 dB, against musical noise (Cappe 1994)

// Everything of one spectrum that a bin needs of itself alone.
struct BinState {
  const float* __restrict power;
  const float* __restrict inverse_noise;
  const float* __restrict clean;
  float* __restrict posterior;
  float* __restrict prior;
  float* __restrict lsa_log2;
  float* __restrict absent;  // exp(-v)
  float* __restrict mean;
};

DREVAN_CLONES void prior_kernel(BinState s, size_t n, float alpha, float beta) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float post = std::min(s.power[k] * s.inverse_noise[k], 1e6F);
    const float prior =
        std::max(alpha * s.clean[k] + (1.0F - alpha) * std::max(post - 1.0F, 0.0F), least_prior);
    const float ratio = prior / (1.0F + prior);
    const float kept = std::max(post, 1e-6F);
    const float v = ratio * kept;
    const float e = fast_exp2(minus_log2_e * v);
    s.posterior[k] = kept;
    s.prior[k] = prior;
    s.absent[k] = e;
    s.lsa_log2[k] = std::min(fast_log2(ratio) + lsa_exponent_log2(v, e), 0.0F);
    s.mean[k] = beta * s.mean[k] + (1.0F - beta) * prior;
  }
}

// running[k]: sum of the first k values.
void prefix(std::span<const float> in, std::vector<double>& running) noexcept {
  double sum = 0;
  running[0] = 0;
  for (size_t k = 0; k < in.size(); ++k) running[k + 1] = sum += static_cast<double>(in[k]);
}

// Mean over bins k - half .. k + half, shorter at the ends, from running sums.
void smooth(std::span<const double> running, std::span<float> out, int half) noexcept {
  const auto n = static_cast<int>(out.size());
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

// Presence from the smoothed prior SNR: absent below -10 dB, certain above -5 dB (paper's values).
constexpr float ramp_inverse_low = 10.0F;
constexpr float ramp_inverse_span = 1.0F / 1.66096405F;

// 0 at the low end and below, 1 at the high end and above, straight in decibels between (powers).
inline float ramp(float power) noexcept {
  const float x = fast_log2(std::max(power * ramp_inverse_low, 1e-6F)) * ramp_inverse_span;
  return std::min(std::max(x, 0.0F), 1.0F);
}

struct GainState {
  const float* __restrict near;
  const float* __restrict far;
  const float* __restrict posterior;
  const float* __restrict prior;
  const float* __restrict lsa_log2;
  const float* __restrict absent;
  float* __restrict clean;
  float* __restrict gain;
};

DREVAN_CLONES void gain_kernel(GainState s, size_t n, float frame, float floor_log2) noexcept {
  for (size_t k = 0; k < n; ++k) {
    const float likely = frame * ramp(s.near[k]) * ramp(s.far[k]);
    const float absent = std::min(1.0F - likely, 0.95F);
    const float odds = absent / (1.0F - absent) * (1.0F + s.prior[k]) * s.absent[k];
    const float p = 1.0F / (1.0F + odds);
    const float speech = s.lsa_log2[k];
    s.gain[k] =
        std::min(fast_exp2(p * std::max(speech, floor_log2) + (1.0F - p) * floor_log2), 1.0F);
    // The next prior starts from the estimate under presence, not from the floor.
    const float g = fast_exp2(speech);
    s.clean[k] = g * g * s.posterior[k];
  }
}

}  // namespace

TextbookGain::TextbookGain(const Setup& setup)
    : bins_(setup.bins),
      local_(std::max(1, static_cast<int>(std::lround(30 / setup.bin_hz)))),
      wide_(std::max(4, static_cast<int>(std::lround(350 / setup.bin_hz)))) {
  // 0.98 and 0.7 at the hop of 8 ms that the papers use.
  alpha_ = static_cast<float>(std::pow(0.98, setup.hop_s / 0.008));
  beta_ = static_cast<float>(std::pow(0.7, setup.hop_s / 0.008));
  const auto n = static_cast<size_t>(bins_);
  for (auto* v : {&inverse_noise_, &posterior_, &prior_, &clean_, &mean_, &lsa_log2_, &absent_,
                  &near_, &far_})
    v->assign(n, 0.0F);
  running_.assign(n + 1, 0.0);
  reset();
}

void TextbookGain::set_noise(std::span<const float> power) noexcept {
  for (size_t k = 0; k < inverse_noise_.size(); ++k)
    inverse_noise_[k] = 1.0F / std::max(power[k], 1e-20F);
}

void TextbookGain::reset() noexcept {
  std::ranges::fill(clean_, 0.0F);
  std::ranges::fill(mean_, 0.0F);
  frame_mean_ = frame_peak_ = 0;
}

float TextbookGain::frame_presence() noexcept {
  // Presence in the frame as a whole: at once when the mean SNR rises, slowly away.
  const auto all = static_cast<float>(running_.back() / bins_);
  float frame = 0;
  if (all > 0.1F) {
    if (all > frame_mean_) {
      frame_peak_ = std::clamp(all, 1.0F, 10.0F);
      frame = 1;
    } else {
      frame = ramp(all / frame_peak_);
    }
  }
  frame_mean_ = all;
  return frame;
}

void TextbookGain::gains(std::span<const float> power, std::span<float> gain) noexcept {
  const auto n = static_cast<size_t>(bins_);
  prior_kernel({power.data(), inverse_noise_.data(), clean_.data(), posterior_.data(),
                prior_.data(), lsa_log2_.data(), absent_.data(), mean_.data()},
               n, alpha_, beta_);
  prefix(mean_, running_);
  smooth(running_, near_, local_);
  smooth(running_, far_, wide_);
  gain_kernel({near_.data(), far_.data(), posterior_.data(), prior_.data(), lsa_log2_.data(),
               absent_.data(), clean_.data(), gain.data()},
              n, frame_presence(), floor_log2_);
}

}  // namespace drevan::bench
