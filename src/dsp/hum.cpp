#include "dsp/hum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/clones.h"
#include "dsp/sums.h"

namespace drevan {

namespace {

constexpr double search_rate = 5600;     // at least
constexpr double frame_s = 0.05;
constexpr double there_db = 6;          // a line that stands out less may be chance
constexpr float clear_low_db = 10;       // one of the lowest four must stand out as much
constexpr double clear_db = 15;          // and all lines together, beyond 6 dB each

}  // namespace

// --- finding ---

HumFinder::HumFinder(StreamFormat format, double least_hz, double most_hz)
    : least_hz_(least_hz), step_(std::max(1, static_cast<int>(format.rate / search_rate))), rate_(format.rate / step_),
      frame_size_(static_cast<size_t>(frame_s * rate_)),
      above_(static_cast<size_t>(std::lround((most_hz - least_hz) / apart_hz)) + 1) {
  for (int i = 0; i < 4; ++i) {
    low_pass_.emplace_back();
    low_pass_.back().set(design_biquad(BiquadKind::low_pass, 2350, butterworth_q(8, i), 0, format.rate));
  }
}

void HumFinder::hear(const AudioBlock& block) {
  for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
    double x = 0;
    for (int c = 0; c < block.channels(); ++c) x += static_cast<double>(block.channel(c)[i]);
    for (auto& b : low_pass_) x = b.process(x);
    if (++phase_ < step_) continue;
    phase_ = 0;
    frame_.push_back(static_cast<float>(x));
    if (frame_.size() == frame_size_) finish_frame();
  }
}

// A frame is weighed by a power of the inverse of its power, in straight lines from frame to frame; so it waits
// for the one after it.
void HumFinder::finish_frame() {
  const double power = sum_of_squares(frame_) / static_cast<double>(frame_size_);
  const double weight = power > 1e-12 ? std::pow(1e-9 / std::max(power, 1e-9), 1.5) : 0;
  const double from = std::min(weights_[0], weights_[1]), to = std::min(weights_[1], weight);
  for (size_t i = 0; i < waiting_.size(); ++i)
    window_.push_back(static_cast<float>(from + (to - from) * static_cast<double>(i) / static_cast<double>(frame_size_)) * waiting_[i]);
  waiting_.swap(frame_);
  frame_.clear();
  weights_ = {weights_[1], weight};
  if (window_.size() < size / 2) return;
  add_window(std::move(window_));
  window_.clear();
}

// Level of the newest window between its bins, dB.
double HumFinder::level_at(double hz) const {
  const double bin = hz / rate_ * size;
  const auto k = static_cast<size_t>(bin);
  if (k + 1 >= level_db_.size()) return silence_db;
  const auto f = static_cast<float>(bin - std::floor(bin));
  return static_cast<double>((1 - f) * level_db_[k] + f * level_db_[k + 1]);
}

void HumFinder::add_window(std::vector<float> sound) {
  FloatVector time(size);
  const auto n = static_cast<double>(sound.size());
  for (size_t i = 0; i < std::min<size_t>(sound.size(), size); ++i)
    time[i] = sound[i] * static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / n));
  ComplexVector bins(static_cast<size_t>(fft_.bins()));
  fft_.forward(time, bins);
  level_db_.resize(bins.size());
  for (size_t k = 0; k < bins.size(); ++k) level_db_[k] = static_cast<float>(power_to_db(static_cast<double>(std::norm(bins[k])) + 1e-30));
  const double middle_hz = least_hz_ + apart_hz * static_cast<double>(above_.size() - 1) / 2;
  const double bin_hz = rate_ / size;
  for (int h = 0; h < most_hum_harmonics; ++h) {
    const double at = (h + 1) * middle_hz;
    if (at + 20 > rate_ / 2 || at + 20 > 2400) break;
    std::vector<float> around(level_db_.begin() + static_cast<std::ptrdiff_t>((at - 15) / bin_hz),
                              level_db_.begin() + static_cast<std::ptrdiff_t>((at + 15) / bin_hz));
    std::ranges::nth_element(around, around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2));
    const auto floor = static_cast<double>(around[around.size() / 2]);
    for (size_t c = 0; c < above_.size(); ++c) {
      const double over = level_at((h + 1) * (least_hz_ + apart_hz * static_cast<double>(c))) - floor;
      above_[c][static_cast<size_t>(h)] += static_cast<float>(std::clamp(over, -10.0, 40.0));
    }
  }
  ++windows_;
}

