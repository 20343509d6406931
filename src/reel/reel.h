// The document: a reel of clips, their groups and chains. Plain values; copying one is an undo step.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "audio/buffer.h"
#include "reel/chain.h"

namespace drevan {

/// A range of seconds from a clip's start.
struct SecondsRange {
  double begin = 0, end = 0;
  friend bool operator==(const SecondsRange&, const SecondsRange&) = default;
};

/// A media file on disk, never written to. `path` is absolute in memory, relative to the reel's
/// folder in its file where it can be.
struct Source {
  std::filesystem::path path;
  Samples frames = 0;      ///< in its own rate
  double rate = 48000;     ///< Hz
  int channels = 1;
  std::uint64_t hash = 0;  ///< of its content; 0: not known
  friend bool operator==(const Source&, const Source&) = default;
};

/// One piece of sound.
struct Clip {
  int id = 0;                ///< unique in its reel, for ever
  std::string name;
  int source = 0;            ///< index into Reel::sources
  Samples begin = 0;         ///< first frame, in the source's rate
  Samples frames = 0;        ///< length, in the source's rate
  int group = 0;             ///< index into Reel::groups
  double place_s = 0;        ///< where it starts in the reel
  std::optional<SecondsRange> room_tone;
  Chain chain;
  friend bool operator==(const Clip&, const Clip&) = default;
};

/// Clips that belong together and share a chain.
struct Group {
  std::string name;
  Chain chain;
  friend bool operator==(const Group&, const Group&) = default;
};

struct Reel {
  std::string name;
  double rate = 48000;  ///< working rate, Hz
  std::vector<Source> sources;
  std::vector<Group> groups;
  std::vector<Clip> clips;
  Chain chain;
  friend bool operator==(const Reel&, const Reel&) = default;

  const Clip* find(int clip_id) const;
  Clip* find(int clip_id);
};

/// The three chains a clip's sound flows through, in this order.
enum class ChainOwner { clip, group, reel };

Chain& chain_of(Reel& reel, Clip& clip, ChainOwner owner);
const Chain& chain_of(const Reel& reel, const Clip& clip, ChainOwner owner);

/// All steps that are on: the clip's, its group's, the reel's.
Chain full_chain(const Reel& reel, const Clip& clip);

/// Reads a file's facts and hash. Throws Error(input).
Source examine_source(const std::filesystem::path& file);

enum class SourceState { fine, missing, changed };
/// `thorough` reads the whole file to compare its content; otherwise its presence only.
SourceState check_source(const Source& source, bool thorough);

/// Adds a clip of a whole source to `group` (made when it is not there), after all others in time,
/// under the file's name. Returns the clip's id.
int add_clip(Reel& reel, const Source& source, const std::string& group);

/// Takes clips out; groups and sources that nothing uses go with them.
void remove_clips(Reel& reel, std::span<const int> ids);

/// Gives clips `to` the chain of clip `from` (its own one, not the group's).
void copy_chain(Reel& reel, int from, std::span<const int> to);

/// The file now lies at `file`; other missing sources that lie beside it under their names follow.
/// Returns how many were found. Throws Error(input) when `file` cannot be read.
int relink(Reel& reel, int source, const std::filesystem::path& file);

// --- files ---

/// JSON as docs/formats.md describes; relative paths are taken from `folder`. Throws Error(call).
std::string reel_to_text(const Reel& reel, const std::filesystem::path& folder);
Reel reel_from_text(const std::string& text, const std::filesystem::path& folder,
                    const std::string& where);

/// Missing sources do not hinder loading. Throws Error(input), Error(call).
Reel load_reel(const std::filesystem::path& file);
/// Atomic. Throws Error(output).
void save_reel(const Reel& reel, const std::filesystem::path& file);

}  // namespace drevan
