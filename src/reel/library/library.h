// SPDX-License-Identifier: GPL-3.0-or-later
// A library of recipes: a folder of files, Drevan's own, and what comes in from others.
#pragma once

#include <filesystem>
#include <optional>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "audio/progress.h"
#include "reel/chain.h"

namespace drevan {

/// Drevan's own recipes, for the common cases of dialogue, voiceover and effects.
std::span<const Recipe> own_recipes();

/// A recipe in the library. Own ones have no file.
struct LibraryEntry {
  Recipe recipe;
  std::filesystem::path file{};
  bool own() const { return file.empty(); }
};

/// Drevan's own and those in `folder`, by name. `problems` takes a sentence for each file that cannot be
/// read; the others are there all the same. A folder that is not there holds nothing.
std::vector<LibraryEntry> read_library(const std::filesystem::path& folder,
                                       std::vector<std::string>* problems = nullptr);

/// Whether every word of `query` is found in name, note, tags or the names of the steps.
bool matches(const Recipe& recipe, std::string_view query);

/// What differs in plain words, setting by setting: "Compressor: threshold -15.0 dB, now -12.0 dB",
/// "De-esser is new". Empty: the chains are the same.
std::vector<std::string> recipe_differences(const Recipe& then, const Recipe& now);

/// A recipe that comes in, held against the library.
struct Incoming {
  enum class State { fresh, same, differs, unreadable };
  Recipe recipe;
  std::string from;  ///< file, and the place in a zip
  State state = State::fresh;
  std::filesystem::path existing{};  ///< of the library's recipe with the same name; differs, same
  std::vector<std::string> differences{};
  std::string problem{};  ///< unreadable: a sentence
  /// Of a zip: what its recipes need, by the path they have for it, "files/HASH.wav".
  std::shared_ptr<const std::map<std::string, std::string>> files{};
};

/// Looks at files, folders (with their subfolders) and zips. Nothing is changed. Two recipes of one name
/// among `what` are both there. Of a zip at most 1000 entries, 1 MB a recipe and 20 MB in all are unpacked; what
/// is left out is there as unreadable, with the reason. Files that its recipes need may be 200 MB
/// in all. Throws Cancelled.
std::vector<Incoming> look_at_incoming(std::span<const std::filesystem::path> what,
                                       std::span<const LibraryEntry> library,
                                       const CancelToken* cancel = nullptr);

enum class Decision { skip, replace, keep_both };

/// Takes one recipe into `folder` (made when it is not there). Only `replace` replaces, and only the recipe that
/// was shown as existing; otherwise a name that is taken by now gets a number. Files that came with
/// it go into the folder "files" beside it, under their hash. Returns its file; empty when skipped.
/// Atomic. Throws Error(output).
std::filesystem::path take_in(const Incoming& incoming, Decision decision,
                              const std::filesystem::path& folder);

/// All that come in at once; of two for one place only the first replaces. Returns how many were taken;
/// `problems` gets a sentence for each that could not be written.
int take_in(std::span<const std::pair<Incoming, Decision>> all, const std::filesystem::path& folder,
            std::vector<std::string>& problems);

/// Adds a recipe under its name, in a file of its own: no file is ever replaced, whatever it holds. Throws
/// Error(output).
std::filesystem::path add_to_library(const Recipe& recipe, const std::filesystem::path& folder);

/// All in one zip, with the files that they need under "files/HASH.wav". Atomic. Throws
/// Error(output), Error(input) that names a file that is not there.
void export_zip(std::span<const Recipe> recipes, const std::filesystem::path& file);

}  // namespace drevan
