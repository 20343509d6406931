#include "reel/library.h"

#include <fmt/format.h>
#include <zip.h>

#include <algorithm>
#include <cctype>
#include <memory>
#include <set>

#include "audio/error.h"
#include "reel/json_file.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

std::string lower(std::string_view text) {
  std::string out;
  for (const char c : text) out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

// A file name for a recipe's name.
std::string file_name(const std::string& name) {
  std::string out;
  for (const char c : name) out += std::string_view("/\\:*?\"<>|").find(c) != std::string_view::npos || static_cast<unsigned char>(c) < 32 ? '-' : c;
  while (!out.empty() && (out.front() == '.' || out.front() == ' ')) out.erase(out.begin());
  return (out.empty() ? "recipe" : out.substr(0, 120)) + ".recipe";
}

// All .recipe files below a folder, sorted.
std::vector<fs::path> recipe_files(const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code error;
  for (auto it = fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, error); !error && it != fs::recursive_directory_iterator(); it.increment(error))
    if (it->path().extension() == ".recipe" && it->is_regular_file(error)) out.push_back(it->path());
  std::ranges::sort(out);
  return out;
}

std::string setting_text(const ChainStep& s, size_t p) { return value_text(s.type->parameters[p], s.settings[p]); }

// Steps of one kind are matched in order: the second compressor of the one with that of the other.
std::vector<std::pair<const ChainStep*, const ChainStep*>> paired(const Chain& then, const Chain& now) {
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

// Every recipe in a zip, as text with its place.
std::vector<std::pair<std::string, std::string>> zip_texts(const fs::path& file, std::string& problem) {
  std::vector<std::pair<std::string, std::string>> out;
  int code = 0;
  const Zip zip(zip_open(file.c_str(), ZIP_RDONLY, &code));
  if (!zip) {
    problem = fmt::format("{} is no zip that can be read.", file.string());
    return out;
  }
  const auto entries = std::min<zip_int64_t>(zip_get_num_entries(zip.get(), 0), 10000);
  for (zip_int64_t i = 0; i < entries; ++i) {
    zip_stat_t stat;
    if (zip_stat_index(zip.get(), static_cast<zip_uint64_t>(i), 0, &stat) != 0 || !stat.name) continue;
    const std::string name = stat.name;
    if (!name.ends_with(".recipe") || stat.size > 1000000) continue;
    std::string text(stat.size, '\0');
    auto* in = zip_fopen_index(zip.get(), static_cast<zip_uint64_t>(i), 0);
    if (!in) continue;
    const auto read = zip_fread(in, text.data(), text.size());
    zip_fclose(in);
    text.resize(read > 0 ? static_cast<size_t>(read) : 0);
    out.emplace_back(fmt::format("{} in {}", name, file.filename().string()), std::move(text));
  }
  return out;
}

Incoming held_against(const std::string& text, const std::string& from, std::span<const LibraryEntry> library) {
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
  const auto same_name = std::ranges::find_if(library, [&](const LibraryEntry& e) { return e.recipe.name == in.recipe.name; });
  if (same_name == library.end()) return in;
  in.existing = same_name->file;
  in.differences = recipe_differences(same_name->recipe, in.recipe);
  in.state = same_name->recipe == in.recipe ? Incoming::State::same : Incoming::State::differs;
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
    return e.own() && std::ranges::any_of(all, [&](const LibraryEntry& o) { return !o.own() && o.recipe.name == e.recipe.name; });
  });
  std::ranges::stable_sort(out, {}, [](const LibraryEntry& e) { return lower(e.recipe.name); });
  return out;
}

