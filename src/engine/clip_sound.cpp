#include "engine/clip_sound.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "measure/room_tone.h"

namespace drevan {

namespace fs = std::filesystem;

ClipSound clip_sound(const Reel& reel, const Clip& clip) {
  return {reel.sources.at(static_cast<size_t>(clip.source)).path, clip.begin, clip.frames,
          reel.rate, clip.room_tone};
}

std::uint64_t identity(const ClipSound& sound) {
  std::error_code error;
  const auto size = fs::file_size(sound.file, error);
  const auto time = fs::last_write_time(sound.file, error).time_since_epoch().count();
  return Hasher()
      .add(fs::absolute(sound.file, error).string())
      .add(size)
      .add(time)
      .add(sound.begin)
      .add(sound.frames)
      .add(sound.rate)
      .value();
}

ClipReader::ClipReader(const ClipSound& sound) {
  double source_rate = sound.rate;
  {
    reader_ = open_audio(sound.file);
    source_rate = reader_->info().rate;
    if (source_rate != sound.rate) reader_ = open_audio(sound.file, sound.rate);
  }
  const auto scaled = [&](Samples n) {
    return static_cast<Samples>(std::llround(static_cast<double>(n) * sound.rate / source_rate));
  };
  begin_ = std::min(scaled(sound.begin), reader_->info().frames);
  frames_ = reader_->info().frames - begin_;
  if (sound.frames >= 0) frames_ = std::min(frames_, scaled(sound.frames));
  seek(0);
}

StreamFormat ClipReader::format(int max_block) const {
  return {reader_->info().rate, reader_->info().channels, max_block};
}

SourceMarks ClipReader::marks() const {
  SourceMarks m{reader_->info().description, reader_->info().time_reference};
  if (m.time_reference) *m.time_reference += begin_;
  return m;
}

void ClipReader::seek(Samples frame) {
  at_ = std::clamp<Samples>(frame, 0, frames_);
  reader_->seek(begin_ + at_);
}

int ClipReader::read(const AudioBlock& block) {
  const auto n = static_cast<int>(std::min<Samples>(block.frames(), frames_ - at_));
  if (n <= 0) return 0;
  const int got = reader_->read(block.part(0, n));
  at_ += got;
  return got;
}

void require_room_tone(const SecondsRange& range, double clip_s, const std::string& clip) {
  const auto fail = [&](const std::string& why) {
    return Error(Error::Kind::call, fmt::format("{}: the room tone from {:.2f} to {:.2f} s {}", clip,
                                                range.begin, range.end, why));
  };
  switch (check_room_tone(range.begin, range.end, clip_s)) {
    case RoomToneFlaw::none: return;
    case RoomToneFlaw::too_short:
      throw fail(fmt::format("is too short to learn from; mark at least {} s.", least_room_tone_s));
    case RoomToneFlaw::outside_clip:
      throw fail(fmt::format("does not lie within the clip, which is {:.2f} s long; mark a range "
                             "inside it.",
                             clip_s));
  }
}

std::optional<SecondsRange> find_room_tone(const ClipSound& sound, const CancelToken& cancel,
                                           const Progress& progress) {
  ClipReader reader(sound);
  const auto format = reader.format(16384);
  RoomToneFinder finder(format);
  AudioBuffer buffer(format.channels, format.max_block);
  Samples done = 0;
  for (int n = 0; (n = reader.read(buffer.block())) > 0;) {
    cancel.check();
    finder.hear(buffer.block(0, n));
    done += n;
    if (progress) progress(static_cast<double>(done) / static_cast<double>(reader.frames()));
  }
  const auto found = finder.find();
  if (!found) return std::nullopt;
  return SecondsRange{static_cast<double>(found->begin) / sound.rate,
                      static_cast<double>(found->end) / sound.rate};
}

}  // namespace drevan
