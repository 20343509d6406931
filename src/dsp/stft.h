// SPDX-License-Identifier: GPL-3.0-or-later
// Short-time Fourier transform with overlap-add, as a stream: samples in, samples out, a function
// sees and changes every spectrum between.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>
#include <span>
#include <type_traits>

#include "audio/buffer.h"
#include "dsp/fft.h"

namespace drevan {

/// The window on both sides of an Stft. `hann` parts loud from quiet neighbours in frequency better
/// (side lobes at -31 dB against -23 dB) and needs overlap 4.
enum class Taper { square_root_hann, hann };

/// out = x * window; all of one size.
void apply_window(std::span<const float> x, std::span<const float> window,
                  std::span<float> out) noexcept;
/// Moves `sum` forward by `hop` and adds x * window; all of one size.
void overlap_add(std::span<float> sum, std::span<const float> x, std::span<const float> window,
                 size_t hop) noexcept;
void overlap_add(std::span<float> sum, std::span<const float> x, std::span<const float> window,
                 size_t hop, float gain) noexcept;

/// What a function that sees a spectrum may say of it instead of changing it: what is to come out is the
/// spectrum `ago` calls before, times `gain` in every bin. The way back from it is then spared.
struct OneGain {
  float gain = 1;
  int ago = 0;
};

/// Overlap-add analysis and synthesis of one channel with the same window on both sides, so that an
/// unchanged spectrum gives back the input, latency() samples later (error below -120 dB).
/// process() is real-time safe and gives the same result for any block size.
class Stft {
 public:
  /// `size`: window and transform length in samples, even. `overlap`: 2 or 4 windows at a time.
  /// `memory`: the largest OneGain::ago that will be asked for.
  Stft(int size, int overlap, Taper taper = Taper::square_root_hann, int memory = 0)
      : fft_(size),
        hop_(size / overlap),
        kept_(size + memory * hop_),
        window_(hann_window(size)),
        input_(static_cast<size_t>(kept_ + 16 * hop_)),
        sum_(static_cast<size_t>(size)),
        time_(static_cast<size_t>(size)),
        bins_(static_cast<size_t>(size / 2 + 1)) {
    if (taper == Taper::square_root_hann)
      for (float& w : window_) w = std::sqrt(w);
    // Both windows together sum to overlap / 2 (Hann) or, squared again, to overlap * 3 / 8; the
    // inverse transform scales by size.
    const float scale = (taper == Taper::hann ? 8.0F / 3.0F : 2.0F) /
                        (static_cast<float>(overlap) * static_cast<float>(size));
    synthesis_ = window_;
    for (float& w : synthesis_) w *= scale;
    through_ = synthesis_;
    for (size_t i = 0; i < through_.size(); ++i)
      through_[i] *= window_[i] * static_cast<float>(size);
    reset();
  }

  int size() const { return fft_.size(); }
  int bins() const { return fft_.bins(); }
  int hop() const { return hop_; }
  Samples latency() const { return size(); }

  void reset() {
    std::ranges::fill(input_, 0.0F);
    std::ranges::fill(sum_, 0.0F);
    end_ = kept_ - hop_;
    filled_ = 0;
  }

  /// In place. `change(std::span<std::complex<float>> bins)` is called once per hop; it may return
  /// std::optional<OneGain>.
  template <class Change>
  void process(std::span<float> samples, Change&& change) {
    for (size_t done = 0; done < samples.size();) {
      const int n = std::min(hop_ - filled_, static_cast<int>(samples.size() - done));
      // A hop of input is being filled while the sum's first hop is being emptied.
      float* in = input_.data() + end_ + filled_;
      const float* out = sum_.data() + filled_;
      for (int i = 0; i < n; ++i) {
        in[i] = samples[done + static_cast<size_t>(i)];
        samples[done + static_cast<size_t>(i)] = out[i];
      }
      filled_ += n;
      done += static_cast<size_t>(n);
      if (filled_ == hop_) {
        frame(change);
        filled_ = 0;
      }
    }
  }

 private:
  template <class Change>
  void frame(Change&& change) {
    end_ += hop_;
    const auto hop = static_cast<size_t>(hop_);
    apply_window(frame_of(0), window_, time_);
    fft_.forward(time_, bins_);
    std::optional<OneGain> all;
    if constexpr (std::is_void_v<decltype(change(std::span(bins_)))>)
      change(std::span<std::complex<float>>(bins_));
    else
      all = change(std::span<std::complex<float>>(bins_));
    if (all) {
      overlap_add(sum_, frame_of(all->ago), through_, hop, all->gain);
    } else {
      fft_.inverse(bins_, time_);
      overlap_add(sum_, time_, synthesis_, hop);
    }
    if (end_ + hop_ > static_cast<int>(input_.size())) {
      std::copy(input_.begin() + (end_ - kept_), input_.begin() + end_, input_.begin());
      end_ = kept_;
    }
  }
  // The input of the spectrum `ago` calls before.
  std::span<const float> frame_of(int ago) const {
    return std::span(input_).subspan(static_cast<size_t>(end_ - size() - ago * hop_),
                                     static_cast<size_t>(size()));
  }

  RealFft fft_;
  int hop_;
  int kept_;                        // samples of input
  FloatVector window_, synthesis_;  // the latter scaled
  FloatVector through_;             // both, and a transform and back
  FloatVector input_;
  FloatVector sum_;
  FloatVector time_;
  ComplexVector bins_;
  int end_ = 0, filled_ = 0;
};

}  // namespace drevan
