// SPDX-License-Identifier: GPL-3.0-or-later
// Files that a reel is made of: examined, looked for, found again.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "media/reader.h"
#include "reel/reel.h"

namespace drevan {

namespace fs = std::filesystem;

Source examine_source(const fs::path& file, const CancelToken* cancel) {
  const auto absolute = fs::absolute(file).lexically_normal();
  const auto reader = open_audio(absolute);
  const MediaInfo& info = reader->info();
  return {absolute, info.frames, info.rate, info.channels, hash_file(absolute, cancel)};
}

SourceState check_source(const Source& source, bool thorough, const CancelToken* cancel) {
  std::error_code error;
  if (!fs::is_regular_file(source.path, error)) return SourceState::missing;
  if (!thorough || source.hash == 0) return SourceState::fine;
  try {
    return hash_file(source.path, cancel) == source.hash ? SourceState::fine : SourceState::changed;
  } catch (const Error&) {
    return SourceState::missing;
  }
}

namespace {

// A range of a source that is now another file: the same stretch of time, as far as the file has it.
template <class T>
void fit_range(T& of, const Source& before, const Source& now, const std::string& who) {
  const auto moved = [&](Samples n) {
    return before.rate == now.rate ? n
                                   : static_cast<Samples>(std::llround(static_cast<double>(n) *
                                                                       now.rate / before.rate));
  };
  of.begin = moved(of.begin);
  of.frames = std::min(std::max<Samples>(1, moved(of.frames)), now.frames - of.begin);
  if (of.frames < 1)
    throw Error(Error::Kind::input, Cause::damaged,
                fmt::format("{} ends before {} begins in it; it is not the file that was meant. "
                            "Find the right one.",
                            now.path.string(), who),
                now.path);
}

}  // namespace

int relink(Reel& reel, SourceId source, const fs::path& file) {
  Reel next = reel;
  const Source before = std::as_const(next).at(source);
  Source now = examine_source(file);
  now.id = source;
  next.at(source) = now;
  for (auto& clip : next.clips.each()) {
    if (clip.source == source) {
      fit_range(clip, before, now, clip.name);
      const double begin = static_cast<double>(clip.begin) / now.rate;
      const double end = static_cast<double>(now.frames) / now.rate;
      if (clip.room_tone && begin + clip.room_tone->end.s > end) clip.room_tone.reset();
    }
    for (auto& version : clip.versions)
      if (version.source == source)
        fit_range(version, before, now, fmt::format("version {} of {}", version.id, clip.name));
  }
  int count = 1;
  for (size_t i = 0; i < next.sources.size(); ++i) {
    const Source& other = std::as_const(next.sources)[i];
    if (check_source(other, false) != SourceState::missing) continue;
    Source beside = other;
    beside.path = now.path.parent_path() / other.path.filename();
    if (check_source(beside, true) != SourceState::fine) continue;
    next.sources[i] = beside;
    ++count;
  }
  reel = std::move(next);
  return count;
}

}  // namespace drevan
