#include "dsp/hum_track.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

using Complex = std::complex<double>;
constexpr double two_pi = 2 * std::numbers::pi;
constexpr double low_rate_least = 5600;
constexpr double ask_s = 120;       // a hum is looked for after so much sound, then again
constexpr double most_waiting_s = 1200;
constexpr double periods = 3;       // a step: neighbours 1/3 of the fundamental away do not disturb each other
constexpr auto all = static_cast<size_t>(most_hum_harmonics);

Complex turned(double cycles) {
  const double a = two_pi * (cycles - std::floor(cycles));
  return {std::cos(a), std::sin(a)};
}

// Sums of x * c and x * s.
DREVAN_CLONES void project(const float* __restrict x, const float* __restrict c, const float* __restrict s, size_t n, double& re, double& im) noexcept {
  constexpr size_t lanes = 16;
  std::array<float, lanes> a{}, b{};
  size_t i = 0;
  for (; i + lanes <= n; i += lanes)
    for (size_t l = 0; l < lanes; ++l) {
      a[l] += x[i + l] * c[i + l];
      b[l] += x[i + l] * s[i + l];
    }
  re = im = 0;
  for (size_t l = 0; l < lanes; ++l) {
    re += static_cast<double>(a[l]);
    im += static_cast<double>(b[l]);
  }
  for (; i < n; ++i) {
    re += static_cast<double>(x[i] * c[i]);
    im += static_cast<double>(x[i] * s[i]);
  }
}

void add_low_pass(std::array<Biquad, 4>& stages, double rate) {
  for (int i = 0; i < 4; ++i) stages[static_cast<size_t>(i)].set(design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, rate));
}

// What the low-pass does to a harmonic.
Complex low_pass_at(double hz, double rate) {
  Complex out = 1;
  for (int i = 0; i < 4; ++i) out *= response(design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, rate), hz, rate);
  return out;
}

// The hum in a channel's steps, followed.
class Follower {
 public:
  Follower(size_t steps, double step_s) : steps_(steps), step_s_(step_s), radians_(steps) {}

  // One channel's steps: size and phase of each harmonic, and the power beside it.
  struct Line {
    std::vector<Complex> z;     // steps x all
    std::vector<float> weight;  // the inverse of the power beside; 0 where nothing is heard
    std::vector<Complex> size;  // steps x all, found
  };
  std::vector<Line> lines;
  std::array<bool, all> there{};

  void run() {
    constexpr double spans_s[] = {2, 2, 4, 4, 8, 8, 8, 8, 8, 8};
    for (const double span : spans_s) {
      for (auto& line : lines) find_sizes(line, span);
      give_phase_what_turns_in_common();
      smooth_phase();
    }
    for (auto& line : lines) find_sizes(line, spans_s[std::size(spans_s) - 1]);
  }
  const std::vector<double>& radians() const { return radians_; }

 private:
  // Weighted means of what is left when the common phase is taken off, over `span` seconds to either side.
  void find_sizes(Line& line, double span) const {
    const double keep = std::exp(-step_s_ / span);
    std::vector<Complex> turned_back(steps_);
    std::vector<double> weight(steps_);
    line.size.assign(steps_ * all, {});
    for (size_t h = 0; h < all; ++h) {
      if (!there[h]) continue;
      for (size_t n = 0; n < steps_; ++n) {
        weight[n] = static_cast<double>(line.weight[n * all + h]);
        turned_back[n] = weight[n] * line.z[n * all + h] * std::polar(1.0, -static_cast<double>(h + 1) * radians_[n]);
      }
      Complex sum = 0;
      double weights = 0;
      std::vector<Complex> behind(steps_);
      std::vector<double> behind_weight(steps_);
      for (size_t n = steps_; n-- > 0;) {
        behind[n] = keep * sum;
        behind_weight[n] = keep * weights;
        sum = keep * sum + turned_back[n];
        weights = keep * weights + weight[n];
      }
      sum = 0;
      weights = 0;
      for (size_t n = 0; n < steps_; ++n) {
        sum = keep * sum + turned_back[n];
        weights = keep * weights + weight[n];
        const double of = weights + behind_weight[n];
        line.size[n * all + h] = of > 0 ? (sum + behind[n]) / of : Complex{};
      }
    }
  }

