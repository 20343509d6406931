#include "measure/room_tone.h"

#include <algorithm>
#include <cmath>

#include "dsp/sums.h"

namespace drevan {

namespace {
constexpr float digital_silence = 1e-12F;
constexpr size_t least = 50;   // frames of 10 ms: half a second
constexpr size_t most = 300;   // 3 s
}  // namespace

RoomToneFlaw check_room_tone(double begin_s, double end_s, double clip_s) {
  constexpr double grace = 1e-6;
  if (begin_s < -grace || end_s > clip_s + grace || begin_s >= end_s)
    return RoomToneFlaw::outside_clip;
  if (end_s - begin_s < least_room_tone_s - grace) return RoomToneFlaw::too_short;
  return RoomToneFlaw::none;
}

RoomToneFinder::RoomToneFinder(StreamFormat format)
    : frame_(static_cast<int>(std::lround(format.rate * 0.01))), channels_(format.channels) {}

void RoomToneFinder::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(frame_ - filled_, block.frames() - done);
    for (int c = 0; c < block.channels(); ++c)
      sum_ += sum_of_squares(
          block.channel(c).subspan(static_cast<size_t>(done), static_cast<size_t>(n)));
    filled_ += n;
    done += n;
    if (filled_ < frame_) break;
    power_.push_back(static_cast<float>(sum_ / (static_cast<double>(frame_) * channels_)));
    sum_ = 0;
    filled_ = 0;
  }
}

std::optional<FrameRange> RoomToneFinder::find() const {
  if (power_.size() < least) return std::nullopt;
  double best = -1;
  size_t at = 0;
  double sum = 0;
  for (size_t end = 0; end < power_.size(); ++end) {
    sum += static_cast<double>(power_[end]);
    if (end + 1 < least) continue;
    const size_t begin = end + 1 - least;
    const double mean = sum / least;
    sum -= static_cast<double>(power_[begin]);
    if (best >= 0 && mean >= best) continue;
    const auto window = std::span(power_).subspan(begin, least);
    const auto [low, high] = std::ranges::minmax(window);
    if (low < digital_silence || static_cast<double>(high) > 10 * mean) continue;
    best = mean;
    at = begin;
  }
  if (best < 0) return std::nullopt;

  const auto fits = [&](size_t k) {
    const auto p = static_cast<double>(power_[k]);
    return p < 4 * best && p > best / 16;
  };
  size_t begin = at;
  size_t end = at + least;
  // A margin of 50 ms to the next sound keeps breaths and word ends out.
  const auto clear = [&](size_t k, bool forward) {
    for (size_t j = 0; j < 5; ++j) {
      if (forward ? k + j >= power_.size() : k < j) return true;
      if (!fits(forward ? k + j : k - j)) return false;
    }
    return true;
  };
  while (end < power_.size() && end - begin < most && clear(end, true)) ++end;
  while (begin > 0 && end - begin < most && clear(begin - 1, false)) --begin;
  const auto f = static_cast<Samples>(frame_);
  return FrameRange{static_cast<Samples>(begin) * f, static_cast<Samples>(end) * f};
}

}  // namespace drevan
