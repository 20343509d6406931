// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/room_tone.h"

#include <algorithm>
#include <cmath>

#include "dsp/sums.h"

namespace drevan {

namespace {

constexpr float silence_power = 1e-12F;
constexpr size_t least = 50;  // frames of 10 ms: half a second
constexpr size_t most = 300;  // 3 s
constexpr size_t smooth_frames = 5;
constexpr double most_over = 3.2;  // 5 dB
constexpr double click_over = 64;  // power: 18 dB
constexpr double far_over = 32;    // 15 dB

}  // namespace

RoomToneFlaw check_room_tone(double begin_s, double end_s, double clip_s) {
  constexpr double grace = 1e-6;
  if (begin_s < -grace || end_s > clip_s + grace || begin_s >= end_s)
    return RoomToneFlaw::outside_clip;
  if (end_s - begin_s < least_room_tone_s - grace) return RoomToneFlaw::too_short;
  return RoomToneFlaw::none;
}

std::string_view flaw_text(RoomToneFlaw flaw) {
  switch (flaw) {
    case RoomToneFlaw::none:
      return "is good";
    case RoomToneFlaw::too_short:
      return "is shorter than half a second";
    case RoomToneFlaw::outside_clip:
      return "does not lie within the clip";
    case RoomToneFlaw::digital_silence:
      return "holds digital silence, which is no room";
    case RoomToneFlaw::click:
      return "holds a click";
    case RoomToneFlaw::speech:
      return "holds speech or a breath";
  }
  return "";
}

RoomEar::RoomEar(StreamFormat format)
    : frame_(static_cast<int>(std::lround(format.rate * 0.01))), channels_(format.channels) {
  mid_[0].set(design_biquad(BiquadKind::high_pass, 200, butterworth_q(2, 0), 0, format.rate));
  mid_[1].set(design_biquad(BiquadKind::low_pass, 5000, butterworth_q(2, 0), 0, format.rate));
  low_.set(design_biquad(BiquadKind::low_pass, 800, butterworth_q(2, 0), 0, format.rate));
  high_[0].set(design_biquad(BiquadKind::high_pass, 2500, butterworth_q(2, 0), 0, format.rate));
  high_[1].set(design_biquad(BiquadKind::low_pass, 9000, butterworth_q(2, 0), 0, format.rate));
}

void RoomEar::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(frame_ - filled_, block.frames() - done);
    const AudioBlock part = block.part(done, n);
    for (int c = 0; c < part.channels(); ++c) sum_ += sum_of_squares(part.channel(c));
    for (size_t i = 0; i < static_cast<size_t>(n); ++i) {
      double x = 0;
      for (int c = 0; c < part.channels(); ++c) x += static_cast<double>(part.channel(c)[i]);
      x /= channels_;
      const double high = high_[1].process(high_[0].process(x));
      sum_high_ += high * high;
      x = mid_[0].process(x);
      const double low = low_.process(x);
      sum_low_ += low * low;
      x = mid_[1].process(x);
      sum_mid_ += x * x;
      peak_mid_ = std::max(peak_mid_, static_cast<float>(std::abs(x)));
    }
    filled_ += n;
    done += n;
    if (filled_ < frame_) break;
    frames_.push_back({static_cast<float>(sum_ / (static_cast<double>(frame_) * channels_)),
                       static_cast<float>(sum_mid_ / frame_), peak_mid_,
                       static_cast<float>(sum_low_ / frame_),
                       static_cast<float>(sum_high_ / frame_)});
    sum_ = sum_mid_ = sum_low_ = sum_high_ = 0;
    peak_mid_ = 0;
    filled_ = 0;
  }
}

double RoomToneFinder::mid_power(size_t begin, size_t end) const {
  double sum = 0;
  for (size_t k = begin; k < end; ++k) sum += static_cast<double>(ear_.frames()[k].power_mid);
  return sum / static_cast<double>(std::max<size_t>(1, end - begin));
}