  // Sizes that turn together mean that the phase does.
  void give_phase_what_turns_in_common() {
    std::vector<double> turn(steps_);
    for (size_t n = 1; n < steps_; ++n) {
      double num = 0, den = 0;
      for (const auto& line : lines)
        for (size_t h = 0; h < all; ++h) {
          if (!there[h]) continue;
          const Complex a = line.size[(n - 1) * all + h], b = line.size[n * all + h];
          const double k = static_cast<double>(h + 1), w = static_cast<double>(line.weight[n * all + h]);
          num += std::imag(std::conj(a) * b) * k * w;
          den += std::abs(a) * std::abs(b) * k * k * w;
        }
      turn[n] = turn[n - 1] + (den > 0 ? num / den : 0);
    }
    for (size_t n = 0; n < steps_; ++n) {
      radians_[n] += turn[n];
      for (auto& line : lines)
        for (size_t h = 0; h < all; ++h)
          if (there[h]) line.size[n * all + h] *= std::polar(1.0, -static_cast<double>(h + 1) * turn[n]);
    }
  }

  // What a step says of the phase: how far off it is, and how surely (the inverse of its variance).
  std::pair<double, double> measured(size_t n) const {
    double off = 0, sure = 0;
    for (const auto& line : lines)
      for (size_t h = 0; h < all; ++h) {
        if (!there[h]) continue;
        const double k = static_cast<double>(h + 1), w = static_cast<double>(line.weight[n * all + h]);
        const Complex size = line.size[n * all + h];
        off += std::imag(std::conj(size) * line.z[n * all + h] * std::polar(1.0, -k * radians_[n])) * k * w;
        sure += std::norm(size) * k * k * w;
      }
    return {sure > 0 ? std::clamp(off / sure, -0.5, 0.5) : 0, 2 * sure};
  }

  // Rauch, Tung and Striebel: state (phase, its speed); the speed wanders.
  void smooth_phase() {
    struct State {
      double x = 0, v = 0, xx = 0, xv = 0, vv = 0;
    };
    const double dt = step_s_, q = std::pow(two_pi * 0.015, 2);
    std::vector<State> ahead(steps_), filtered(steps_);
    State s{radians_[0], 0, std::numbers::pi * std::numbers::pi, 0, std::pow(two_pi * 0.1, 2)};
    for (size_t n = 0; n < steps_; ++n) {
      if (n > 0)
        s = {s.x + dt * s.v, s.v, s.xx + dt * (2 * s.xv + dt * s.vv) + q * dt * dt * dt / 3, s.xv + dt * s.vv + q * dt * dt / 2, s.vv + q * dt};
      ahead[n] = s;
      const auto [off, sure] = measured(n);
      if (sure > 0) {
        const double of = s.xx + 1 / sure, kx = s.xx / of, kv = s.xv / of, gap = radians_[n] + off - s.x;
        s = {s.x + kx * gap, s.v + kv * gap, s.xx * (1 - kx), s.xv * (1 - kx), s.vv - kv * s.xv};
      }
      filtered[n] = s;
    }
    for (size_t n = steps_ - 1; n-- > 0;) {
      const State &f = filtered[n], &a = ahead[n + 1];
      // The gain: covariance of now with the next, times the inverse of the next's.
      const double cxx = f.xx + dt * f.xv, cxv = f.xv, cvx = f.xv + dt * f.vv, cvv = f.vv;
      const double det = a.xx * a.vv - a.xv * a.xv;
      const double dx = filtered[n + 1].x - a.x, dv = filtered[n + 1].v - a.v;
      const double ux = (a.vv * dx - a.xv * dv) / det, uv = (a.xx * dv - a.xv * dx) / det;
      filtered[n].x += cxx * ux + cxv * uv;
      filtered[n].v += cvx * ux + cvv * uv;
    }
    for (size_t n = 0; n < steps_; ++n) radians_[n] = filtered[n].x;
  }

  size_t steps_;
  double step_s_;
  std::vector<double> radians_;  // of the fundamental
};

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
  for (const double v : {t.hum.hz, t.rate, static_cast<double>(t.frames), static_cast<double>(t.channels), t.step_s, t.knot_s}) put(out, v);
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

