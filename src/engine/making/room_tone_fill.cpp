// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/making/room_tone_fill.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "audio/decibel.h"
#include "audio/error.h"
#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "dsp/sums.h"
#include "measure/noise_floor.h"
#include "media/writer.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

constexpr double most_fade_s = 0.15, most_piece_s = 0.5, most_fill_gain_db = 18;

double power_of(const AudioBuffer& x) {
  double sum = 0;
  for (int c = 0; c < x.channels(); ++c) sum += sum_of_squares(x.channel(c));
  return sum / static_cast<double>(std::max<Samples>(1, x.frames() * x.channels()));
}

// Empty where all is digital silence.
std::optional<double> noise_floor_db(const ClipSound& sound, const CancelToken& cancel) {
  ClipReader reader(sound);
  NoiseFloorMeter meter(reader.format(4096));
  AudioBuffer buffer(reader.channels(), 4096);
  for (int n = 0; (n = reader.read(buffer.block())) > 0;) {
    cancel.check();
    meter.hear(buffer.block(0, n));
  }
  return meter.floor_dbfs();
}

// `sound` has a room tone.
AudioBuffer marked_tone(const ClipSound& sound) {
  ClipReader reader(sound);
  const Samples begin = frame_of(sound.room_tone->begin, sound.rate);
  const Samples frames = frame_of(sound.room_tone->end, sound.rate) - begin;
  AudioBuffer out(reader.channels(), frames);
  reader.seek(begin);
  Samples at = 0;
  while (at < frames) {
    const int n =
        reader.read(out.block(at, static_cast<int>(std::min<Samples>(4096, frames - at))));
    if (n == 0) break;
    at += n;
  }
  out.shorten(at);
  return out;
}

// Of a group; throws where there is none that is heard.
AudioBuffer lent_tone(const Reel& reel, GroupId group) {
  const Clip* lender = tone_lender(reel, group);
  if (!lender)
    throw Error(Error::Kind::call, Cause::no_room_tone,
                fmt::format("No room tone is marked in {}. Mark half a second or more on the Bench "
                            "where only the room is heard.",
                            reel.at(group).name));
  AudioBuffer tone = marked_tone(room_tone_sound(reel, *lender).value());
  if (tone.frames() == 0 || power_of(tone) <= 0)
    throw Error(
        Error::Kind::call, Cause::no_room_tone,
        fmt::format("The room tone of {} is digital silence; mark another one.", lender->name));
  return tone;
}

}  // namespace

std::vector<ToneGap> tone_gaps(const Reel& reel, GroupId group) {
  struct Sounds {
    ReelRange range;
    ClipId clip;
  };
  std::vector<Sounds> all;
  for (const ClipId id : rendered_clips(reel))
    if (const Clip& c = *reel.find(id); c.group == group)
      all.push_back({whole_in_reel(times_of(reel, c)), id});
  std::ranges::stable_sort(all, {}, [](const Sounds& s) { return s.range.begin; });
  std::vector<ToneGap> out;
  if (all.empty()) return out;
  Sounds last = all.front();
  for (const Sounds& next : all) {
    if ((next.range.begin - last.range.end).s >= least_gap_s)
      out.push_back({{last.range.end, next.range.begin}, last.clip, next.clip});
    if (next.range.end > last.range.end) last = next;
  }
  return out;
}

const Clip* tone_lender(const Reel& reel, GroupId group) {
  const Group& g = reel.at(group);
  if (const Clip* lends = reel.find(g.room_tone_clip); lends && lends->room_tone) return lends;
  for (const Clip& c : reel.clips)
    if (c.group == group && c.room_tone) return &c;
  return nullptr;
}

