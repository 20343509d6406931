// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/library.h"

#include <fmt/format.h>
#include <zip.h>

#include <algorithm>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

// A file name for a recipe's name; `number` from 2 on makes another of it.
std::string file_name(const std::string& name, int number = 1) {
  std::string out = file_name_of(name, "recipe", 120);
  for (char& c : out)
    if (std::string_view("*?\"<>|").find(c) != std::string_view::npos) c = '-';
  out.erase(0, std::min(out.find_first_not_of(". "), out.size()));
  if (out.empty()) out = "recipe";
  return number < 2 ? out + ".recipe" : fmt::format("{} ({}).recipe", out, number);
}

// All .recipe files below a folder, sorted.
std::vector<fs::path> recipe_files(const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code error;
  for (auto it = fs::recursive_directory_iterator(
           folder, fs::directory_options::skip_permission_denied, error);
       !error && it != fs::recursive_directory_iterator(); it.increment(error))
    if (it->path().extension() == ".recipe" && it->is_regular_file(error))
      out.push_back(it->path());
  std::ranges::sort(out);
  return out;
}

std::string setting_text(const ChainStep& s, size_t p) {
  return value_text(s.type->parameters[p], s.settings[p]);
}

// Steps of one kind are matched in order: the second compressor of the one with that of the other.
std::vector<std::pair<const ChainStep*, const ChainStep*>> paired(const Chain& then,
                                                                  const Chain& now) {
  std::vector<std::pair<const ChainStep*, const ChainStep*>> out;
  std::vector<bool> taken(now.steps.size());
  for (const auto& a : then.steps) {
    const ChainStep* b = nullptr;
    for (size_t i = 0; i < now.steps.size() && !b; ++i)
      if (!taken[i] && now.steps[i].type == a.type) taken[i] = true, b = &now.steps[i];
    out.emplace_back(&a, b);
  }
  for (size_t i = 0; i < now.steps.size(); ++i)
    if (!taken[i]) out.emplace_back(nullptr, &now.steps[i]);
  return out;
}

using Zip = std::unique_ptr<zip_t, decltype([](zip_t* z) { zip_discard(z); })>;

constexpr zip_int64_t most_entries = 1000;
constexpr zip_uint64_t most_bytes = 1000000, most_bytes_in_all = 20000000,
                       most_bytes_of_files = 200000000;
constexpr std::string_view files_folder = "files/";

struct ZipContents {
  std::vector<std::pair<std::string, std::string>> texts;  // of recipes: place, text
  std::map<std::string, std::string> files;                // that they need
};

// One entry whole; empty: it is damaged.
std::optional<std::string> unpacked(zip_t* zip, zip_uint64_t index, zip_uint64_t size) {
  auto* in = zip_fopen_index(zip, index, 0);
  std::string text(in ? size : 0, '\0');
  const auto read = in ? zip_fread(in, text.data(), text.size()) : -1;
  if (in) zip_fclose(in);
  if (read < 0 || static_cast<zip_uint64_t>(read) != size) return std::nullopt;
  return text;
}

// Every recipe in a zip, and what they need. What is left out, and why, goes into `problems`.
ZipContents zip_contents(const fs::path& file, std::vector<std::string>& problems,
                         const CancelToken* cancel) {
  ZipContents out;
  int code = 0;
  const Zip zip(zip_open(file.c_str(), ZIP_RDONLY, &code));
  if (!zip) {
    problems.push_back(fmt::format("{} is no zip that can be read.", file.string()));
    return out;
  }
  const zip_int64_t entries = zip_get_num_entries(zip.get(), 0);
  if (entries > most_entries)
    problems.push_back(
        fmt::format("{} holds {} entries; the first {} are looked at. Unpack it and "
                    "import the folder.",
                    file.string(), entries, most_entries));
  zip_uint64_t in_all = 0, of_files = 0;
  for (zip_int64_t i = 0; i < std::min(entries, most_entries); ++i) {
    if (cancel) cancel->check();
    zip_stat_t stat;
    if (zip_stat_index(zip.get(), static_cast<zip_uint64_t>(i), 0, &stat) != 0 || !stat.name)
      continue;
    const std::string name = stat.name;
    const bool needed = name.starts_with(files_folder) && name.size() > files_folder.size();
    if (!needed && !name.ends_with(".recipe")) continue;
    const auto place = fmt::format("{} in {}", to_utf8(name), file.filename().string());
    if (!needed && stat.size > most_bytes) {
      problems.push_back(
          fmt::format("{}: it unpacks to {:.1f} MB; a recipe has at most {} MB, so "
                      "it is left out.",
                      place, static_cast<double>(stat.size) / 1e6, most_bytes / 1000000));
      continue;
    }
    auto& sum = needed ? of_files : in_all;
    const auto most = needed ? most_bytes_of_files : most_bytes_in_all;
    if (stat.size > most || (sum += stat.size) > most) {
      problems.push_back(
          fmt::format("{} unpacks to more than {} MB; what comes after {} is left "
                      "out. Unpack it and import the folder.",
                      file.string(), most / 1000000, to_utf8(name)));
      break;
    }
    auto text = unpacked(zip.get(), static_cast<zip_uint64_t>(i), stat.size);
    if (!text)
      problems.push_back(fmt::format("{}: it is damaged in the zip; get the zip again.", place));
    else if (needed)
      out.files[name] = std::move(*text);
    else
      out.texts.emplace_back(place, std::move(*text));
  }
  return out;
}

