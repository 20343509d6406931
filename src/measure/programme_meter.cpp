// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/programme_meter.h"

#include <ebur128.h>

#include <cmath>
#include <new>

#include "audio/decibel.h"

namespace drevan {

struct ProgrammeMeter::State {
  State(int channels, double rate)
      : ebur(ebur128_init(static_cast<unsigned>(channels),
                          static_cast<unsigned long>(std::lround(rate)),
                          EBUR128_MODE_M | EBUR128_MODE_S | EBUR128_MODE_I | EBUR128_MODE_LRA |
                              EBUR128_MODE_TRUE_PEAK | EBUR128_MODE_HISTOGRAM)) {
    if (!ebur) throw std::bad_alloc();
  }
  ~State() { ebur128_destroy(&ebur); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ebur128_state* ebur;
  double heard_s = 0;
};

ProgrammeMeter::ProgrammeMeter(int channels, double rate) : channels_(channels), rate_(rate) {
  reset();
}
ProgrammeMeter::~ProgrammeMeter() = default;
ProgrammeMeter::ProgrammeMeter(ProgrammeMeter&&) noexcept = default;
ProgrammeMeter& ProgrammeMeter::operator=(ProgrammeMeter&&) noexcept = default;

void ProgrammeMeter::reset() { state_ = std::make_unique<State>(channels_, rate_); }

void ProgrammeMeter::hear(std::span<const float> interleaved) {
  const size_t frames = interleaved.size() / static_cast<size_t>(channels_);
  ebur128_add_frames_float(state_->ebur, interleaved.data(), frames);
  state_->heard_s += static_cast<double>(frames) / rate_;
}

ProgrammeMeter::Readings ProgrammeMeter::readings() const {
  const auto read = [&](int (*what)(ebur128_state*, double*),
                        double least_s) -> std::optional<double> {
    double v = 0;
    if (state_->heard_s < least_s || what(state_->ebur, &v) != EBUR128_SUCCESS ||
        !std::isfinite(v) || v <= silence_db)
      return std::nullopt;
    return v;
  };
  Readings r;
  r.momentary_lufs = read(ebur128_loudness_momentary, 0.4);
  r.short_term_lufs = read(ebur128_loudness_shortterm, 3);
  r.integrated_lufs = read(ebur128_loudness_global, 0.4);
  r.range_lu = read(ebur128_loudness_range, 3);
  double peak = 0;
  for (int c = 0; c < channels_; ++c) {
    double v = 0;
    if (ebur128_true_peak(state_->ebur, static_cast<unsigned>(c), &v) == EBUR128_SUCCESS)
      peak = std::max(peak, v);
  }
  if (peak > 1e-10) r.true_peak_dbtp = to_db(peak);
  return r;
}

}  // namespace drevan
