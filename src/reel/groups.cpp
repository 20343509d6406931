#include "reel/groups.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "audio/utf8.h"
#include "reel/draft.h"

namespace drevan::edits {

namespace {

int group_called(const Reel& reel, const std::string& name) {
  const auto at = std::ranges::find(reel.groups, name, &Group::name);
  return at == reel.groups.end() ? -1 : static_cast<int>(at - reel.groups.begin());
}

void require_free(const Reel& reel, const std::string& name, int but) {
  const int other = group_called(reel, name);
  if (other >= 0 && other != but)
    throw impossible(fmt::format("There is a group called {} already; choose another name.", name));
}

void drop_emptied(Reel& reel, const std::set<int>& left) {
  std::vector<int> gone;
  for (const int g : left) {
    const Group& group = reel.groups[static_cast<size_t>(g)];
    if (std::ranges::count(reel.clips, g, &Clip::group) == 0 && group.chain.steps.empty() &&
        group.note.empty())
      gone.push_back(g);
  }
  drop_groups(reel, gone);
}

// What it lent and sat out of stays behind.
void leave_group(Reel& reel, Clip& clip, int to) {
  if (clip.group == to) return;
  Group& from = reel.groups.at(static_cast<size_t>(clip.group));
  if (from.room_tone_clip == clip.id) from.room_tone_clip = 0;
  std::erase(from.sits_out, clip.id);
  for (auto& step : from.chain.steps) sit_out_of_step(step, clip.id, false);
  clip.group = to;
}

}  // namespace

Edit new_group(const Reel& reel, const std::string& name, std::span<const ClipId> clips) {
  const auto proper = proper_name(name, "A group");
  require_free(reel, proper, -1);
  Reel with = reel;
  with.groups.push_back({proper, {}});
  Edit edit = move_clips(with, clips, static_cast<int>(with.groups.size()) - 1, 0);
  edit.label = fmt::format("New group {}", proper);
  return edit;
}

Edit rename_group(const Reel& reel, int group, const std::string& name) {
  Edit edit{reel, "Rename group"};
  const auto proper = proper_name(name, "A group");
  require_free(reel, proper, group);
  group_in(edit.next, group).name = proper;
  return edit;
}

Edit set_group_note(const Reel& reel, int group, const std::string& note, GroupMark mark) {
  Edit edit{reel, "Note of group"};
  Group& of = group_in(edit.next, group);
  of.note = note;
  of.mark = mark;
  return edit;
}

Edit move_group(const Reel& reel, int group, int to) {
  Edit edit{reel, "Move group"};
  const Group moved = group_in(edit.next, group);
  auto& groups = edit.next.groups;
  std::vector<int> order;
  for (int g = 0; g <= std::ssize(groups); ++g) {
    if (g == to) order.push_back(group);
    if (g < std::ssize(groups) && g != group) order.push_back(g);
  }
  if (to < 0 || to > std::ssize(groups)) order.push_back(group);
  SharedList<Group> next;
  std::vector<int> place(groups.size());
  for (const int g : order) {
    place[static_cast<size_t>(g)] = static_cast<int>(next.size());
    next.push_back(std::as_const(groups)[static_cast<size_t>(g)]);
  }
  groups = std::move(next);
  for (auto& clip : edit.next.clips.each()) clip.group = place[static_cast<size_t>(clip.group)];
  return edit;
}

Edit remove_group(const Reel& reel, int group) {
  Edit edit{reel, "Remove group"};
  const auto name = group_in(edit.next, group).name;
  const auto count = std::ranges::count(reel.clips, group, &Clip::group);
  if (count > 0 && reel.groups.size() < 2)
    throw impossible(fmt::format("{} is the only group and has clips; they need one.", name));
  const int to = group > 0 ? group - 1 : 1;
  edit.next.clips.change_where([&](const Clip& c) { return c.group == group; },
                               [&](Clip& c) { leave_group(edit.next, c, to); });
  drop_groups(edit.next, std::vector{group});
  if (count > 0)
    edit.told = fmt::format("{} went to {}", counted(static_cast<size_t>(count), "clip"),
                            reel.groups[static_cast<size_t>(to)].name);
  return edit;
}

Edit move_clips(const Reel& reel, std::span<const ClipId> clips, int group, int before) {
  Edit edit{reel, fmt::format("Move {}", counted(clips.size(), "clip"))};
  group_in(edit.next, group);
  std::set<int> left;
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
  std::set<int> left;
  for (const ClipId id : clips) {
    require_clip(id, "is of no group");
    Clip& clip = clip_in(edit.next, id);
    const auto name = proper_name(name_of(clip), "A group");
    int group = group_called(edit.next, name);
    if (group < 0) {
      group = static_cast<int>(edit.next.groups.size());
      edit.next.groups.push_back({name, {}});
    }
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