std::uint64_t hash_of(std::string_view bytes) {
  return Hasher().bytes(bytes.data(), bytes.size()).value();
}

Incoming held_against(const std::string& text, const std::string& from,
                      std::span<const LibraryEntry> library) {
  Incoming in;
  in.from = from;
  try {
    in.recipe = recipe_from_text(text, from);
  } catch (const Error& e) {
    in.state = Incoming::State::unreadable;
    in.problem = e.what();
    return in;
  }
  if (in.recipe.name.empty()) in.recipe.name = fs::path(from).stem().string();
  const auto same_name = std::ranges::find_if(
      library, [&](const LibraryEntry& e) { return e.recipe.name == in.recipe.name; });
  if (same_name == library.end()) return in;
  in.existing = same_name->file;
  // Files that come with it would lie beside the one that is there.
  Recipe beside = in.recipe;
  resolve_files(beside.chain,
                in.existing.empty() ? fs::path() : fs::absolute(in.existing).parent_path());
  in.differences = recipe_differences(same_name->recipe, beside);
  in.state = same_name->recipe == beside ? Incoming::State::same : Incoming::State::differs;
  return in;
}

}  // namespace

std::vector<LibraryEntry> read_library(const fs::path& folder, std::vector<std::string>* problems) {
  std::vector<LibraryEntry> out;
  for (const auto& r : own_recipes()) out.push_back({r});
  for (const auto& file : recipe_files(folder)) {
    try {
      out.push_back({load_recipe(file), file});
      if (out.back().recipe.name.empty()) out.back().recipe.name = file.stem().string();
    } catch (const Error& e) {
      if (problems) problems->emplace_back(e.what());
    }
  }
  // One of the user's own under the name of one of Drevan's takes its place.
  std::erase_if(out, [&, all = out](const LibraryEntry& e) {
    return e.own() && std::ranges::any_of(all, [&](const LibraryEntry& o) {
             return !o.own() && o.recipe.name == e.recipe.name;
           });
  });
  std::ranges::stable_sort(out, {}, [](const LibraryEntry& e) { return folded(e.recipe.name); });
  return out;
}

bool matches(const Recipe& recipe, std::string_view query) {
  std::string all = folded(recipe.name) + " " + folded(recipe.note);
  for (const auto& tag : recipe.tags) all += " " + folded(tag);
  for (const auto& s : recipe.chain.steps) all += " " + folded(s.type->label);
  const std::string words = folded(query);
  for (size_t at = 0; at < words.size();) {
    const auto end = std::min(words.find(' ', at), words.size());
    if (end > at && all.find(words.substr(at, end - at)) == std::string::npos) return false;
    at = end + 1;
  }
  return true;
}

