// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/telephone_line.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "dsp/carrier.h"

namespace drevan {

namespace {

// Of half the codec's rate: 3.7 kHz of 4, 7.4 of 8.
constexpr double band_share = 0.925;
constexpr double silent_after_s = 0.25, gate_s = 0.02;
constexpr double mean_burst = 2;
constexpr long longest_burst = 8;

}  // namespace

TelephoneLine::TelephoneLine(double rate, Codec codec)
    : rate_(static_cast<int>(std::lround(rate))),
      codec_(make_codec(codec)),
      down_(rate_, codec_->rate(), band_share),
      up_(codec_->rate(), rate_, band_share),
      low_(2 * (low_mask + 1)),
      packet_(static_cast<size_t>(codec_->packet_samples())),
      gates_(packet_.size()),
      gate_step_(static_cast<float>(1 / (gate_s * codec_->rate()))) {
  // A packet is there when its last sample is known; the newest that is read must be in one.
  const double waits = codec_->packet_samples() + codec_->late() + up_.reach() + 1;
  latency_ = static_cast<Samples>(std::ceil(waits * down_.ratio())) + down_.reach() + 2;
  const size_t size = std::bit_ceil(static_cast<size_t>(2 * down_.reach() + 8));
  in_mask_ = size - 1;
  in_.resize(2 * size);
  place(0);
}

Samples TelephoneLine::tail() const noexcept {
  return latency_ + static_cast<Samples>((silent_after_s + gate_s + 0.02) * rate_);
}

void TelephoneLine::place(Samples frame) noexcept {
  codec_->reset();
  std::ranges::fill(in_, 0.0F);
  std::ranges::fill(low_, 0.0F);
  frame_ = frame;
  // From the next packet on.
  const auto packet = static_cast<long>(packet_.size());
  const double at = static_cast<double>(frame) / down_.ratio();
  next_low_ = static_cast<long>(std::ceil(at / static_cast<double>(packet))) * packet;
  down_at_ = down_.place_of(next_low_);
  up_at_ = up_.place_of(frame - latency_);
  up_at_.whole += codec_->late();
  filled_ = 0;
  silent_ = 1L << 30;
  gate_ = 0;
}

// Bursts begin by chance and last a while, by the packet's number: so a packet is lost or not
// wherever playing began.
bool TelephoneLine::lost(long packet) const noexcept {
  if (loss_ <= 0) return false;
  const double begins = -std::log1p(-loss_) / mean_burst;
  const auto chance = [](long n, int what) {
    return 0.5 + 0.5 * static_cast<double>(frame_noise(n, 100 + what));
  };
  for (long back = 0; back < longest_burst; ++back) {
    // How long a burst goes on is chance at every packet, the mean as wished for.
    const double goes_on = 1 - 1 / mean_burst;
    if (chance(packet - back, 0) < begins &&
        chance(packet - back, 1) < std::pow(goes_on, static_cast<double>(back)))
      return true;
  }
  return false;
}

void TelephoneLine::hear_low(float x) noexcept {
  const auto sample =
      static_cast<std::int16_t>(std::clamp(std::lround(x * 32768), -32768L, 32767L));
  silent_ = sample == 0 ? silent_ + 1 : 0;
  const float goal = silent_ < static_cast<long>(silent_after_s * codec_->rate()) ? 1.0F : 0.0F;
  gate_ = std::clamp(goal, gate_ - gate_step_, gate_ + gate_step_);
  gates_[filled_] = gate_;
  packet_[filled_++] = sample;
  ++next_low_;
  if (filled_ < packet_.size()) return;
  filled_ = 0;
  const long first = next_low_ - static_cast<long>(packet_.size());
  codec_->pass(packet_, lost(first / static_cast<long>(packet_.size())));
  for (size_t i = 0; i < packet_.size(); ++i) {
    const size_t at = static_cast<size_t>(first + static_cast<long>(i)) & low_mask;
    low_[at] = low_[at + low_mask + 1] = gates_[i] * static_cast<float>(packet_[i]) / 32768;
  }
}

void TelephoneLine::process(std::span<float> x) noexcept {
  for (float& v : x) {
    const size_t at = static_cast<size_t>(frame_) & in_mask_;
    in_[at] = in_[at + in_mask_ + 1] = v;
    for (; down_at_.whole + down_.reach() <= frame_; down_.go_on(down_at_)) {
      const long first = down_at_.whole - down_.reach() + 1;
      hear_low(down_.read(&in_[static_cast<size_t>(first) & in_mask_], down_at_));
    }
    const long first = up_at_.whole - up_.reach() + 1;
    v = up_.read(&low_[static_cast<size_t>(first) & low_mask], up_at_);
    up_.go_on(up_at_);
    ++frame_;
  }
}

}  // namespace drevan
