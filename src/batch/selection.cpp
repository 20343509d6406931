// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/selection.h"

#include <algorithm>
#include <cmath>

#include "batch/temporary_folder.h"
#include "media/writer.h"
#include "reel/scene/made.h"
#include "reel/times/clip_times.h"
#include "reel/library/source_files.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

constexpr int selection_block = 8192;

// Of `in`, from a frame on, as a file of another kind.
void copy_from(const fs::path& in, Samples from, const fs::path& file, Container container,
               SampleType samples, ReplacementFile::Old old, MixFile& told,
               const CancelToken& cancel, const Progress& progress) {
  const auto reader = open_audio(in);
  const MediaInfo& info = reader->info();
  const Samples frames = std::max<Samples>(0, info.frames - from);
  reader->seek(from);
  AudioWriter writer(file, {container, samples, info.rate, info.channels}, frames,
                     SourceMarks{"", from}, old);
  LevelMeter meter({info.rate, info.channels, selection_block}, Detail::full);
  AudioBuffer buffer(info.channels, selection_block);
  for (Samples done = 0; done < frames;) {
    cancel.check();
    const int n = reader->read(buffer.block());
    if (n == 0) break;
    writer.write(buffer.block(0, n));
    meter.hear(buffer.block(0, n));
    done += n;
    if (progress) progress(static_cast<double>(done) / static_cast<double>(frames));
  }
  writer.commit();
  told.output = file;
  told.levels = meter.levels();
  told.clipped = writer.clipped();
}

}  // namespace

RenderedPart render_one(const Reel& reel, std::span<const ClipId> clips, const fs::path& file,
                        FindingStore& store, const CancelToken& cancel, const Progress& progress) {
  const MakeOne made = to_make_one(reel, clips);
  make_folder(file.parent_path());
  const TemporaryFolder temporary(file.parent_path(), "one");
  RenderedPart out = render_part(reel, made.clips, made.last, temporary.path() / "one.wav", store,
                                 cancel, progress);
  MixFile told;
  copy_from(out.sound.path, 0, file, Container::wav, SampleType::float32,
            ReplacementFile::Old::kept, told, cancel, {});
  out.sound = examine_source(file, &cancel);
  return out;
}

MixFile render_selection(const Reel& reel, std::span<const ClipId> clips, const fs::path& file,
                         Container container, SampleType samples, FindingStore& store,
                         const CancelToken& cancel, const Progress& progress) {
  if (is_source(file, source_files(reel)))
    throw Error(Error::Kind::output,
                file.string() + " is a source of the reel; choose another name.", file);
  MixOptions what;
  ReelTime first = latest_place;
  for (const ClipId id : clips)
    if (const Clip* clip = reel.find(id); clip && !left_out(reel, *clip)) {
      what.only.push_back(id);
      first = std::min(first, whole_in_reel(times_of(reel, *clip)).begin);
    }
  if (what.only.empty())
    throw Error(Error::Kind::call,
                "No clip is marked that is heard, so there is nothing to write.");
  BatchOptions options;
  options.samples = SampleType::float32;
  const TemporaryFolder temporary(fs::absolute(file).parent_path(), "selection");
  options.folder = temporary.path();
  const auto mixed = render_mix(reel, options, what, store, cancel, [&](double p) {
    if (progress) progress(0.9 * p);
  });
  for (const auto& clip : mixed.clips)
    if (clip.state == JobState::failed) throw Error(Error::Kind::input, clip.problem);
  MixFile out = mixed.files.front();
  copy_from(out.output, std::max<Samples>(0, frame_of(first, reel.rate)), file, container, samples,
            ReplacementFile::Old::replaced, out, cancel, [&](double p) {
              if (progress) progress(0.9 + 0.1 * p);
            });
  return out;
}

}  // namespace drevan
