// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/convolver.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

DREVAN_CLONES void add_product(const float* __restrict ar, const float* __restrict ai,
                               const float* __restrict br, const float* __restrict bi,
                               float* __restrict re, float* __restrict im, size_t n) noexcept {
  for (size_t i = 0; i < n; ++i) {
    re[i] += ar[i] * br[i] - ai[i] * bi[i];
    im[i] += ar[i] * bi[i] + ai[i] * br[i];
  }
}

}  // namespace

Convolver::Convolver(int block, Samples longest)
    : block_(block),
      fft_(2 * block),
      bins_(static_cast<size_t>(fft_.bins())),
      stride_((bins_ + 15) / 16 * 16),
      parts_(static_cast<size_t>(std::max<Samples>(1, (longest + block - 1) / block))),
      time_(static_cast<size_t>(2 * block)),
      sum_re_(bins_),
      sum_im_(bins_),
      out_(static_cast<size_t>(block)),
      padded_(static_cast<size_t>(2 * block)),
      spectrum_(bins_) {
  for (Spectra* s : {&responses_[0], &responses_[1], &heard_}) {
    s->re.resize(parts_ * stride_);
    s->im.resize(parts_ * stride_);
  }
}

void Convolver::reset() noexcept {
  std::ranges::fill(heard_.re, 0.0F);
  std::ranges::fill(heard_.im, 0.0F);
  std::ranges::fill(time_, 0.0F);
  std::ranges::fill(out_, 0.0F);
  filled_ = 0;
  fades_ = false;
}

void Convolver::set(std::span<const float> response) noexcept {
  // What was waited for and not yet heard is put in place of.
  if (!fades_) now_ = 1 - now_;
  fades_ = true;
  Spectra& to = responses_[now_];
  const auto block = static_cast<size_t>(block_);
  to.used = std::min(parts_, (response.size() + block - 1) / block);
  for (size_t k = 0; k < to.used; ++k) {
    const size_t first = k * block;
    const auto piece = response.subspan(first, std::min(block, response.size() - first));
    float* re = row(to.re, k);
    float* im = row(to.im, k);
    std::ranges::copy(piece, padded_.begin());
    std::fill(padded_.begin() + static_cast<std::ptrdiff_t>(piece.size()), padded_.end(), 0.0F);
    fft_.forward(padded_, spectrum_);
    for (size_t i = 0; i < bins_; ++i) {
      re[i] = spectrum_[i].real();
      im[i] = spectrum_[i].imag();
    }
  }
}

void Convolver::sum_up(const Spectra& response) noexcept {
  std::ranges::fill(sum_re_, 0.0F);
  std::ranges::fill(sum_im_, 0.0F);
  for (size_t k = 0; k < response.used; ++k) {
    const size_t at = (newest_ + parts_ - k) % parts_ * stride_, of = k * stride_;
    add_product(heard_.re.data() + at, heard_.im.data() + at, response.re.data() + of,
                response.im.data() + of, sum_re_.data(), sum_im_.data(), bins_);
  }
  for (size_t i = 0; i < bins_; ++i) spectrum_[i] = {sum_re_[i], sum_im_[i]};
}

// A block is whole: makes the next one that leaves.
void Convolver::work() noexcept {
  const auto block = static_cast<size_t>(block_);
  newest_ = (newest_ + 1) % parts_;
  fft_.forward(time_, spectrum_);
  float* re = row(heard_.re, newest_);
  float* im = row(heard_.im, newest_);
  for (size_t i = 0; i < bins_; ++i) {
    re[i] = spectrum_[i].real();
    im[i] = spectrum_[i].imag();
  }
  std::copy_n(time_.begin() + block_, block, time_.begin());
  const float scale = 0.5F / static_cast<float>(block);
  sum_up(responses_[now_]);
  fft_.inverse(spectrum_, padded_);
  for (size_t i = 0; i < block; ++i) out_[i] = scale * padded_[block + i];
  if (!fades_) return;
  fades_ = false;
  sum_up(responses_[1 - now_]);
  fft_.inverse(spectrum_, padded_);
  for (size_t i = 0; i < block; ++i) {
    const float share = static_cast<float>(i + 1) / static_cast<float>(block);
    const float old = scale * padded_[block + i];
    out_[i] = old + share * (out_[i] - old);
  }
}

void Convolver::process(std::span<float> x) noexcept {
  const auto block = static_cast<size_t>(block_);
  for (size_t done = 0; done < x.size();) {
    const size_t n = std::min(block - filled_, x.size() - done);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(done), n,
                time_.begin() + block_ + static_cast<std::ptrdiff_t>(filled_));
    std::copy_n(out_.begin() + static_cast<std::ptrdiff_t>(filled_), n,
                x.begin() + static_cast<std::ptrdiff_t>(done));
    done += n;
    filled_ += n;
    if (filled_ == block) {
      work();
      filled_ = 0;
    }
  }
}

LongConvolver::LongConvolver(std::span<const float> response) : now_(block) {
  // What is in long parts is late by one of them, and stands so much earlier.
  const size_t head = std::min<size_t>(response.size(), long_block - block);
  const auto add = [&](int length, std::span<const float> part) {
    parts_.emplace_back(length, static_cast<Samples>(part.size())).set(part);
    parts_.back().reset();
  };
  add(block, response.first(head));
  if (response.size() > head) add(long_block, response.subspan(head));
}

void LongConvolver::add(std::span<const float> in, std::span<float> out) noexcept {
  for (size_t done = 0; done < in.size();) {
    const size_t n = std::min(now_.size(), in.size() - done);
    const auto now = std::span(now_).first(n);
    for (auto& part : parts_) {
      std::copy_n(in.begin() + static_cast<std::ptrdiff_t>(done), n, now.begin());
      part.process(now);
      for (size_t i = 0; i < n; ++i) out[done + i] += now[i];
    }
    done += n;
  }
}

void LongConvolver::reset() noexcept {
  for (auto& part : parts_) part.reset();
}

MinimumPhase::MinimumPhase(int size)
    : fft_(size), time_(static_cast<size_t>(size)), spectrum_(static_cast<size_t>(fft_.bins())) {}

void MinimumPhase::design(std::span<const float> gains_db, std::span<float> response) noexcept {
  const auto size = static_cast<size_t>(fft_.size());
  const float to_log = std::numbers::ln10_v<float> / 20, scale = 1 / static_cast<float>(size);
  for (size_t i = 0; i < spectrum_.size(); ++i)
    spectrum_[i] = to_log * std::max(gains_db[i], -120.0F);
  fft_.inverse(spectrum_, time_);
  // The half before 0 is folded over.
  time_[0] *= scale;
  for (size_t i = 1; i < size / 2; ++i) time_[i] *= 2 * scale;
  time_[size / 2] *= scale;
  std::fill(time_.begin() + static_cast<std::ptrdiff_t>(size / 2) + 1, time_.end(), 0.0F);
  fft_.forward(time_, spectrum_);
  for (auto& v : spectrum_) v = std::exp(v);
  fft_.inverse(spectrum_, time_);
  const size_t n = std::min(response.size(), size), fade = n / 8;
  for (size_t i = 0; i < n; ++i) {
    const size_t left = n - i;
    const float part = left >= fade ? 1 : static_cast<float>(left) / static_cast<float>(fade);
    response[i] = scale * time_[i] * part * part * (3 - 2 * part);
  }
}

}  // namespace drevan
