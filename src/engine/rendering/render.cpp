// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/render.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "engine/rendering/aside.h"

namespace drevan {

namespace {

// Cuts or fills a sound to a length. What goes on beyond it is faded out over the last 10 ms, which are held back until
// that is known.
class SameLength {
 public:
  SameLength(const SoundShape& shape, BlockSink sink)
      : left_(shape.frames), channels_(shape.channels), sink_(std::move(sink)) {
    const Samples fade = std::min<Samples>(shape.frames, std::llround(0.01 * shape.rate));
    left_ -= fade;
    held_ = AudioBuffer(shape.channels, fade);
  }
  void hear(const AudioBlock& block) {
    const auto before = static_cast<int>(std::min<Samples>(left_, block.frames()));
    if (before > 0) sink_(block.part(0, before));
    left_ -= before;
    const auto last =
        static_cast<int>(std::min<Samples>(held_.frames() - filled_, block.frames() - before));
    if (last > 0) held_.block(filled_, last).copy_from(block.part(before, last));
    filled_ += last;
    for (int i = before + last; i < block.frames() && !rings_; ++i)
      for (int c = 0; c < block.channels(); ++c)
        rings_ = rings_ || std::abs(block.channel(c)[static_cast<size_t>(i)]) > 3.16e-5F;
  }
  void finish() {
    AudioBuffer silence(channels_, std::min<Samples>(left_, 4096));
    for (; left_ > 0; left_ -= silence.frames())
      sink_(silence.block(0, static_cast<int>(std::min(left_, silence.frames()))));
    for (int c = 0; rings_ && c < channels_; ++c)
      for (Samples i = 0; i < held_.frames(); ++i)
        held_.channel(c)[static_cast<size_t>(i)] *=
            1 - (static_cast<float>(i) + 1) / static_cast<float>(held_.frames());
    if (held_.frames() > 0) sink_(held_.block());
  }

 private:
  Samples left_, filled_ = 0;
  int channels_;
  BlockSink sink_;
  AudioBuffer held_;
  bool rings_ = false;
};

void warn(RenderResult& result, const RenderRequest& request, const std::vector<Findings>& found) {
  const auto name = request.plan.sound.file.filename().string();
  for (size_t i = 0; i < found.size(); ++i) {
    const auto& type = *request.plan.steps[i].type;
    if (type.hears == Hears::nothing || !found[i].empty()) continue;
    result.warnings.push_back(
        type.hears == Hears::room_tone
            ? fmt::format("{}: {} did nothing, because no room tone is known; mark one, or let "
                          "Drevan find one.",
                          name, type.label)
            : fmt::format("{}: {} did nothing, because there was nothing to measure (silence, or "
                          "too short).",
                          name, type.label));
  }
  if (result.clipped > 0)
    result.warnings.push_back(
        fmt::format("{}: {} samples were over 0 dBFS and are clipped in the file; lower the level "
                    "at the end of the chain, or write 32-bit float.",
                    name, result.clipped));
}

}  // namespace

RenderResult render_clip(const RenderRequest& request, FindingStore& store,
                         const CancelToken& cancel, const Progress& progress) {
  RenderResult result;
  SoundShape clip, out;
  SourceMarks marks;
  std::uint32_t mask = 0;
  {
    const ClipReader reader(request.plan.sound);
    clip = reader.shape();
    out = stages_of(request.plan, clip).back().shape;
    marks = reader.marks();
    result.warnings = reader.source_info().warnings;
    result.whole = reader.source_info().whole;
    // Which loudspeakers other channels are meant for is not known.
    if (out.channels == clip.channels) mask = reader.source_info().channel_mask;
  }
  if (request.length == RenderLength::same) out.frames = clip.frames;
  std::vector<std::unique_ptr<AudioWriter>> writers;
  const auto open = [&](const RenderOutput& to) {
    writers.push_back(std::make_unique<AudioWriter>(
        to.file, WriteFormat{to.container, to.samples, out.rate, out.channels, mask}, out.frames,
        marks));
  };
  open({request.output, request.container, request.samples});
  for (const auto& other : request.also) open(other);
  LevelMeter before({clip.rate, clip.channels, 4096}, Detail::quick),
      after({out.rate, out.channels, 4096}, Detail::full, out.frames);
  Outline before_outline(clip.frames), after_outline(out.frames);
  Aside aside({clip.rate, std::max(clip.channels, out.channels), 4096}, request.side_thread,
              {[&](const AudioBlock& b) {
                 before.hear(b);
                 before_outline.hear(b);
               },
               [&](const AudioBlock& b) {
                 for (const auto& writer : writers) writer->write(b);
               },
               [&](const AudioBlock& b) {
                 after.hear(b);
                 after_outline.hear(b);
               }});
  const auto write = [&](const AudioBlock& b) {
    aside.tell(1, b);
    aside.tell(2, b);
  };
  RingTrim trim(out.frames, write);
  SameLength same(request.length == RenderLength::same ? out : SoundShape{out.rate, 1, 0}, write);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  options.progress = progress;
  options.side_thread = request.side_thread;
  options.tap = [&](size_t stage, const AudioBlock& b) {
    if (stage == 0) aside.tell(0, b);
  };
  options.damaged = [&](const std::string& told) {
    result.warnings.push_back(told);
    result.whole = false;
  };
  // A step that does less than it should is no whole render either.
  options.warn = options.damaged;
  const auto done = process_clip(request.plan, options, [&](const AudioBlock& b) {
    request.length == RenderLength::same ? same.hear(b) : trim.hear(b);
  });
  result.lead = std::llround(lead_of(done.stages.back().from_clip, clip.seconds()) * clip.rate);
  if (request.length == RenderLength::same) same.finish();
  aside.finish();
  for (const auto& writer : writers) writer->commit();
  result.before = before.levels();
  result.after = after.levels();
  result.before_outline = before_outline.cells();
  result.after_outline = after_outline.cells();
  for (const auto& writer : writers) result.clipped = std::max(result.clipped, writer->clipped());
  warn(result, request, done.findings);
  return result;
}

}  // namespace drevan
