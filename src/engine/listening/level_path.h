// SPDX-License-Identifier: GPL-3.0-or-later
// What each step of a chain does to peak, loudness and noise floor.
#pragma once

#include <optional>
#include <vector>

#include "engine/rendering/process.h"
#include "measure/levels.h"
#include "media/peaks.h"

namespace drevan {

/// Everything the Bench shows of a clip and its chain. Stage 0 is the clip as recorded, stage i
/// what leaves the i-th step that is on.
struct LevelPath {
  std::vector<std::uint64_t> keys;  ///< of the stages, see stage_keys()
  std::vector<Levels> stages;
  std::vector<Findings> findings;  ///< of the steps that are on
  std::vector<Stage> sounds;       ///< shape and clock of each stage
  SharedSound rewritten;           ///< see Processed
  size_t rewritten_stage = 0;
  std::vector<StepSides> sides;              ///< see Processed
  std::shared_ptr<const PeakPyramid> after;  ///< waveform of the last stage
  double fitted_gain = 1;                    ///< by which before is most like after, see FittedGain
  /// How much louder the two sides of the last stage are summed to mono than if they were unlike
  /// each other, dB: 3 where they are alike, far below 0 where they cancel. Empty: it is not
  /// stereo.
  std::optional<double> mono_sum_db{};
  size_t first_over = 0;  ///< the first stage that passes 0 dBFS; 0: none does
  std::vector<float> spectrum_in, spectrum_out;  ///< around `focus`, see SpectrumMeter
};

/// Measured stages by key, so that only what changed is measured again. Thread-safe.
class LevelStore {
 public:
  std::optional<Levels> get(std::uint64_t key) const;
  void put(std::uint64_t key, const Levels& levels);

 private:
  mutable std::mutex mutex_;
  std::map<std::uint64_t, Levels> levels_;
};

struct LevelPathOptions {
  FindingStore* store = nullptr;        ///< required
  LevelStore* levels = nullptr;         ///< required
  StageStore* cache = nullptr;          ///< optional
  const CancelToken* cancel = nullptr;  ///< required
  Progress progress;
  /// Index among the steps that are on whose spectra before and after are wanted.
  std::optional<size_t> focus{};
  /// Whether the true peak of what leaves the chain is wanted.
  bool true_peak = false;
};

/// Measures every stage of a clip. Under half a second for a change late in the chain of a
/// one-minute clip. Throws as process_clip() does.
LevelPath measure_level_path(const ClipPlan& plan, const LevelPathOptions& options);

/// What leaves the chain alone, for lists of many clips: known levels are looked up. `reuse_stage` is the
/// stage after which changes are expected (of the steps that are on): `options.cache` keeps its sound.
/// Throws as process_clip() does.
Levels measure_result(const ClipPlan& plan, size_t reuse_stage, const LevelPathOptions& options);

}  // namespace drevan
