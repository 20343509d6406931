// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/sibilance.h"

#include <algorithm>
#include <cmath>

namespace drevan {

namespace {
constexpr double corner_hz = 3000;
constexpr double least_tilt_db = -10;
constexpr int least_run = 7, most_gap = 2;  // ticks

BiquadCoefficients butterworth(BiquadKind kind, int section, double rate) {
  return design_biquad(kind, corner_hz, butterworth_q(4, section), 0, rate);
}
}  // namespace

SibilanceEar::SibilanceEar(StreamFormat format)
    : tick_frames_(static_cast<int>(std::lround(format.rate * 0.005))),
      high_band_(format, {butterworth(BiquadKind::high_pass, 0, format.rate),
                          butterworth(BiquadKind::high_pass, 1, format.rate)}),
      voice_band_(format,
                  {butterworth(BiquadKind::low_pass, 0, format.rate),
                   butterworth(BiquadKind::low_pass, 1, format.rate),
                   design_biquad(BiquadKind::high_pass, 200, butterworth_q(2, 0), 0, format.rate)}),
      high_part_(format.channels, chunk),
      voice_part_(format.channels, chunk) {
  high_.set(4, format.rate);
  voice_.set(4, format.rate);
}

void SibilanceEar::reset() noexcept {
  high_band_.reset();
  voice_band_.reset();
  high_.reset();
  voice_.reset();
  filled_ = 0;
}

// At most `chunk` frames.
void SibilanceEar::add(const AudioBlock& block) noexcept {
  std::array<std::array<double, chunk>, 2> power{};
  const auto hear = [&](FilterBank& band, AudioBuffer& part, std::array<double, chunk>& sum) {
    const AudioBlock own = part.block(0, block.frames());
    own.copy_from(block);
    band.process(own);
    for (int c = 0; c < own.channels(); ++c) {
      const auto x = own.channel(c);
      for (size_t i = 0; i < x.size(); ++i)
        sum[i] += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    }
  };
  hear(high_band_, high_part_, power[0]);
  hear(voice_band_, voice_part_, power[1]);
  const double share = 1.0 / block.channels();
  for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
    high_.process_power(power[0][i] * share);
    voice_.process_power(power[1][i] * share);
  }
}

SibilanceEar::Tick SibilanceEar::now() const noexcept {
  return {10 * std::log10(high_.value() + 1e-10), 10 * std::log10(voice_.value() + 1e-10)};
}

bool SibilanceFinder::hear(const SibilanceEar::Tick& tick, double voice_level_db,
                           double line_db) noexcept {
  const bool on =
      tick.high_db > voice_level_db + line_db && tick.high_db - tick.voice_db > least_tilt_db;
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
  const auto cell = static_cast<size_t>(
      std::clamp((voice_db - lowest) / step, 0.0, static_cast<double>(counts_.size() - 1)));
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
    power += static_cast<double>(counts_[k]) *
             std::pow(10, (lowest + step * (static_cast<double>(k) + 0.5)) / 10);
    count += counts_[k];
  }
  return 10 * std::log10(power / static_cast<double>(std::max(count, 1L)));
}

}  // namespace drevan
