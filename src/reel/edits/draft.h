// SPDX-License-Identifier: GPL-3.0-or-later
// What edits are made with: a reel that is being changed. For the edits alone.
#pragma once

#include <string>
#include <string_view>

#include "audio/error.h"
#include "reel/edits/edits.h"

namespace drevan::edits {

/// An edit that cannot be made, and why, in a sentence.
Error impossible(const std::string& why);
/// "1 clip", "3 clips".
std::string counted(size_t n, std::string_view what);
/// ASCII letters in lower case.
std::string lower(std::string_view text);
/// Without spaces at either end. Throws Error(call) when nothing is left ("`what` needs a name."),
/// or when it is longer than most_name_bytes.
std::string proper_name(std::string_view name, std::string_view what);
inline constexpr size_t most_name_bytes = 200;

/// Throws Error(call) when it is not there any more.
Clip& clip_in(Reel& reel, ClipId id);
const Clip& clip_in(const Reel& reel, ClipId id);
Group& group_in(Reel& reel, GroupId group);
/// Throws Error(call) of what a bus does not have: "The mix `what`."
void require_clip(ClipId clip, const char* what);

/// A reel that is being changed, with the clip that it is about.
struct Draft {
  Reel before;
  Edit edit;
  Clip& clip;
  Draft(const Reel& reel, ClipId clip_id)
      : before(reel), edit{reel, {}}, clip(clip_in(edit.next, clip_id)) {}
  Edit done(std::string label);
  std::vector<ChainStep>& steps(ChainOwner owner) { return chain_of(edit.next, clip, owner).steps; }
  Group& group() { return edit.next.at(clip.group); }
  StepPlace place(StepId id) const;
  ChainStep& step(StepId id);
};

}  // namespace drevan::edits
