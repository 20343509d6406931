// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/pauses.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace drevan {

namespace {

constexpr size_t frames_a_second = 100;
constexpr size_t smooth = 5;         // frames: 50 ms
constexpr Samples least_speech = 6;  // frames; a click is shorter
constexpr Samples word_gap = 25;     // frames: a click stands this far from words

// Levels of one band in quarters of a dB, from -120 dB.
constexpr int levels = 480;
int level_of(double power) {
  return std::clamp(static_cast<int>((10 * std::log10(power + 1e-12) + 120) * 4), 0, levels - 1);
}
double db_of(int level) { return (level + 0.5) / 4 - 120; }

// A room's level, and how far above it speech must be to last: the room's own unrest lies below.
struct Room {
  double db = 0, stays_db = 0;
};
// Four times the distance between what a tenth and what a fiftieth of the frames stay below: some
// four standard deviations. White noise keeps to 1.2 dB, a road to 3.
Room room_between(double tenth_db, double fiftieth_db) {
  return {tenth_db, std::clamp(4 * (tenth_db - fiftieth_db), 1.2, 3.0)};
}

// The mean power over 50 ms, by running sums; the window lies about each frame.
std::vector<double> smoothed(std::span<const RoomEar::Frame> frames, float RoomEar::Frame::*band) {
  std::vector<double> sums(frames.size() + 1);
  for (size_t i = 0; i < frames.size(); ++i)
    sums[i + 1] = sums[i] + static_cast<double>(frames[i].*band);
  std::vector<double> out(frames.size());
  for (size_t i = 0; i < frames.size(); ++i) {
    const size_t from = i < smooth / 2 ? 0 : i - smooth / 2;
    const size_t to = std::min(frames.size(), i + smooth / 2 + 1);
    out[i] = std::max(0.0, (sums[to] - sums[from]) / static_cast<double>(to - from));
  }
  return out;
}

// The room in every second, from the frames within 10 s on either side.
std::vector<Room> room_by_second(std::span<const double> power) {
  using Counts = std::array<int, levels>;
  const size_t seconds = (power.size() + frames_a_second - 1) / frames_a_second;
  std::vector<Counts> of(seconds, Counts{});
  for (size_t i = 0; i < power.size(); ++i)
    ++of[i / frames_a_second][static_cast<size_t>(level_of(power[i]))];
  constexpr size_t reach = 10;
  std::vector<Room> out(seconds);
  Counts window{};
  int all = 0;
  const auto change = [&](size_t second, int sign) {
    for (size_t l = 0; l < levels; ++l) {
      window[l] += sign * of[second][l];
      all += sign * of[second][l];
    }
  };
  const auto below = [&](double share) {
    int level = 0;
    for (int n = 0; level < levels - 1; ++level)
      if ((n += window[static_cast<size_t>(level)]) >= share * all) break;
    return db_of(level);
  };
  for (size_t s = 0; s < std::min(reach, seconds); ++s) change(s, 1);
  for (size_t s = 0; s < seconds; ++s) {
    if (s + reach < seconds) change(s + reach, 1);
    if (s > reach) change(s - reach - 1, -1);
    out[s] = room_between(below(0.1), below(0.02));
  }
  return out;
}

// Takes a band in where it stands out most.
void add_band(OutOfRoom& out, std::span<const RoomEar::Frame> frames, float RoomEar::Frame::*band) {
  const auto power = smoothed(frames, band);
  const auto room = room_by_second(power);
  for (size_t i = 0; i < frames.size(); ++i) {
    const Room& here = room[i / frames_a_second];
    const double above = 10 * std::log10(power[i] + 1e-12) - here.db;
    out.above_db[i] = std::max(out.above_db[i], static_cast<float>(above));
    if (above >= here.stays_db) out.lasts[i] = true;
  }
}

// Clicks are short and stand alone.
void drop_clicks(std::vector<FrameRange>& speech) {
  std::vector<FrameRange> kept;
  for (size_t i = 0; i < speech.size(); ++i) {
    const bool near_before = i > 0 && speech[i].begin - speech[i - 1].end < word_gap;
    const bool near_after = i + 1 < speech.size() && speech[i + 1].begin - speech[i].end < word_gap;
    if (speech[i].length() >= least_speech || near_before || near_after) kept.push_back(speech[i]);
  }
  speech = std::move(kept);
}

}  // namespace

