// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/estimate.h"

#include <algorithm>

#include "audio/error.h"
#include "engine/planning/plan.h"

namespace drevan {

namespace {

constexpr double flac_share = 0.6;  // of plain samples; common practice, no source

std::uint64_t bytes_of(OutputFormat format, double frames, int channels) {
  const double each = format.samples == SampleType::int16   ? 2
                      : format.samples == SampleType::int24 ? 3
                                                            : 4;
  return static_cast<std::uint64_t>(frames * channels * each *
                                    (format.container == Container::flac ? flac_share : 1));
}

}  // namespace

BatchEstimate estimate_batch(const Reel& reel, std::span<const ClipId> clip_ids,
                             const BatchOptions& options) {
  BatchEstimate all;
  double end_s = 0;
  Planner planner(reel);
  for (const ClipId id : clip_ids) {
    const Clip* clip = reel.find(id);
    if (!clip) continue;
    const Source& source = reel.source_of(*clip);
    const double seconds = clip_seconds(reel, *clip);
    ClipPlan plan;
    try {
      plan = planner.plan(*clip);
    } catch (const Error&) {
      continue;  // clips that hear each other in a ring: the batch tells
    }
    const SoundShape shape{reel.rate, source.channels, static_cast<Samples>(seconds * reel.rate)};
    const SoundShape out = stages_of(plan, shape).back().shape;
    ++all.clips;
    all.seconds += seconds;
    all.work += seconds * static_cast<double>(plan.steps.size() + 1);
    const auto frames = static_cast<double>(out.frames);
    all.bytes += bytes_of({options.container, options.samples}, frames, out.channels);
    for (const auto& also : options.also) all.bytes += bytes_of(also, frames, out.channels);
    end_s = std::max(end_s, clip->place.s + static_cast<double>(out.frames) / out.rate);
  }
  all.mix_bytes = bytes_of({options.container, options.samples}, end_s * reel.rate, 2);
  return all;
}

std::optional<std::uint64_t> free_space(const std::filesystem::path& folder) {
  std::error_code error;
  auto at = std::filesystem::absolute(folder, error);
  while (!at.empty() && !std::filesystem::exists(at, error) && at != at.parent_path())
    at = at.parent_path();
  const auto space = std::filesystem::space(at, error);
  if (error) return std::nullopt;
  return space.available;
}

}  // namespace drevan
