// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/json_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <cstdio>
#include <memory>

#include "audio/error.h"
#include "audio/utf8.h"

namespace drevan {

namespace fs = std::filesystem;

std::string read_text(const fs::path& file, std::uintmax_t most) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> in(std::fopen(file.c_str(), "rb"), std::fclose);
  if (!in) throw cannot_open(file, errno);
  std::error_code error;
  if (fs::is_directory(file, error)) throw cannot_open(file, EISDIR);
  std::string text;
  char buffer[65536];
  for (size_t n = 0; (n = std::fread(buffer, 1, sizeof buffer, in.get())) > 0;) {
    text.append(buffer, n);
    if (text.size() > most)
      throw Error(
          Error::Kind::input,
          fmt::format("{} is larger than any file of its kind ({} MB); it must be another one.",
                      file.string(), most / 1000000),
          file);
  }
  if (std::ferror(in.get())) throw not_to_its_end(file);
  return text;
}

void write_text(const fs::path& file, const std::string& text, ReplacementFile::Old old) {
  ReplacementFile to(file, old);
  to.write(text);
  to.commit();
}

namespace {

// Our files nest some ten deep. What is nested without end would exhaust the stack of whoever walks it.
constexpr int deepest = 60;

bool too_deep(std::string_view text) {
  int depth = 0;
  bool quoted = false;
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\') ++i;
      quoted = c != '"';
      continue;
    }
    if (c == '"') quoted = true;
    if (c == '[' || c == '{') ++depth;
    if (c == ']' || c == '}') --depth;
    if (depth > deepest) return true;
  }
  return false;
}

}  // namespace

nlohmann::json parse_json(std::string_view text, const std::string& where) {
  if (too_deep(text))
    throw wrong(where,
                "it is nested deeper than any file of Drevan's; get the file again from where it "
                "came from.");
  try {
    return nlohmann::json::parse(text);
  } catch (const nlohmann::json::parse_error& e) {
    const auto at = std::min(e.byte, text.size());
    const auto line =
        1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n');
    const bool ends = at >= text.size();
    throw wrong(fmt::format("{}, line {}", where, line),
                ends ? "the file ends in the middle; it was cut off. Get it again from where it "
                       "came from."
                     : "this is not JSON as Drevan writes it; correct it there or get the file "
                       "again.");
  } catch (const nlohmann::json::exception&) {
    throw wrong(where, "a number in it is too large; correct it there or get the file again.");
  }
}

Error wrong(const std::string& where, const std::string& what) {
  return {Error::Kind::call, Cause::wrong_text, fmt::format("{}: {}", where, what)};
}

std::string shown(const nlohmann::json& json) {
  constexpr size_t most = 60;
  // An object or a long list says nothing in a sentence, and may be large.
  if (json.is_structured() && json.size() > 4) return json.is_array() ? "a list" : "an object";
  const std::string text = json.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  return text.size() <= most ? text : std::string(utf8_prefix(text, most)) + "...";
}

void only_members(const nlohmann::json& json, std::initializer_list<std::string_view> known,
                  const std::string& where) {
  for (const auto& [key, value] : json.items())
    if (std::ranges::find(known, key) == known.end())
      throw wrong(where, fmt::format("{} does not belong here; known are {}.", shown(key),
                                     fmt::join(known, ", ")));
}

std::string dump_json(const nlohmann::ordered_json& json, int indent) {
  return json.dump(indent, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
}

void check_version(const nlohmann::json& json, const char* key, int newest,
                   const std::string& where) {
  const bool there = json.is_object() && json.contains(key) && json.at(key).is_number_integer();
  if (!there)
    throw wrong(where, fmt::format("\"{}\" is missing, so this is not such a file.", key));
  const auto version = json.at(key).get<std::int64_t>();
  if (version < 1 || version > newest)
    throw wrong(where,
                fmt::format("it is of version {}, this Drevan reads up to version {}; update "
                            "Drevan to open it.",
                            version, newest));
}

namespace {

// Whether a value is of the kind that is read, in range: a conversion would wrap around or cut off.
template <class T>
bool fits(const nlohmann::json& value) {
  if constexpr (std::is_same_v<T, bool>)
    return value.is_boolean();
  else if constexpr (std::is_same_v<T, std::string>)
    return value.is_string();
  else if constexpr (std::is_same_v<T, double>)
    return value.is_number() && std::isfinite(value.get<double>());
  else if (value.is_number_unsigned())
    return std::in_range<T>(value.get<std::uint64_t>());
  else
    return value.is_number_integer() && std::in_range<T>(value.get<std::int64_t>());
}

}  // namespace

template <class T>
T member(const nlohmann::json& json, const char* key, T standard, const std::string& where) {
  const auto at = json.find(key);
  if (at == json.end()) return standard;
  if (!fits<T>(*at))
    throw wrong(where, fmt::format("\"{}\" has a value of the wrong kind ({}).", key, shown(*at)));
  return at->template get<T>();
}
template std::string member(const nlohmann::json&, const char*, std::string, const std::string&);
template double member(const nlohmann::json&, const char*, double, const std::string&);
template int member(const nlohmann::json&, const char*, int, const std::string&);
template std::int64_t member(const nlohmann::json&, const char*, std::int64_t, const std::string&);
template bool member(const nlohmann::json&, const char*, bool, const std::string&);

}  // namespace drevan
