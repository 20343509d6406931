// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/groups.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "audio/utf8.h"
#include "reel/edits/draft.h"

namespace drevan::edits {

namespace {

const Group* called(const Reel& reel, const std::string& name) {
  const auto at = std::ranges::find(reel.groups, name, &Group::name);
  return at == reel.groups.end() ? nullptr : &*at;
}

void require_free(const Reel& reel, const std::string& name, GroupId but) {
  const Group* other = called(reel, name);
  if (other && other->id != but)
    throw impossible(fmt::format("There is a group called {} already; choose another name.", name));
}

void drop_emptied(Reel& reel, const std::set<GroupId>& left) {
  std::vector<GroupId> gone;
  for (const GroupId id : left) {
    const Group& group = std::as_const(reel).at(id);
    if (std::ranges::count(reel.clips, id, &Clip::group) == 0 && group.chain.steps.empty() &&
        group.note.empty())
      gone.push_back(id);
  }
  drop_groups(reel, gone);
}

// What it lent and sat out of stays behind.
void leave_group(Reel& reel, Clip& clip, GroupId to) {
  if (clip.group == to) return;
  Group& from = reel.at(clip.group);
  if (from.room_tone_clip == clip.id) from.room_tone_clip = 0;
  std::erase(from.sits_out, clip.id);
  for (auto& step : from.chain.steps) sit_out_of_step(step, clip.id, false);
  clip.group = to;
}

}  // namespace

Edit new_group(const Reel& reel, const std::string& name, std::span<const ClipId> clips) {
  const auto proper = proper_name(name, "A group");
  require_free(reel, proper, 0);
  Reel with = reel;
  const GroupId made = group_called(with, proper);
  Edit edit = move_clips(with, clips, made, 0);
  edit.label = fmt::format("New group {}", proper);
  return edit;
}

Edit rename_group(const Reel& reel, GroupId group, const std::string& name) {
  Edit edit{reel, "Rename group"};
  const auto proper = proper_name(name, "A group");
  require_free(reel, proper, group);
  group_in(edit.next, group).name = proper;
  return edit;
}

Edit set_group_note(const Reel& reel, GroupId group, const std::string& note, GroupMark mark) {
  Edit edit{reel, "Note of group"};
  Group& of = group_in(edit.next, group);
  of.note = note;
  of.mark = mark;
  return edit;
}

Edit move_group(const Reel& reel, GroupId group, GroupId to) {
  Edit edit{reel, "Move group"};
  const Group moved = group_in(edit.next, group);
  group_in(edit.next, to);
  const auto place = std::ranges::find(reel.groups, to, &Group::id) - reel.groups.begin();
  auto& groups = edit.next.groups;
  erase_if(groups, [&](const Group& g) { return g.id == group; });
  groups.insert(groups.begin() + place, moved);
  return edit;
}

Edit remove_group(const Reel& reel, GroupId group) {
  Edit edit{reel, "Remove group"};
  const auto name = group_in(edit.next, group).name;
  const auto count = std::ranges::count(reel.clips, group, &Clip::group);
  if (count > 0 && reel.groups.size() < 2)
    throw impossible(fmt::format("{} is the only group and has clips; they need one.", name));
  if (count > 0) {
    const auto at = std::ranges::find(reel.groups, group, &Group::id);
    const Group& to = at == reel.groups.begin() ? *std::next(at) : *std::prev(at);
    edit.next.clips.change_where([&](const Clip& c) { return c.group == group; },
                                 [&](Clip& c) { leave_group(edit.next, c, to.id); });
    edit.told = fmt::format("{} went to {}", counted(static_cast<size_t>(count), "clip"), to.name);
  }
  drop_groups(edit.next, std::vector{group});
  return edit;
}

Edit move_clips(const Reel& reel, std::span<const ClipId> clips, GroupId group, ClipId before) {
  Edit edit{reel, fmt::format("Move {}", counted(clips.size(), "clip"))};
  group_in(edit.next, group);
  std::set<GroupId> left;
  for (const ClipId id : clips) {
    require_clip(id, "is of no group");
    Clip& clip = clip_in(edit.next, id);
    if (clip.group != group) left.insert(clip.group);
    leave_group(edit.next, clip, group);
  }
  const auto moves = [&](const Clip& c) {
    return std::ranges::find(clips, c.id) != clips.end() && c.id != before;
  };
  std::vector<Clip> moved;
  std::ranges::copy_if(edit.next.clips, std::back_inserter(moved), moves);
  auto& all = edit.next.clips;
  erase_if(all, moves);
  auto at = std::ranges::find(all, before, &Clip::id);
  if (before == 0 || at == all.end()) {
    at = all.end();
    while (at != all.begin() && std::prev(at)->group != group) --at;
    if (at == all.begin()) at = all.end();
  }
  all.insert(at, moved.begin(), moved.end());
  drop_emptied(edit.next, left);
  return edit;
}

Edit group_by(const Reel& reel, std::span<const ClipId> clips,
              const std::function<std::string(const Clip&)>& name_of) {
  Edit edit{reel, fmt::format("Group {}", counted(clips.size(), "clip"))};
  std::set<GroupId> left;
  for (const ClipId id : clips) {
    require_clip(id, "is of no group");
    Clip& clip = clip_in(edit.next, id);
    const auto name = proper_name(name_of(clip), "A group");
    const GroupId group = group_called(edit.next, name);
    if (clip.group != group) left.insert(clip.group);
    leave_group(edit.next, clip, group);
  }
  drop_emptied(edit.next, left);
  return edit;
}

Edit sort_clips(const Reel& reel, const std::function<bool(const Clip&, const Clip&)>& less,
                const std::string& what) {
  Edit edit{reel, fmt::format("Sort by {}", what)};
  edit.next.clips.stable_sort(less);
  return edit;
}

std::string name_beginning(const std::string& name) {
  constexpr const char* between = " -_.#(";
  size_t end = name.find_last_not_of(" )");
  end = end == std::string::npos ? 0 : end + 1;
  while (end > 0 && name[end - 1] >= '0' && name[end - 1] <= '9') --end;
  const auto last = end == 0 ? std::string::npos : name.find_last_not_of(between, end - 1);
  return last == std::string::npos ? name : name.substr(0, last + 1);
}

bool before_by_name(std::string_view a, std::string_view b) {
  const auto x = folded(a), y = folded(b);
  const auto digit = [](char c) { return c >= '0' && c <= '9'; };
  size_t i = 0, k = 0;
  while (i < x.size() && k < y.size()) {
    if (digit(x[i]) && digit(y[k])) {
      const auto number = [&](const std::string& of, size_t& at) {
        while (at < of.size() && of[at] == '0') ++at;
        const size_t from = at;
        while (at < of.size() && digit(of[at])) ++at;
        return std::string_view(of).substr(from, at - from);
      };
      const auto m = number(x, i), n = number(y, k);
      if (m.size() != n.size()) return m.size() < n.size();
      if (m != n) return m < n;
      continue;
    }
    if (x[i] != y[k]) return static_cast<unsigned char>(x[i]) < static_cast<unsigned char>(y[k]);
    ++i, ++k;
  }
  if (x.size() - i != y.size() - k) return x.size() - i < y.size() - k;
  return x.size() < y.size();  // "1" before "01"
}

}  // namespace drevan::edits