std::optional<Hum> HumFinder::find() const {
  HumFinder whole = *this;
  // What is left over counts where it is long enough to say something, or all there is.
  if (whole.window_.size() >= static_cast<size_t>(rate_) && (windows_ == 0 || whole.window_.size() > size / 4))
    whole.add_window(std::move(whole.window_));
  if (whole.windows_ == 0) return std::nullopt;
  const auto score = [&](size_t c) {
    double sum = 0;
    for (const float v : whole.above_[c]) sum += std::max(0.0, static_cast<double>(v) / whole.windows_ - 6);
    return sum;
  };
  size_t best = 0;
  double most = 0;
  for (size_t c = 0; c < whole.above_.size(); ++c)
    if (const double s = score(c); s > most) most = s, best = c;
  Hum hum;
  hum.hz = least_hz_ + apart_hz * static_cast<double>(best);
  // Between the candidates: the top of a parabola.
  if (best > 0 && best + 1 < whole.above_.size()) {
    const double a = score(best - 1), b = most, c = score(best + 1);
    if (a + c - 2 * b < 0) hum.hz += apart_hz * std::clamp((a - c) / (2 * (a + c - 2 * b)), -0.5, 0.5);
  }
  int count = 0;
  for (size_t h = 0; h < most_hum_harmonics; ++h) {
    const float above = whole.above_[best][h] / static_cast<float>(whole.windows_);
    if (static_cast<double>(above) < there_db) continue;
    hum.above_db[h] = above;
    ++count;
  }
  const bool low = std::any_of(hum.above_db.begin(), hum.above_db.begin() + 4, [](float v) { return v > clear_low_db; });
  if (most < clear_db || count < 2 || !low) return std::nullopt;
  return hum;
}

// --- following ---

namespace {

constexpr double block_hz = 750;
constexpr double stage_s = 0.14;  // of each of two low-pass stages
constexpr double around_s = 0.08;    // before and after a moment that are as loud as it
constexpr double even_s = 0.03;

// Two sums over one block: x * c and x * s.
DREVAN_CLONES void project(const float* __restrict x, const float* __restrict c, const float* __restrict s, size_t n,
                           double& re, double& im) noexcept {
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

// y += the harmonic, its two parts gliding from (re, im) by (dre, dim) over the block.
DREVAN_CLONES void add_harmonic(float* __restrict y, const float* __restrict c, const float* __restrict s, size_t n, float re,
                                float im, float dre, float dim) noexcept {
  const float step = 1.0F / static_cast<float>(n);
  for (size_t i = 0; i < n; ++i) {
    const float f = static_cast<float>(static_cast<int>(i) + 1) * step;
    y[i] += (re + f * dre) * c[i] - (im + f * dim) * s[i];
  }
}

std::complex<double> turned(double cycles) {
  const double a = 2 * std::numbers::pi * (cycles - std::floor(cycles));
  return {std::cos(a), std::sin(a)};
}

}  // namespace

HumFollower::HumFollower(double rate, const Hum& hum)
    : rate_(rate), block_(static_cast<int>(std::lround(rate / block_hz))),
      late_(static_cast<int>(std::lround((2 * stage_s + around_s) * rate / block_))),
      keep_(std::exp(-block_ / (stage_s * rate))), cos_(static_cast<size_t>(block_ * most_hum_harmonics)), sin_(cos_.size()),
      in_(static_cast<size_t>(block_)), out_(in_.size()), loudest_(static_cast<int>(std::lround(2 * around_s * rate / block_))), past_(static_cast<size_t>(late_) + 1),
      heard_(static_cast<size_t>(std::lround(around_s * rate / block_))) {
  set_hum(hum);
  reset();
}

void HumFollower::set_hum(const Hum& hum) noexcept {
  for (size_t h = 0; h < there_.size(); ++h)
    there_[h] = hum.above_db[h] > 0 && (static_cast<double>(h) + 1) * hum.hz < 0.45 * rate_;
  if (hum.hz == hz_) return;
  hz_ = hum.hz;
  table();
}

void HumFollower::reset() noexcept {
  std::ranges::fill(in_, 0.0F);
  std::ranges::fill(out_, 0.0F);
  std::ranges::fill(past_, Past{});
  std::ranges::fill(heard_, Heard{});
  filled_ = 0;
  blocks_ = 0;
  phase_ = weight1_ = weight2_ = 0;
  at_ = heard_at_ = 0;
  loudest_.reset();
  for (Sized* s : {&sum1_, &sum2_, &now_, &before_}) s->fill({});
}

void HumFollower::table() noexcept {
  for (int h = 0; h < most_hum_harmonics; ++h) {
    const Complex step = turned((h + 1) * hz_ / rate_);
    Complex p = 1;
    for (int i = 0; i < block_; ++i, p *= step) {
      cos_[static_cast<size_t>(h * block_ + i)] = static_cast<float>(p.real());
      sin_[static_cast<size_t>(h * block_ + i)] = static_cast<float>(p.imag());
    }
  }
}

void HumFollower::process(std::span<const float> x, std::span<float> hum) noexcept {
  for (size_t done = 0; done < x.size();) {
    const auto n = std::min(x.size() - done, static_cast<size_t>(block_ - filled_));
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(done), n, in_.begin() + filled_);
    std::copy_n(out_.begin() + filled_, n, hum.begin() + static_cast<std::ptrdiff_t>(done));
    filled_ += static_cast<int>(n);
    done += n;
    if (filled_ < block_) continue;
    finish_block();
    filled_ = 0;
  }
}

