#include "dsp/fft.h"

#include <fftw3.h>

#include <cmath>
#include <map>
#include <mutex>
#include <numbers>

namespace drevan {

struct RealFft::Plans {
  fftwf_plan forward = nullptr;
  fftwf_plan inverse = nullptr;
  Plans() = default;
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
  if (!entry) {
    FloatVector time(static_cast<size_t>(size));
    ComplexVector freq(static_cast<size_t>(size / 2 + 1));
    auto plans = std::make_shared<Plans>();
    auto* f = reinterpret_cast<fftwf_complex*>(freq.data());
    // ESTIMATE, not MEASURE: a measured plan may differ from run to run, and with it the last bit.
    plans->forward = fftwf_plan_dft_r2c_1d(size, time.data(), f, FFTW_ESTIMATE);
    plans->inverse = fftwf_plan_dft_c2r_1d(size, f, time.data(), FFTW_ESTIMATE);
    entry = std::move(plans);
  }
  plans_ = entry;
}

void RealFft::forward(std::span<float> time,
                      std::span<std::complex<float>> bins_out) const noexcept {
  fftwf_execute_dft_r2c(plans_->forward, time.data(),
                        reinterpret_cast<fftwf_complex*>(bins_out.data()));
}

void RealFft::inverse(std::span<std::complex<float>> bins_in,
                      std::span<float> time) const noexcept {
  fftwf_execute_dft_c2r(plans_->inverse, reinterpret_cast<fftwf_complex*>(bins_in.data()),
                        time.data());
}

FloatVector hann_window(int size) {
  FloatVector w(static_cast<size_t>(size));
  for (int i = 0; i < size; ++i)
    w[static_cast<size_t>(i)] =
        static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * i / size));
  return w;
}

}  // namespace drevan