std::optional<HumTrack> hum_track_from(std::span<const float> floats) {
  FloatReader in(floats);
  if (floats.empty() || in.one() != track_mark) return std::nullopt;
  HumTrack t;
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
  const bool whole = in.good() && t.channels >= 1 && !t.cycles.empty() && t.knots() > 0 && t.step_s > 0 && t.knot_s > 0;
  return whole ? std::optional(std::move(t)) : std::nullopt;
}

// --- following ---

HumTracker::HumTracker(StreamFormat format, double least_hz, double most_hz)
    : format_(format), finder_(format, least_hz, most_hz), every_(std::max(1, static_cast<int>(format.rate / low_rate_least))),
      low_rate_(format.rate / every_), channels_(static_cast<size_t>(format.channels)) {
  for (auto& c : channels_) add_low_pass(c.low_pass, format.rate);
}

void HumTracker::hear_silence(const AudioBlock& block) {
  for (int i = 0; i < block.frames(); ++i) {
    bool silent = true;
    for (int c = 0; c < block.channels() && silent; ++c) silent = block.channel(c)[static_cast<size_t>(i)] == 0;
    if (silent) {
      ++silent_;
    } else if (silent_ > 0) {
      if (static_cast<double>(silent_) > 0.01 * format_.rate) silences_.push_back({frames_ + i - silent_, frames_ + i});
      silent_ = 0;
    }
  }
}

void HumTracker::hear(const AudioBlock& block) {
  finder_.hear(block);
  hear_silence(block);
  frames_ += block.frames();
  for (size_t c = 0; c < channels_.size(); ++c) {
    Channel& channel = channels_[c];
    int phase = phase_;
    for (const float x : block.channel(static_cast<int>(c))) {
      double y = static_cast<double>(x);
      for (auto& stage : channel.low_pass) y = stage.process(y);
      if (++phase < every_) continue;
      phase = 0;
      channel.waiting.push_back(static_cast<float>(y));
    }
  }
  low_frames_ += (phase_ + block.frames()) / every_;
  phase_ = (phase_ + block.frames()) % every_;
  if (hz_ > 0) return take_steps();
  if (static_cast<double>(low_frames_ - asked_at_) < ask_s * low_rate_) return;
  asked_at_ = low_frames_;
  if (const auto hum = finder_.find()) {
    begin(hum->hz);
    take_steps();
  } else if (static_cast<double>(channels_[0].waiting.size()) > most_waiting_s * low_rate_) {
    // A hum that begins so late is followed from there on.
    const auto drop = static_cast<std::ptrdiff_t>(channels_[0].waiting.size() / 2);
    for (auto& channel : channels_) channel.waiting.erase(channel.waiting.begin(), channel.waiting.begin() + drop);
    lost_ += drop;
  }
}

// The reference is known: tables of each harmonic, and of what stands a third of the fundamental beside it.
void HumTracker::begin(double hz) {
  hz_ = hz;
  step_ = static_cast<int>(std::lround(periods * low_rate_ / hz));
  const auto n = static_cast<size_t>(step_);
  table_.resize(all * 3 * 2 * n);
  for (size_t h = 0; h < all; ++h)
    for (size_t side = 0; side < 3; ++side) {
      const double f = (static_cast<double>(h + 1) * hz + (static_cast<double>(side) - 1) * low_rate_ / step_) / low_rate_;
      float* line = &table_[(h * 3 + side) * 2 * n];
      for (size_t i = 0; i < n; ++i) {
        const Complex p = turned(f * static_cast<double>(i));
        line[i] = static_cast<float>(p.real());
        line[n + i] = static_cast<float>(-p.imag());
      }
    }
}

