// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/hum_track.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr double two_pi = 2 * std::numbers::pi;
constexpr auto all = static_cast<size_t>(most_hum_harmonics);

}  // namespace

// --- a track as floats ---

namespace {

constexpr float track_mark = 2;  // tells a track from what an older version found

// Counts beyond 2^24 and frequencies need more than a float holds.
void put(std::vector<float>& to, double value) {
  const auto high = static_cast<float>(value);
  to.push_back(high);
  to.push_back(static_cast<float>(value - static_cast<double>(high)));
}

class FloatReader {
 public:
  explicit FloatReader(std::span<const float> floats) : left_(floats) {}
  float one() {
    if (left_.empty()) {
      good_ = false;
      return 0;
    }
    const float v = left_.front();
    left_ = left_.subspan(1);
    return v;
  }
  double two() {
    const double high = static_cast<double>(one());
    return high + static_cast<double>(one());
  }
  size_t count() {
    const double n = two();
    if (!(n >= 0 && n <= static_cast<double>(left_.size()))) good_ = false;
    return good_ ? static_cast<size_t>(n) : 0;
  }
  bool good() const { return good_; }

 private:
  std::span<const float> left_;
  bool good_ = true;
};

}  // namespace

std::vector<float> to_floats(const HumTrack& t) {
  std::vector<float> out{track_mark};
  for (const double v : {t.hum.hz, t.rate, static_cast<double>(t.frames),
                         static_cast<double>(t.channels), t.step_s, t.knot_s})
    put(out, v);
  out.insert(out.end(), t.hum.above_db.begin(), t.hum.above_db.end());
  put(out, static_cast<double>(t.cycles.size()));
  out.insert(out.end(), t.cycles.begin(), t.cycles.end());
  put(out, static_cast<double>(t.sizes.size()));
  for (const auto& s : t.sizes) {
    out.push_back(s.real());
    out.push_back(s.imag());
  }
  put(out, static_cast<double>(t.silences.size()));
  for (const auto& s : t.silences) {
    put(out, static_cast<double>(s.begin));
    put(out, static_cast<double>(s.end));
  }
  return out;
}

bool read_hum_track(std::span<const float> floats, HumTrack& t) {
  FloatReader in(floats);
  t.cycles.clear();
  if (floats.empty() || in.one() != track_mark) return false;
  t.hum.hz = in.two();
  t.rate = in.two();
  t.frames = static_cast<Samples>(in.two());
  t.channels = static_cast<int>(in.two());
  t.step_s = in.two();
  t.knot_s = in.two();
  for (float& v : t.hum.above_db) v = in.one();
  t.cycles.resize(in.count());
  for (float& v : t.cycles) v = in.one();
  t.sizes.resize(in.count());
  for (auto& v : t.sizes) {
    const float re = in.one();
    v = {re, in.one()};
  }
  t.silences.resize(in.count());
  for (auto& s : t.silences) {
    s.begin = static_cast<Samples>(in.two());
    s.end = static_cast<Samples>(in.two());
  }
  const bool whole = in.good() && t.channels >= 1 && !t.cycles.empty() && t.knots() > 0 &&
                     t.step_s > 0 && t.knot_s > 0;
  if (!whole) t.cycles.clear();
  return whole;
}

std::optional<HumTrack> hum_track_from(std::span<const float> floats) {
  HumTrack track;
  return read_hum_track(floats, track) ? std::optional(std::move(track)) : std::nullopt;
}

// --- making ---

namespace {

// y += the real part of size times p, the size going from `a` to `b`; p becomes p times f.
DREVAN_CLONES void add_and_turn(float* __restrict y, float* __restrict pr, float* __restrict pi,
                                const float* __restrict fr, const float* __restrict fi,
                                std::complex<float> a, std::complex<float> b,
                                bool sounds) noexcept {
  constexpr int n = 64;
  const float ar = a.real(), ai = a.imag(), dr = (b.real() - ar) / n, di = (b.imag() - ai) / n;
  if (sounds)
    for (int i = 0; i < n; ++i)
      y[i] += (ar + dr * static_cast<float>(i)) * pr[i] - (ai + di * static_cast<float>(i)) * pi[i];
  for (int i = 0; i < n; ++i) {
    const float re = pr[i] * fr[i] - pi[i] * fi[i];
    pi[i] = pr[i] * fi[i] + pi[i] * fr[i];
    pr[i] = re;
  }
}

}  // namespace

void HumMaker::set_track(const HumTrack& track) {
  track_ = track;
  made_ = none;
}

void HumMaker::set_harmonics(int harmonics) noexcept {
  harmonics_ = harmonics;
  made_ = none;
}