void HumFollower::finish_block() noexcept {
  // Weighed by the loudest moment around, evenly over a few periods, or the hum would weigh itself.
  const double power = sum_of_squares(in_) / block_;
  const double level = power_to_db(std::max(loudest_.process(power), 1e-9));
  const double even = 1 - std::exp(-block_ / (even_s * rate_));
  if (blocks_++ == 0) level1_ = level2_ = level;
  level1_ += even * (level - level1_);
  level2_ += even * (level1_ - level2_);
  // Digital silence says nothing about the hum.
  Heard& heard = heard_[heard_at_];
  heard_at_ = (heard_at_ + 1) % heard_.size();
  const double weight = heard.silent ? 0 : std::pow(10.0, -level2_ / 20);
  weight1_ = keep_ * weight1_ + (1 - keep_) * weight;
  weight2_ = keep_ * weight2_ + (1 - keep_) * weight1_;
  const Complex base = turned(phase_);
  Complex turn = 1;
  before_ = now_;
  for (size_t h = 0; h < most_hum_harmonics; ++h) {
    turn *= base;
    if (!there_[h]) continue;
    const Complex z = heard.z[h];
    double re, im;
    project(in_.data(), &cos_[h * in_.size()], &sin_[h * in_.size()], in_.size(), re, im);
    heard.z[h] = Complex(re, -im) * std::conj(turn) * (2.0 / block_);
    sum1_[h] = keep_ * sum1_[h] + (1 - keep_) * weight * z;
    sum2_[h] = keep_ * sum2_[h] + (1 - keep_) * sum1_[h];
    now_[h] = weight2_ > 0 ? sum2_[h] / weight2_ : Complex{};
  }
  heard.silent = power <= 0;
  past_[at_] = {phase_, power > 0};
  at_ = (at_ + 1) % past_.size();
  synthesise();
  phase_ += hz_ * block_ / rate_;
  phase_ -= std::floor(phase_);
}

// The block that was heard late_ blocks ago.
void HumFollower::synthesise() noexcept {
  std::ranges::fill(out_, 0.0F);
  if (!past_[at_].sounds) return;  // there is no hum in digital silence
  const Complex base = turned(past_[at_].phase);
  Complex turn = 1;
  for (size_t h = 0; h < most_hum_harmonics; ++h) {
    turn *= base;
    if (!there_[h] || static_cast<int>(h) >= highest_) continue;
    const Complex from = before_[h] * turn, step = (now_[h] - before_[h]) * turn;
    add_harmonic(out_.data(), &cos_[h * in_.size()], &sin_[h * in_.size()], in_.size(), static_cast<float>(from.real()),
                 static_cast<float>(from.imag()), static_cast<float>(step.real()), static_cast<float>(step.imag()));
  }
}

}  // namespace drevan
