// SPDX-License-Identifier: GPL-3.0-or-later
// Smallest and largest sample over any range, quickly: what a waveform is drawn from.
#pragma once

#include <algorithm>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "audio/buffer.h"
#include "audio/progress.h"

namespace drevan {

struct PeakPair {
  float low = 0, high = 0;
};

/// A pyramid of minima and maxima over all channels together: cells of 64 frames at the bottom,
/// each level four times coarser. Some 22 MB for two hours at 48 kHz. Steps of 1/8192 up to +-4.
/// Immutable once finished; then safe to read from any thread.
class PeakPyramid {
 public:
  static constexpr Samples cell = 64;

  void hear(const AudioBlock& block);
  void finish();

  Samples frames() const { return frames_; }
  /// Over the frames [begin, end), cells touched by its edges included; an empty range gives 0, 0.
  PeakPair range(Samples begin, Samples end) const;

  /// Cache files. save() is atomic and returns false when it cannot; load() gives nullptr for a
  /// missing, foreign or damaged file.
  bool save(const std::filesystem::path& file) const;
  static std::shared_ptr<const PeakPyramid> load(const std::filesystem::path& file);

 private:
  struct Cell {
    std::int16_t low, high;
  };
  void push(float low, float high);
  void build_upper();

  std::vector<std::vector<Cell>> levels_{1};
  float low_ = 0, high_ = 0;
  int filled_ = 0;
  Samples frames_ = 0;
};

/// A sound in a few columns, for a picture that travels with its levels. What lies beyond the expected
/// length (ringing) counts to the last column.
class Outline {
 public:
  static constexpr size_t columns = 160;
  explicit Outline(Samples frames) : frames_(std::max<Samples>(frames, 1)) {}
  void hear(const AudioBlock& block);
  const std::vector<PeakPair>& cells() const { return cells_; }

 private:
  std::vector<PeakPair> cells_ = std::vector<PeakPair>(columns);
  Samples frames_, at_ = 0;
};

/// The cache folder's place for peaks: $XDG_CACHE_HOME/drevan/peaks, or ~/.cache/drevan/peaks.
std::filesystem::path peak_cache_folder();

/// Peaks of a whole source at `rate`, from the cache or built and put there. Long: call from a
/// worker. Throws Error(input), Cancelled.
std::shared_ptr<const PeakPyramid> source_peaks(const std::filesystem::path& source,
                                                std::uint64_t content_hash, double rate,
                                                const CancelToken& cancel,
                                                const Progress& progress = {});

}  // namespace drevan
