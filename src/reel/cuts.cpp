#include "reel/cuts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "reel/draft.h"

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

void shift_chain(Chain& chain, double by_s) {
  for (auto& step : chain.steps) shift_curves(step, by_s);
}

void shift_sends(std::vector<Send>& sends, double by_s) {
  const auto move = [by_s](std::optional<Curve>& curve) {
    if (curve) curve = shifted(std::move(*curve), by_s);
  };
  for (Send& s : sends) {
    move(s.level);
    if (s.place) {
      move(s.place->azimuth);
      move(s.place->distance);
    }
  }
}

void require_range(const Reel& reel, const Clip& clip, SecondsRange range) {
  const double before = static_cast<double>(clip.begin) / reel.source_of(clip).rate;
  const double all = static_cast<double>(reel.source_of(clip).frames) / reel.source_of(clip).rate;
  constexpr double slack = 1e-6;
  if (!(range.begin >= -before - slack) || !(range.end <= all - before + slack))
    throw impossible(fmt::format("{:.2f} to {:.2f} s is more than the source of {} has.",
                                 range.begin, range.end, clip.name));
  if (!(range.end - range.begin >= least_piece_s))
    throw impossible(
        fmt::format("A piece from {:.3f} to {:.3f} s is too short; {:.0f} ms are the least.",
                    range.begin, range.end, least_piece_s * 1000));
}

// Whether two lengths are the same to the millisecond.
bool as_long(const Reel& reel, const Version& version, double length_s) {
  const double rate = reel.sources[static_cast<size_t>(version.source)].rate;
  return std::abs(static_cast<double>(version.frames) / rate - length_s) < 0.001;
}

// The versions of a piece: all of them cut alike; none where one has another length, as a stretched
// print has, for then nobody can say where the piece lies in it. `length`: the clip's, before.
void cut_versions(const Reel& reel, Clip& clip, double length, SecondsRange range) {
  const auto fits = [&](const Version& v) { return as_long(reel, v, length); };
  if (!std::ranges::all_of(clip.versions, fits)) {
    clip.versions.clear();
    clip.version = 0;
  }
  for (auto& v : clip.versions) {
    const Source& source = reel.sources[static_cast<size_t>(v.source)];
    const Samples begin = v.begin + std::llround(range.begin * source.rate);
    v.begin = std::clamp<Samples>(begin, 0, source.frames - 1);
    v.frames = std::clamp<Samples>(std::llround((range.end - range.begin) * source.rate), 1,
                                   source.frames - v.begin);
    v.range.reset();
    v.loudness_lufs.reset();
    v.peak_dbfs.reset();
    shift_chain(v.top, -range.begin);
    shift_chain(v.made_with, -range.begin);
  }
}

// `range` of the clip, which keeps its id. Where it ends within the sound it fades, so that it does
// not click.
Clip piece_of(const Reel& reel, const Clip& clip, SecondsRange range) {
  const Source& source = reel.source_of(clip);
  const double length = clip_seconds(reel, clip);
  Clip out = clip;
  const Samples begin = clip.begin + std::llround(range.begin * source.rate);
  const Samples end = clip.begin + std::llround(range.end * source.rate);
  out.begin = std::clamp<Samples>(begin, 0, source.frames - 1);
  out.frames = std::clamp<Samples>(end - out.begin, 1, source.frames - out.begin);
  out.place_s = std::clamp(clip.place_s + range.begin, 0.0, latest_place_s);
  if (out.room_tone)
    out.room_tone =
        SecondsRange{out.room_tone->begin - range.begin, out.room_tone->end - range.begin};
  const double frame = 1 / source.rate;
  if (std::abs(range.begin) > frame) out.fade_in = {out.begin > 0 ? cut_fade_s : 0};
  if (std::abs(range.end - length) > frame)
    out.fade_out = {out.begin + out.frames < source.frames ? cut_fade_s : 0};
  shift_chain(out.chain, -range.begin);
  shift_sends(out.sends, -range.begin);
  cut_versions(reel, out, length, range);
  return out;
}

// `next` stands in for the clip: the first piece under its id, the others behind it.
void replace_with(Reel& reel, int clip, std::vector<Clip> pieces) {
  for (size_t i = 1; i < pieces.size(); ++i) {
    pieces[i].id = ++reel.last_clip_id;
    sit_out_alike(reel, clip, pieces[i].id);
  }
  const auto at = std::ranges::find(reel.clips, clip, &Clip::id);
  *at = std::move(pieces.front());
  reel.clips.insert(at + 1, std::make_move_iterator(pieces.begin() + 1),
                    std::make_move_iterator(pieces.end()));
}

std::string told_of_versions(const Clip& before, const Clip& after) {
  if (before.versions.empty() || !after.versions.empty()) return {};
  return "Its versions have other lengths and were left behind; undo brings them back";
}

}  // namespace

