// SPDX-License-Identifier: GPL-3.0-or-later
// Every change of a reel, as a function from what it is to what it becomes. Nothing is changed in place.
#pragma once

#include <span>
#include <string>

#include "reel/reel.h"

/// Edits throw Error(call) with a sentence for the user when they cannot be done: the clip or step is not there
/// any more, a range is impossible. Clips are named by their ids.
namespace drevan::edits {

/// A reel after a change.
struct Edit {
  Reel next;
  std::string label;    ///< what was done: "Add Compressor"
  std::string merge{};  ///< see History::edit
  StepId step = 0;      ///< the step to look at afterwards; 0: as before
  std::string told{};   ///< for the line that tells; empty: nothing
};

// --- steps of a clip's three chains ---

Edit add_step(const Reel& reel, ClipId clip, StepPlace at, const StepType& type);
Edit remove_step(const Reel& reel, ClipId clip, StepId step);
/// `to` counts places as they are before the step is taken out of its own.
Edit move_step(const Reel& reel, ClipId clip, StepId step, StepPlace to);
Edit switch_step(const Reel& reel, ClipId clip, StepId step, bool on);
/// Turns one setting of a step; turns of the same step that follow each other are one edit.
Edit turn(const Reel& reel, ClipId clip, StepId step, int parameter, double value);
/// Sets one of a step's words or files, by its index into StepType::texts.
Edit set_text(const Reel& reel, ClipId clip, StepId step, int index, const std::string& text);
Edit set_settings(const Reel& reel, ClipId clip, StepId step, const Settings& settings,
                  const std::string& label);
/// Lets one setting of a step (or on_parameter) follow a curve, in the step's own time; empty: it
/// stands still again. Changes of one step's curves that follow each other are one edit.
Edit set_curve(const Reel& reel, ClipId clip, StepId step, int parameter,
               std::optional<Curve> curve);
/// What a step hears beside its own sound, for one of its StepType::sides; no clip that hears it in
/// turn.
Edit set_side(const Reel& reel, ClipId clip, StepId step, int side, SideChoice choice);
/// Lets the clip pass the step of its group's or the reel's chain by, or take part again.
Edit sit_out(const Reel& reel, ClipId clip, StepId step, bool out);
Edit sit_out_of_group(const Reel& reel, ClipId clip, bool out);
Edit take_part(const Reel& reel, std::span<const ClipId> clips);

// --- chains ---

Edit set_chain(const Reel& reel, ClipId clip, const Chain& chain, const std::string& label);
/// The steps of a recipe in place of those of one of the clip's chains, or behind them.
Edit use_recipe(const Reel& reel, ClipId clip, ChainOwner owner, const Recipe& recipe, bool append);
/// Gives `to` the own chain of clip `from`.
Edit copy_chain(const Reel& reel, ClipId from, std::span<const ClipId> to);

// --- clips ---

/// Whole sources, each into the group of that name.
struct NewClip {
  Source source;
  std::string group;
};
Edit add_clips(const Reel& reel, std::span<const NewClip> clips);
Edit remove_clips(const Reel& reel, std::span<const ClipId> clips);
Edit rename_clip(const Reel& reel, ClipId clip, const std::string& name);
/// Checked against the clip and kept within it; empty: it has none any more.
Edit set_room_tone(const Reel& reel, ClipId clip, std::optional<ClipRange> range);
/// The clip's room tone serves all of its group that have none of their own, or no longer.
Edit share_room_tone(const Reel& reel, ClipId clip, bool share);
Edit relink(const Reel& reel, ClipId clip, const std::filesystem::path& file);

// --- versions ---

Edit go_to_version(const Reel& reel, ClipId clip, int version);
Edit take_out_chain(const Reel& reel, ClipId clip, int version);
/// Their files stay; see drop_versions().
Edit clear_unused_versions(const Reel& reel);

// --- the reel ---

/// The working rate, 8000 to 384000 Hz: everything is played, recorded and rendered at it. Clips and
/// curves stay where they are in time.
Edit set_rate(const Reel& reel, double rate);
/// One of Drevan's own targets by id, a file, or nothing. Whether there is such a target is not looked at.
Edit set_target(const Reel& reel, const std::string& target);

}  // namespace drevan::edits
