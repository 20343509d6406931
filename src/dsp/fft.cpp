// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/fft.h"

#include <fftw3.h>

#include <cmath>
#include <complex>
#include <cstring>
#include <map>
#include <mutex>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

typedef float Four __attribute__((vector_size(32)));  // four complex values

// Between the spectrum Z of half the length, taken of even samples + i * odd ones, and the real
// samples' own: with S = a + conj(b), D = a - conj(b) of a = Z[k], b = Z[m - k] the new values are
// half * S + t * D and the conjugate of half * S - t * D. (W. H. Press and others, "Numerical
// Recipes", "FFT of real functions".) Both ways; only `half` and t differ. FFTW does the same within
// its real transforms, but not several values at a time.
//
// `turn_re`, `turn_im`: t as {re, re} and {-im, im} per k.
DREVAN_CLONES void untangle(float* z, const float* turn_re, const float* turn_im, float half,
                            size_t m) noexcept {
  constexpr Four conjugate{1, -1, 1, -1, 1, -1, 1, -1};
  size_t k = 1;
  for (; k + 3 < m - k - 3; k += 4) {
    float *low = z + 2 * k, *high = z + 2 * (m - k - 3);
    Four a, b, re, im;  // copied: GCC forgets what an alias says of alignment
    std::memcpy(&a, low, sizeof a);
    std::memcpy(&b, high, sizeof b);
    std::memcpy(&re, turn_re + 2 * k, sizeof re);
    std::memcpy(&im, turn_im + 2 * k, sizeof im);
    b = __builtin_shufflevector(b, b, 6, 7, 4, 5, 2, 3, 0, 1) * conjugate;
    const Four sum = (a + b) * half, d = a - b;
    const Four turned = d * re + __builtin_shufflevector(d, d, 1, 0, 3, 2, 5, 4, 7, 6) * im;
    const Four first = sum + turned, other = (sum - turned) * conjugate;
    const Four last = __builtin_shufflevector(other, other, 6, 7, 4, 5, 2, 3, 0, 1);
    std::memcpy(low, &first, sizeof first);
    std::memcpy(high, &last, sizeof last);
  }
  for (; k <= m - k; ++k) {
    const float ar = z[2 * k], ai = z[2 * k + 1], br = z[2 * (m - k)], bi = -z[2 * (m - k) + 1];
    const float sr = (ar + br) * half, si = (ai + bi) * half, dr = ar - br, di = ai - bi;
    const float tr = dr * turn_re[2 * k] + di * turn_im[2 * k],
                ti = di * turn_re[2 * k] + dr * turn_im[2 * k + 1];
    z[2 * (m - k)] = sr - tr;
    z[2 * (m - k) + 1] = ti - si;
    z[2 * k] = sr + tr;
    z[2 * k + 1] = si + ti;
  }
}

// The factors t for one way, see above.
struct Turns {
  Turns(int size, std::complex<double> factor, double sign) {
    for (int k = 0; k <= size / 4; ++k) {
      const auto t = factor * std::polar(1.0, sign * 2 * std::numbers::pi * k / size);
      re.insert(re.end(), 2, static_cast<float>(t.real()));
      im.push_back(static_cast<float>(-t.imag()));
      im.push_back(static_cast<float>(t.imag()));
    }
    for (auto* v : {&re, &im}) v->resize(v->size() + 8);  // whole vectors may be read
  }
  FloatVector re, im;
};

fftwf_complex* as_fftw(std::span<std::complex<float>> x) {
  return reinterpret_cast<fftwf_complex*>(x.data());
}
fftwf_complex* as_fftw(std::span<float> x) { return reinterpret_cast<fftwf_complex*>(x.data()); }

}  // namespace

struct RealFft::Plans {
  fftwf_plan forward = nullptr;
  fftwf_plan inverse = nullptr;
  Turns out, back;
  explicit Plans(int size) : out(size, {0, -0.5}, -1), back(size, {0, 1}, 1) {
    FloatVector time(static_cast<size_t>(size));
    ComplexVector freq(static_cast<size_t>(size / 2 + 1));
    // ESTIMATE, not MEASURE: a measured plan may differ from run to run, and with it the last bit.
    // What the planner remembers of other sizes would settle it as well, by which was made first.
    fftwf_forget_wisdom();
    forward =
        fftwf_plan_dft_1d(size / 2, as_fftw(time), as_fftw(freq), FFTW_FORWARD, FFTW_ESTIMATE);
    inverse =
        fftwf_plan_dft_1d(size / 2, as_fftw(freq), as_fftw(time), FFTW_BACKWARD, FFTW_ESTIMATE);
  }
  Plans(const Plans&) = delete;
  Plans& operator=(const Plans&) = delete;
  ~Plans() {
    fftwf_destroy_plan(forward);
    fftwf_destroy_plan(inverse);
  }
};

RealFft::RealFft(int size) : size_(size) {
  static std::mutex mutex;  // FFTW's planner is not thread-safe, its execution is
  static std::map<int, std::shared_ptr<const Plans>> made;
  const std::lock_guard lock(mutex);
  auto& entry = made[size];
  if (!entry) entry = std::make_shared<Plans>(size);
  plans_ = entry;
}

void RealFft::forward(std::span<float> time,
                      std::span<std::complex<float>> bins_out) const noexcept {
  const auto m = static_cast<size_t>(size_ / 2);
  fftwf_execute_dft(plans_->forward, as_fftw(time), as_fftw(bins_out));
  const auto first = bins_out[0];
  untangle(reinterpret_cast<float*>(bins_out.data()), plans_->out.re.data(), plans_->out.im.data(),
           0.5F, m);
  bins_out[0] = first.real() + first.imag();
  bins_out[m] = first.real() - first.imag();
}

void RealFft::inverse(std::span<std::complex<float>> bins_in,
                      std::span<float> time) const noexcept {
  const auto m = static_cast<size_t>(size_ / 2);
  const float low = bins_in[0].real(), high = bins_in[m].real();
  untangle(reinterpret_cast<float*>(bins_in.data()), plans_->back.re.data(), plans_->back.im.data(),
           1.0F, m);
  bins_in[0] = {low + high, low - high};
  fftwf_execute_dft(plans_->inverse, as_fftw(bins_in), as_fftw(time));
}

FloatVector hann_window(int size) {
  FloatVector w(static_cast<size_t>(size));
  for (int i = 0; i < size; ++i)
    w[static_cast<size_t>(i)] =
        static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * i / size));
  return w;
}

}  // namespace drevan
