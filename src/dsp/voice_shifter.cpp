// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/voice_shifter.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>
#include <utility>

#include "audio/decibel.h"
#include "dsp/low_pass.h"
#include "dsp/piece_reader.h"

namespace drevan {

namespace {

constexpr int grid = 64;  // frames from one pair of ratios to the next
constexpr double unvoiced_s = 0.005;
constexpr double longest_s = 0.036;  // half a piece
constexpr double slowest_s = 0.04;   // from piece to piece: 25 Hz
constexpr double latency_s = 0.2;
// What counts as low, and half the length of the filter that parts it.
constexpr double low_hz = 1200, low_half_s = 0.0015;

}  // namespace

VoiceShifter::VoiceShifter(double rate, int channels, int copies)
    : rate_(rate),
      channels_(channels),
      latency_(static_cast<Samples>(std::lround(latency_s * rate))),
      decimator_(rate),
      pitch_(rate / decimator_.factor()),
      low_(low_mask + 1),
      bursts_(low_mask + 1),
      periods_(period_mask + 1),
      marks_(mark_mask + 1) {
  const size_t size = std::bit_ceil(static_cast<size_t>(0.5 * rate) + 512);
  ring_mask_ = size - 1;
  for (int c = 0; c < channels; ++c) {
    in_.emplace_back(2 * size);
    low_in_.emplace_back(2 * size);
  }
  power_.resize(size);
  for (int k = 0; k < copies; ++k) {
    Copy& copy = copies_.emplace_back();
    copy.sum.assign(static_cast<size_t>(channels), std::vector<float>(size));
    copy.ratios.resize(size / grid);
  }
  low_taps_ = low_pass_taps(low_hz / rate, static_cast<int>(low_half_s * rate));
  low_late_ = static_cast<double>(low_taps_.size() / 2);
  window_.resize(static_cast<size_t>(2 * longest_s * rate) + 8);
  read_.resize(window_.size());
  prepare_pieces();
  reset();
}

void VoiceShifter::reset() noexcept {
  for (auto* rings : {&in_, &low_in_})
    for (auto& r : *rings) std::ranges::fill(r, 0.0F);
  std::ranges::fill(power_, 0.0F);
  std::ranges::fill(bursts_, 0.0F);
  last_ = 0;
  std::ranges::fill(low_, 0.0F);
  std::ranges::fill(periods_, 0.0);
  decimator_.reset();
  pitch_.reset();
  low_count_ = period_count_ = 0;
  frame_ = 0;
  mark_count_ = 0;
  mark_low_ = 0;
  mark_voiced_ = false;
  add_mark(0, false);
  for (Copy& copy : copies_) {
    for (auto& r : copy.sum) std::ranges::fill(r, 0.0F);
    std::ranges::fill(copy.ratios, copy.now);
    copy.piece = Piece{.at = mark(0).at, .mark = 0, .left = unvoiced_s * rate_};
  }
  pitch_in_ = pitch_out_ = 0;
}

void VoiceShifter::set(double pitch, double formants, int copy) noexcept {
  copies_[static_cast<size_t>(copy)].now = {std::clamp(pitch, 0.25, 4.0),
                                            std::clamp(formants, 0.5, 4.0)};
}

double VoiceShifter::frame_of(double low_at) const noexcept {
  const int f = decimator_.factor();
  return (low_at + 1) * f - 1 - decimator_.late();
}

void VoiceShifter::mute(bool muted, int copy) noexcept {
  copies_[static_cast<size_t>(copy)].muted = muted;
}

VoiceShifter::Ratios VoiceShifter::Copy::ratios_at(double frame) const noexcept {
  const auto i = static_cast<long>(std::floor(std::max(0.0, frame) / grid));
  return ratios[static_cast<size_t>(i) & (ratios.size() - 1)];
}

// In low samples; 0: no voice, or not known.
double VoiceShifter::period_at(double low_at) const noexcept {
  const auto i = static_cast<long>(std::lround(low_at / pitch_.hop()));
  if (i < 0 || i >= period_count_ || period_count_ - i > static_cast<long>(period_mask)) return 0;
  return periods_[static_cast<size_t>(i) & period_mask];
}

void VoiceShifter::process(const AudioBlock& block) noexcept {
  process(block, std::span(&block, 1));
}

void VoiceShifter::process(const AudioBlock& in, std::span<const AudioBlock> out) noexcept {
  for (size_t i = 0; i < static_cast<size_t>(in.frames()); ++i) {
    const size_t at = static_cast<size_t>(frame_) & ring_mask_;
    hear(in, i, at);
    const Samples leaving = frame_ - latency_;
    for (size_t k = 0; k < copies_.size(); ++k)
      for (int c = 0; c < channels_; ++c) {
        float& sum =
            copies_[k].sum[static_cast<size_t>(c)][static_cast<size_t>(leaving) & ring_mask_];
        out[k].channel(c)[i] = leaving < 0 ? 0.0F : sum;
        sum = 0;
      }
    ++frame_;
  }
  const double heard =
      (static_cast<double>(frame_ - latency_) + decimator_.late()) / decimator_.factor() - 1;
  const double period = period_at(heard) * decimator_.factor();
  pitch_in_ = period > 0 ? rate_ / period : 0;
  pitch_out_ = pitch_in_ * copies_[0].ratios_at(static_cast<double>(frame_ - latency_)).pitch;
}

void VoiceShifter::hear(const AudioBlock& in, size_t i, size_t at) noexcept {
  float mono = 0;
  for (int c = 0; c < channels_; ++c) {
    auto& ring = in_[static_cast<size_t>(c)];
    const float x = in.channel(c)[i];
    ring[at] = ring[at + ring_mask_ + 1] = x;
    mono += x;
    // The newest taps lie in one piece.
    auto& low_ring = low_in_[static_cast<size_t>(c)];
    const size_t first = (at + ring_mask_ + 2 - low_taps_.size()) & ring_mask_;
    low_ring[at] = low_ring[at + ring_mask_ + 1] = sum_of_taps(ring.data() + first, low_taps_);
  }
  if (frame_ % grid == 0)
    for (Copy& copy : copies_)
      copy.ratios[static_cast<size_t>(frame_ / grid) & (copy.ratios.size() - 1)] = copy.now;
  const float edge = mono - std::exchange(last_, mono);
  power_[at] = edge * edge;
  float low = 0;
  if (decimator_.process(mono, low)) hear_low(low);
}

void VoiceShifter::hear_low(float x) noexcept {
  float burst = 0;
  const Samples middle = frame_ - decimator_.late();
  for (int k = 0; k < decimator_.factor(); ++k)
    burst += power_[static_cast<size_t>(middle - decimator_.factor() / 2 + k) & ring_mask_];
  bursts_[static_cast<size_t>(low_count_) & low_mask] = burst;
  low_[static_cast<size_t>(low_count_++) & low_mask] = x;
  if (!pitch_.process(x)) return;
  // Known for the middle of a window that lies so far back; frames before the first are silence.
  const double at = static_cast<double>(low_count_ - pitch_.late());
  const auto i = static_cast<long>(std::lround(at / pitch_.hop()));
  while (period_count_ <= i)
    periods_[static_cast<size_t>(period_count_++) & period_mask] = pitch_.period();
  find_marks();
  for (Copy& copy : copies_) set_down(copy);
}

// How much farther the sound is most like itself, about a period on (in low samples).
double VoiceShifter::next_period(double from, double period) const noexcept {
  const auto half = static_cast<long>(std::ceil(0.6 * period));
  const auto middle = std::lround(from);
  const auto spread = std::max(2L, static_cast<long>(std::ceil(0.18 * period)));
  const auto alike = [&](long lag) {
    double ab = 0, bb = 1e-9;
    for (long k = -half; k <= half; ++k) {
      const auto a = static_cast<double>(low(middle + k)),
                 b = static_cast<double>(low(middle + lag + k));
      ab += a * b;
      bb += b * b;
    }
    return ab / std::sqrt(bb);
  };
  const auto about = std::lround(period);
  double best = -1e30;
  long lag = about;
  for (long l = std::max(2L, about - spread); l <= about + spread; ++l) {
    // What is as like, but nearer to what was expected, is taken.
    const double off = static_cast<double>(l - about) / static_cast<double>(spread);
    const double v = alike(l) * (1 - 0.05 * off * off);
    if (v > best) best = v, lag = l;
  }
  const double a = alike(lag - 1), b = alike(lag), c = alike(lag + 1), bend = a - 2 * b + c;
  const double part = bend < 0 ? std::clamp(0.5 * (a - c) / bend, -1.0, 1.0) : 0;
  return static_cast<double>(lag) + part;
}

// The moment about which most of the power lies that is not low: where the glottis closes.
double VoiceShifter::loudest_near(double from, double to) const noexcept {
  const auto width = std::max(1L, std::lround(0.0006 * rate_ / decimator_.factor()));
  double best = -1, at = from;
  for (auto i = static_cast<long>(std::ceil(from)); i <= static_cast<long>(to); ++i) {
    double power = 0;
    for (long k = -width; k <= width; ++k)
      power += static_cast<double>(burst(i + k)) * static_cast<double>(width + 1 - std::abs(k));
    if (power > best) best = power, at = static_cast<double>(i);
  }
  return at;
}

void VoiceShifter::add_mark(double low_at, bool voiced) noexcept {
  mark_low_ = low_at;
  mark_voiced_ = voiced;
  marks_[static_cast<size_t>(mark_count_++) & mark_mask] = {frame_of(low_at), voiced};
}

// As far as pitch is known.
void VoiceShifter::find_marks() noexcept {
  const double grain = unvoiced_s * rate_ / decimator_.factor();
  const double longest = rate_ / decimator_.factor() / VoicePitch::least_hz;
  while (mark_low_ + longest < static_cast<double>((period_count_ - 1) * pitch_.hop())) {
    const double here = period_at(mark_low_);
    if (mark_voiced_ && here > 0) {
      double way = next_period(mark_low_, here);
      // Slowly drawn to the loudest moment of the period, so that pieces are cut between these.
      const double next = mark_low_ + way;
      const double loud = loudest_near(next - here / 2, next + here / 2);
      way += std::clamp(0.3 * (loud - next), -0.05 * here, 0.05 * here);
      if (period_at(mark_low_ + way) > 0) {
        add_mark(mark_low_ + way, true);
        continue;
      }
    }
    const double there = period_at(mark_low_ + grain);
    if (there > 0)
      add_mark(loudest_near(mark_low_ + 0.4 * grain, mark_low_ + 0.4 * grain + there), true);
    else
      add_mark(mark_low_ + grain, false);
  }
}

// Sets pieces down as far as marks are known.
void VoiceShifter::set_down(Copy& copy) noexcept {
  const double slowest = slowest_s * rate_;
  while (copy.piece.mark + 1 < mark_count_ && copy.piece.at + slowest < mark(mark_count_ - 1).at) {
    const Piece now = copy.piece;
    const Mark& next = mark(now.mark + 1);
    Piece then{.at = next.at, .mark = now.mark + 1};
    if (now.voiced && next.voiced) {
      const double way = (next.at - mark(now.mark).at) / copy.ratios_at(now.at).pitch;
      then.at = now.at + std::clamp(way, 8.0, slowest);
      // Cut round the mark that is nearest.
      then.mark = std::max(0L, now.mark - 8);
      while (then.mark + 1 < mark_count_ && mark(then.mark + 1).at <= then.at) ++then.mark;
      if (then.mark + 1 < mark_count_ &&
          mark(then.mark + 1).at - then.at < then.at - mark(then.mark).at)
        ++then.mark;
      // Where the voice ends what follows stands where it stood.
      if (!mark(then.mark).voiced) {
        while (!mark(then.mark).voiced && mark(then.mark).at > now.at) --then.mark;
        do ++then.mark;
        while (mark(then.mark).at <= now.at + 8);
        then.at = mark(then.mark).at;
      } else if (std::abs(then.at - mark(then.mark).at) < 1e-3) {
        then.at = mark(then.mark).at;
      }
    } else {
      // A mark that lies behind what was set down already is left out.
      while (then.mark + 1 < mark_count_ && mark(then.mark).at <= now.at + 8) ++then.mark;
      then.at = mark(then.mark).at;
    }
    if (then.at <= now.at) return;
    then.left = then.at - now.at;
    then.voiced = mark(then.mark).voiced;
    then.before_voiced = now.voiced;
    if (!copy.muted) write(copy, now, then.left, then.voiced);
    copy.piece = then;
  }
}

void VoiceShifter::write(Copy& copy, const Piece& piece, double right, bool next_voiced) noexcept {
  const Ratios r = copy.ratios_at(piece.at);
  const double cut = mark(piece.mark).at, longest = longest_s * rate_;
  double left = piece.left;
  if (piece.voiced) {
    // A piece reaches to the periods before and behind it; read faster, it is as much shorter.
    const long m = piece.mark;
    if (piece.before_voiced && m > 0) left = (cut - mark(m - 1).at) / r.formants;
    if (next_voiced) right = (mark(m + 1).at - cut) / r.formants;
  }
  left = std::min(left, longest);
  right = std::min(right, longest);
  const auto first = static_cast<Samples>(std::ceil(piece.at - left));
  const auto last = static_cast<Samples>(std::floor(piece.at + right));
  const auto n = static_cast<size_t>(
      std::clamp<Samples>(last - first + 1, 0, static_cast<Samples>(window_.size())));
  for (size_t i = 0; i < n; ++i) {
    const double off = static_cast<double>(first) + static_cast<double>(i) - piece.at;
    const double share = off < 0 ? off / left : off / right;
    window_[i] = static_cast<float>(0.5 + 0.5 * std::cos(std::numbers::pi * share));
  }
  // Pieces that lie over each other are not wholly alike: some of their power is lost.
  const double gain = piece.voiced
                          ? std::sqrt(r.formants / r.pitch) *
                                from_db(0.25 * std::min(12 * std::abs(std::log2(r.pitch)), 5.0))
                          : 1;
  // What is low is of the two periods it lies between, which go over into each other; above, where
  // they do not fit to the sample, it is of the nearer one.
  const Patch patch{piece.at, first, n, r.formants};
  add(copy, in_, cut, patch, gain);
  if (!piece.voiced || r.pitch == 1) return;
  const long other = piece.mark + (piece.at > cut ? 1 : -1);
  if (other < 0 || !mark(other).voiced) return;
  const double share = std::clamp((piece.at - cut) / (mark(other).at - cut), 0.0, 0.5);
  if (share == 0) return;
  add(copy, low_in_, cut + low_late_, patch, -gain * share);
  add(copy, low_in_, mark(other).at + low_late_, patch, gain * share);
}

// The sound round `cut`, under the window, set down round the patch's place.
void VoiceShifter::add(Copy& copy, const Rings& rings, double cut, const Patch& patch,
                       double gain) noexcept {
  double from = cut + (static_cast<double>(patch.first) - patch.at) * patch.pace;
  if (std::abs(from - std::round(from)) < 1e-6) from = std::round(from);
  const auto base = static_cast<Samples>(std::floor(from)) - 128;
  const double place = from - static_cast<double>(base);
  const auto scale = static_cast<float>(gain);
  const Samples oldest = frame_ - latency_;
  const auto skip = static_cast<size_t>(
      std::clamp<Samples>(oldest - patch.first, 0, static_cast<Samples>(patch.frames)));
  for (size_t c = 0; c < rings.size(); ++c) {
    // The sound stands in the ring twice: a piece always lies in one.
    const float* x = rings[c].data() + (static_cast<size_t>(base) & ring_mask_);
    read_piece(x, place, patch.pace, std::span(read_).first(patch.frames));
    for (size_t i = skip; i < patch.frames; ++i)
      copy.sum[c][static_cast<size_t>(patch.first + static_cast<Samples>(i)) & ring_mask_] +=
          scale * window_[i] * read_[i];
  }
}

}  // namespace drevan
