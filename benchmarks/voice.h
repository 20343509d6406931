// SPDX-License-Identifier: GPL-3.0-or-later
// The voice that the benchmarks of whole chains use.
#pragma once

#include <filesystem>

#include "media/writer.h"

namespace drevan::bench {

/// A second of room alone, then prompts with pauses, all in hiss, over and over.
void write_voice(const std::filesystem::path& file, double seconds, int channels, SampleType type);

/// A mono file through a libavfilter graph, single-threaded; what leaves is dropped.
void run_graph(const std::filesystem::path& file, const char* filters);

}  // namespace drevan::bench
