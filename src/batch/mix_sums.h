// SPDX-License-Identifier: GPL-3.0-or-later
// What render_mix() is made of: sums of sounds as files, and what goes through spaces on the way.
#pragma once

#include <atomic>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "batch/mix.h"
#include "engine/scene/mix_run.h"
#include "engine/rendering/process.h"
#include "measure/levels.h"
#include "media/writer.h"

namespace drevan {

/// A 32-bit float file as a sound, at the reel's beginning. Throws Error(input).
PlacedSound sound_of(const std::filesystem::path& file, double rate);
/// Whether a part takes anything of these.
bool has_part(std::span<const PlacedSound> placed, const Part& part);

/// What is summed and written: the mix, a stem, or what enters a space.
struct MixBus {
  MixFile file;
  Part part{};
  std::unique_ptr<AudioWriter> writer{};
  std::unique_ptr<LevelMeter> meter{};  ///< where its file is what is delivered
  AudioBuffer sum{};
};
/// One that writes 32-bit float as long as all of `run`. Throws Error(output).
MixBus float_bus(const std::filesystem::path& file, const MixRun& run, double rate);
/// Sums all into the buses, from the reel's beginning to its end; none is committed. Throws
/// Error(input), Error(output), Cancelled.
void write_sums(MixRun& run, std::vector<MixBus>& buses, const std::atomic<bool>* pause,
                const CancelToken& cancel, const Progress& progress);
/// What one part of the sounds sums to, as a file.
void write_sum(MixRun& run, const Part& part, const std::filesystem::path& file, double rate,
               const std::atomic<bool>* pause, const CancelToken& cancel, const Progress& progress);

/// A part of a whole progress.
Progress part_of(const Progress& whole, double from, double to);
/// A file that holds what enters a bus, and its chain.
ClipPlan bus_file_plan(const Reel& reel, const std::filesystem::path& sum, const Chain& chain);

/// What rendering on the way to a sum needs.
struct OnTheWay {
  const Reel& reel;
  std::filesystem::path folder;
  const std::atomic<bool>* pause;
  FindingStore& store;
  const CancelToken& cancel;
};

/// What enters a space: all that is fed into it, each as loud as it is fed. Of one whose level is
/// drawn a file is made in way.folder.
std::vector<PlacedSound> fed_into(SpaceId space, std::span<const PlacedSound> placed,
                                  const OnTheWay& way);
/// What leaves every space that is fed, behind `placed`; several at a time.
void add_spaces(std::vector<PlacedSound>& placed, const OnTheWay& way,
                std::vector<std::string>& warnings, const Progress& progress);

}  // namespace drevan
