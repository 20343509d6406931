// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/filter_bank.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "audio/decibel.h"
#include "dsp/clones.h"

namespace drevan {

FilterBank::FilterBank(StreamFormat format, const FilterSlots& slots)
    : slots_(slots), fade_frames_(static_cast<int>(std::lround(format.rate * 0.01))) {
  now_.lanes.resize(static_cast<size_t>(format.channels));
  old_.lanes.resize(static_cast<size_t>(format.channels));
  load(now_, slots);
}

void FilterBank::load(Set& set, const FilterSlots& slots) noexcept {
  set.count = 0;
  for (size_t s = 0; s < slots.size(); ++s) {
    for (auto& lane : set.lanes) {
      if (slots[s])
        lane[s].set(*slots[s]);
      else
        lane[s].reset();  // comes back silent
    }
    if (slots[s]) set.used[static_cast<size_t>(set.count++)] = static_cast<int>(s);
  }
}

void FilterBank::set(const FilterSlots& slots) noexcept {
  waiting_ = slots;
  has_waiting_ = true;
  if (fade_left_ == 0) begin_fade();
}

void FilterBank::begin_fade() noexcept {
  old_.used = now_.used;
  old_.count = now_.count;
  std::ranges::copy(now_.lanes, old_.lanes.begin());
  slots_ = waiting_;
  load(now_, slots_);
  has_waiting_ = false;
  fade_left_ = fade_frames_;
}

void FilterBank::Section::set(const BiquadCoefficients& c) noexcept {
  // (b0 + b1 z + b2 z^2) (1 - a1 z + a2 z^2), and (1 + a2 z^2)^2 - (a1 z)^2.
  forward = {c.b0, c.b1 - c.b0 * c.a1, c.b2 - c.b1 * c.a1 + c.b0 * c.a2, c.b1 * c.a2 - c.b2 * c.a1,
             c.b2 * c.a2};
  back2 = c.a1 * c.a1 - 2 * c.a2;
  back4 = -c.a2 * c.a2;
}

namespace {

// `x` has four samples before its first.
DREVAN_CLONES void without_feedback(const double* __restrict x, const double* __restrict f,
                                    double* __restrict out, std::ptrdiff_t n) noexcept {
  const double f0 = f[0], f1 = f[1], f2 = f[2], f3 = f[3], f4 = f[4];
  for (std::ptrdiff_t i = 0; i < n; ++i)
    out[i] = (f0 * x[i] + f1 * x[i - 1]) + (f2 * x[i - 2] + f3 * x[i - 3]) + f4 * x[i - 4];
}

// Two samples at a time: neither needs the other.
void feed_back(double* y, std::ptrdiff_t n, double b2, double b4) noexcept {
  typedef double Pair __attribute__((vector_size(16)));
  Pair y2{y[-2], y[-1]}, y4{y[-4], y[-3]};
  std::ptrdiff_t i = 0;
  for (; i + 1 < n; i += 2) {
    Pair now;
    std::memcpy(&now, y + i, sizeof now);
    now = (now + b4 * y4) + b2 * y2;
    std::memcpy(y + i, &now, sizeof now);
    y4 = y2;
    y2 = now;
  }
  if (i < n) y[i] = (y[i] + b4 * y[i - 4]) + b2 * y[i - 2];
}

}  // namespace

// At most `chunk` samples.
void FilterBank::run(const Set& set, Lane& lane, std::span<const float> in,
                     std::span<float> out) noexcept {
  const size_t n = in.size();
  std::array<double, chunk + 4> a, b;
  double *x = a.data() + 4, *y = b.data() + 4;
  for (size_t i = 0; i < n; ++i) x[i] = static_cast<double>(in[i]);
  for (int k = 0; k < set.count; ++k) {
    Section& s = lane[static_cast<size_t>(set.used[static_cast<size_t>(k)])];
    std::copy_n(s.x.begin(), 4, x - 4);
    std::copy_n(s.y.begin(), 4, y - 4);
    without_feedback(x, s.forward.data(), y, static_cast<std::ptrdiff_t>(n));
    feed_back(y, static_cast<std::ptrdiff_t>(n), s.back2, s.back4);
    std::copy_n(x + n - 4, 4, s.x.begin());
    std::copy_n(y + n - 4, 4, s.y.begin());
    std::swap(x, y);
  }
  for (size_t i = 0; i < n; ++i) out[i] = static_cast<float>(x[i]);
}

void FilterBank::process(const AudioBlock& block) noexcept {
  std::array<float, chunk> before{};
  for (int done = 0; done < block.frames();) {
    int n = std::min(block.frames() - done, static_cast<int>(chunk));
    if (fade_left_ > 0) n = std::min(n, fade_left_);
    const AudioBlock part = block.part(done, n);
    for (int c = 0; c < block.channels(); ++c) {
      const auto x = part.channel(c);
      const auto lane = static_cast<size_t>(c);
      if (fade_left_ > 0) run(old_, old_.lanes[lane], x, before);
      if (now_.count > 0) run(now_, now_.lanes[lane], x, x);
      for (int i = 0; i < n && fade_left_ > 0; ++i) {
        const auto w = static_cast<float>(fade_left_ - i) / static_cast<float>(fade_frames_);
        float& v = x[static_cast<size_t>(i)];
        v = w * before[static_cast<size_t>(i)] + (1 - w) * v;
      }
    }
    if (fade_left_ > 0 && (fade_left_ -= n) == 0 && has_waiting_) begin_fade();
    done += n;
  }
}

void FilterBank::reset() noexcept {
  if (has_waiting_) slots_ = waiting_;
  has_waiting_ = false;
  fade_left_ = 0;
  load(now_, slots_);
  for (auto& lane : now_.lanes)
    for (Section& b : lane) b.reset();
}

Samples FilterBank::tail() const noexcept {
  // Sections in series ring on after one another; their sum is a safe bound.
  Samples total = 0;
  for (const auto& slot : slots_)
    if (slot) total += ring_samples(*slot);
  return total;
}

double response_db(const FilterSlots& slots, double hz, double rate) {
  double db = 0;
  for (const auto& slot : slots)
    if (slot) db += to_db(std::abs(response(*slot, hz, rate)));
  return db;
}

}  // namespace drevan
