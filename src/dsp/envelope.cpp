// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/envelope.h"

#include <algorithm>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr size_t chunk = 256;
constexpr size_t back = 4;

struct Lane {
  double sample[back + chunk];  // NOLINT: the first four are those before
  double* now() { return sample + back; }
  void begin(const std::array<double, back>& last) { std::ranges::copy(last, sample); }
  void end(std::array<double, back>& last, size_t n) const {
    std::copy_n(sample + n, back, last.begin());
  }
};

// What the last inputs alone decide: the largest of the paths that begin at each of them, and the
// constant of the path that began before.
DREVAN_CLONES void look_back(const double* __restrict x, double* __restrict scaled,
                             double* __restrict most, double* __restrict constant, std::ptrdiff_t n,
                             double r) noexcept {
  const double share = 1 - r;
  for (std::ptrdiff_t i = -3; i < n; ++i) scaled[i] = share * x[i];
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const double a2 = std::max(x[i - 2], r * x[i - 3] + scaled[i - 2]);
    const double a1 = std::max(x[i - 1], r * a2 + scaled[i - 1]);
    most[i] = std::max(x[i], r * a1 + scaled[i]);
    constant[i] = r * (r * (r * scaled[i - 3] + scaled[i - 2]) + scaled[i - 1]) + scaled[i];
  }
}

DREVAN_CLONES void hold(const double* __restrict most, const double* __restrict constant, double* y,
                        std::ptrdiff_t n, double r4) noexcept {
#pragma GCC ivdep
  for (std::ptrdiff_t i = 0; i < n - 3; i += 4)
    for (std::ptrdiff_t l = i; l < i + 4; ++l)
      y[l] = std::max(most[l], r4 * y[l - 4] + constant[l]);
  for (std::ptrdiff_t i = n - n % 4; i < n; ++i)
    y[i] = std::max(most[i], r4 * y[i - 4] + constant[i]);
}

DREVAN_CLONES void follow(const double* __restrict y, double* __restrict sum, double* v,
                          std::ptrdiff_t n, double a) noexcept {
  const double s = 1 - a, a4 = a * a * a * a;
  for (std::ptrdiff_t i = 0; i < n; ++i)
    sum[i] = s * (y[i] + a * (y[i - 1] + a * (y[i - 2] + a * y[i - 3])));
  for (std::ptrdiff_t i = 0; i < n - 3; i += 4)
    for (std::ptrdiff_t l = i; l < i + 4; ++l) v[l] = a4 * v[l - 4] + sum[l];
  for (std::ptrdiff_t i = n - n % 4; i < n; ++i) v[i] = a4 * v[i - 4] + sum[i];
}

}  // namespace

void DecoupledDetector::process(std::span<float> reduction) noexcept {
  Lane x, scaled, y, v;
  double most[chunk], constant[chunk];  // NOLINT
  for (size_t done = 0; done < reduction.size(); done += chunk) {
    const auto part = reduction.subspan(done, std::min(chunk, reduction.size() - done));
    const auto n = static_cast<std::ptrdiff_t>(part.size());
    x.begin(in_), y.begin(peak_), v.begin(value_);
    std::ranges::copy(part, x.now());
    look_back(x.now(), scaled.now(), most, constant, n, release_);
    hold(most, constant, y.now(), n, release_ * release_ * release_ * release_);
    follow(y.now(), constant, v.now(), n, attack_);
    for (size_t i = 0; i < part.size(); ++i) part[i] = static_cast<float>(v.now()[i]);
    x.end(in_, part.size()), y.end(peak_, part.size()), v.end(value_, part.size());
  }
}

}  // namespace drevan