void HumTracker::take_steps() {
  const auto n = static_cast<size_t>(step_);
  const size_t count = channels_[0].waiting.size() / n;
  if (count == 0) return;
  for (auto& channel : channels_) {
    for (size_t k = 0; k < count; ++k) {
      const float* x = channel.waiting.data() + k * n;
      // A low frame j is the sound's frame (j + 1) every - 1.
      const double begins_s = (static_cast<double>((lost_ + (steps_ + static_cast<Samples>(k)) * step_) + 1) * every_ - 1) / format_.rate;
      for (size_t h = 0; h < all; ++h) {
        Heard heard;
        if (static_cast<double>(h + 1) * hz_ < 2330 && static_cast<double>(h + 1) * hz_ < 0.45 * low_rate_) {
          double beside = 0;
          for (size_t side = 0; side < 3; ++side) {
            double re, im;
            const float* line = &table_[(h * 3 + side) * 2 * n];
            project(x, line, line + n, n, re, im);
            if (side == 1)
              heard.z = std::complex<float>(Complex(re, im) * (2.0 / step_) * turned(-static_cast<double>(h + 1) * hz_ * begins_s));
            else
              beside += (re * re + im * im) * 2 / (static_cast<double>(step_) * step_);
          }
          heard.beside = static_cast<float>(beside);
        }
        channel.steps.push_back(heard);
      }
    }
    channel.waiting.erase(channel.waiting.begin(), channel.waiting.begin() + static_cast<std::ptrdiff_t>(count * n));
  }
  steps_ += static_cast<Samples>(count);
}

std::optional<HumTrack> HumTracker::find() const {
  const auto hum = finder_.find();
  if (!hum) return std::nullopt;
  if (hz_ <= 0) {
    HumTracker now = *this;
    now.begin(hum->hz);
    now.take_steps();
    return now.steps_ > 0 ? now.find() : std::nullopt;
  }
  const auto steps = static_cast<size_t>(steps_);
  if (steps < 4) return std::nullopt;
  const double step_s = step_ / low_rate_;
  Follower follower(steps, step_s);
  for (size_t h = 0; h < all; ++h) follower.there[h] = hum->above_db[h] > 0 && (static_cast<double>(h + 1) * hz_) < std::min(2330.0, 0.45 * low_rate_);
  for (const auto& channel : channels_) {
    auto& line = follower.lines.emplace_back();
    line.z.resize(steps * all);
    line.weight.resize(steps * all);
    for (size_t h = 0; h < all; ++h) {
      if (!follower.there[h]) continue;
      std::vector<float> sorted(steps);
      for (size_t n = 0; n < steps; ++n) sorted[n] = channel.steps[n * all + h].beside;
      std::ranges::nth_element(sorted, sorted.begin() + static_cast<std::ptrdiff_t>(steps / 2));
      // No step is believed without end, nor is one without sound believed at all.
      const float least = 1e-3F * sorted[steps / 2] + 1e-14F;
      for (size_t n = 0; n < steps; ++n) {
        const auto beside = [&](size_t k) { return channel.steps[k * all + h].beside; };
        const float around = 0.5F * beside(n) + 0.25F * (beside(n > 0 ? n - 1 : n) + beside(std::min(n + 1, steps - 1)));
        const Heard& heard = channel.steps[n * all + h];
        line.z[n * all + h] = Complex(heard.z);
        line.weight[n * all + h] = heard.beside == 0 && heard.z == std::complex<float>{} ? 0 : 1 / (around + least);
      }
    }
  }
  follower.run();

  HumTrack out;
  out.hum = *hum;
  out.hum.hz = hz_;
  out.rate = format_.rate;
  out.frames = frames_;
  out.channels = format_.channels;
  // Steps that were lost before the hum was found hum as the first that was heard.
  const double begins_s = static_cast<double>(lost_) / low_rate_ + (every_ - 1) / format_.rate;
  out.step_s = step_s;
  const double first_s = begins_s + (step_ - 1) / (2 * low_rate_) - step_s / 2;  // of the first, against what a track says
  const auto& radians = follower.radians();
  const double slope = (radians[1] - radians[0]);
  const auto before = static_cast<size_t>(std::max(0.0, std::ceil(first_s / step_s)));
  const double shift = (static_cast<double>(before) * step_s - first_s) / step_s;  // 0 to 1 step
  for (size_t n = 0; n < before + steps; ++n) {
    const double at = static_cast<double>(n) - static_cast<double>(before) + shift;  // in steps of the follower
    const double k = std::clamp(std::floor(at), 0.0, static_cast<double>(steps) - 2);
    const auto i = static_cast<size_t>(k);
    const double value = at < 0 ? radians[0] + slope * at : radians[i] + (radians[i + 1] - radians[i]) * (at - k);
    out.cycles.push_back(static_cast<float>(value / two_pi));
  }
  const auto knots = static_cast<size_t>(static_cast<double>(frames_) / format_.rate / out.knot_s) + 2;
  out.sizes.resize(channels_.size() * knots * all);
  for (size_t h = 0; h < all; ++h) {
    if (!follower.there[h]) continue;
    const Complex through = low_pass_at(static_cast<double>(h + 1) * hz_, format_.rate);
    for (size_t c = 0; c < channels_.size(); ++c)
      for (size_t k = 0; k < knots; ++k) {
        const double at = (static_cast<double>(k) * out.knot_s - first_s) / step_s - 0.5;
        const auto n = static_cast<size_t>(std::clamp(std::lround(at), 0L, static_cast<long>(steps) - 1));
        out.sizes[(c * knots + k) * all + h] = std::complex<float>(follower.lines[c].size[n * all + h] / through);
      }
  }
  out.silences = silences_;
  if (static_cast<double>(silent_) > 0.01 * format_.rate) out.silences.push_back({frames_ - silent_, frames_});
  return out;
}

