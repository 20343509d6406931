// SPDX-License-Identifier: GPL-3.0-or-later
// The time that sound takes.
#pragma once

#include <algorithm>
#include <array>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fractional_delay.h"
#include "dsp/room.h"

namespace drevan {

/// How long a moving source's sound is under way: what is heard now left it a while ago, where it
/// was then, so that its pitch changes (Doppler). Distances are told once a block. One channel.
/// Real-time safe but for construction.
class SoundWay {
 public:
  /// `most_m`: the longest way.
  SoundWay(double rate, int block, double most_m)
      : most_m_(most_m),
        frames_per_m_(rate / sound_m_s),
        block_(block),
        ways_m_(static_cast<size_t>(most_m * frames_per_m_ / block) + 4),
        line_(most_m * frames_per_m_ + 2 * FractionalDelay::least) {}
  /// Frames that are added to the time of the way.
  static constexpr Samples latency() { return static_cast<Samples>(FractionalDelay::least); }
  /// `way(n)`: where the source was n blocks before the next one begins.
  template <class Way>
  void reset(Way way) noexcept {
    for (size_t k = 0; k < ways_m_.size(); ++k)
      ways_m_[(at_ + ways_m_.size() - k) % ways_m_.size()] = std::min(way(k), most_m_);
    line_.reset();
    heard_m_ = goal_m_ = way_that_arrives();
    step_m_ = 0;
  }
  /// Where the source will be at the end of the block that begins.
  void begin(double way_m) noexcept {
    at_ = (at_ + 1) % ways_m_.size();
    ways_m_[at_] = std::min(way_m, most_m_);
    heard_m_ = goal_m_;
    goal_m_ = way_that_arrives();
    step_m_ = (goal_m_ - heard_m_) / block_;
  }
  /// Within that block.
  void process(std::span<float> x) noexcept {
    for (size_t done = 0; done < x.size();) {
      const size_t n = std::min(FractionalDelay::most_run, x.size() - done);
      std::array<double, FractionalDelay::most_run> delays;  // NOLINT
      for (size_t i = 0; i < n; ++i) {
        heard_m_ += step_m_;
        delays[i] = FractionalDelay::least + heard_m_ * frames_per_m_;
      }
      line_.write(x.subspan(done, n));
      line_.read(std::span<const double>(delays).first(n), x.subspan(done, n));
      done += n;
    }
  }

 private:
  // The way that took as long as it is: t = s + way(s) / c, where the way is straight between
  // blocks.
  double way_that_arrives() const noexcept {
    const double blocks_per_m = frames_per_m_ / block_;
    double before = ways_m_[at_];
    for (size_t k = 1; k < ways_m_.size(); ++k) {
      const double way = ways_m_[(at_ + ways_m_.size() - k) % ways_m_.size()];
      const auto left_at = static_cast<double>(k);
      if (way * blocks_per_m <= left_at) {
        const double grows = way - before;  // per block further back
        const double blocks =
            (before - (left_at - 1) * grows) * blocks_per_m / (1 - grows * blocks_per_m);
        return blocks / blocks_per_m;
      }
      before = way;
    }
    return before;
  }

  double most_m_, frames_per_m_;
  int block_;
  std::vector<double> ways_m_;
  FractionalDelay line_;
  size_t at_ = 0;
  double heard_m_ = 1, goal_m_ = 1, step_m_ = 0;
};

}  // namespace drevan
