// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/history_file.h"

#include <map>
#include <nlohmann/json.hpp>

#include "audio/error.h"
#include "audio/hash.h"
#include "reel/change.h"
#include "reel/files/json_file.h"
#include "reel/files/reel_json.h"
#include "reel/library/version_files.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {
constexpr size_t most = 100;
// Printed files may have been cleared since: states that need them, and what lies beyond, lead nowhere.
void cut_lost(SavedHistory& history, const fs::path& reel_file) {
  const auto folder = fs::absolute(versions_folder(reel_file)).lexically_normal();
  std::map<fs::path, bool> there;
  const auto whole = [&](const History::Entry& e) {
    return std::ranges::all_of(e.reel->sources, [&](const Source& s) {
      if (s.path.parent_path() != folder) return true;
      const auto [at, fresh] = there.try_emplace(s.path, false);
      std::error_code error;
      if (fresh) at->second = fs::exists(s.path, error);
      return at->second;
    });
  };
  auto& states = history.states;
  size_t first = history.at, end = history.at + 1;
  while (first > 0 && whole(states[first - 1])) --first;
  while (end < states.size() && whole(states[end])) ++end;
  states.resize(end);
  states.erase(states.begin(), states.begin() + static_cast<std::ptrdiff_t>(first));
  history.at -= first;
}

}  // namespace

fs::path history_file_of(const fs::path& reel_file) { return reel_file.string() + ".history"; }

void save_history(const SavedHistory& history, const fs::path& reel_file,
                  const std::string& saved) {
  const size_t first = history.at > most ? history.at - most : 0;
  const size_t end = std::min(history.states.size(), history.at + most + 1);
  std::string out =
      json{{"drevan_history", 1}, {"saved", hex_hash_of(saved)}, {"at", history.at - first}}
          .dump() +
      "\n";
  const auto folder = fs::absolute(reel_file).parent_path();
  for (size_t i = first; i < end; ++i) {
    const Reel& now = *history.states[i].reel;
    json line{{"edit", history.states[i].label}};
    if (i == first)
      line["reel"] = json(reel_to_json(now, folder));
    else
      line["patch"] = reel_patch(*history.states[i - 1].reel, now, folder);
    out += line.dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
  }
  write_text(history_file_of(reel_file), out);
}

std::optional<SavedHistory> load_history(const fs::path& reel_file) noexcept {
  try {
    const auto file = history_file_of(reel_file);
    std::error_code error;
    if (!fs::exists(file, error)) return std::nullopt;
    const std::string all = read_text(file), saved = read_text(reel_file);
    SavedHistory out;
    json state;
    bool head = true;
    for (size_t begin = 0; begin < all.size();) {
      const auto end = std::min(all.find('\n', begin), all.size());
      const auto line = parse_json(std::string_view(all).substr(begin, end - begin), file.string());
      begin = end + 1;
      if (head) {
        if (line.value("drevan_history", 0) != 1 || line.value("saved", "") != hex_hash_of(saved))
          return std::nullopt;
        out.at = line.at("at").get<size_t>();
        head = false;
        continue;
      }
      state = line.contains("reel") ? line.at("reel") : state.patch(line.at("patch"));
      Reel reel =
          reel_from_text(state.dump(), fs::absolute(reel_file).parent_path(), file.string());
      // As it was while it was worked on: an edit costs what it changed.
      if (!out.states.empty()) share(reel, *out.states.back().reel);
      out.states.push_back(
          {std::make_shared<const Reel>(std::move(reel)), line.at("edit").get<std::string>()});
    }
    if (out.at >= out.states.size()) return std::nullopt;
    cut_lost(out, reel_file);
    return out;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

}  // namespace drevan
