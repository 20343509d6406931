// SPDX-License-Identifier: GPL-3.0-or-later
// What the Scene adds to a reel, as JSON. Reading throws Error(call).
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

#include "reel/reel.h"

namespace drevan {

/// Films, events, spaces, how it is recorded and the reference. `folder`: what paths are stored relative to.
void scene_to_json(nlohmann::ordered_json& out, const Reel& reel,
                   const std::filesystem::path& folder);
/// An element of "crossfades", of "events".
nlohmann::ordered_json crossfade_to_json(const Crossfade& crossfade);
nlohmann::ordered_json event_to_json(const Event& event);
void scene_from_json(const nlohmann::json& json, Reel& reel, const std::filesystem::path& folder,
                     const std::string& where);

/// "sends" and "direct" of a clip or a group.
void feeds_to_json(nlohmann::ordered_json& out, const std::vector<Send>& sends, bool direct);
void feeds_from_json(const nlohmann::json& json, std::vector<Send>& sends, bool& direct,
                     const std::string& where);
/// Throws where something is sent to a space that is not there.
void check_sends(const Reel& reel, const std::string& where);

std::string_view group_kind_name(GroupKind kind);
/// Of the "kind" in a group.
GroupKind group_kind_from_json(const nlohmann::json& json, const std::string& where);

/// A path as it stands in a reel's file: relative where it lies on the same tree, so that a moved
/// folder is found again; bytes that are no UTF-8 stand beside it.
void path_to_json(nlohmann::ordered_json& out, const std::filesystem::path& path,
                  const std::filesystem::path& folder);
/// From the "path" of an object. What was moved next to the reel is taken from there.
std::filesystem::path path_from_json(const nlohmann::json& json,
                                     const std::filesystem::path& folder, const std::string& where);
/// A list of objects, or an empty one where it is not there.
const nlohmann::json& objects_in(const nlohmann::json& json, const char* key,
                                 const std::string& where);

}  // namespace drevan
