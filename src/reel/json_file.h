// JSON files read whole and written whole.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

namespace drevan {

/// Throws Error(input): cannot be read.
std::string read_text(const std::filesystem::path& file);

/// Writes beside `file`, syncs, then renames: either the old content or the new one is there,
/// never half of it. Throws Error(output) with the remedy.
void write_text(const std::filesystem::path& file, const std::string& text);

/// As text with a line's end. Names of files that are no UTF-8 lose what cannot be written, no more.
std::string dump_json(const nlohmann::ordered_json& json, int indent);

/// Throws Error(call) with file, line and what is wrong.
nlohmann::json parse_json(const std::string& text, const std::string& where);

/// Checks "`key`": VERSION, the first thing in our files: throws Error(call) when it is no such
/// file or from a newer Drevan.
void check_version(const nlohmann::json& json, const char* key, int newest,
                   const std::string& where);

/// A member of an object, or `standard` when it is not there. Throws Error(call) for a wrong type.
template <class T>
T member(const nlohmann::json& json, const char* key, T standard, const std::string& where);

}  // namespace drevan