AudioBuffer longer_room_tone(const AudioBuffer& tone, double rate, Samples frames, unsigned seed) {
  AudioBuffer out(tone.channels(), frames);
  const Samples whole = tone.frames();
  if (whole == 0 || frames == 0) return out;
  std::mt19937 random(seed);
  // 0 to 1; the library's distributions differ from one to the next.
  const auto chance = [&] { return static_cast<double>(random()) / 4294967296.0; };
  const auto most = std::min(whole, static_cast<Samples>(most_piece_s * rate));
  const auto fade = std::min(most / 3, static_cast<Samples>(most_fade_s * rate));
  for (Samples at = -fade; at < frames;) {
    const auto piece = std::max(
        2 * fade + 1, static_cast<Samples>(static_cast<double>(most) * (0.6 + 0.4 * chance())));
    const auto from = static_cast<Samples>(static_cast<double>(whole - piece) * chance());
    const bool backwards = chance() < 0.5;
    for (int c = 0; c < out.channels(); ++c) {
      const auto in = tone.channel(c);
      const auto to = out.channel(c);
      for (Samples i = 0; i < piece; ++i) {
        if (at + i < 0 || at + i >= frames) continue;
        // Sine and cosine: what is not alike keeps its power.
        const Samples edge = std::min(i, piece - 1 - i);
        const double gain =
            edge >= fade ? 1
                         : std::sin(std::numbers::pi / 2 * (static_cast<double>(edge) + 0.5) /
                                    static_cast<double>(fade));
        const Samples place = from + (backwards ? piece - 1 - i : i);
        to[static_cast<size_t>(at + i)] +=
            static_cast<float>(gain) * in[static_cast<size_t>(place)];
      }
    }
    at += piece - fade;
  }
  return out;
}

AudioBuffer room_tone_of(const Reel& reel, GroupId group, Samples frames) {
  return longer_room_tone(lent_tone(reel, group), reel.rate, frames, 1);
}

std::vector<FilledGap> fill_gaps(const Reel& reel, GroupId group, const fs::path& folder,
                                 const CancelToken& cancel, const Progress& progress) {
  const AudioBuffer tone = lent_tone(reel, group);
  const std::string& name = reel.at(group).name;
  const auto gaps = tone_gaps(reel, group);
  const double own = power_of(tone);
  make_folder(folder);
  std::map<ClipId, std::optional<double>> floors;
  const auto floor_of = [&](ClipId clip) {
    const auto [at, fresh] = floors.try_emplace(clip);
    if (fresh) at->second = noise_floor_db(clip_sound(reel, *reel.find(clip)), cancel);
    return at->second;
  };
  std::vector<FilledGap> out;
  for (size_t i = 0; i < gaps.size(); ++i) {
    cancel.check();
    double power = 0;
    int known = 0;
    for (const ClipId clip : {gaps[i].before, gaps[i].after})
      if (const auto db = floor_of(clip)) {
        power += std::pow(10, *db / 10);
        ++known;
      }
    const double gain_db = known == 0 ? 0
                                      : std::clamp(power_to_db(power / known / own),
                                                   -most_fill_gain_db, most_fill_gain_db);
    const Samples frames = frames_of(gaps[i].range.length() + ReelSpan{2 * tone_fade_s}, reel.rate);
    AudioBuffer filled = longer_room_tone(tone, reel.rate, frames, static_cast<unsigned>(i + 1));
    for (int c = 0; c < filled.channels(); ++c)
      for (float& x : filled.channel(c)) x *= static_cast<float>(from_db(gain_db));
    fs::path file;
    for (int n = 1; file.empty() || fs::exists(file); ++n)
      file = folder / fmt::format("{} room tone {}.wav", file_name_of(name, "Group", 100), n);
    AudioWriter writer(file, {Container::wav, SampleType::float32, reel.rate, filled.channels()},
                       frames, SourceMarks{"", 0}, ReplacementFile::Old::kept);
    for (Samples at = 0; at < frames; at += 65536)
      writer.write(filled.block(at, static_cast<int>(std::min<Samples>(65536, frames - at))));
    writer.commit();
    out.push_back({gaps[i], file});
    if (progress) progress(static_cast<double>(i + 1) / static_cast<double>(gaps.size()));
  }
  return out;
}

}  // namespace drevan
