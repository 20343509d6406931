// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/cuts.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "reel/times/clip_times.h"
#include "reel/edits/draft.h"
#include "reel/scene/sends.h"
#include "reel/edits/takes.h"

namespace drevan::edits {

namespace {

constexpr const char* no_cutting = "is cut by cutting its clips";

// "stairs 2", or a higher number where there is one already.
std::string numbered_name(const Reel& reel, const std::string& name) {
  for (int n = 2;; ++n) {
    const auto next = fmt::format("{} {}", name, n);
    if (std::ranges::find(reel.clips, next, &Clip::name) == reel.clips.end()) return next;
  }
}

void require_range(const Reel& reel, const Clip& clip, ClipRange range) {
  const double before = static_cast<double>(clip.begin) / reel.source_of(clip).rate;
  const double all = static_cast<double>(reel.source_of(clip).frames) / reel.source_of(clip).rate;
  constexpr double slack = 1e-6;
  if (!(range.begin.s >= -before - slack) || !(range.end.s <= all - before + slack))
    throw impossible(fmt::format("{:.2f} to {:.2f} s is more than the source of {} has.",
                                 range.begin.s, range.end.s, clip.name));
  if (!(range.end.s - range.begin.s >= least_piece_s))
    throw impossible(
        fmt::format("A piece from {:.3f} to {:.3f} s is too short; {:.0f} ms are the least.",
                    range.begin.s, range.end.s, least_piece_s * 1000));
}

// Whether two lengths are the same to the millisecond.
bool as_long(const Reel& reel, const Version& version, double length_s) {
  const double rate = reel.at(version.source).rate;
  return std::abs(static_cast<double>(version.frames) / rate - length_s) < 0.001;
}

// The versions of a piece: all of them cut alike; none where one has another length, as a stretched
// print has, for then nobody can say where the piece lies in it. `before`: the clip as it was.
void cut_versions(const Reel& reel, const Clip& before, Clip& clip, ClipRange range) {
  const double length = clip_seconds(reel, before);
  const auto fits = [&](const Version& v) { return as_long(reel, v, length); };
  if (!std::ranges::all_of(clip.versions, fits)) {
    clip.versions.clear();
    clip.version = 0;
  }
  for (auto& v : clip.versions) {
    const Source& source = reel.at(v.source);
    const Samples begin = v.begin + frame_of(range.begin, source.rate);
    v.begin = std::clamp<Samples>(begin, 0, source.frames - 1);
    v.frames =
        std::clamp<Samples>(frames_of(range.length(), source.rate), 1, source.frames - v.begin);
    v.range.reset();
    v.loudness_lufs.reset();
    v.peak_dbfs.reset();
    Clip of = before;
    of.source = v.source;
    for (Chain* chain : {&v.top, &v.made_with}) cut_curves(reel, of, *chain, range);
  }
}

// What is left of a fade at an edge that moves inwards by `by`; one that is cut within goes on.
EdgeFade fade_of_piece(const EdgeFade& fade, double by, bool more_behind) {
  if (by > 0 && fade.gone_s + by < fade.seconds)
    return {fade.seconds, fade.shape, fade.gone_s + by};
  return {more_behind ? cut_fade_s : 0};
}

// `range` of the clip, which keeps its id. Where it ends within the sound it fades, so that it does
// not click.
Clip piece_of(const Reel& reel, const Clip& clip, ClipRange range) {
  const Source& source = reel.source_of(clip);
  const ClipTimes times = times_of(reel, clip);
  Clip out = clip;
  const Samples begin = frame_of(in_source(times, range.begin), source.rate);
  const Samples end = frame_of(in_source(times, range.end), source.rate);
  out.begin = std::clamp<Samples>(begin, 0, source.frames - 1);
  out.frames = std::clamp<Samples>(end - out.begin, 1, source.frames - out.begin);
  const HeardRange part = heard(times, range);
  out.place = clamp(in_reel(times, part.begin), ReelTime{0}, latest_place);
  if (out.room_tone) {
    // By whole frames, as the beginning moved: else it would creep with every cut.
    const ClipSpan by{static_cast<double>(out.begin - clip.begin) / source.rate};
    out.room_tone = ClipRange{out.room_tone->begin - by, out.room_tone->end - by};
  }
  const double frame = 1 / source.rate;
  const double at_begin = range.begin.s, at_end = times.length.s - range.end.s;
  if (std::abs(at_begin) > frame)
    out.fade_in = fade_of_piece(clip.fade_in, at_begin, out.begin > 0);
  if (std::abs(at_end) > frame)
    out.fade_out = fade_of_piece(clip.fade_out, at_end, out.begin + out.frames < source.frames);
  cut_curves(reel, clip, out.chain, range);
  for (Send& send : out.sends) shift_send(send, -part.begin.s);
  cut_versions(reel, clip, out, range);
  return out;
}

// `next` stands in for the clip: the first piece under its id, the others behind it.
void replace_with(Reel& reel, ClipId clip, std::vector<Clip> pieces) {
  for (size_t i = 1; i < pieces.size(); ++i) {
    pieces[i].id = next_id(reel.last_clip_id, [&](ClipId id) {
      return reel.find(id) || std::ranges::find(pieces, id, &Clip::id) != pieces.end();
    });
    sit_out_alike(reel, clip, pieces[i].id);
  }
  const auto index = std::ranges::find(reel.clips, clip, &Clip::id) - reel.clips.begin();
  reel.clips[static_cast<size_t>(index)] = std::move(pieces.front());
  reel.clips.insert(reel.clips.begin() + index + 1, std::make_move_iterator(pieces.begin() + 1),
                    std::make_move_iterator(pieces.end()));
}

std::string told_of_versions(const Clip& before, const Clip& after) {
  if (before.versions.empty() || !after.versions.empty()) return {};
  return "Its versions have other lengths and were left behind; undo brings them back";
}

}  // namespace

Edit cut_into(const Reel& reel, ClipId clip, std::span<const Piece> pieces) {
  require_clip(clip, no_cutting);
  Draft d(reel, clip);
  if (pieces.empty()) throw impossible("There is no piece to cut; nothing was changed.");
  const Clip before = d.clip;
  const double length = clip_seconds(reel, before);
  std::vector<Clip> cut;
  for (const auto& piece : pieces) {
    if (piece.range.begin.s < -1e-6 || piece.range.end.s > length + 1e-6)
      throw impossible(
          fmt::format("{:.2f} to {:.2f} s does not lie within {}, which is {:.2f} s long.",
                      piece.range.begin.s, piece.range.end.s, before.name, length));
    require_range(reel, before, piece.range);
    cut.push_back(piece_of(reel, before, piece.range));
    if (!piece.name.empty()) cut.back().name = proper_name(piece.name, "A piece");
  }
  int number = 2;
  std::set<std::string> taken;
  for (const auto& c : reel.clips) taken.insert(c.name);
  for (size_t i = 1; i < cut.size(); ++i) {
    if (!pieces[i].name.empty()) continue;
    while (taken.contains(fmt::format("{} {}", before.name, number))) ++number;
    cut[i].name = fmt::format("{} {}", before.name, number++);
  }
  d.edit.told = told_of_versions(before, cut.front());
  replace_with(d.edit.next, clip, std::move(cut));
  return d.done(pieces.size() == 1 ? "Trim clip"
                                   : fmt::format("Cut into {}", counted(pieces.size(), "piece")));
}

Edit split(const Reel& reel, ClipId clip, std::span<const ClipTime> at) {
  require_clip(clip, no_cutting);
  const Draft d(reel, clip);
  const ClipTime length{clip_seconds(reel, d.clip)};
  constexpr ClipSpan least{least_piece_s};
  std::vector<ClipTime> ends(at.begin(), at.end());
  std::ranges::sort(ends);
  std::erase_if(ends, [&](ClipTime s) { return !(s.s >= least_piece_s && s <= length - least); });
  if (ends.empty())
    throw impossible(
        "There is nothing to split at the clip's very beginning or end; move the "
        "playhead into it.");
  ends.push_back(length);
  std::vector<Piece> pieces;
  pieces.reserve(ends.size());
  for (ClipTime from{0}; const ClipTime to : ends) {
    if (to - from >= least) pieces.push_back({{from, to}});
    from = pieces.empty() ? from : pieces.back().range.end;
  }
  pieces.back().range.end = length;
  Edit edit = cut_into(reel, clip, pieces);
  edit.label = "Split clip";
  return edit;
}

Edit take_out(const Reel& reel, ClipId clip, ClipRange range, bool close_up) {
  require_clip(clip, no_cutting);
  const Draft d(reel, clip);
  const ClipTime length{clip_seconds(reel, d.clip)};
  range = {std::max(ClipTime{0}, range.begin), std::min(length, range.end)};
  if (!(range.end > range.begin)) throw impossible("Select what is to be taken out first.");
  std::vector<Piece> rest;
  rest.reserve(2);
  if (range.begin.s >= least_piece_s) rest.push_back({{{0}, range.begin}});
  if ((length - range.end).s >= least_piece_s) rest.push_back({{range.end, length}});
  if (rest.empty())
    throw impossible("That is all of the clip; remove it with Delete in the shelf instead.");
  Edit edit = cut_into(reel, clip, rest);
  edit.label = "Take the selection out";
  if (!close_up) return edit;
  const ClipTimes times = times_of(reel, d.clip);
  const ReelRange gap = in_reel(times, heard(times, range));
  const ReelTime end = whole_in_reel(times).end;
  std::set<ClipId> others;
  for (const auto& c : reel.clips)
    if (c.id != clip) others.insert(c.id);
  constexpr ReelSpan slack{1e-6};
  const auto moves = [&](const Clip& c) {
    const bool other = others.contains(c.id);
    const bool later = other && c.group == d.clip.group && c.place >= end - slack;
    const bool rest_of_it = !other && c.place >= gap.begin - slack;
    return rest_of_it || later;
  };
  edit.next.clips.change_where(
      moves, [&](Clip& c) { c.place = std::max(ReelTime{0}, c.place - gap.length()); });
  return edit;
}

Edit trim(const Reel& reel, ClipId clip, ClipRange keep) {
  require_clip(clip, no_cutting);
  Draft d(reel, clip);
  require_range(reel, d.clip, keep);
  const Clip before = d.clip;
  d.clip = piece_of(reel, before, keep);
  d.edit.told = told_of_versions(before, d.clip);
  d.edit.merge = fmt::format("trim clip {}", clip);
  return d.done("Trim clip");
}

namespace {

void join_texts(Clip& joined, std::span<const Clip> parts) {
  joined.text.clear();
  std::string last;
  for (const Clip& part : parts)
    if (!part.text.empty() && part.text != last) {
      joined.text += (joined.text.empty() ? "" : " ") + part.text;
      last = part.text;
    }
}

// What of the others is not in the joined clip, in a sentence.
std::string told_of_joined(const Reel& reel, std::span<const Clip> parts, bool had_versions) {
  const Clip& first = parts.front();
  std::vector<std::string> told;
  const auto other = [&](auto&& differs) { return std::ranges::any_of(parts.subspan(1), differs); };
  // As they would be, had the first been cut there.
  const auto piece = [&](const Clip& c) {
    const double rate = reel.source_of(first).rate;
    const ClipTime begin{static_cast<double>(c.begin - first.begin) / rate};
    return piece_of(reel, first, {begin, begin + ClipSpan{clip_seconds(reel, c)}});
  };
  if (other([&](const Clip& c) { return c.chain != piece(c).chain; }))
    told.push_back(fmt::format("the chain of {} serves all of it", first.name));
  if (other([&](const Clip& c) { return c.sends != piece(c).sends || c.direct != first.direct; }))
    told.push_back(fmt::format("all of it is sent where {} is", first.name));
  if (other([&](const Clip& c) { return std::abs((c.place - piece(c).place).s) > 0.001; }))
    told.push_back("what stood elsewhere now follows it");
  if (had_versions) told.push_back("its versions were left behind");
  if (told.empty()) return {};
  std::string out = fmt::format("{}", fmt::join(told, "; "));
  out[0] = static_cast<char>(out[0] - 'a' + 'A');
  return out + ". Undo brings the clips back";
}

}  // namespace

Edit join(const Reel& reel, std::span<const ClipId> clips) {
  if (clips.size() < 2) throw impossible("Mark the clips to join first, with Ctrl and a click.");
  for (const ClipId id : clips) require_clip(id, no_cutting);
  Edit edit{reel, fmt::format("Join {}", counted(clips.size(), "clip"))};
  std::vector<Clip> parts;
  for (const ClipId id : clips) parts.push_back(clip_in(edit.next, id));
  std::ranges::sort(parts, {}, &Clip::begin);
  for (size_t i = 1; i < parts.size(); ++i) {
    const Clip &a = parts[i - 1], &b = parts[i];
    if (a.source != b.source)
      throw impossible(
          fmt::format("{} and {} come from different files; only neighbours in one can "
                      "be joined.",
                      a.name, b.name));
    if (std::abs(a.begin + a.frames - b.begin) > 1)
      throw impossible(fmt::format("{} and {} do not touch in their file.", a.name, b.name));
  }
  Clip& joined = clip_in(edit.next, parts.front().id);
  const Samples before = joined.frames;
  joined.frames = parts.back().begin + parts.back().frames - joined.begin;
  joined.fade_out = parts.back().fade_out;
  join_texts(joined, parts);
  // As much longer as the clip has become.
  for (ChainStep& step : joined.chain.steps)
    for (size_t p = 0; p < step.type->parameters.size(); ++p)
      if (step.type->parameters[p].sets_length)
        step.settings.values[p] *= static_cast<double>(joined.frames) / static_cast<double>(before);
  const bool had_versions = !joined.versions.empty();
  joined.versions.clear();
  joined.version = 0;
  std::vector<ClipId> rest;
  for (size_t i = 1; i < parts.size(); ++i) rest.push_back(parts[i].id);
  drevan::remove_clips(edit.next, rest);
  edit.told = told_of_joined(reel, parts, had_versions);
  return edit;
}

Edit duplicate(const Reel& reel, std::span<const ClipId> clips, ReelSpan later) {
  for (const ClipId id : clips) require_clip(id, "is one; duplicate its clips");
  Edit edit{reel, fmt::format("Duplicate {}", counted(clips.size(), "clip"))};
  for (const ClipId id : clips) {
    Clip copy = clip_in(edit.next, id);
    copy.id = new_clip_id(edit.next);
    copy.name = numbered_name(edit.next, copy.name);
    copy.place = clamp(copy.place + later, ReelTime{0}, latest_place);
    if (!left_out(reel, copy)) {
      copy.line = 0;
      copy.chosen = true;
    }
    sit_out_alike(edit.next, id, copy.id);
    const auto at = std::ranges::find(edit.next.clips, id, &Clip::id);
    edit.next.clips.insert(at + 1, std::move(copy));
  }
  settle_step_ids(edit.next);
  return edit;
}

Edit set_fades(const Reel& reel, ClipId clip, EdgeFade in, EdgeFade out) {
  require_clip(clip, "fades by a curve in its chain");
  Draft d(reel, clip);
  const double length = clip_seconds(reel, d.clip);
  for (const EdgeFade& fade : {in, out})
    if (!(fade.seconds >= 0 && fade.seconds <= std::min(length, longest_fade_s)))
      throw impossible(
          fmt::format("A fade of {:.2f} s is longer than {}.", fade.seconds, d.clip.name));
  // One of no length is none, whatever its shape.
  d.clip.fade_in = in.seconds > 0 ? in : EdgeFade{};
  d.clip.fade_out = out.seconds > 0 ? out : EdgeFade{};
  d.edit.merge = fmt::format("fades of clip {}", clip);
  return d.done("Fade clip");
}

}  // namespace drevan::edits
