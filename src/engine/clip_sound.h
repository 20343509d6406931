// The sound a chain is applied to: a range of a source at the working rate.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "audio/progress.h"
#include "media/reader.h"
#include "media/writer.h"
#include "reel/reel.h"

namespace drevan {

/// What to read, and where only the room is heard. A value; reading needs a ClipReader.
struct ClipSound {
  std::filesystem::path file;
  Samples begin = 0;   ///< first frame, in the source's rate
  Samples frames = -1; ///< length in the source's rate; below 0: to the end
  double rate = 48000; ///< working rate, Hz
  std::optional<SecondsRange> room_tone;
};

ClipSound clip_sound(const Reel& reel, const Clip& clip);

/// Identity of the sound without its room tone: path, size, time of change, range, rate. Changes
/// when the file does.
std::uint64_t identity(const ClipSound& sound);

/// Reads a clip at the working rate. One thread at a time.
class ClipReader {
 public:
  /// Throws Error(input).
  explicit ClipReader(const ClipSound& sound);

  StreamFormat format(int max_block) const;
  int channels() const { return reader_->info().channels; }
  /// Length in frames at the working rate, as the source's header promises.
  Samples frames() const { return frames_; }
  const MediaInfo& source_info() const { return reader_->info(); }
  /// Where the clip belongs, at the working rate.
  SourceMarks marks() const;

  void seek(Samples frame);
  /// Frames read; fewer than asked only at the clip's end. Throws Error(input).
  int read(const AudioBlock& block);

 private:
  std::unique_ptr<AudioReader> reader_;
  Samples begin_ = 0, frames_ = 0, at_ = 0;
};

/// Checks a room tone against its clip. Throws Error(call) with a sentence for the user: shorter
/// than half a second, outside the clip.
void require_room_tone(const SecondsRange& range, double clip_s, const std::string& clip);

/// Looks for a stretch without speech. Empty when there is none. Throws Error(input), Cancelled.
std::optional<SecondsRange> find_room_tone(const ClipSound& sound, const CancelToken& cancel,
                                           const Progress& progress = {});

}  // namespace drevan
