// SPDX-License-Identifier: GPL-3.0-or-later
// Our real transform (FFTW's complex one of half the size, untangled four values at a time) beside
// FFTW's own r2c and c2r, at the sizes that the steps use. Prints times and ratios; both plans are
// ESTIMATE, as the same bits every time ask.
#include <fftw3.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <random>
#include <vector>

#include "dsp/fft.h"

namespace {

using namespace drevan;
using Clock = std::chrono::steady_clock;

// Microseconds a call, the least of many runs.
template <class Work>
double us(Work&& work) {
  double best = 1e9;
  for (int run = 0; run < 40; ++run) {
    const auto start = Clock::now();
    for (int i = 0; i < 200; ++i) work();
    const std::chrono::duration<double, std::micro> took = Clock::now() - start;
    best = std::min(best, took.count() / 200);
  }
  return best;
}

}  // namespace

int main() {
  std::mt19937 random(1);
  std::uniform_real_distribution<float> sample(-1, 1);
  bool wins = true;
  fmt::print("size     ours there  FFTW's there   ours back  FFTW's back   FFTW's / ours\n");
  for (const int size : {512, 1024, 2048, 4096, 8192, 16384}) {
    FloatVector time(static_cast<size_t>(size)), kept(time);
    for (auto& v : kept) v = sample(random);
    ComplexVector bins(static_cast<size_t>(size / 2 + 1)), spectrum(bins);
    const RealFft ours(size);
    auto* out = reinterpret_cast<fftwf_complex*>(bins.data());
    const auto there = fftwf_plan_dft_r2c_1d(size, time.data(), out, FFTW_ESTIMATE);
    const auto back = fftwf_plan_dft_c2r_1d(size, out, time.data(), FFTW_ESTIMATE);
    time = kept;
    const double a = us([&] { ours.forward(time, bins); });
    const double b = us([&] { fftwf_execute_dft_r2c(there, time.data(), out); });
    spectrum = bins;
    // Going back destroys the spectrum: it is copied for both.
    const double c = us([&] { bins = spectrum, ours.inverse(bins, time); });
    const double d = us([&] { bins = spectrum, fftwf_execute_dft_c2r(back, out, time.data()); });
    fmt::print("{:5}  {:8.2f} us  {:8.2f} us  {:8.2f} us  {:8.2f} us  {:12.2f}\n", size, a, b, c, d,
               (b + d) / (a + c));
    wins = wins && b + d >= a + c;
    fftwf_destroy_plan(there);
    fftwf_destroy_plan(back);
  }
  return wins ? 0 : 1;
}
