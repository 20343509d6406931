#include "dsp/sibilance.h"

#include <algorithm>
#include <cmath>

namespace drevan {

namespace {
constexpr double corner_hz = 3000;
constexpr double least_tilt_db = -10;
constexpr int least_run = 7, most_gap = 2;  // ticks
}  // namespace

SibilanceEar::SibilanceEar(StreamFormat format)
    : tick_frames_(static_cast<int>(std::lround(format.rate * 0.005))),
      lanes_(static_cast<size_t>(format.channels)) {
  for (auto& lane : lanes_) {
    for (int k = 0; k < 2; ++k) {
      lane.high[static_cast<size_t>(k)].set(design_biquad(BiquadKind::high_pass, corner_hz, butterworth_q(4, k), 0, format.rate));
      lane.voice_low[static_cast<size_t>(k)].set(design_biquad(BiquadKind::low_pass, corner_hz, butterworth_q(4, k), 0, format.rate));
    }
    lane.voice_high.set(design_biquad(BiquadKind::high_pass, 200, butterworth_q(2, 0), 0, format.rate));
  }
  high_.set(4, format.rate);
  voice_.set(4, format.rate);
}

void SibilanceEar::reset() noexcept {
  for (auto& lane : lanes_) {
    for (auto& b : lane.high) b.reset();
    for (auto& b : lane.voice_low) b.reset();
    lane.voice_high.reset();
  }
  high_.reset();
  voice_.reset();
  high_power_ = voice_power_ = 0;
  filled_ = 0;
}

void SibilanceEar::add(const AudioBlock& block, size_t i) noexcept {
  double high = 0, voice = 0;
  for (size_t c = 0; c < lanes_.size(); ++c) {
    Lane& lane = lanes_[c];
    const auto x = static_cast<double>(block.channel(static_cast<int>(c))[i]);
    const double h = lane.high[1].process(lane.high[0].process(x));
    const double v = lane.voice_high.process(lane.voice_low[1].process(lane.voice_low[0].process(x)));
    high += h * h;
    voice += v * v;
  }
  const auto n = static_cast<double>(lanes_.size());
  high_power_ = high_.process(std::sqrt(high / n));
  voice_power_ = voice_.process(std::sqrt(voice / n));
}

SibilanceEar::Tick SibilanceEar::now() const noexcept {
  return {10 * std::log10(high_power_ + 1e-10), 10 * std::log10(voice_power_ + 1e-10)};
}

bool SibilanceFinder::hear(const SibilanceEar::Tick& tick, double voice_level_db, double line_db) noexcept {
  const bool on = tick.high_db > voice_level_db + line_db && tick.high_db - tick.voice_db > least_tilt_db;
  on_ = (on_ << 1) | (on ? 1U : 0U);
  const auto at = [&](int back) { return (on_ >> back) & 1U; };
  if (on_ == 0) return false;
  // The run of ticks, small gaps filled, that the tick delay() ago lies in.
  int newest = delay(), oldest = delay();
  const auto reach = [&](int from, int step) {
    int end = from;
    for (int gap = 0, k = from; k >= 0 && k < 60 && gap <= most_gap; k += step) {
      if (at(k))
        end = k, gap = 0;
      else
        ++gap;
    }
    return end;
  };
  newest = reach(delay(), -1);
  oldest = reach(delay(), 1);
  // A tick that is off itself lies in a run when it only fills a small gap.
  const bool inside = at(delay()) || (newest < delay() && oldest > delay());
  return inside && oldest - newest + 1 >= least_run;
}

void VoiceLevel::hear(double voice_db) noexcept {
  if (voice_db <= lowest + 1) return;
  const auto cell = static_cast<size_t>(std::clamp((voice_db - lowest) / step, 0.0, static_cast<double>(counts_.size() - 1)));
  ++counts_[cell];
  ++heard_;
}

std::optional<double> VoiceLevel::level_db() const {
  if (heard_ == 0) return std::nullopt;
  long above = 0;
  size_t loud = counts_.size() - 1;
  for (; loud > 0 && (above += counts_[loud]) < heard_ / 20; --loud) {
  }
  const auto low = static_cast<size_t>(std::max(0.0, static_cast<double>(loud) - 20 / step));
  double power = 0;
  long count = 0;
  for (size_t k = low; k < counts_.size(); ++k) {
    power += static_cast<double>(counts_[k]) * std::pow(10, (lowest + step * (static_cast<double>(k) + 0.5)) / 10);
    count += counts_[k];
  }
  return 10 * std::log10(power / static_cast<double>(std::max(count, 1L)));
}

}  // namespace drevan
