// SPDX-License-Identifier: GPL-3.0-or-later
// What a delivery asks for, and whether a sound meets it.
#pragma once

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "measure/levels.h"

namespace drevan {

/// Limits of one measured value; an empty side is free.
struct Limits {
  std::optional<double> least, most;
  bool free() const { return !least && !most; }
  friend bool operator==(const Limits&, const Limits&) = default;
};

/// A plain value. Levels are in dB as Levels has them.
struct Target {
  std::string id, label;
  Limits loudness_lufs{}, true_peak_dbtp{}, sample_peak_dbfs{}, rms_dbfs{}, noise_floor_dbfs{};
  friend bool operator==(const Target&, const Target&) = default;
};

/// Drevan's own: podcast, podcast-mono, broadcast-r128, broadcast-a85, audiobook, cinema-dialogue,
/// peak-3.
std::span<const Target> targets();

/// One of Drevan's own by id, or one's own by file (JSON, see docs/formats.md). Throws Error(call),
/// naming what there is, and Error(input) when a file cannot be read.
Target find_target(const std::string& name_or_file);
Target target_from_text(const std::string& text, const std::string& where);

/// The highest peak it allows, dB; empty: any.
std::optional<double> peak_limit(const Target& target);

/// One limit that is not met.
struct Miss {
  std::string_view measure;     ///< "loudness"
  std::optional<double> value;  ///< empty: the sound has none
  Limits wanted;
  std::string_view unit;  ///< "LUFS"
  bool too_high = false;  ///< else too low, or not there
};

/// What `levels` (Detail::full) misses; empty: it meets the target. Values are judged as they are
/// printed, rounded to a tenth.
std::vector<Miss> misses(const Target& target, const Levels& levels);

/// How a sound stands to a target, in a word.
enum class Verdict { right, low, hot, noisy };
/// By what `misses` said: too loud comes before too quiet, noise last.
Verdict verdict(std::span<const Miss> misses);
std::string_view verdict_text(Verdict v);

/// "loudness -14.9 LUFS, wanted -17.0 to -15.0"
std::string miss_text(const Miss& miss);

}  // namespace drevan
