#include "engine/render.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"

namespace drevan {

namespace {

constexpr float audible = 3.16e-5F;  // -90 dBFS

// Writes the clip, and of the ringing after it only as much as can be heard.
class Output {
 public:
  Output(std::span<const std::unique_ptr<AudioWriter>> writers, LevelMeter& meter, Outline& outline, Samples clip_frames, int channels)
      : writers_(writers), meter_(meter), outline_(outline), clip_left_(clip_frames),
        held_(static_cast<size_t>(channels)) {}

  void hear(const AudioBlock& block) {
    const auto n = static_cast<int>(std::min<Samples>(clip_left_, block.frames()));
    if (n > 0) put(block.part(0, n));
    clip_left_ -= n;
    if (n < block.frames()) ring(block.part(n, block.frames() - n));
  }

 private:
  void put(const AudioBlock& block) {
    for (const auto& writer : writers_) writer->write(block);
    meter_.hear(block);
    outline_.hear(block);
  }

  void ring(const AudioBlock& block) {
    int heard = 0;  // frames up to the last audible one
    for (int c = 0; c < block.channels(); ++c) {
      const auto in = block.channel(c);
      held_[static_cast<size_t>(c)].insert(held_[static_cast<size_t>(c)].end(), in.begin(), in.end());
      for (int i = block.frames(); i > heard; --i)
        if (std::abs(in[static_cast<size_t>(i - 1)]) > audible) heard = i;
    }
    if (heard == 0) return;
    const auto total = static_cast<int>(held_[0].size()) - (block.frames() - heard);
    std::array<float*, max_channels> data{};
    for (size_t c = 0; c < held_.size(); ++c) data[c] = held_[c].data();
    put({data.data(), block.channels(), total});
    for (auto& h : held_) h.erase(h.begin(), h.begin() + total);
  }

  std::span<const std::unique_ptr<AudioWriter>> writers_;
  LevelMeter& meter_;
  Outline& outline_;
  Samples clip_left_;
  std::vector<std::vector<float>> held_;
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
  Samples frames = 0;
  StreamFormat format;
  SourceMarks marks;
  std::uint32_t mask = 0;
  {
    const ClipReader reader(request.plan.sound);
    format = reader.format(4096);
    frames = reader.frames();
    marks = reader.marks();
    result.warnings = reader.source_info().warnings;
    result.whole = reader.source_info().whole;
    mask = reader.source_info().channel_mask;
  }
  std::vector<std::unique_ptr<AudioWriter>> writers;
  const auto open = [&](const RenderOutput& to) {
    writers.push_back(std::make_unique<AudioWriter>(to.file, WriteFormat{to.container, to.samples, format.rate, format.channels, mask}, frames, marks));
  };
  open({request.output, request.container, request.samples});
  for (const auto& other : request.also) open(other);
  LevelMeter before(format, Detail::quick), after(format, Detail::full);
  Outline before_outline(frames), after_outline(frames);
  Output output(writers, after, after_outline, frames, format.channels);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  options.progress = progress;
  options.tap = [&](size_t stage, const AudioBlock& b) {
    if (stage > 0) return;
    before.hear(b);
    before_outline.hear(b);
  };
  options.damaged = [&](const std::string& told) {
    result.warnings.push_back(told);
    result.whole = false;
  };
  options.warn = [&](const std::string& told) { result.warnings.push_back(told); };
  const auto found = process_clip(request.plan, options,
                                  [&](const AudioBlock& b) { output.hear(b); });
  for (const auto& writer : writers) writer->commit();
  result.before = before.levels();
  result.after = after.levels();
  result.before_outline = before_outline.cells();
  result.after_outline = after_outline.cells();
  for (const auto& writer : writers) result.clipped = std::max(result.clipped, writer->clipped());
  warn(result, request, found);
  return result;
}

}  // namespace drevan