OutOfRoom out_of_room(std::span<const RoomEar::Frame> frames) {
  OutOfRoom out{std::vector<float>(frames.size(), -200), std::vector<bool>(frames.size())};
  for (auto band :
       {&RoomEar::Frame::power_low, &RoomEar::Frame::power_mid, &RoomEar::Frame::power_high})
    add_band(out, frames, band);
  return out;
}

std::vector<FrameRange> speech_in(const OutOfRoom& sound, double above_room_db) {
  const auto count = static_cast<Samples>(sound.above_db.size());
  const auto speaks = [&](Samples at) {
    return static_cast<double>(sound.above_db[static_cast<size_t>(at)]) >= above_room_db;
  };
  const auto lasts = [&](Samples at) { return sound.lasts[static_cast<size_t>(at)]; };
  std::vector<FrameRange> out;
  for (Samples i = 0; i < count; ++i) {
    if (!speaks(i)) continue;
    Samples begin = i, end = i + 1;
    while (begin > 0 && lasts(begin - 1)) --begin;
    while (end < count && (lasts(end) || speaks(end))) ++end;
    if (!out.empty() && begin <= out.back().end)
      out.back().end = end;
    else
      out.push_back({begin, end});
    i = end;
  }
  drop_clicks(out);
  return out;
}

std::vector<FrameRange> pieces_at_pauses(const OutOfRoom& sound, int frame, Samples length,
                                         const PauseRules& rules) {
  const auto in_frames = [](double s) {
    return static_cast<Samples>(std::llround(s * frames_a_second));
  };
  std::vector<FrameRange> pieces;
  for (const FrameRange& s : speech_in(sound, rules.above_room_db)) {
    if (!pieces.empty() && s.begin - pieces.back().end < in_frames(rules.least_pause_s))
      pieces.back().end = s.end;
    else
      pieces.push_back(s);
  }
  // The short ones go to their nearer neighbours.
  for (size_t i = 0; i < pieces.size() && pieces.size() > 1;) {
    if (pieces[i].length() >= in_frames(rules.least_piece_s)) {
      ++i;
      continue;
    }
    const bool last = i + 1 == pieces.size();
    const bool to_before = last || (i > 0 && pieces[i].begin - pieces[i - 1].end <
                                                 pieces[i + 1].begin - pieces[i].end);
    const size_t into = to_before ? i - 1 : i + 1;
    pieces[into] = {std::min(pieces[into].begin, pieces[i].begin),
                    std::max(pieces[into].end, pieces[i].end)};
    pieces.erase(pieces.begin() + static_cast<std::ptrdiff_t>(i));
    if (to_before) i = into;
  }
  // Air, as far as the pause has it for both sides.
  std::vector<FrameRange> out;
  for (size_t i = 0; i < pieces.size(); ++i) {
    const Samples before = i == 0 ? 0 : (pieces[i - 1].end + pieces[i].begin) / 2;
    const Samples after = i + 1 == pieces.size() ? static_cast<Samples>(sound.above_db.size()) + 1
                                                 : (pieces[i].end + pieces[i + 1].begin) / 2;
    const Samples begin = std::max(before, pieces[i].begin - in_frames(rules.air_before_s));
    const Samples end = std::min(after, pieces[i].end + in_frames(rules.air_after_s));
    out.push_back({begin * frame, std::min(length, end * frame)});
  }
  return out;
}

}  // namespace drevan
