// SPDX-License-Identifier: GPL-3.0-or-later
// What a batch did, as JSON and CSV; and measured levels as JSON.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <span>

#include "batch/mix.h"

namespace drevan {

/// The members that `drevan-cli measure` prints; what a sound does not have is null. Levels are
/// rounded to 0.01 dB.
nlohmann::ordered_json to_json(const Levels& levels);

/// What is reported on. Views: what they see must outlive it.
struct Report {
  std::span<const BatchJob> jobs;
  std::span<const JobResult> results;  ///< of the jobs, in their order
  std::optional<Target> target{};      ///< what they were judged by
  std::span<const MixFile> files{};    ///< the mix and the stems, when there are
};

nlohmann::ordered_json report_json(const Report& report);
/// Comma-separated, quoted where needed (RFC 4180), with a head line; clips first, then mix and stems.
std::string report_csv(const Report& report);

/// One page that needs nothing beside it: totals, and each clip with its waveform and levels before and
/// after drawn against the target, whether it meets it, and why not; mix and stems likewise.
std::string report_html(const Report& report);

/// By extension, .html, .json or .csv; atomic. Throws Error(call) for another one, Error(output).
void save_report(const std::filesystem::path& file, const Report& report);

/// Where a report may be written: `file`, or with a number where that is one of `sources`, or a file that is no
/// report of ours and may not be overwritten.
std::filesystem::path free_report_name(const std::filesystem::path& file,
                                       std::span<const std::filesystem::path> sources,
                                       bool overwrite);

std::string_view state_label(JobState state);

}  // namespace drevan
