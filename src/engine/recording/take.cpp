// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/recording/take.h"

#include <algorithm>
#include <cmath>

#include "media/cue_points.h"

namespace drevan {

namespace {
constexpr double zero_reach_s = 0.005;
}

std::vector<edits::Piece> HeardTake::at_pauses(const PauseRules& rules) const {
  std::vector<edits::Piece> out;
  for (const FrameRange& r : pieces_at_pauses(out_of_room, frame, shape.frames, rules))
    out.push_back(
        {{static_cast<double>(r.begin) / shape.rate, static_cast<double>(r.end) / shape.rate}});
  return out;
}

HeardTake hear_take(const ClipSound& sound, const CancelToken& cancel, const Progress& progress) {
  ClipReader reader(sound);
  const auto format = reader.format(16384);
  RoomEar ear(format);
  AudioBuffer buffer(format.channels, format.max_block);
  Samples done = 0;
  for (int n = 0; (n = reader.read(buffer.block())) > 0;) {
    cancel.check();
    ear.hear(buffer.block(0, n));
    done += n;
    if (progress) progress(static_cast<double>(done) / static_cast<double>(reader.frames()));
  }
  return {out_of_room(ear.frames()), ear.frame_length(), reader.shape()};
}

std::vector<double> at_zero_crossings(const ClipSound& sound, std::span<const double> at_s) {
  ClipReader reader(sound);
  const double rate = reader.shape().rate;
  const auto reach = static_cast<Samples>(std::ceil(zero_reach_s * rate));
  AudioBuffer buffer(reader.channels(), static_cast<int>(2 * reach));
  std::vector<double> out;
  for (const double s : at_s) {
    out.push_back(s);
    const auto middle = static_cast<Samples>(std::llround(s * rate));
    if (middle <= 0 || middle >= reader.frames()) continue;
    const Samples from = std::max<Samples>(0, middle - reach);
    reader.seek(from);
    const int n = reader.read(buffer.block());
    Samples best = 2 * reach;
    float before = 0;
    for (int i = 0; i < n; ++i) {
      float sum = 0;
      for (int c = 0; c < buffer.channels(); ++c) sum += buffer.channel(c)[static_cast<size_t>(i)];
      const Samples away = std::abs(from + i - middle);
      if (i > 0 && (before < 0) != (sum < 0) && away < best) {
        best = away;
        out.back() = static_cast<double>(from + i) / rate;
      }
      before = sum;
    }
  }
  return out;
}

std::vector<edits::Piece> cue_points(const ClipSound& sound) {
  const ClipReader reader(sound);
  const double rate = sound.facts.rate > 0 ? sound.facts.rate : reader.source_info().rate;
  std::vector<edits::Piece> out;
  for (const auto& cue : read_cue_points(sound.file)) {
    const double at = static_cast<double>(cue.frame - sound.begin) / rate;
    if (at >= 0 && at < reader.shape().seconds()) out.push_back({{at, at}, cue.name});
  }
  return out;
}

}  // namespace drevan