// --- making ---

namespace {

// y += the real part of size times p, the size going from `a` to `b`; p becomes p times f.
DREVAN_CLONES void add_and_turn(float* __restrict y, float* __restrict pr, float* __restrict pi, const float* __restrict fr, const float* __restrict fi, std::complex<float> a,
                                std::complex<float> b, bool sounds) noexcept {
  constexpr int n = 64;
  const float ar = a.real(), ai = a.imag(), dr = (b.real() - ar) / n, di = (b.imag() - ai) / n;
  if (sounds)
    for (int i = 0; i < n; ++i) y[i] += (ar + dr * static_cast<float>(i)) * pr[i] - (ai + di * static_cast<float>(i)) * pi[i];
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
  const double a = static_cast<double>(track_.cycles[static_cast<size_t>(k)]), b = static_cast<double>(track_.cycles[static_cast<size_t>(k) + 1]);
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
  const double from = track_.hum.hz * begins + cycles_at(begins), ends = begins + grid / track_.rate;
  const double step = (track_.hum.hz * ends + cycles_at(ends) - from) / grid;
  const double whole = std::floor(from);
  for (int i = 0; i < grid; ++i) {
    const double a = two_pi * (from - whole + step * i);
    fr[static_cast<size_t>(i)] = pr[static_cast<size_t>(i)] = static_cast<float>(std::cos(a));
    fi[static_cast<size_t>(i)] = pi[static_cast<size_t>(i)] = static_cast<float>(std::sin(a));
  }
  const size_t knots = track_.knots();
  const auto knot = [&](double s) { return std::clamp(s / track_.knot_s, 0.0, static_cast<double>(knots) - 1); };
  const auto size_at = [&](size_t c, size_t h, double at) {
    const auto k = std::min(static_cast<size_t>(at), knots - 1), next = std::min(k + 1, knots - 1);
    const auto f = static_cast<float>(at - static_cast<double>(k));
    const auto a = track_.sizes[(c * knots + k) * all + h], b = track_.sizes[(c * knots + next) * all + h];
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
        add_and_turn(channels_[c].data(), pr.data(), pi.data(), fr.data(), fi.data(), a, b, track_.hum.above_db[h] > 0);
      } else if (track_.hum.above_db[h] > 0) {
        const float ar = a.real(), ai = a.imag(), dr = (b.real() - ar) / grid, di = (b.imag() - ai) / grid;
        for (size_t i = 0; i < grid; ++i) channels_[c][i] += (ar + dr * static_cast<float>(i)) * pr[i] - (ai + di * static_cast<float>(i)) * pi[i];
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
    for (size_t c = 0; c < channels_.size(); ++c) std::copy_n(channels_[c].begin() + static_cast<std::ptrdiff_t>(from), m, hum[c].begin() + static_cast<std::ptrdiff_t>(done));
    done += m;
    at_ += static_cast<Samples>(m);
  }
}

}  // namespace drevan