double HumMaker::cycles_at(double seconds) const noexcept {
  const double at = seconds / track_.step_s - 0.5;
  const auto last = static_cast<double>(track_.cycles.size()) - 1;
  if (last < 1) return static_cast<double>(track_.cycles[0]);
  const double k = std::clamp(std::floor(at), 0.0, last - 1);
  const double a = static_cast<double>(track_.cycles[static_cast<size_t>(k)]),
               b = static_cast<double>(track_.cycles[static_cast<size_t>(k) + 1]);
  return a + (b - a) * (at - k);
}

bool HumMaker::silent(Samples frame) const noexcept {
  const auto next = std::ranges::upper_bound(track_.silences, frame, {}, &FrameRange::begin);
  return next != track_.silences.begin() && frame < (next - 1)->end;
}

void HumMaker::make(Samples chunk) noexcept {
  made_ = chunk;
  for (auto& c : channels_) c.fill(0);
  const double begins = static_cast<double>(chunk * grid) / track_.rate;
  std::array<float, grid> pr, pi, fr, fi;
  // Within 1.3 ms the phase goes in a straight line.
  const double from = track_.hum.hz * begins + cycles_at(begins),
               ends = begins + grid / track_.rate;
  const double step = (track_.hum.hz * ends + cycles_at(ends) - from) / grid;
  const double whole = std::floor(from);
  for (int i = 0; i < grid; ++i) {
    const double a = two_pi * (from - whole + step * i);
    fr[static_cast<size_t>(i)] = pr[static_cast<size_t>(i)] = static_cast<float>(std::cos(a));
    fi[static_cast<size_t>(i)] = pi[static_cast<size_t>(i)] = static_cast<float>(std::sin(a));
  }
  const size_t knots = track_.knots();
  const auto knot = [&](double s) {
    return std::clamp(s / track_.knot_s, 0.0, static_cast<double>(knots) - 1);
  };
  const auto size_at = [&](size_t c, size_t h, double at) {
    const auto k = std::min(static_cast<size_t>(at), knots - 1), next = std::min(k + 1, knots - 1);
    const auto f = static_cast<float>(at - static_cast<double>(k));
    const auto a = track_.sizes[(c * knots + k) * all + h],
               b = track_.sizes[(c * knots + next) * all + h];
    return a + f * (b - a);
  };
  const double knot_from = knot(begins), knot_to = knot(ends);
  for (size_t h = 0; h < static_cast<size_t>(harmonics_); ++h) {
    for (size_t c = 0; c < channels_.size(); ++c) {
      const size_t of = std::min(c, static_cast<size_t>(track_.channels) - 1);
      // The phasors turn on to the next harmonic after the last channel.
      const bool turn = c + 1 == channels_.size();
      const auto a = size_at(of, h, knot_from), b = size_at(of, h, knot_to);
      if (turn) {
        add_and_turn(channels_[c].data(), pr.data(), pi.data(), fr.data(), fi.data(), a, b,
                     track_.hum.above_db[h] > 0);
      } else if (track_.hum.above_db[h] > 0) {
        const float ar = a.real(), ai = a.imag(), dr = (b.real() - ar) / grid,
                    di = (b.imag() - ai) / grid;
        for (size_t i = 0; i < grid; ++i)
          channels_[c][i] +=
              (ar + dr * static_cast<float>(i)) * pr[i] - (ai + di * static_cast<float>(i)) * pi[i];
      }
    }
  }
  const Samples first = chunk * grid;
  if (track_.silences.empty() && first >= 0 && first + grid <= track_.frames) return;
  for (int i = 0; i < grid; ++i)
    if (first + i < 0 || first + i >= track_.frames || silent(first + i))
      for (auto& c : channels_) c[static_cast<size_t>(i)] = 0;
}

void HumMaker::next(std::span<const std::span<float>> hum) noexcept {
  const size_t n = hum[0].size();
  for (size_t done = 0; done < n;) {
    // Floor division: frames before the sound's first are below 0.
    const Samples chunk = at_ >= 0 ? at_ / grid : -((-at_ + grid - 1) / grid);
    if (chunk != made_ && !track_.cycles.empty()) make(chunk);
    const auto from = static_cast<size_t>(at_ - chunk * grid);
    const size_t m = std::min(n - done, grid - from);
    for (size_t c = 0; c < channels_.size(); ++c)
      std::copy_n(channels_[c].begin() + static_cast<std::ptrdiff_t>(from), m,
                  hum[c].begin() + static_cast<std::ptrdiff_t>(done));
    done += m;
    at_ += static_cast<Samples>(m);
  }
}

}  // namespace drevan
