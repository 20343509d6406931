// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/takes.h"

#include <fmt/format.h>

#include <algorithm>

#include "reel/edits/draft.h"

namespace drevan {

namespace {

bool is_other_chosen(const Clip& clip, const Clip& other) {
  return other.id != clip.id && other.line == clip.line && other.chosen;
}

}  // namespace

std::vector<ClipId> takes_of(const Reel& reel, const Clip& clip) {
  if (clip.line == 0) return {};  // as nearly all are
  std::vector<ClipId> out;
  for (const auto& c : reel.clips)
    if (c.line == clip.line) out.push_back(c.id);
  return out.size() > 1 ? out : std::vector<ClipId>{};
}

bool left_out(const Reel& reel, const Clip& clip) {
  // Where the other one is gone, none is lost.
  if (clip.made_into != 0 && reel.find(clip.made_into)) return true;
  return clip.line != 0 && !clip.chosen &&
         std::ranges::any_of(reel.clips, [&](const Clip& c) { return is_other_chosen(clip, c); });
}

LeftOut::LeftOut(const Reel& reel) {
  bool made = false;
  for (const Clip& c : reel.clips) {
    if (c.line != 0 && c.chosen) lines_.insert(c.line);
    made = made || c.made_into != 0;
  }
  if (made)
    for (const Clip& c : reel.clips) ids_.insert(c.id);
}

bool LeftOut::operator()(const Clip& clip) const {
  if (clip.made_into != 0 && ids_.contains(clip.made_into)) return true;
  return clip.line != 0 && !clip.chosen && lines_.contains(clip.line);
}

std::vector<ClipId> rendered_clips(const Reel& reel) {
  std::vector<ClipId> out;
  const LeftOut left_out(reel);
  for (const auto& c : reel.clips)
    if (!left_out(c)) out.push_back(c.id);
  return out;
}

namespace edits {

Edit make_takes(const Reel& reel, std::span<const ClipId> clips) {
  if (clips.size() < 2)
    throw impossible("Mark the clips that are takes of one line, with Ctrl and a click.");
  Edit edit{reel, fmt::format("Takes of one line: {}", counted(clips.size(), "clip"))};
  int line = 0;
  for (const auto& c : reel.clips) line = std::max(line, c.line);
  ++line;
  for (const ClipId id : clips) {
    require_clip(id, "is made of all clips");
    Clip& clip = clip_in(edit.next, id);
    clip.line = line;
    clip.chosen = id == clips.front();
  }
  return edit;
}

Edit choose_take(const Reel& reel, ClipId clip) {
  require_clip(clip, "is made of all clips");
  Draft d(reel, clip);
  if (takes_of(reel, d.clip).empty())
    throw impossible(
        fmt::format("{} is no take; mark it with the others of its line first.", d.clip.name));
  const int line = d.clip.line;
  d.edit.next.clips.change_where([&](const Clip& c) { return c.line == line; },
                                 [&](Clip& c) { c.chosen = c.id == clip; });
  return d.done(fmt::format("Choose {}", d.clip.name));
}

Edit part_takes(const Reel& reel, std::span<const ClipId> clips) {
  Edit edit{reel, "No takes any more"};
  for (const ClipId id : clips) {
    Clip& clip = clip_in(edit.next, id);
    clip.line = 0;
    clip.chosen = true;
  }
  return edit;
}

}  // namespace edits
}  // namespace drevan
