// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of a reel as they stand in its file. Paths are stored relative to `folder`.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "reel/reel.h"

namespace drevan {

/// What reel_to_text() gives as text.
nlohmann::ordered_json reel_to_json(const Reel& reel, const std::filesystem::path& folder);

/// An element of "sources", of "groups", of "clips".
nlohmann::ordered_json source_to_json(const Source& source, const std::filesystem::path& folder);
nlohmann::ordered_json group_to_json(const Group& group, const std::filesystem::path& folder);
nlohmann::ordered_json clip_to_json(const Clip& clip, const std::filesystem::path& folder);

/// A JSON Patch (RFC 6902) that makes of one reel's text the other's. Of lists of many only the
/// elements that differ are looked at.
nlohmann::json reel_patch(const Reel& before, const Reel& after,
                          const std::filesystem::path& folder);

}  // namespace drevan
