// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/levels.h"

#include <array>
#include <cmath>
#include <numeric>
#include <vector>

#include "audio/decibel.h"
#include "dsp/sums.h"
#include "dsp/true_peak.h"
#include "measure/loudness.h"
#include "measure/noise_floor.h"

namespace drevan {

std::optional<double> loudness_of(const Levels& levels) {
  return levels.loudness_lufs ? levels.loudness_lufs : levels.rms_dbfs;
}

std::optional<double> louder_by(const Levels& before, const Levels& after) {
  const auto from = loudness_of(before), to = loudness_of(after);
  return from && to ? std::optional(*to - *from) : std::nullopt;
}

namespace {
constexpr float clip_level = 32767.0F / 32768.0F;

// Blocks that cannot hold the true peak are not oversampled, which most of speech is. A block after a gap is
// led in by the samples before it; those belong to a skipped block, so the jump at their start cannot pass
// for a peak either.
class TruePeakMeter {
 public:
  explicit TruePeakMeter(StreamFormat f)
      : detector_(f.channels), before_(f.channels, lead), scratch_(f.channels, lead) {}

  // `largest`: the largest sample of the block.
  void hear(const AudioBlock& block, double largest) {
    const bool quiet = largest * TruePeakDetector::overshoot() < peak_;
    // The first quiet block lets out what lies between the last samples before it.
    if (!quiet || !gap_) {
      if (gap_) {
        detector_.reset();
        scratch_.block().copy_from(before_.block());
        run(scratch_.block());
      }
      run(block);
    }
    gap_ = quiet;
    keep_end(block);
  }
  // With what lies between the last samples and the silence behind them.
  double peak() const {
    TruePeakMeter whole = *this;
    if (gap_) return peak_;
    whole.scratch_.block().clear();
    whole.run(whole.scratch_.block());
    return whole.peak_;
  }

 private:
  static constexpr int lead = 64;  // frames; the interpolator reaches back 28

  void run(const AudioBlock& block) {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, static_cast<int>(peaks_.size()));
      const auto found = std::span(peaks_).first(static_cast<size_t>(n));
      detector_.process(block.part(done, n), found, static_cast<float>(peak_));
      peak_ = std::max(peak_, static_cast<double>(*std::ranges::max_element(found)));
      done += n;
    }
  }
  void keep_end(const AudioBlock& block) {
    const int n = std::min(lead, block.frames());
    for (int c = 0; c < before_.channels(); ++c) {
      const auto to = before_.channel(c);
      std::shift_left(to.begin(), to.end(), n);
      std::copy_n(block.channel(c).end() - n, n, to.end() - n);
    }
  }

  TruePeakDetector detector_;
  AudioBuffer before_;
  AudioBuffer scratch_;
  std::array<float, 512> peaks_{};
  double peak_ = 0;
  bool gap_ = true;
};
}  // namespace

struct LevelMeter::Impl {
  Impl(StreamFormat f, Detail d, Samples own)
      : format(f), detail(d), own_frames(own), loudness(f), floor(f) {
    if (d != Detail::quick) true_peak.emplace(f);
  }
  int tenth() const { return static_cast<int>(std::lround(format.rate * 0.1)); }

  void add(const AudioBlock& block) {
    float block_peak = 0;
    for (int c = 0; c < block.channels(); ++c)
      block_peak = std::max(block_peak, take_peak(block.channel(c)));
    frames += block.frames();
    word_peak = std::max(word_peak, block_peak);
    if (true_peak) true_peak->hear(block, static_cast<double>(block_peak));
    until_tenth += block.frames();
    if (until_tenth < tenth()) return;
    until_tenth = 0;
    if (++word_tenths == 4) {
      ++words[static_cast<size_t>(std::clamp(-std::lround(to_db(static_cast<double>(word_peak))),
                                             0L, static_cast<long>(words.size()) - 1))];
      word_peak = 0;
      word_tenths = 0;
    }
  }

