// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/clip_sound.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/time_text.h"
#include "engine/scene/crossfade.h"
#include "measure/room_tone.h"
#include "reel/edits/cuts.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

// `x`: how far from the clip's edge, as a share of the fade; `in`: at its beginning.
double fade_gain(const SoundFade& fade, double x, bool in) {
  if (!fade.alike) return fade.shape == CurveShape::smooth ? x * x * (3 - 2 * x) : x;
  const double t = crossfade_moment(in ? x : 1 - x, fade.middle);
  const auto [going, coming] = crossfade(t, *fade.alike);
  return static_cast<double>(in ? coming : going);
}

// Sound before a room tone that the steps before it settle in.
constexpr double before_tone_s = 1;

ClipSound own_sound(const Reel& reel, const Clip& clip) {
  const Source& source = reel.source_of(clip);
  return {source.path,
          clip.begin,
          clip.frames,
          reel.rate,
          clip.room_tone,
          {},
          clip.place,
          {source.frames, source.rate, source.channels, source.hash},
          sound_fade(clip.fade_in),
          sound_fade(clip.fade_out)};
}

SoundFade crossfade_of(const Crossing& crossing, ClipSpan length) {
  return {length.s, CurveShape::line, 0, crossing.alike, crossing.middle};
}

}  // namespace

SoundFade sound_fade(const EdgeFade& fade) { return {fade.seconds, fade.shape, fade.gone_s}; }

ClipSound uncrossed(ClipSound sound) {
  for (SoundFade* fade : {&sound.fade_in, &sound.fade_out})
    if (fade->alike) *fade = {};
  return sound;
}

std::optional<ClipSound> room_tone_sound(const Reel& reel, const Clip& clip) {
  if (!clip.room_tone) return std::nullopt;
  ClipSound sound = own_sound(reel, clip);
  if (room_tone_inside(reel, clip)) return sound;
  const double rate = reel.source_of(clip).rate;
  const ClipTimes times = times_of(reel, clip);
  const Samples tone = frame_of(in_source(times, clip.room_tone->begin), rate);
  sound.begin = std::max<Samples>(0, tone - static_cast<Samples>(before_tone_s * rate));
  sound.frames = frame_of(in_source(times, clip.room_tone->end), rate) - sound.begin;
  sound.room_tone = ClipRange{moment_of<ClipClock>(tone - sound.begin, rate),
                              moment_of<ClipClock>(sound.frames, rate)};
  sound.fade_in = sound.fade_out = {};
  return sound;
}

ClipSound clip_sound(const Reel& reel, const Clip& clip) {
  return clip_sound(reel, clip, is_bus(clip) ? Crossings(Reel{}) : Crossings(reel, clip.group));
}

ClipSound clip_sound(const Reel& reel, const Clip& clip, const Crossings& crossings) {
  ClipSound sound = own_sound(reel, clip);
  if (const Crossing* c = crossings.into(clip.id)) sound.fade_in = crossfade_of(*c, c->in);
  if (const Crossing* c = crossings.out_of(clip.id)) sound.fade_out = crossfade_of(*c, c->out);
  const Clip* from = &clip;
  if (!clip.room_tone) from = reel.find(reel.group_of(clip).room_tone_clip);
  const bool other = from && from->room_tone && (from != &clip || !room_tone_inside(reel, clip));
  if (!other) return sound;
  sound.room_tone.reset();
  sound.shared_tone = std::make_shared<const ClipSound>(*room_tone_sound(reel, *from));
  return sound;
}

std::uint64_t identity(const ClipSound& sound) {
  Hasher h;
  h.add_file(sound.file).add(sound.begin).add(sound.frames).add(sound.rate);
  if (sound.fade_in != sound.fade_out || sound.fade_in.seconds > 0)
    for (const SoundFade& fade : {sound.fade_in, sound.fade_out}) {
      h.add(fade.seconds).add(static_cast<int>(fade.shape));
      if (fade.alike) h.add(*fade.alike).add(fade.middle);
      if (fade.gone_s != 0) h.add(fade.gone_s);
    }
  return h.value();
}

