// SPDX-License-Identifier: GPL-3.0-or-later
// Recordings in a reel: where their files lie, what becomes of them, and of those that a killed
// program left.
#pragma once

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "reel/edits/edits.h"

namespace drevan {

/// Whose recording it is.
struct RecordedLine {
  std::string name{};  ///< of a new line; another take has the name of its line
  std::string group{};
  std::string text{};  ///< what is said
  ClipId take_of = 0;  ///< a clip of the line it is another take of; 0: a line of its own
  friend bool operator==(const RecordedLine&, const RecordedLine&) = default;
};

/// A part of a file of recorded sound.
struct RecordedPart {
  Source source;
  Samples begin = 0, frames = 0;  ///< of the file
  ReelTime place{};               ///< where it stands
};

/// "Line 4" of "Line 4, take 2".
std::string line_name(const std::string& clip_name);

/// Where the reel's recordings go: its own folder, or NAME.recordings beside its file; `unsaved`
/// where it has neither.
std::filesystem::path recordings_folder(const Reel& reel, const std::filesystem::path& reel_file,
                                        const std::filesystem::path& unsaved);
/// A name there that no file and no unfinished recording has.
std::filesystem::path recording_file(const std::filesystem::path& folder, const std::string& name);

/// What is recorded into.
struct RecordedWhere {
  ReelTime place{};              ///< where the line begins
  bool plays = false;            ///< the reel plays meanwhile, from before that on
  std::optional<ReelTime> to{};  ///< where each pass ends; empty: it goes on
  double rate = 48000;           ///< of the recording and of what is played, Hz
  Samples latency = 0;           ///< frames from playing to hearing
  Samples lag = 0;               ///< frames by which this file's inputs come later than others
  friend bool operator==(const RecordedWhere&, const RecordedWhere&) = default;
};
/// From frame `at` of a recording on, what was played: `position` counts frames of the reel.
struct PlayedMark {
  Samples at = 0, position = 0;
  bool playing = false;  ///< otherwise nothing was, and `position` means nothing
  friend bool operator==(const PlayedMark&, const PlayedMark&) = default;
};

/// Lies beside a file while it is recorded, and tells what should become of it; locked by the
/// program that records. Movable.
class RecordingNote {
 public:
  /// `reel_file`: whose it is; empty for a reel without a name. Throws Error(output).
  RecordingNote(const std::filesystem::path& audio, const std::filesystem::path& reel_file,
                const RecordedLine& line, const RecordedWhere& where);
  ~RecordingNote();
  RecordingNote(RecordingNote&& other) noexcept;
  RecordingNote& operator=(RecordingNote&&) = delete;
  /// Keeps where what is recorded stands. One that cannot be written is left out: the sound is safe.
  void keep(const PlayedMark& mark);
  /// The recording is in the reel, and that is safe on the disk.
  void remove();

 private:
  std::filesystem::path file_;
  int descriptor_ = -1;
};

/// A recording whose program ended before it was in the reel.
struct BrokenRecording {
  std::filesystem::path audio, note, reel_file;
  RecordedLine line;
  RecordedWhere where;
  std::vector<PlayedMark> marks{};
};
/// Those of a reel in a folder that no program is at work on.
std::vector<BrokenRecording> broken_recordings(const std::filesystem::path& folder,
                                               const std::filesystem::path& reel_file);

namespace edits {

/// Each part becomes a clip, a take of the line; the last that is about as long as the longest is
/// chosen. Another take has the chain, the group and the sends of the clip it is a take of.
Edit add_recording(const Reel& reel, const RecordedLine& line, std::span<const RecordedPart> parts);
Edit set_line_text(const Reel& reel, ClipId clip, const std::string& text);
Edit set_recording_format(const Reel& reel, const RecordingFormat& format);

}  // namespace edits
}  // namespace drevan