  // The largest magnitude of a channel's next samples.
  float take_peak(std::span<const float> in) {
    const float most = largest_magnitude(in);
    if (most >= clip_level)
      clipped += std::ranges::count_if(in, [](float x) { return std::abs(x) >= clip_level; });
    if (most > peak) {
      peak = most;
      const auto at = std::ranges::find_if(in, [&](float x) { return std::abs(x) == most; });
      peak_at = frames + (at - in.begin());
    }
    return most;
  }

  // The level that `share` of the words above `least_db` stay below.
  std::optional<double> word_level(double share, double least_db) const {
    const auto last =
        static_cast<size_t>(std::clamp(-least_db, 0.0, static_cast<double>(words.size())));
    const long all =
        std::accumulate(words.begin(), words.begin() + static_cast<std::ptrdiff_t>(last), 0L);
    if (all < 5) return std::nullopt;
    long above = 0;
    for (size_t k = 0; k < last; ++k)
      if ((above += words[k]) > static_cast<long>((1 - share) * static_cast<double>(all)))
        return -static_cast<double>(k);
    return -static_cast<double>(last);
  }

  StreamFormat format;
  Detail detail;
  Samples own_frames;
  LoudnessMeter loudness;
  std::optional<TruePeakMeter> true_peak;
  NoiseFloorMeter floor;
  int until_tenth = 0;
  std::array<long, 100> words{};  // by the peak of 0.4 s, -k dB
  float word_peak = 0;
  int word_tenths = 0;
  float peak = 0;
  Samples peak_at = 0;
  double sum_squares = 0;
  Samples clipped = 0;
  Samples frames = 0;
};

LevelMeter::LevelMeter(StreamFormat format, Detail detail, Samples own_frames)
    : impl_(std::make_unique<Impl>(format, detail, own_frames)) {}
LevelMeter::~LevelMeter() = default;
LevelMeter::LevelMeter(LevelMeter&&) noexcept = default;
LevelMeter& LevelMeter::operator=(LevelMeter&&) noexcept = default;

void LevelMeter::hear(const AudioBlock& block) {
  Impl& m = *impl_;
  for (int c = 0; c < block.channels(); ++c) m.sum_squares += sum_of_squares(block.channel(c));
  if (const Samples left = m.own_frames - m.frames; left > 0)
    m.floor.hear(block.part(0, static_cast<int>(std::min<Samples>(left, block.frames()))));
  m.loudness.hear(block);
  // Words are looked for in tenths of a second.
  for (int done = 0; done < block.frames();) {
    const int n = std::min(m.tenth() - m.until_tenth, block.frames() - done);
    m.add(block.part(done, n));
    done += n;
  }
}

Levels LevelMeter::levels() const {
  const Impl& m = *impl_;
  Levels out;
  out.frames = m.frames;
  out.clipped_samples = m.clipped;
  if (m.peak > 0) out.sample_peak_dbfs = to_db(static_cast<double>(m.peak));
  if (m.sum_squares > 0)
    out.rms_dbfs = power_to_db(m.sum_squares / (static_cast<double>(m.frames) * m.format.channels));
  out.noise_floor_dbfs = m.floor.floor_dbfs();
  out.peak_at = m.peak_at;
  const double least = std::max(out.noise_floor_dbfs.value_or(-80) + 20, -80.0);
  out.quiet_words_dbfs = m.word_level(0.2, least);
  out.loud_words_dbfs = m.word_level(0.9, least);
  if (m.frames == 0) return out;
  out.loudness_lufs = m.loudness.integrated();
  // No true peak lies below the largest sample.
  if (m.true_peak && m.peak > 0)
    out.true_peak_dbtp = to_db(std::max(m.true_peak->peak(), static_cast<double>(m.peak)));
  if (m.detail != Detail::full) return out;
  if (out.loudness_lufs) out.loudness_range_lu = m.loudness.range();
  out.short_term_max_lufs = m.loudness.short_term_maximum();
  return out;
}

FrameRange LevelMeter::quietest() const { return impl_->floor.where(); }

}  // namespace drevan
