// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/making/print.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "dsp/sums.h"
#include "engine/scene/crossfade.h"

namespace drevan {

namespace {

// Puts the printed range into the clip as it was, block by block. Of a crossfade all is heard before
// any of it is written: its law depends on it.
class Inlay {
 public:
  // `channels`: of the printed sound; a clip with fewer stands alike in all of them.
  Inlay(const PrintRequest& request, ClipReader& dry, int channels, AudioWriter& writer,
        LevelMeter& meter)
      : dry_(dry),
        writer_(writer),
        meter_(meter),
        frames_(dry.frames()),
        buffer_(std::max(channels, dry.channels()), 4096) {
    const auto at = [&](double s) {
      return std::clamp<Samples>(std::llround(s * request.plan.sound.rate), 0, frames_);
    };
    begin_ = at(request.range->begin.s);
    end_ = at(request.range->end.s);
    const auto fade = std::min<Samples>(
        std::llround(std::clamp(request.fade_s, 0.0, 2.0) * request.plan.sound.rate),
        (end_ - begin_) / 2);
    // Where the clip begins or ends with the range there is nothing to fade from.
    in_.length = begin_ > 0 ? fade : 0;
    out_.length = end_ < frames_ ? fade : 0;
    for (Fade* f : {&in_, &out_}) {
      f->dry = AudioBuffer(buffer_.channels(), f->length);
      f->wet = AudioBuffer(buffer_.channels(), f->length);
    }
  }

  void hear(const AudioBlock& wet) {
    for (int done = 0; done < wet.frames() && at_ < frames_;) {
      const Samples next = next_border();
      const auto n = static_cast<int>(std::min<Samples>({wet.frames() - done, next - at_, 4096}));
      take(wet.part(done, n));
      done += n;
    }
  }

  FrameRange range() const { return {begin_, end_}; }
  Samples frames() const { return frames_; }
  std::optional<double> alike_in() const { return in_.alike; }
  std::optional<double> alike_out() const { return out_.alike; }

 private:
  struct Fade {
    Samples length = 0, filled = 0;
    AudioBuffer dry, wet;
    std::optional<double> alike;
  };

  Samples next_border() const {
    for (const Samples border : {begin_, begin_ + in_.length, end_ - out_.length, end_})
      if (at_ < border) return border;
    return frames_;
  }

  // A stretch that crosses no border.
  void take(const AudioBlock& wet) {
    const auto before = buffer_.block(0, wet.frames());
    const int n = dry_.read(before);
    before.part(n, before.frames() - n).clear();
    for (int c = dry_.channels(); c < before.channels(); ++c)
      std::ranges::copy(before.channel(dry_.channels() - 1), before.channel(c).begin());
    const bool fades_in = at_ >= begin_ && at_ < begin_ + in_.length;
    const bool fades_out = at_ >= end_ - out_.length && at_ < end_;
    if (fades_in)
      fade(in_, before, wet, false);
    else if (fades_out)
      fade(out_, before, wet, true);
    else
      put(at_ < begin_ || at_ >= end_ ? before : wet);
    at_ += wet.frames();
  }

  void fade(Fade& f, const AudioBlock& before, const AudioBlock& wet, bool back) {
    f.dry.block(f.filled, wet.frames()).copy_from(before);
    f.wet.block(f.filled, wet.frames()).copy_from(wet);
    f.filled += wet.frames();
    if (f.filled < f.length) return;
    double dry_power = 0, wet_power = 0, both = 0;
    for (int c = 0; c < f.dry.channels(); ++c) {
      dry_power += sum_of_squares(f.dry.channel(c));
      wet_power += sum_of_squares(f.wet.channel(c));
      both += sum_of_products(f.dry.channel(c), f.wet.channel(c));
    }
    // Silence on either side: any law will do.
    f.alike = dry_power > 0 && wet_power > 0 ? both / std::sqrt(dry_power * wet_power) : 1.0;
    for (Samples i = 0; i < f.length; ++i) {
      const double t = (static_cast<double>(i) + 0.5) / static_cast<double>(f.length);
      const auto [going, coming] = crossfade(t, *f.alike);
      for (int c = 0; c < f.dry.channels(); ++c) {
        const auto k = static_cast<size_t>(i);
        const float from = (back ? f.wet : f.dry).channel(c)[k],
                    to = (back ? f.dry : f.wet).channel(c)[k];
        f.wet.channel(c)[k] = going * from + coming * to;
      }
    }
    for (Samples done = 0; done < f.length; done += 4096)
      put(f.wet.block(done, static_cast<int>(std::min<Samples>(4096, f.length - done))));
  }