std::vector<std::string> recipe_differences(const Recipe& then, const Recipe& now) {
  std::vector<std::string> out;
  bool same_steps = then.chain.steps.size() == now.chain.steps.size();
  for (const auto& [a, b] : paired(then.chain, now.chain)) {
    if (!a || !b) {
      same_steps = false;
      out.push_back(fmt::format("{} is {}", (a ? a : b)->type->label, a ? "gone" : "new"));
      continue;
    }
    if (a->on != b->on)
      out.push_back(fmt::format("{} is {} now", a->type->label, b->on ? "on" : "off"));
    for (size_t p = 0; p < a->settings.values.size(); ++p)
      if (a->settings[p] != b->settings[p])
        out.push_back(fmt::format("{}: {} {}, now {}", a->type->label,
                                  folded(a->type->parameters[p].label), setting_text(*a, p),
                                  setting_text(*b, p)));
    for (size_t p = 0; p < a->settings.texts.size(); ++p)
      if (a->settings.texts[p] != b->settings.texts[p])
        out.push_back(fmt::format("{}: {} {}, now {}", a->type->label,
                                  folded(a->type->texts[p].label), a->settings.texts[p],
                                  b->settings.texts[p]));
    if (a->sides != b->sides)
      out.push_back(fmt::format("{}: what is heard beside is other", a->type->label));
    if (a->curves != b->curves)
      out.push_back(fmt::format("{}: what follows a curve is other", a->type->label));
  }
  const auto kinds = [](const Chain& c) {
    std::vector<const StepType*> k;
    for (const auto& s : c.steps) k.push_back(s.type);
    return k;
  };
  if (same_steps && kinds(then.chain) != kinds(now.chain))
    out.emplace_back("The steps stand in another order");
  if (then.note != now.note) out.emplace_back("The note reads otherwise");
  if (then.tags != now.tags) out.emplace_back("The tags are others");
  return out;
}

std::vector<Incoming> look_at_incoming(std::span<const fs::path> what,
                                       std::span<const LibraryEntry> library,
                                       const CancelToken* cancel) {
  std::vector<Incoming> out;
  const auto unreadable = [&](const fs::path& file, std::string problem) {
    out.push_back({{}, file.string(), Incoming::State::unreadable, {}, {}, std::move(problem)});
  };
  const auto file_in = [&](const fs::path& file) {
    try {
      if (cancel) cancel->check();
      out.push_back(held_against(read_text(file, most_bytes), file.string(), library));
      resolve_files(out.back().recipe.chain, fs::absolute(file).parent_path());
    } catch (const Error& e) {
      unreadable(file, e.what());
    }
  };
  for (const auto& path : what) {
    std::error_code error;
    if (fs::is_directory(path, error)) {
      for (const auto& file : recipe_files(path)) file_in(file);
    } else if (path.extension() == ".zip") {
      std::vector<std::string> problems;
      auto contents = zip_contents(path, problems, cancel);
      const auto files =
          std::make_shared<const std::map<std::string, std::string>>(std::move(contents.files));
      for (const auto& [from, text] : contents.texts) {
        out.push_back(held_against(text, from, library));
        out.back().files = files;
      }
      for (auto& problem : problems) unreadable(path, std::move(problem));
    } else {
      file_in(path);
    }
  }
  return out;
}

fs::path add_to_library(const Recipe& recipe, const fs::path& folder) {
  make_folder(folder);
  for (int n = 1;; ++n) {
    const auto file = folder / file_name(recipe.name, n);
    std::error_code error;
    // Whatever is there, also what this Drevan cannot read, stays.
    if (fs::exists(fs::symlink_status(file, error))) continue;
    Recipe stored = recipe;
    relate_files(stored.chain, fs::absolute(folder));
    write_text(file, dump_json(to_json(stored), 2), ReplacementFile::Old::kept);
    return file;
  }
}

namespace {

// One after the other into a folder, whose recipes' names are read once.
class Taker {
 public:
  explicit Taker(const fs::path& folder) : folder_(folder) {
    for (const auto& e : read_library(folder)) names_.insert(e.recipe.name);
  }

  fs::path take(const Incoming& incoming, Decision decision) {
    if (incoming.state == Incoming::State::unreadable || decision == Decision::skip) return {};
    Recipe recipe = incoming.recipe;
    take_files(recipe.chain, incoming);
    // A second one for the same place in one import would replace the first.
    if (decision == Decision::replace && !incoming.existing.empty() &&
        replaced_.insert(incoming.existing).second) {
      save_recipe(recipe, incoming.existing);
      return incoming.existing;
    }
    // One of Drevan's own has no file: the new one stands before it under its name.
    const bool before_own = decision == Decision::replace && incoming.existing.empty() &&
                            replaced_own_.insert(recipe.name).second && is_own(recipe.name);
    for (int n = 2; names_.contains(recipe.name) && !before_own; ++n)
      recipe.name = fmt::format("{} ({})", incoming.recipe.name, n);
    names_.insert(recipe.name);
    return add_to_library(recipe, folder_);
  }

