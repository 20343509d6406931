// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/made.h"

#include <fmt/format.h>

#include <algorithm>

#include "reel/edits/anchors.h"
#include "reel/times/clip_times.h"
#include "reel/edits/draft.h"
#include "reel/scene/scene_curves.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace {

bool of_one_group(const Reel& reel, std::span<const ClipId> clips) {
  const GroupId group = reel.find(clips.front())->group;
  return std::ranges::all_of(clips, [&](ClipId id) { return reel.find(id)->group == group; });
}

void require_several(const Reel& reel, std::span<const ClipId> clips) {
  if (clips.size() < 2)
    throw edits::impossible("Mark the clips that become one, with Ctrl and a click.");
  for (const ClipId id : clips) {
    edits::require_clip(id, "is made of all clips");
    const Clip* clip = reel.find(id);
    if (!clip) throw edits::impossible("A clip of these is not in the reel any more.");
    if (left_out(reel, *clip))
      throw edits::impossible(
          fmt::format("{} is left out; choose its take first, or leave it out here.", clip->name));
  }
}

}  // namespace

std::vector<ClipId> made_of(const Reel& reel, ClipId clip) {
  std::vector<ClipId> out;
  for (const auto& c : reel.clips)
    if (clip != 0 && c.made_into == clip) out.push_back(c.id);
  return out;
}

std::vector<Send> sends_of_one(const Reel& reel, std::span<const ClipId> clips, ReelTime begin) {
  const bool one_group = of_one_group(reel, clips);
  // What is drawn counts from each clip's beginning; those of a group come to their one clip anyway.
  const auto sent = [&](ClipId id) {
    const Clip& clip = *reel.find(id);
    auto sends = one_group ? clip.sends : sends_of(reel, clip);
    for (Send& send : sends) shift_send(send, (clip.place - begin).s);
    return std::pair(sends, one_group ? clip.direct : heard_direct(reel, clip));
  };
  const auto first = sent(clips.front());
  for (const ClipId id : clips)
    if (sent(id) != first)
      throw edits::impossible(
          fmt::format("{} and {} do not feed the same spaces alike, so one clip cannot stand for "
                      "both. Send them alike first, or write the marked clips to a file.",
                      reel.find(clips.front())->name, reel.find(id)->name));
  return first.first;
}

MakeOne to_make_one(const Reel& reel, std::span<const ClipId> clips) {
  for (const ClipId id : clips)
    if (!reel.find(id)) throw edits::impossible("A clip of these is not in the reel any more.");
  sends_of_one(reel, clips, ReelTime{0});
  return {{clips.begin(), clips.end()},
          of_one_group(reel, clips) ? ChainOwner::clip : ChainOwner::group};
}

namespace edits {

Edit make_one(const Reel& reel, std::span<const ClipId> clips, const Source& sound,
              ReelTime begin) {
  require_several(reel, clips);
  Edit edit{reel, {}};
  const Clip& first = *reel.find(clips.front());
  const std::string group =
      of_one_group(reel, clips) ? reel.group_of(first).name : std::string("Made of several");
  const ClipId id = add_clip(edit.next, sound, group);
  Clip& one = clip_in(edit.next, id);
  one.name = fmt::format("{} and {} more", first.name, clips.size() - 1);
  one.place = clamp(begin, ReelTime{0}, latest_place);
  one.sends = sends_of_one(reel, clips, one.place);
  one.direct = of_one_group(reel, clips) ? first.direct : heard_direct(reel, first);
  for (const ClipId part : clips) clip_in(edit.next, part).made_into = id;
  edit.label = fmt::format("Make one clip of {}", clips.size());
  return edit;
}

Edit make_again(const Reel& reel, ClipId clip, const Source& sound) {
  if (made_of(reel, clip).empty()) throw impossible("That clip was not made of others.");
  Draft d(reel, clip);
  d.clip.source = put_source(d.edit.next, sound);
  d.clip.begin = 0;
  d.clip.frames = sound.frames;
  return d.done(fmt::format("Make {} again", d.clip.name));
}

Edit take_apart(const Reel& reel, ClipId clip) {
  const auto parts = made_of(reel, clip);
  if (parts.empty()) throw impossible("That clip was not made of others.");
  Edit edit{reel, fmt::format("Take {} apart", reel.find(clip)->name)};
  for (const ClipId part : parts) clip_in(edit.next, part).made_into = 0;
  const ClipId gone[] = {clip};
  drevan::remove_clips(edit.next, gone);
  return edit;
}

Edit stretch_together(const Reel& reel, std::span<const SoundingClip> clips, double factor) {
  if (clips.empty()) throw impossible("Mark the clips to be stretched first.");
  ReelTime first = latest_place;
  std::string merge = "lengths of";
  for (const auto& c : clips) {
    require_clip(c.clip, "is stretched by stretching its clips");
    const Clip* clip = reel.find(c.clip);
    if (!clip) throw impossible("A clip of these is not in the reel any more.");
    first = std::min(first, clip->place);
    merge += fmt::format(" {}", c.clip);
  }
  Edit edit{reel, {}};
  for (const auto& c : clips) {
    const auto way = stretch_way(*edit.next.find(c.clip)).value_or(StretchWay::pitch);
    const bool bound = !anchors_of(edit.next, *edit.next.find(c.clip)).empty();
    edit.next = bound ? stretch_bound(edit.next, c.clip, factor).next
                      : stretch_to(edit.next, c.clip, c.length * factor, way).next;
    Clip& clip = clip_in(edit.next, c.clip);
    clip.place = std::min(latest_place, first + (clip.place - first) * factor);
  }
  edit.label = fmt::format("Stretch {} to {:.0f} %", counted(clips.size(), "clip"), 100 * factor);
  edit.merge = merge;
  return edit;
}

}  // namespace edits
}  // namespace drevan