// Of at least `smooth_frames`.
RoomToneFlaw RoomToneFinder::flaw(std::span<const Frame> part) const {
  std::vector<float> levels;
  float sum = 0;
  for (size_t k = 0; k < part.size(); ++k) {
    if (part[k].power < silence_power) return RoomToneFlaw::digital_silence;
    sum += part[k].power_mid;
    if (k >= smooth_frames) sum -= part[k - smooth_frames].power_mid;
    if (k + 1 >= smooth_frames) levels.push_back(std::max(sum, 0.0F) / smooth_frames);
  }
  const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
  std::ranges::nth_element(levels, middle);
  const auto median = static_cast<double>(*middle) + 1e-15;
  for (const Frame& f : part)
    if (static_cast<double>(f.peak_mid) * static_cast<double>(f.peak_mid) > click_over * median) {
      // A word, too, is louder than that; a click is gone at once.
      const auto at = static_cast<size_t>(&f - part.data());
      const bool lasts =
          at + 4 < part.size() && static_cast<double>(part[at + 4].power_mid) > most_over * median;
      return lasts ? RoomToneFlaw::speech : RoomToneFlaw::click;
    }
  const auto [low, high] = std::ranges::minmax(levels);
  if (static_cast<double>(high) > most_over * median ||
      static_cast<double>(low) * most_over * 2 < median)
    return RoomToneFlaw::speech;
  return RoomToneFlaw::none;
}

std::optional<FrameRange> RoomToneFinder::find() const {
  const auto& frames = ear_.frames();
  if (frames.size() < least) return std::nullopt;
  double best = -1;
  size_t at = 0;
  double sum = 0;
  for (size_t end = 0; end < frames.size(); ++end) {
    sum += static_cast<double>(frames[end].power_mid);
    if (end + 1 < least) continue;
    const size_t begin = end + 1 - least;
    const double mean = sum / least;
    sum -= static_cast<double>(frames[begin].power_mid);
    if (best >= 0 && mean >= best) continue;
    if (flaw(std::span(frames).subspan(begin, least)) != RoomToneFlaw::none) continue;
    best = mean;
    at = begin;
  }
  if (best < 0) return std::nullopt;

  // A margin of 50 ms to the next sound keeps breaths and word ends out.
  const auto clear = [&](size_t from, size_t to) {
    const double p = mid_power(from, to);
    if (p > 2 * best || p < best / 4) return false;
    return std::ranges::none_of(std::span(frames).subspan(from, to - from), [&](const Frame& f) {
      return static_cast<double>(f.peak_mid) * static_cast<double>(f.peak_mid) >
                 click_over * best ||
             f.power < silence_power;
    });
  };
  size_t begin = at, end = at + least;
  while (end < frames.size() && end - begin < most &&
         clear(end, std::min(frames.size(), end + smooth_frames)))
    ++end;
  while (begin > 0 && end - begin < most &&
         clear(begin < smooth_frames ? 0 : begin - smooth_frames, begin))
    --begin;
  const auto f = static_cast<Samples>(ear_.frame_length());
  return FrameRange{static_cast<Samples>(begin) * f, static_cast<Samples>(end) * f};
}

RoomToneFlaw RoomToneFinder::judge(FrameRange range) const {
  const auto& frames = ear_.frames();
  const int frame = ear_.frame_length();
  const auto begin = static_cast<size_t>(std::max<Samples>(0, range.begin) / frame);
  const auto end = std::min(frames.size(), static_cast<size_t>(range.end / frame));
  if (end < begin + smooth_frames) return RoomToneFlaw::too_short;
  const RoomToneFlaw heard = flaw(std::span(frames).subspan(begin, end - begin));
  if (heard != RoomToneFlaw::none) return heard;
  if (const auto quiet = find()) {
    const auto f = static_cast<size_t>(frame);
    const double floor =
        mid_power(static_cast<size_t>(quiet->begin) / f, static_cast<size_t>(quiet->end) / f);
    if (mid_power(begin, end) > far_over * floor) return RoomToneFlaw::speech;
  }
  return RoomToneFlaw::none;
}

}  // namespace drevan
