// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <nlohmann/json.hpp>
#include <vector>

#include "reel/files/reel_json.h"
#include "reel/files/scene_json.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

void append(json& patch, json more) {
  for (auto& one : more) patch.push_back(std::move(one));
}

// The elements of a list in a file, while it is patched: which old or new one stands where.
template <class T, class Key, class ToJson>
class ListPatch {
 public:
  ListPatch(const SharedList<T>& before, const SharedList<T>& after, std::string path, Key key,
            ToJson to_json)
      : before_(before), after_(after), path_(std::move(path)), key_(key), to_json_(to_json) {}

  json made() {
    if (before_.same(after_)) return json::array();
    arrange();
    for (size_t i = 0; i < after_.size(); ++i) {
      const size_t j = now_[i];
      if (j == fresh || after_.same(i, before_, j) || after_[i] == before_[j]) continue;
      append(patch_, json::diff(json(to_json_(before_[j])), json(to_json_(after_[i])), at(i)));
    }
    return std::move(patch_);
  }

 private:
  static constexpr size_t fresh = static_cast<size_t>(-1);

  // Takes out and adds until the keys are those of the new list in their order.
  void arrange() {
    using AnyKey = decltype(key_(before_[0]));
    std::vector<AnyKey> wanted, have;
    for (const T& t : after_) wanted.push_back(key_(t));
    for (const T& t : before_) have.push_back(key_(t));
    for (size_t i = 0; i < have.size(); ++i) now_.push_back(i);
    if (wanted == have) return;
    auto there = wanted;
    std::ranges::sort(there);
    for (size_t i = have.size(); i-- > 0;)
      if (!std::ranges::binary_search(there, have[i])) take_out(i, have);
    for (size_t i = 0; i < wanted.size(); ++i) {
      // One that has moved towards the end comes again there.
      while (i < have.size() && have[i] != wanted[i] && i + 1 < have.size() &&
             have[i + 1] == wanted[i])
        take_out(i, have);
      if (i < have.size() && have[i] == wanted[i]) continue;
      const auto later =
          std::find(have.begin() + static_cast<std::ptrdiff_t>(i), have.end(), wanted[i]);
      if (later != have.end()) take_out(static_cast<size_t>(later - have.begin()), have);
      patch_.push_back({{"op", "add"}, {"path", at(i)}, {"value", json(to_json_(after_[i]))}});
      have.insert(have.begin() + static_cast<std::ptrdiff_t>(i), wanted[i]);
      now_.insert(now_.begin() + static_cast<std::ptrdiff_t>(i), fresh);
    }
    for (size_t i = have.size(); i-- > wanted.size();) take_out(i, have);
  }
  template <class Keys>
  void take_out(size_t i, Keys& have) {
    patch_.push_back({{"op", "remove"}, {"path", at(i)}});
    have.erase(have.begin() + static_cast<std::ptrdiff_t>(i));
    now_.erase(now_.begin() + static_cast<std::ptrdiff_t>(i));
  }
  std::string at(size_t i) const { return path_ + "/" + std::to_string(i); }

  const SharedList<T>&before_, &after_;
  std::string path_;
  Key key_;
  ToJson to_json_;
  json patch_ = json::array();
  std::vector<size_t> now_;  // of each that stands there: its place in the old list, or `fresh`
};

template <class T, class Key, class ToJson>
json list_patch(const SharedList<T>& before, const SharedList<T>& after, const char* path, Key key,
                ToJson to_json) {
  return ListPatch(before, after, path, key, to_json).made();
}

// Without the lists of many: few and small.
json rest(const Reel& reel, const fs::path& folder) {
  Reel bare = reel;
  bare.sources = {};
  bare.groups = {};
  bare.clips = {};
  bare.events = {};
  bare.crossfades = {};
  return json(reel_to_json(bare, folder));
}

// A list that is not in the file at all while it is empty.
template <class T, class Key, class ToJson>
json optional_list_patch(const SharedList<T>& before, const SharedList<T>& after, const char* path,
                         Key key, ToJson to_json) {
  if (!before.empty() && !after.empty()) return list_patch(before, after, path, key, to_json);
  json patch = json::array();
  if (before.empty() && after.empty()) return patch;
  if (after.empty()) return json::array({{{"op", "remove"}, {"path", path}}});
  json all = json::array();
  for (const T& t : after) all.push_back(json(to_json(t)));
  patch.push_back({{"op", "add"}, {"path", path}, {"value", std::move(all)}});
  return patch;
}

}  // namespace

json reel_patch(const Reel& before, const Reel& after, const fs::path& folder) {
  json patch = json::diff(rest(before, folder), rest(after, folder));
  append(patch, list_patch(
                    before.sources, after.sources, "/sources", [](const Source& s) { return s.id; },
                    [&](const Source& s) { return source_to_json(s, folder); }));
  append(patch, list_patch(
                    before.groups, after.groups, "/groups", [](const Group& g) { return g.id; },
                    [&](const Group& g) { return group_to_json(g, folder); }));
  append(patch, list_patch(
                    before.clips, after.clips, "/clips", [](const Clip& c) { return c.id; },
                    [&](const Clip& c) { return clip_to_json(c, folder); }));
  append(patch, optional_list_patch(
                    before.events, after.events, "/events", [](const Event& e) { return e.id; },
                    event_to_json));
  append(patch,
         optional_list_patch(
             before.crossfades, after.crossfades, "/crossfades",
             [](const Crossfade& c) { return std::pair(c.before, c.after); }, crossfade_to_json));
  return patch;
}

}  // namespace drevan