ClipReader::ClipReader(const ClipSound& sound)
    : reader_(open_audio(sound.file)),
      name_(sound.file.string()),
      fade_in_(sound.fade_in),
      fade_out_(sound.fade_out) {
  const MediaInfo now = reader_->info();
  const double source_rate = now.rate;
  if (source_rate != sound.rate) reader_ = open_audio(sound.file, sound.rate);
  if (sound.begin >= now.frames)
    throw Error(Error::Kind::input, Cause::damaged,
                fmt::format("{} ends after {}, before the clip begins in it; copy it again from "
                            "where it came from, or find the right file.",
                            name_, length_text(now.seconds())),
                name_);
  const SourceFacts& known = sound.facts;
  if (known.frames > 0 && (known.rate != now.rate || known.channels != now.channels))
    broken_promises_.push_back(
        fmt::format("{} is another file than the reel was made with: {} channels at {:.0f} Hz, not "
                    "{} at {:.0f} Hz. Find the right one with Clip, Find the source.",
                    name_, now.channels, now.rate, known.channels, known.rate));
  else if (sound.frames > 0 && sound.begin + sound.frames > now.frames)
    broken_promises_.push_back(
        fmt::format("{} has become shorter: {} of the {} that the clip has in it are there. Copy "
                    "it again from where it came from.",
                    name_, length_text(static_cast<double>(now.frames - sound.begin) / now.rate),
                    length_text(static_cast<double>(sound.frames) / now.rate)));
  const auto scaled = [&](Samples n) {
    return static_cast<Samples>(std::llround(static_cast<double>(n) * sound.rate / source_rate));
  };
  if (sound.place) place_ = std::llround(sound.place->s * sound.rate);
  begin_ = std::min(scaled(sound.begin), reader_->info().frames);
  Samples frames = reader_->info().frames - begin_;
  if (sound.frames >= 0) frames = std::min(frames, scaled(sound.frames));
  shape_ = {reader_->info().rate, reader_->info().channels, frames};
  seek(0);
}

SourceMarks ClipReader::marks() const {
  SourceMarks m{reader_->info().description, reader_->info().time_reference};
  if (m.time_reference) *m.time_reference += begin_;
  if (place_) m.time_reference = place_;
  return m;
}

void ClipReader::seek(Samples frame) {
  at_ = std::clamp<Samples>(frame, 0, shape_.frames);
  reader_->seek(begin_ + at_);
}

int ClipReader::read(const AudioBlock& block) {
  const auto n = static_cast<int>(std::min<Samples>(block.frames(), shape_.frames - at_));
  if (n <= 0) return 0;
  const AudioBlock sound = block.first(shape_.channels).part(0, n);
  const int got = reader_->read(sound);
  fade(sound.part(0, got));
  at_ += got;
  if (got < n && !ended_) ended_ = at_;
  return got;
}

// `block` begins at at_.
void ClipReader::fade(const AudioBlock& block) const {
  const Samples last = shape_.frames - 1;
  const auto apply = [&](const SoundFade& of, bool in) {
    const double length = of.seconds * shape_.rate, gone = of.gone_s * shape_.rate;
    const auto reach = static_cast<Samples>(std::ceil(std::max(0.0, length - gone)));
    const Samples from = std::max(at_, in ? 0 : last + 1 - reach);
    const Samples to = std::min(at_ + block.frames(), in ? reach : last + 1);
    for (Samples at = from; at < to; ++at) {
      const auto frames = static_cast<double>(in ? at : last - at);
      const double x = std::min(1.0, (frames + gone + 0.5) / length);
      const double gain = fade_gain(of, x, in);
      for (int c = 0; c < block.channels(); ++c)
        block.channel(c)[static_cast<size_t>(at - at_)] *= static_cast<float>(gain);
    }
  };
  // Where it was cut within a fade it must not click either.
  const auto unclick = [&](const SoundFade& of, bool in) {
    if (of.gone_s > 0) apply({edits::cut_fade_s}, in);
  };
  apply(fade_in_, true);
  apply(fade_out_, false);
  unclick(fade_in_, true);
  unclick(fade_out_, false);
}

std::vector<std::string> ClipReader::damage() const {
  auto out = broken_promises_;
  const auto read = reader_->damage();
  out.insert(out.end(), read.begin(), read.end());
  // A header that is a little off for the last packet is no damage.
  const double rate = reader_->info().rate;
  if (ended_ && read.empty() && static_cast<double>(shape_.frames - *ended_) > 0.1 * rate)
    out.push_back(fmt::format(
        "{} ends after {} of the clip's {}; the rest is missing. Copy it again from where it came "
        "from.",
        name_, length_text(static_cast<double>(*ended_) / rate), length_text(shape_.seconds())));
  return out;
}

namespace {

RoomToneFinder listened(const ClipSound& sound, const CancelToken& cancel,
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
  return finder;
}

std::optional<ClipRange> found_by(const RoomToneFinder& finder, double rate) {
  const auto found = finder.find();
  if (!found) return std::nullopt;
  return ClipRange{moment_of<ClipClock>(found->begin, rate),
                   moment_of<ClipClock>(found->end, rate)};
}

}  // namespace

std::optional<ClipRange> find_room_tone(const ClipSound& sound, const CancelToken& cancel,
                                        const Progress& progress) {
  return found_by(listened(sound, cancel, progress), sound.rate);
}

RoomToneJudgement judge_room_tone(const ClipSound& sound, const CancelToken& cancel) {
  if (!sound.room_tone) return {};
  const auto finder = listened(sound, cancel, {});
  RoomToneJudgement out;
  out.flaw = finder.judge({std::llround(sound.room_tone->begin.s * sound.rate),
                           std::llround(sound.room_tone->end.s * sound.rate)});
  if (out.flaw != RoomToneFlaw::none) out.better = found_by(finder, sound.rate);
  return out;
}

}  // namespace drevan