  void put(const AudioBlock& block) {
    writer_.write(block);
    meter_.hear(block);
  }

  ClipReader& dry_;
  AudioWriter& writer_;
  LevelMeter& meter_;
  Samples frames_, begin_ = 0, end_ = 0, at_ = 0;
  Fade in_, out_;
  AudioBuffer buffer_;
};

// What turns time round within a selection turns the selection round: it goes through the steps alone.
void print_alone(const PrintRequest& request, const ClipReader& dry, const ProcessOptions& options,
                 Inlay& inlay, const StreamFormat& format) {
  ClipPlan part = request.plan;
  ClipSound& sound = part.sound;
  const double rate = dry.source_info().rate;
  const auto in_source = [&](double s) { return static_cast<Samples>(std::llround(s * rate)); };
  const Samples begin = sound.begin + in_source(request.range->begin.s);
  sound.frames = std::min(sound.frames < 0 ? dry.source_info().frames : sound.begin + sound.frames,
                          sound.begin + in_source(request.range->end.s)) -
                 begin;
  sound.begin = begin;
  // The room is learned from where it was marked.
  if (sound.room_tone) sound.shared_tone = std::make_shared<const ClipSound>(request.plan.sound);
  sound.room_tone.reset();
  AudioBuffer silence(format.channels, format.max_block);
  const auto skip = [&](Samples frames) {
    for (; frames > 0; frames -= format.max_block)
      inlay.hear(silence.block(0, static_cast<int>(std::min<Samples>(frames, format.max_block))));
  };
  skip(inlay.range().begin);
  Samples left = inlay.range().length();
  process_clip(part, options, [&](const AudioBlock& b) {
    const auto n = static_cast<int>(std::min<Samples>(left, b.frames()));
    if (n > 0) inlay.hear(b.part(0, n));
    left -= n;
  });
  skip(left + inlay.frames() - inlay.range().end);
}

PrintResult print_range(const PrintRequest& request, FindingStore& store, const CancelToken& cancel,
                        const Progress& progress) {
  ClipReader dry(request.plan.sound);
  const double clip_s = static_cast<double>(dry.frames()) / request.plan.sound.rate;
  if (!(request.range->begin.s >= 0 && request.range->end.s > request.range->begin.s &&
        request.range->begin.s < clip_s))
    throw Error(Error::Kind::call,
                fmt::format("{}: the range {:.2f} to {:.2f} s does not lie "
                            "within its {:.2f} s; select a part of it.",
                            request.plan.sound.file.filename().string(), request.range->begin.s,
                            request.range->end.s, clip_s));
  const Stage result = stages_of(request.plan, dry.shape()).back();
  if (result.shape.frames != dry.frames())
    throw Error(Error::Kind::call, fmt::format("{}: its steps change the length, so they cannot be "
                                               "printed into a selection; print the whole clip.",
                                               request.plan.sound.file.filename().string()));
  if (result.shape.channels < dry.channels())
    throw Error(Error::Kind::call,
                fmt::format("{}: its steps give fewer channels than the clip has, so they cannot "
                            "be printed into a selection; print the whole clip.",
                            request.plan.sound.file.filename().string()));
  const StreamFormat format{dry.shape().rate, result.shape.channels, 4096};
  const auto mask = format.channels == dry.channels() ? dry.source_info().channel_mask : 0;
  AudioWriter writer(request.output,
                     {Container::wav, SampleType::float32, format.rate, format.channels, mask},
                     dry.frames(), dry.marks(), ReplacementFile::Old::kept);
  LevelMeter meter(format, Detail::quick);
  Inlay inlay(request, dry, format.channels, writer, meter);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  options.progress = progress;
  if (result.from_clip.identity())
    process_clip(request.plan, options, [&](const AudioBlock& b) { inlay.hear(b); });
  else
    print_alone(request, dry, options, inlay, format);
  writer.commit();
  return {meter.levels(), inlay.alike_in(), inlay.alike_out(), {}};
}

}  // namespace

PrintResult print_clip(const PrintRequest& request, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress) {
  make_folder(request.output.parent_path());
  if (request.range) return print_range(request, store, cancel, progress);
  RenderRequest whole{request.plan, request.output, Container::wav, SampleType::float32};
  whole.side_thread = true;
  RenderResult all = render_clip(whole, store, cancel, progress);
  return {all.after, std::nullopt, std::nullopt, std::move(all.warnings)};
}

}  // namespace drevan