bool matches(const Recipe& recipe, std::string_view query) {
  std::string all = lower(recipe.name) + " " + lower(recipe.note);
  for (const auto& tag : recipe.tags) all += " " + lower(tag);
  for (const auto& s : recipe.chain.steps) all += " " + lower(s.type->label);
  const std::string words = lower(query);
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
    if (a->on != b->on) out.push_back(fmt::format("{} is {} now", a->type->label, b->on ? "on" : "off"));
    for (size_t p = 0; p < a->settings.values.size(); ++p)
      if (a->settings[p] != b->settings[p])
        out.push_back(fmt::format("{}: {} {}, now {}", a->type->label, lower(a->type->parameters[p].label), setting_text(*a, p), setting_text(*b, p)));
  }
  const auto kinds = [](const Chain& c) {
    std::vector<const StepType*> k;
    for (const auto& s : c.steps) k.push_back(s.type);
    return k;
  };
  if (same_steps && kinds(then.chain) != kinds(now.chain)) out.emplace_back("The steps stand in another order");
  if (then.note != now.note) out.emplace_back("The note reads otherwise");
  if (then.tags != now.tags) out.emplace_back("The tags are others");
  return out;
}

std::vector<Incoming> look_at_incoming(std::span<const fs::path> what, std::span<const LibraryEntry> library) {
  std::vector<Incoming> out;
  const auto unreadable = [&](const fs::path& file, std::string problem) {
    out.push_back({{}, file.string(), Incoming::State::unreadable, {}, {}, std::move(problem)});
  };
  const auto file_in = [&](const fs::path& file) {
    try {
      out.push_back(held_against(read_text(file), file.string(), library));
    } catch (const Error& e) {
      unreadable(file, e.what());
    }
  };
  for (const auto& path : what) {
    std::error_code error;
    if (fs::is_directory(path, error)) {
      for (const auto& file : recipe_files(path)) file_in(file);
    } else if (path.extension() == ".zip") {
      std::string problem;
      for (const auto& [from, text] : zip_texts(path, problem)) out.push_back(held_against(text, from, library));
      if (!problem.empty()) unreadable(path, problem);
    } else {
      file_in(path);
    }
  }
  return out;
}

fs::path add_to_library(const Recipe& recipe, const fs::path& folder) {
  std::error_code error;
  fs::create_directories(folder, error);
  const auto file = folder / file_name(recipe.name);
  save_recipe(recipe, file);
  return file;
}

fs::path take_in(const Incoming& incoming, Decision decision, const fs::path& folder) {
  if (incoming.state == Incoming::State::unreadable || decision == Decision::skip) return {};
  Recipe recipe = incoming.recipe;
  if (decision == Decision::replace && !incoming.existing.empty()) {
    save_recipe(recipe, incoming.existing);
    return incoming.existing;
  }
  std::error_code error;
  if (decision == Decision::keep_both)
    for (int n = 2; incoming.state == Incoming::State::differs || fs::exists(folder / file_name(recipe.name), error); ++n) {
      recipe.name = fmt::format("{} ({})", incoming.recipe.name, n);
      if (!fs::exists(folder / file_name(recipe.name), error)) break;
    }
  return add_to_library(recipe, folder);
}

void export_zip(std::span<const Recipe> recipes, const fs::path& file) {
  const auto fail = [&](const char* why) { return Error(Error::Kind::output, fmt::format("{} cannot be written ({}); choose another place.", file.string(), why)); };
  // libzip writes beside its goal and renames, so a zip appears whole or not at all.
  int code = 0;
  zip_t* zip = zip_open(file.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
  if (!zip) throw fail("its folder is missing or may not be written to");
  std::set<std::string> names;
  std::vector<std::string> texts;  // must live until the zip is closed
  texts.reserve(recipes.size());
  for (const auto& recipe : recipes) {
    std::string name = file_name(recipe.name);
    for (int n = 2; !names.insert(name).second; ++n) name = file_name(fmt::format("{} ({})", recipe.name, n));
    texts.push_back(dump_json(to_json(recipe), 2));
    auto* source = zip_source_buffer(zip, texts.back().data(), texts.back().size(), 0);
    if (!source || zip_file_add(zip, name.c_str(), source, ZIP_FL_ENC_UTF_8) < 0) {
      if (source) zip_source_free(source);
      zip_discard(zip);
      throw fail("a recipe would not go in");
    }
  }
  if (zip_close(zip) != 0) {
    const std::string why = zip_error_strerror(zip_get_error(zip));
    zip_discard(zip);
    throw fail(why.c_str());
  }
}

}  // namespace drevan
