// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/sound_shifter.h"

#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <utility>

namespace drevan {

using RubberBand::RubberBandStretcher;

namespace {
constexpr double lowest_pitch = 0.236;  // 24 semitones and a fine cent below
constexpr double fade_s = 0.015, drift_s = 0.004;
constexpr float loudest = 64;  // 36 dB over full scale
}  // namespace

SoundShifter::SoundShifter(double rate, int channels, double pitch, double formants)
    : rate_(rate),
      channels_(channels),
      pitch_(pitch),
      formants_(formants),
      engine_(std::make_unique<RubberBandStretcher>(
          static_cast<size_t>(std::llround(rate)), static_cast<size_t>(channels),
          RubberBandStretcher::OptionProcessRealTime | RubberBandStretcher::OptionEngineFiner |
              RubberBandStretcher::OptionChannelsTogether |
              RubberBandStretcher::OptionPitchHighConsistency |
              RubberBandStretcher::OptionFormantPreserved |
              RubberBandStretcher::OptionThreadingNever,
          1.0, pitch)) {
  engine_->setDebugLevel(0);
  engine_->setMaxProcessSize(chunk);
  // The engine asks for the same silence before it begins at every pitch, and keeps that and once
  // more on its way.
  pad_ = static_cast<Samples>(engine_->getPreferredStartPad());
  latency_ = engine_late(lowest_pitch) + 2 * pad_ + static_cast<Samples>(0.016 * rate) + chunk;
  const size_t size = std::bit_ceil(static_cast<size_t>(4 * (latency_ + pad_)) + 4 * chunk);
  ring_mask_ = size - 1;
  entering_.assign(static_cast<size_t>(channels), std::vector<float>(chunk));
  made_.assign(static_cast<size_t>(channels), std::vector<float>(size));
  reset();
}

SoundShifter::~SoundShifter() = default;

// Half a window before it is brought to the new pitch; what the engine calls its start delay, less
// the silence it would have had before the first frame.
Samples SoundShifter::engine_late(double pitch) const noexcept {
  return static_cast<Samples>(std::llround(static_cast<double>(pad_) * (1 / pitch - 1)));
}

void SoundShifter::reset() noexcept {
  engine_->reset();
  for (auto& r : made_) std::ranges::fill(r, 0.0F);
  for (auto& e : entering_) std::ranges::fill(e, 0.0F);
  frame_ = given_ = 0;
  turned_ = true;
  turn();
  late_ = late_before_ = engine_late(pitch_);
  fade_ = 1;
}

void SoundShifter::set(double pitch, double formants) noexcept {
  if (pitch == pitch_ && formants == formants_) return;
  pitch_ = pitch;
  formants_ = formants;
  turned_ = true;
}

void SoundShifter::turn() noexcept {
  if (!std::exchange(turned_, false)) return;
  engine_->setPitchScale(pitch_);
  // The engine counts formants from where the pitch takes them; 1: it leaves them alone.
  const double scale = formants_ / pitch_;
  const bool alone = std::abs(scale - 1) < 1e-9;
  engine_->setFormantOption(alone ? RubberBandStretcher::OptionFormantShifted
                                  : RubberBandStretcher::OptionFormantPreserved);
  engine_->setFormantScale(alone ? 1.0 : scale);
}

void SoundShifter::feed() noexcept {
  turn();
  std::array<const float*, max_channels> in{};
  for (size_t c = 0; c < entering_.size(); ++c) in[c] = entering_[c].data();
  engine_->process(in.data(), chunk, false);
  while (engine_->available() > 0) {
    const size_t at = static_cast<size_t>(given_) & ring_mask_;
    const size_t room =
        std::min<size_t>(ring_mask_ + 1 - at, static_cast<size_t>(engine_->available()));
    std::array<float*, max_channels> out{};
    for (size_t c = 0; c < made_.size(); ++c) out[c] = made_[c].data() + at;
    given_ += static_cast<Samples>(engine_->retrieve(out.data(), room));
  }
  // At another pitch the engine is later or sooner: where it is read follows, faded.
  const Samples wanted = engine_late(pitch_);
  if (fade_ >= 1 && static_cast<double>(std::abs(wanted - late_)) > drift_s * rate_) {
    late_before_ = late_;
    late_ = wanted;
    fade_ = 0;
  }
}

void SoundShifter::leave(size_t channel, const AudioBlock& block, size_t i) noexcept {
  const auto& ring = made_[channel];
  const auto value = [&](Samples late) {
    const Samples at = frame_ - latency_ + late;
    return at < 0 || at >= given_ ? 0.0F : ring[static_cast<size_t>(at) & ring_mask_];
  };
  float x = value(late_);
  if (fade_ < 1) {
    const auto share = static_cast<float>(fade_ * fade_ * (3 - 2 * fade_));
    const float before = value(late_before_);
    x = before + share * (x - before);
  }
  if (!std::isfinite(x)) x = 0;
  block.channel(static_cast<int>(channel))[i] = x;
}

void SoundShifter::process(const AudioBlock& block) noexcept {
  for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
    const auto place = static_cast<size_t>(frame_ % chunk);
    for (size_t c = 0; c < entering_.size(); ++c)
      // What is far beyond any sound would stay in the engine for ever.
      entering_[c][place] = std::clamp(block.channel(static_cast<int>(c))[i], -loudest, loudest);
    for (size_t c = 0; c < entering_.size(); ++c) leave(c, block, i);
    if (fade_ < 1) fade_ = std::min(1.0, fade_ + 1 / (fade_s * rate_));
    ++frame_;
    if (frame_ % chunk == 0) feed();
  }
}

}  // namespace drevan