 private:
  // What came with it goes beside it; the same content under one name.
  void take_files(Chain& chain, const Incoming& incoming) const {
    change_files(chain, [&](const fs::path& file) -> fs::path {
      if (file.is_absolute() || !incoming.files) return file;
      const auto at = incoming.files->find(file.generic_string());
      const auto name = file.filename().string();
      if (at == incoming.files->end() || from_hex(file.stem().string()) != hash_of(at->second))
        throw Error(Error::Kind::input,
                    fmt::format("{}: {} needs {}, which is missing or damaged in it; get the zip "
                                "again.",
                                incoming.from, incoming.recipe.name, to_utf8(name)));
      const fs::path folder =
          fs::absolute(folder_) / files_folder.substr(0, files_folder.size() - 1);
      make_folder(folder);
      const fs::path to = folder / name;
      std::error_code error;
      if (!fs::exists(to, error)) write_text(to, at->second, ReplacementFile::Old::kept);
      return to;
    });
  }
  bool is_own(const std::string& name) const {
    const auto library = read_library(folder_);
    return std::ranges::any_of(
        library, [&](const LibraryEntry& e) { return e.own() && e.recipe.name == name; });
  }

  fs::path folder_;
  std::set<std::string> names_, replaced_own_;
  std::set<fs::path> replaced_;
};

}  // namespace

fs::path take_in(const Incoming& incoming, Decision decision, const fs::path& folder) {
  return Taker(folder).take(incoming, decision);
}

int take_in(std::span<const std::pair<Incoming, Decision>> all, const fs::path& folder,
            std::vector<std::string>& problems) {
  Taker taker(folder);
  int taken = 0;
  for (const auto& [incoming, decision] : all) {
    try {
      if (!taker.take(incoming, decision).empty()) ++taken;
    } catch (const Error& e) {
      problems.emplace_back(e.what());
    }
  }
  return taken;
}

void export_zip(std::span<const Recipe> recipes, const fs::path& file) {
  const auto fail = [&](const char* why) {
    return Error(
        Error::Kind::output,
        fmt::format("{} cannot be written ({}); choose another place.", file.string(), why));
  };
  ReplacementFile to(file);
  // libzip writes beside its goal and renames: its goal is a file of its own beside ours, whose bytes are taken.
  const fs::path made = to.part().string() + ".zip";
  const std::unique_ptr<const fs::path, decltype([](const fs::path* f) {
                          std::error_code e;
                          fs::remove(*f, e);
                        })>
      gone(&made);
  int code = 0;
  zip_t* zip = zip_open(made.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
  if (!zip) throw fail("its folder is missing or may not be written to");
  std::set<std::string> names;
  std::deque<std::string> contents;  // must live until the zip is closed
  const auto add = [&](const std::string& name, std::string content) {
    contents.push_back(std::move(content));
    auto* source = zip_source_buffer(zip, contents.back().data(), contents.back().size(), 0);
    const zip_int64_t index =
        source ? zip_file_add(zip, name.c_str(), source, ZIP_FL_ENC_UTF_8) : -1;
    // No time of day: the same recipes give the same zip.
    constexpr time_t in_1990 = 631152000;
    if (index >= 0 && zip_file_set_mtime(zip, static_cast<zip_uint64_t>(index), in_1990, 0) == 0)
      return;
    if (source && index < 0) zip_source_free(source);
    throw fail("a recipe would not go in");
  };
  try {
    for (Recipe recipe : recipes) {
      change_files(recipe.chain, [&](const fs::path& needed) -> fs::path {
        std::string content = read_text(needed, most_bytes_of_files);
        const auto name = fmt::format("{}{}{}", files_folder, to_hex(hash_of(content)),
                                      needed.extension().string());
        if (names.insert(name).second) add(name, std::move(content));
        return name;
      });
      std::string name = file_name(recipe.name);
      for (int n = 2; !names.insert(name).second; ++n) name = file_name(recipe.name, n);
      add(name, dump_json(to_json(recipe), 2));
    }
  } catch (...) {
    zip_discard(zip);
    throw;
  }
  if (zip_close(zip) != 0) {
    const std::string why = zip_error_strerror(zip_get_error(zip));
    zip_discard(zip);
    throw fail(why.c_str());
  }
  to.write(read_text(made));
  to.commit();
}

}  // namespace drevan
