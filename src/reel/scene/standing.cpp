// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/standing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "reel/edits/draft.h"
#include "reel/scene/sends.h"
#include "steps/curve_edit.h"

namespace drevan {

namespace {

double at(const std::optional<Curve>& curve, const Parameter& of, double s, double still) {
  return curve ? value_at(*curve, of, s) : still;
}

// The send by which it stands in a space; empty: none of those spaces has places.
std::optional<Send> standing_send(const Reel& reel, const Clip& clip) {
  const bool only = !heard_direct(reel, clip);
  for (const Send& s : sends_of(reel, clip))
    if (const Space* space = find_space(reel, s.space);
        space && placing_step(*space) && (only || s.place))
      return s;
  return std::nullopt;
}

const ChainStep* own_acoustics(const Clip& clip) {
  for (const ChainStep& s : clip.chain.steps)
    if (s.on && is(s, Role::place)) return &s;
  return nullptr;
}

double value_of(const ChainStep& step, std::string_view id, double s) {
  const int index = parameter_at(*step.type, id);
  const Curve* curve = curve_of(step.curves, index);
  return curve ? value_at(*curve, step.type->parameters[static_cast<size_t>(index)], s)
               : step.settings[static_cast<size_t>(index)];
}
bool has_curve(const ChainStep& step, std::string_view id) {
  return curve_of(step.curves, parameter_at(*step.type, id)) != nullptr;
}

}  // namespace

Standing standing_at(const Reel& reel, const Clip& clip, double s) {
  Standing out;
  out.feeder = clip.id;
  if (is_bus(clip)) return out;
  if (const ChainStep* own = own_acoustics(clip)) {
    out.by = StandsBy::acoustics;
    out.azimuth_deg = value_of(*own, "azimuth_deg", s);
    out.distance_m = value_of(*own, "distance_m", s);
    out.moves = has_curve(*own, "azimuth_deg") || has_curve(*own, "distance_m");
    return out;
  }
  const auto drawn = edits::drawn_place(clip);
  if (drawn) {
    out.by = StandsBy::pan;
    out.azimuth_deg = edits::place_at(clip, s) * edits::picture_half_deg;
    out.moves = way_of(reel, clip).has_value();
    return out;
  }
  const auto send = standing_send(reel, clip);
  if (!send) return out;
  const SendPlace place =
      send->place.value_or(common_place(*placing_step(*find_space(reel, send->space))));
  out.by = StandsBy::space;
  out.space = send->space;
  if (std::ranges::find(clip.sends, send->space, &Send::space) == clip.sends.end())
    out.feeder = clip.group;
  out.azimuth_deg = at(place.azimuth, send_azimuth_parameter(), s, place.azimuth_deg);
  out.distance_m = at(place.distance, send_distance_parameter(), s, place.distance_m);
  out.moves = place.azimuth || place.distance;
  return out;
}

double share_of(const Standing& standing) { return standing.azimuth_deg / edits::picture_half_deg; }

std::optional<Curve> way_of(const Reel& reel, const Clip& clip) {
  if (const auto drawn = edits::drawn_place(clip)) {
    const ChainStep* step = find_step(reel, clip, drawn->step);
    const Curve* curve = step ? curve_of(step->curves, drawn->parameter) : nullptr;
    return curve ? std::optional(*curve) : std::nullopt;
  }
  const auto send = standing_send(reel, clip);
  return send && send->place ? send->place->azimuth : std::nullopt;
}

namespace edits {

namespace {

void hold_step(ChainStep& step, std::string_view id, double value, const Hold& hold) {
  const int index = parameter_at(*step.type, id);
  const Parameter& of = step.type->parameters[static_cast<size_t>(index)];
  value = std::clamp(value, of.least, of.most);
  const Curve* before = curve_of(step.curves, index);
  if (!before && !hold.over_time) {
    step.settings.values[static_cast<size_t>(index)] = value;
    return;
  }
  Curve curve = held_curve(before, of, hold.from_s, hold.to_s, value);
  std::erase_if(step.curves, [&](const Track& t) { return t.parameter == index; });
  step.curves.push_back({index, std::make_shared<const Curve>(std::move(curve))});
  std::ranges::sort(step.curves, {}, &Track::parameter);
}

void hold_send(std::optional<Curve>& curve, double& still, const Parameter& of, double value,
               const Hold& hold) {
  value = std::clamp(value, of.least, of.most);
  if (!curve && !hold.over_time) {
    still = value;
    return;
  }
  curve = held_curve(curve ? &*curve : nullptr, of, hold.from_s, hold.to_s, value);
}

Edit hold_in_space(const Reel& reel, const Clip& clip, const Standing& now, Hold hold) {
  Feeder from = now.feeder;
  if (hold.alone || hold.over_time || now.moves) from = clip.id;
  SendPlace place;
  for (const Send& s : sends_of(reel, clip))
    if (s.space == now.space)
      place = s.place.value_or(common_place(*placing_step(*find_space(reel, s.space))));
  hold_send(place.azimuth, place.azimuth_deg, send_azimuth_parameter(), hold.azimuth_deg, hold);
  if (hold.distance_m)
    hold_send(place.distance, place.distance_m, send_distance_parameter(), *hold.distance_m, hold);
  return place_in_space(reel, from, now.space, std::move(place));
}

}  // namespace

Edit hold_at(const Reel& reel, ClipId id, const Hold& hold) {
  require_clip(id, "has no place in the picture");
  if (!std::isfinite(hold.azimuth_deg) || !std::isfinite(hold.distance_m.value_or(1)))
    throw impossible("That place is no number; nothing was changed.");
  Draft d(reel, id);
  const Standing now = standing_at(reel, d.clip, hold.from_s);
  switch (now.by) {
    case StandsBy::nothing:
    case StandsBy::pan: {
      const double share = hold.azimuth_deg / picture_half_deg;
      if (hold.over_time || now.moves) return hold_place(reel, id, hold.from_s, hold.to_s, share);
      if (now.by == StandsBy::nothing) d.clip.chain.steps.push_back(make_step(Role::pan));
      const auto last =
          std::ranges::find_if(d.clip.chain.steps.rbegin(), d.clip.chain.steps.rend(),
                               [](const ChainStep& s) { return s.on && is(s, Role::pan); });
      hold_step(*last, "pan_pct", 100 * share, hold);
      d.edit.merge = fmt::format("place of clip {} in the picture", id);
      return d.done(fmt::format("{} placed", d.clip.name));
    }
    case StandsBy::space:
      return hold_in_space(reel, d.clip, now, hold);
    case StandsBy::acoustics:
      break;
  }
  ChainStep& step = *std::ranges::find_if(
      d.clip.chain.steps, [](const ChainStep& s) { return s.on && is(s, Role::place); });
  // Seen from the listener: that is what is held.
  setting(step, "placed") = 0;
  hold_step(step, "azimuth_deg", hold.azimuth_deg, hold);
  if (hold.distance_m) hold_step(step, "distance_m", *hold.distance_m, hold);
  d.edit.merge = fmt::format("place of clip {} in the picture", id);
  return d.done(fmt::format("{} held on the plan", d.clip.name));
}

Edit follow_along(const Reel& reel, ClipId id, std::span<const HeldAt> shares) {
  const Clip* clip = reel.find(id);
  const Standing now = clip ? standing_at(reel, *clip, 0) : Standing{};
  if (now.by != StandsBy::space || shares.empty()) return hold_along(reel, id, shares);
  const Parameter& of = send_azimuth_parameter();
  std::vector<CurvePoint> points;
  for (const HeldAt& at : shares)
    points.push_back({at.s, std::clamp(at.share, -1.0, 1.0) * picture_half_deg, CurveShape::line});
  SendPlace place = common_place(*placing_step(*find_space(reel, now.space)));
  for (const Send& s : sends_of(reel, *clip))
    if (s.space == now.space && s.place) place = *s.place;
  const double tolerance = 0.01 * picture_half_deg / (of.most - of.least);
  place.azimuth =
      overwritten(place.azimuth ? &*place.azimuth : nullptr, thinned(points, of, tolerance));
  Edit edit = place_in_space(reel, id, now.space, std::move(place));
  edit.label = fmt::format("{} follows the picture", clip->name);
  edit.merge.clear();
  return edit;
}

}  // namespace edits
}  // namespace drevan
