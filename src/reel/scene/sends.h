// SPDX-License-Identifier: GPL-3.0-or-later
// What clips and groups feed into spaces over time, and where in them they stand.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "reel/scene/scene_edits.h"

namespace drevan {

/// Puts a send where it belongs among others, which are by space; none of its space is there.
Send& add_send(std::vector<Send>& sends, Send send);

/// What a send's level is turned within, dB.
const Parameter& send_level_parameter();
/// Of SendPlace: those of `acoustics`.
const Parameter& send_azimuth_parameter();
const Parameter& send_distance_parameter();

/// The step that a space's places are in: the first of its chain that is on, where that is
/// `acoustics`; nullptr: it has none.
const ChainStep* placing_step(const Space& space);
/// Whether the space has a placing_step() and somebody who feeds it stands at a place of their own.
bool has_own_places(const Reel& reel, const Space& space);
/// Where a send without a place of its own stands: as the space's step has it.
SendPlace common_place(const ChainStep& placing);

nlohmann::ordered_json send_to_json(const Send& send);
/// Throws Error(call).
Send send_from_json(const nlohmann::json& json, const std::string& where);

namespace edits {

/// The send's level over time, see Send::level; empty: it stands still. Draws that follow each other
/// are one edit. A send that is not there begins at off.
Edit draw_send(const Reel& reel, Feeder from, SpaceId space, std::optional<Curve> level);
/// Where the feeder stands in the space, see Send::place; empty: where all do. Drags are one edit.
/// Throws Error(call): it feeds nothing into that space, or that has no places.
Edit place_in_space(const Reel& reel, Feeder from, SpaceId space, std::optional<SendPlace> place);

}  // namespace edits
}  // namespace drevan