Edit cut_into(const Reel& reel, int clip, std::span<const Piece> pieces) {
  require_clip(clip, no_cutting);
  Draft d(reel, clip);
  if (pieces.empty()) throw impossible("There is no piece to cut; nothing was changed.");
  const Clip before = d.clip;
  const double length = clip_seconds(reel, before);
  std::vector<Clip> cut;
  for (const auto& piece : pieces) {
    if (piece.range.begin < -1e-6 || piece.range.end > length + 1e-6)
      throw impossible(
          fmt::format("{:.2f} to {:.2f} s does not lie within {}, which is {:.2f} s long.",
                      piece.range.begin, piece.range.end, before.name, length));
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

Edit split(const Reel& reel, int clip, std::span<const double> at_s) {
  require_clip(clip, no_cutting);
  const Draft d(reel, clip);
  const double length = clip_seconds(reel, d.clip);
  std::vector<double> ends(at_s.begin(), at_s.end());
  std::ranges::sort(ends);
  std::erase_if(ends,
                [&](double s) { return !(s >= least_piece_s && s <= length - least_piece_s); });
  if (ends.empty())
    throw impossible(
        "There is nothing to split at the clip's very beginning or end; move the "
        "playhead into it.");
  ends.push_back(length);
  std::vector<Piece> pieces;
  pieces.reserve(ends.size());
  for (double from = 0; const double to : ends) {
    if (to - from >= least_piece_s) pieces.push_back({{from, to}});
    from = pieces.empty() ? from : pieces.back().range.end;
  }
  pieces.back().range.end = length;
  Edit edit = cut_into(reel, clip, pieces);
  edit.label = "Split clip";
  return edit;
}

Edit take_out(const Reel& reel, int clip, SecondsRange range, bool close_up) {
  require_clip(clip, no_cutting);
  const Draft d(reel, clip);
  const double length = clip_seconds(reel, d.clip);
  range = {std::max(0.0, range.begin), std::min(length, range.end)};
  if (!(range.end > range.begin)) throw impossible("Select what is to be taken out first.");
  std::vector<Piece> rest;
  rest.reserve(2);
  if (range.begin >= least_piece_s) rest.push_back({{0, range.begin}});
  if (length - range.end >= least_piece_s) rest.push_back({{range.end, length}});
  if (rest.empty())
    throw impossible("That is all of the clip; remove it with Delete in the shelf instead.");
  Edit edit = cut_into(reel, clip, rest);
  edit.label = "Take the selection out";
  if (!close_up) return edit;
  const double gap = range.end - range.begin, end = d.clip.place_s + length;
  const std::set<int> before = [&] {
    std::set<int> ids;
    for (const auto& c : reel.clips) ids.insert(c.id);
    return ids;
  }();
  for (auto& c : edit.next.clips) {
    const bool rest_of_it = !before.contains(c.id) || (c.id == clip && range.begin < least_piece_s);
    const bool later = c.id != clip && c.group == d.clip.group && c.place_s >= end - 1e-6;
    if (rest_of_it || later) c.place_s = std::max(0.0, c.place_s - gap);
  }
  return edit;
}

Edit trim(const Reel& reel, int clip, SecondsRange keep) {
  require_clip(clip, no_cutting);
  Draft d(reel, clip);
  require_range(reel, d.clip, keep);
  const Clip before = d.clip;
  d.clip = piece_of(reel, before, keep);
  d.edit.told = told_of_versions(before, d.clip);
  d.edit.merge = fmt::format("trim clip {}", clip);
  return d.done("Trim clip");
}

Edit join(const Reel& reel, std::span<const int> clips) {
  if (clips.size() < 2) throw impossible("Mark the clips to join first, with Ctrl and a click.");
  for (const int id : clips) require_clip(id, no_cutting);
  Edit edit{reel, fmt::format("Join {}", counted(clips.size(), "clip"))};
  std::vector<Clip> parts;
  for (const int id : clips) parts.push_back(clip_in(edit.next, id));
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
  joined.frames = parts.back().begin + parts.back().frames - joined.begin;
  joined.fade_out = parts.back().fade_out;
  const bool had_versions = !joined.versions.empty();
  joined.versions.clear();
  joined.version = 0;
  std::vector<int> rest;
  for (size_t i = 1; i < parts.size(); ++i) rest.push_back(parts[i].id);
  drevan::remove_clips(edit.next, rest);
  const bool alike =
      std::ranges::all_of(parts, [&](const Clip& c) { return c.chain == parts.front().chain; });
  if (!alike)
    edit.told =
        fmt::format("The chain of {} serves all of it; the others were let go", parts.front().name);
  else if (had_versions)
    edit.told = "Its versions were left behind; undo brings them back";
  return edit;
}

Edit duplicate(const Reel& reel, std::span<const int> clips, double later_s) {
  for (const int id : clips) require_clip(id, "is one; duplicate its clips");
  Edit edit{reel, fmt::format("Duplicate {}", counted(clips.size(), "clip"))};
  for (const int id : clips) {
    Clip copy = clip_in(edit.next, id);
    copy.id = ++edit.next.last_clip_id;
    copy.name = numbered_name(edit.next, copy.name);
    copy.place_s = std::clamp(copy.place_s + later_s, 0.0, latest_place_s);
    for (EdgeFade* fade : {&copy.fade_in, &copy.fade_out})
      if (fade->alike) *fade = {};
    sit_out_alike(edit.next, id, copy.id);
    const auto at = std::ranges::find(edit.next.clips, id, &Clip::id);
    edit.next.clips.insert(at + 1, std::move(copy));
  }
  settle_step_ids(edit.next);
  return edit;
}

Edit set_fades(const Reel& reel, int clip, EdgeFade in, EdgeFade out) {
  require_clip(clip, "fades by a curve in its chain");
  Draft d(reel, clip);
  const double length = clip_seconds(reel, d.clip);
  for (const EdgeFade& fade : {in, out})
    if (!(fade.seconds >= 0 && fade.seconds <= std::min(length, longest_fade_s)))
      throw impossible(
          fmt::format("A fade of {:.2f} s is longer than {}.", fade.seconds, d.clip.name));
  d.clip.fade_in = in;
  d.clip.fade_out = out;
  d.edit.merge = fmt::format("fades of clip {}", clip);
  return d.done("Fade clip");
}

}  // namespace drevan::edits
