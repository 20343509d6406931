// What a batch did, as JSON and CSV; and measured levels as JSON.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <span>

#include "batch/batch.h"

namespace drevan {

/// The members that `drevan-cli measure` prints; what a sound does not have is null. Levels are
/// rounded to 0.01 dB.
nlohmann::ordered_json to_json(const Levels& levels);

nlohmann::ordered_json report_json(std::span<const BatchJob> jobs,
                                   std::span<const JobResult> results);
/// Comma-separated, quoted where needed (RFC 4180), with a head line.
std::string report_csv(std::span<const BatchJob> jobs, std::span<const JobResult> results);

/// By extension, .json or .csv; atomic. Throws Error(call) for another one, Error(output).
void save_report(const std::filesystem::path& file, std::span<const BatchJob> jobs,
                 std::span<const JobResult> results);

std::string_view state_label(JobState state);

}  // namespace drevan
