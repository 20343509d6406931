#include "reel/crossings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "reel/draft.h"
#include "reel/takes.h"

namespace drevan {

namespace {

// Nearer than this they only touch.
constexpr double least_cross_s = 0.001;

double end_of(const Clip& clip, const LengthOf& length) {
  return clip.place_s + length(clip).seconds;
}

bool may_cross(const Reel& reel, const Clip& clip) {
  return !clip.layered && !left_out(reel, clip);
}

// Where it begins `s` seconds after its own beginning, in its own seconds.
double own_s(const SoundingLength& length, double s) {
  return length.from_clip.identity() ? s : length.from_clip.in_of(s);
}

std::optional<Crossing> crossing(const Reel& reel, const Clip& a, const Clip& b,
                                 const LengthOf& length) {
  const Clip &before = a.place_s <= b.place_s ? a : b, &after = &before == &a ? b : a;
  const SoundingLength going = length(before), coming = length(after);
  const double end = before.place_s + going.seconds;
  const double seconds = end - after.place_s;
  const bool within = end >= after.place_s + coming.seconds || before.place_s == after.place_s;
  if (within || !(seconds >= least_cross_s) || going.from_clip.backwards() ||
      coming.from_clip.backwards())
    return std::nullopt;
  Crossing out{before.id, after.id, after.place_s, end};
  out.out_s = clip_seconds(reel, before) - own_s(going, going.seconds - seconds);
  out.in_s = own_s(coming, seconds);
  if (!(out.out_s > 0 && out.in_s > 0 && std::max(out.out_s, out.in_s) <= longest_fade_s))
    return std::nullopt;
  return out;
}

}  // namespace

std::vector<Crossing> crossings_of(const Reel& reel, int id, const LengthOf& length) {
  std::vector<Crossing> out;
  const Clip* clip = reel.find(id);
  if (!clip || is_bus(*clip) || !may_cross(reel, *clip)) return out;
  for (const Clip& c : reel.clips) {
    if (c.id == id || c.group != clip->group || !may_cross(reel, c)) continue;
    if (c.place_s > end_of(*clip, length)) continue;
    if (const auto one = crossing(reel, *clip, c, length)) out.push_back(*one);
  }
  return out;
}

std::optional<Crossing> crossed(const Reel& reel, int before, int after, const LengthOf& length) {
  const Clip *going = reel.find(before), *coming = reel.find(after);
  if (!going || !coming || !going->fade_out.alike || !coming->fade_in.alike) return std::nullopt;
  auto one = crossing(reel, *going, *coming, length);
  if (!one || one->before != before) return std::nullopt;
  one->alike = *coming->fade_in.alike;
  return one;
}

namespace edits {

namespace {

// Every crossfade has two sides: one whose other clip is not there any more is none.
void take_out_crossed(Reel& reel, const std::set<int>& touched,
                      const std::set<std::pair<int, int>>& crossing) {
  const auto any = [&](int id, bool begins) {
    return std::ranges::any_of(crossing,
                               [&](const auto& c) { return (begins ? c.second : c.first) == id; });
  };
  for (Clip& c : reel.clips) {
    if (!touched.contains(c.id)) continue;
    if (c.fade_in.alike && !any(c.id, true)) c.fade_in = {};
    if (c.fade_out.alike && !any(c.id, false)) c.fade_out = {};
  }
}

}  // namespace

Edit clear_crossings(Edit edit, const LengthOf& length) {
  std::set<int> touched;
  std::set<std::pair<int, int>> crossing;
  for (const Clip& c : edit.next.clips) {
    if (!c.fade_in.alike && !c.fade_out.alike) continue;
    touched.insert(c.id);
    for (const Crossing& one : crossings_of(edit.next, c.id, length))
      if (crossed(edit.next, one.before, one.after, length))
        crossing.insert({one.before, one.after});
  }
  take_out_crossed(edit.next, touched, crossing);
  return edit;
}

Edit settle_crossings(Edit edit, std::span<const int> clips, const LengthOf& length,
                      const std::function<double(const Reel&, const Crossing&)>& alike) {
  Reel& reel = edit.next;
  // All of their rows: what they lay on before is touched as well.
  std::set<int> groups, touched;
  for (const int id : clips)
    if (const Clip* c = reel.find(id); c && !is_bus(*c)) groups.insert(c->group);
  std::set<std::pair<int, int>> crossing;
  for (const Clip& c : reel.clips) {
    if (!groups.contains(c.group)) continue;
    const bool moved = std::ranges::find(clips, c.id) != clips.end();
    const bool faded = c.fade_in.alike || c.fade_out.alike;
    if (!moved && !faded) continue;
    touched.insert(c.id);
    for (Crossing one : crossings_of(reel, c.id, length)) {
      Clip &going = clip_in(reel, one.before), &coming = clip_in(reel, one.after);
      const bool of_moved = std::ranges::find(clips, one.before) != clips.end() ||
                            std::ranges::find(clips, one.after) != clips.end();
      const bool was = going.fade_out.alike && coming.fade_in.alike;
      // What was layered without a word, in a reel from before, stays so until it is moved.
      if (!was && !of_moved) continue;
      if (!crossing.insert({one.before, one.after}).second) continue;
      if (!of_moved) continue;
      const double middle = was ? coming.fade_in.middle : middle_of_fade;
      one.alike = std::clamp(alike(reel, one), -1.0, 1.0);
      going.fade_out = {one.out_s, CurveShape::line, one.alike, middle};
      coming.fade_in = {one.in_s, CurveShape::line, one.alike, middle};
    }
  }
  take_out_crossed(reel, touched, crossing);
  return edit;
}

Edit set_middle(const Reel& reel, int before, int after, double middle) {
  Draft d(reel, before);
  Clip& coming = clip_in(d.edit.next, after);
  if (!d.clip.fade_out.alike || !coming.fade_in.alike)
    throw impossible(fmt::format("{} and {} are not crossfaded.", d.clip.name, coming.name));
  d.clip.fade_out.middle = coming.fade_in.middle =
      std::isfinite(middle) ? std::clamp(middle, least_middle, most_middle) : middle_of_fade;
  d.edit.merge = fmt::format("crossfade of clips {} and {}", before, after);
  return d.done(fmt::format("Crossfade {} into {}", d.clip.name, coming.name));
}

Edit set_layered(const Reel& reel, int clip, bool layered, const LengthOf& length) {
  require_clip(clip, "lies on nothing");
  Draft d(reel, clip);
  for (const Crossing& c : crossings_of(reel, clip, length)) {
    EdgeFade& out = clip_in(d.edit.next, c.before).fade_out;
    EdgeFade& in = clip_in(d.edit.next, c.after).fade_in;
    if (out.alike && in.alike) out = in = {};
  }
  d.clip.layered = layered;
  return d.done(layered ? fmt::format("Layer {}", d.clip.name)
                        : fmt::format("Crossfade {} with what it overlaps", d.clip.name));
}

}  // namespace edits
}  // namespace drevan
