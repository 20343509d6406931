// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/noise_floor.h"

#include <cmath>
#include <numeric>

#include "audio/decibel.h"
#include "dsp/sums.h"

namespace drevan {

namespace {
constexpr double digital_silence = 1e-12;  // -120 dBFS
}

NoiseFloorMeter::NoiseFloorMeter(StreamFormat format)
    : block_frames_(static_cast<int>(std::lround(format.rate * 0.05))),
      channels_(format.channels) {}

void NoiseFloorMeter::hear(const AudioBlock& block) noexcept {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(block_frames_ - filled_, block.frames() - done);
    for (int c = 0; c < block.channels(); ++c) {
      sum_ += sum_of_squares(
          block.channel(c).subspan(static_cast<size_t>(done), static_cast<size_t>(n)));
    }
    filled_ += n;
    done += n;
    heard_ += n;
    if (filled_ == block_frames_) finish_block();
  }
}

void NoiseFloorMeter::finish_block() noexcept {
  const double power = sum_ / (static_cast<double>(block_frames_) * channels_);
  sum_ = 0;
  filled_ = 0;
  if (!(power >= digital_silence)) {
    blocks_ = 0;
    return;
  }
  powers_[static_cast<size_t>(blocks_ % 10)] = power;
  if (++blocks_ < 10) return;
  const double mean = std::accumulate(powers_.begin(), powers_.end(), 0.0) / 10;
  if (best_ < 0 || mean < best_) {
    best_ = mean;
    best_end_ = heard_;
  }
}

std::optional<double> NoiseFloorMeter::floor_dbfs() const {
  if (best_ >= 0) return power_to_db(best_);
  if (heard_ == 0 || heard_ >= block_frames_ * 10) return std::nullopt;
  double total = sum_;
  const long kept = std::min<long>(blocks_, 10);
  for (long b = 0; b < kept; ++b)
    total += powers_[static_cast<size_t>(b)] * static_cast<double>(block_frames_) * channels_;
  const double power = total / (static_cast<double>(heard_) * channels_);
  if (power < digital_silence) return std::nullopt;
  return power_to_db(power);
}

FrameRange NoiseFloorMeter::where() const {
  if (best_ < 0) return {};
  return {best_end_ - block_frames_ * 10, best_end_};
}

}  // namespace drevan
