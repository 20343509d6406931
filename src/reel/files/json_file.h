// SPDX-License-Identifier: GPL-3.0-or-later
// JSON files read whole and written whole.
#pragma once

#include <cstdint>
#include <filesystem>
#include <initializer_list>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

#include "audio/error.h"
#include "audio/replace_file.h"

namespace drevan {

/// Throws Error(input): cannot be read to its end, or is longer than `most` bytes.
std::string read_text(const std::filesystem::path& file,
                      std::uintmax_t most = std::uintmax_t{1} << 30);

/// As ReplacementFile: either the old content or the new one is there, never half of it. Throws
/// Error(output) with the remedy.
void write_text(const std::filesystem::path& file, const std::string& text,
                ReplacementFile::Old old = ReplacementFile::Old::replaced);

/// As text with a line's end. Names of files that are no UTF-8 lose what cannot be written, no more.
std::string dump_json(const nlohmann::ordered_json& json, int indent);

/// Throws Error(call) with file, line and what is wrong; also for what is nested deeper than any file of ours.
nlohmann::json parse_json(std::string_view text, const std::string& where);

/// Of kind call: "WHERE: WHAT".
Error wrong(const std::string& where, const std::string& what);

/// A value as a message shows it: shortened where it is long.
std::string shown(const nlohmann::json& json);

/// Throws Error(call) when an object has members other than these, naming the first such.
void only_members(const nlohmann::json& json, std::initializer_list<std::string_view> known,
                  const std::string& where);

/// Checks "`key`": VERSION, the first thing in our files: throws Error(call) when it is no such
/// file or from a newer Drevan.
void check_version(const nlohmann::json& json, const char* key, int newest,
                   const std::string& where);

/// A member of an object, or `standard` when it is not there. Throws Error(call) for a wrong type.
template <class T>
T member(const nlohmann::json& json, const char* key, T standard, const std::string& where);
/// The same of an id; 0 when it is not there.
template <class OfKind>
OfKind id_member(const nlohmann::json& json, const char* key, const std::string& where) {
  return OfKind::numbered(member(json, key, 0, where));
}

}  // namespace drevan
