// SPDX-License-Identifier: GPL-3.0-or-later
// Some of a reel's clips, as one sound.
#pragma once

#include "batch/mix.h"

namespace drevan {

/// Several clips as one 32-bit float file (see to_make_one()): what a clip made of them is.
/// `file` must not be there. Throws as render_part(), to_make_one(); Error(output) where there is
/// such a file.
RenderedPart render_one(const Reel& reel, std::span<const ClipId> clips,
                        const std::filesystem::path& file, FindingStore& store,
                        const CancelToken& cancel, const Progress& progress = {});

/// Some clips as they are heard in the mix, alone: through their chains, the spaces they feed and
/// the mix chain, from the beginning of the first to the end of the last ringing. The file's
/// broadcast-wave time reference is where it stands in the reel. Throws as render_mix().
MixFile render_selection(const Reel& reel, std::span<const ClipId> clips,
                         const std::filesystem::path& file, Container container, SampleType samples,
                         FindingStore& store, const CancelToken& cancel,
                         const Progress& progress = {});

}  // namespace drevan
