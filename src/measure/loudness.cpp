// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/loudness.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace drevan {

namespace {

constexpr double offset_db =
    -0.691;  // BS.1770: a 997 Hz sine at full scale in one channel is -3.01 LUFS
double lufs(double power) { return offset_db + 10 * std::log10(power); }
double power_of(double lufs) { return std::pow(10.0, (lufs - offset_db) / 10); }

// Means of `count` neighbours, every `hop`.
std::vector<double> windows(std::span<const double> tenths, size_t count, size_t hop) {
  std::vector<double> out;
  for (size_t at = 0; at + count <= tenths.size(); at += hop)
    out.push_back(std::accumulate(tenths.begin() + static_cast<std::ptrdiff_t>(at),
                                  tenths.begin() + static_cast<std::ptrdiff_t>(at + count), 0.0) /
                  static_cast<double>(count));
  return out;
}

// Keeps what is not below -70 LUFS, then what is not further below the rest's mean than `below_db`.
void gate(std::vector<double>& powers, double below_db) {
  const auto drop = [&](double least) {
    std::erase_if(powers, [&](double p) { return p < least; });
  };
  drop(power_of(-70));
  if (powers.empty()) return;
  const double mean =
      std::accumulate(powers.begin(), powers.end(), 0.0) / static_cast<double>(powers.size());
  drop(mean * std::pow(10.0, -below_db / 10));
}

}  // namespace

// Surrounds count 1.5 dB more.
std::vector<double> channel_weights(int channels) {
  constexpr double surround = 1.41;
  switch (channels) {
    case 4:
      return {1, 1, surround, surround};
    case 5:
      return {1, 1, 1, surround, surround};
    default:
      break;
  }
  std::vector<double> out(static_cast<size_t>(channels), 0.0);
  const double usual[] = {1, 1, 1, 0, surround, surround};
  std::copy_n(usual, std::min(out.size(), std::size(usual)), out.begin());
  return out;
}

LoudnessMeter::LoudnessMeter(StreamFormat format)
    : power_(format.rate),
      states_(static_cast<size_t>(format.channels)),
      weights_(channel_weights(format.channels)),
      tenth_frames_(static_cast<int>(std::lround(format.rate * 0.1))) {}

void LoudnessMeter::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(tenth_frames_ - filled_, block.frames() - done);
    for (size_t c = 0; c < states_.size(); ++c)
      if (weights_[c] > 0)
        sum_ +=
            weights_[c] * power_.of(block.channel(static_cast<int>(c))
                                        .subspan(static_cast<size_t>(done), static_cast<size_t>(n)),
                                    states_[c]);
    done += n;
    if ((filled_ += n) < tenth_frames_) continue;
    tenths_.push_back(sum_ / tenth_frames_);
    filled_ = 0;
    sum_ = 0;
  }
}

std::optional<double> LoudnessMeter::integrated() const {
  auto blocks = windows(tenths_, 4, 1);
  gate(blocks, 10);
  if (blocks.empty()) return std::nullopt;
  return lufs(std::accumulate(blocks.begin(), blocks.end(), 0.0) /
              static_cast<double>(blocks.size()));
}

std::optional<double> LoudnessMeter::short_term_maximum() const {
  const auto blocks = windows(tenths_, 30, 1);
  const double most = blocks.empty() ? 0 : std::ranges::max(blocks);
  return most > 1e-20 ? std::optional(lufs(most)) : std::nullopt;
}

double LoudnessMeter::range() const {
  auto blocks = windows(tenths_, 30, 10);
  gate(blocks, 20);
  if (blocks.empty()) return 0;
  std::ranges::sort(blocks);
  const auto at = [&](double share) {
    return blocks[static_cast<size_t>(static_cast<double>(blocks.size() - 1) * share + 0.5)];
  };
  return lufs(at(0.95)) - lufs(at(0.1));
}

}  // namespace drevan
