// SPDX-License-Identifier: GPL-3.0-or-later
// The sound a chain is applied to: a range of a source at the working rate.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "audio/progress.h"
#include "audio/sound.h"
#include "measure/room_tone.h"
#include "media/reader.h"
#include "media/writer.h"
#include "reel/times/crossings.h"
#include "reel/reel.h"

namespace drevan {

/// A source as its reel knows it, to be held against the file that is there; frames 0: nothing is known.
struct SourceFacts {
  Samples frames = 0;
  double rate = 0;
  int channels = 0;
  std::uint64_t hash = 0;
};

/// How a sound begins or ends: an EdgeFade, or what it goes over from or into another one by.
struct SoundFade {
  double seconds = 0;
  CurveShape shape = CurveShape::line;
  double gone_s = 0;  ///< see EdgeFade
  /// Of a crossfade: how alike the two are there, see crossfade(). Empty: it fades by itself.
  std::optional<double> alike{};
  double middle = middle_of_fade;  ///< of a crossfade: see Crossfade
  friend bool operator==(const SoundFade&, const SoundFade&) = default;
};
SoundFade sound_fade(const EdgeFade& fade);

/// What to read, and where only the room is heard. A value; reading needs a ClipReader.
struct ClipSound {
  std::filesystem::path file;
  Samples begin = 0;    ///< first frame, in the source's rate
  Samples frames = -1;  ///< length in the source's rate; below 0: to the end
  double rate = 48000;  ///< working rate, Hz
  std::optional<ClipRange> room_tone;
  /// Where it has none of its own: another clip of the group that has one.
  std::shared_ptr<const ClipSound> shared_tone{};
  /// Where it belongs, seconds from the reel's start: goes into rendered broadcast-wave files. Empty:
  /// where its source says.
  std::optional<ReelTime> place{};
  SourceFacts facts{};
  SoundFade fade_in{}, fade_out{};
  bool has_room_tone() const { return room_tone || (shared_tone && shared_tone->room_tone); }
};

/// Of one clip of a reel, crossfaded with its neighbours in its row.
ClipSound clip_sound(const Reel& reel, const Clip& clip);
/// The same, where it is known who crosses whom.
ClipSound clip_sound(const Reel& reel, const Clip& clip, const Crossings& crossings);
/// By itself: what crosses it is left out, as from a print of it.
ClipSound uncrossed(ClipSound sound);
/// The sound that a clip's room tone lies in, which may be another part of its source: with it as
/// ClipSound::room_tone. Empty: none is marked.
std::optional<ClipSound> room_tone_sound(const Reel& reel, const Clip& clip);

/// Identity of the sound without its room tone: path, size, time of change, range, rate. Changes
/// when the file does.
std::uint64_t identity(const ClipSound& sound);

/// Reads a clip at the working rate. One thread at a time.
class ClipReader final : public SoundReader {
 public:
  /// Throws Error(input); also when the file ends before the clip begins.
  explicit ClipReader(const ClipSound& sound);

  StreamFormat format(int max_block) const { return {shape_.rate, shape_.channels, max_block}; }
  /// At the working rate; as long as the source's header promises.
  const SoundShape& shape() const override { return shape_; }
  int channels() const { return shape_.channels; }
  Samples frames() const { return shape_.frames; }
  const MediaInfo& source_info() const { return reader_->info(); }
  /// Where the clip belongs, at the working rate.
  SourceMarks marks() const;

  void seek(Samples frame) override;
  int read(const AudioBlock& block) override;
  /// In what the sound that was read is not what the header and the reel promise: whole sentences.
  std::vector<std::string> damage() const;

 private:
  void fade(const AudioBlock& block) const;

  std::unique_ptr<AudioReader> reader_;
  std::string name_;
  SoundFade fade_in_, fade_out_;
  std::vector<std::string> broken_promises_;
  std::optional<Samples> ended_;  // where it ended before its length
  SoundShape shape_;
  Samples begin_ = 0, at_ = 0;
  std::optional<Samples> place_;
};

/// Looks for a stretch without speech. Empty when there is none. Throws Error(input), Cancelled.
std::optional<ClipRange> find_room_tone(const ClipSound& sound, const CancelToken& cancel,
                                        const Progress& progress = {});

/// What is heard in the room tone of a sound, and a better one where there is one.
struct RoomToneJudgement {
  RoomToneFlaw flaw = RoomToneFlaw::none;
  std::optional<ClipRange> better;
};
/// Of `sound.room_tone`; without one nothing is wrong. Throws Error(input), Cancelled.
RoomToneJudgement judge_room_tone(const ClipSound& sound, const CancelToken& cancel);

}  // namespace drevan
