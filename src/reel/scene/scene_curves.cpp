// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/scene_curves.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "reel/edits/anchors.h"
#include "reel/edits/draft.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"

namespace drevan::edits {

namespace {

constexpr double apart_s = 0.15;

auto first_of(auto& steps, Role role) {
  return std::ranges::find_if(steps, [&](const ChainStep& s) { return s.on && is(s, role); });
}

const ChainStep* step_of(const Clip& clip, const std::optional<DrawnSetting>& drawn) {
  if (!drawn) return nullptr;
  return &*std::ranges::find(clip.chain.steps, drawn->step, &ChainStep::id);
}

// -1 to 1 in the parameter's unit.
double unit_of(const ChainStep& step) { return is(step, Role::pan) ? 100 : picture_half_deg; }

}  // namespace

std::optional<StretchWay> stretch_way(const Clip& clip) {
  for (const auto way : {StretchWay::pitch, StretchWay::tape})
    if (first_of(clip.chain.steps, role_of(way)) != clip.chain.steps.end()) return way;
  return std::nullopt;
}

StretchBounds stretch_bounds(StretchWay way) {
  if (way == StretchWay::pitch) return {};
  const Parameter& speed = parameter_of(step_for(Role::tape_speed), "speed_pct");
  return {100 / speed.most, 100 / speed.least};
}

Edit stretch_to(const Reel& reel, ClipId clip, HeardSpan length, StretchWay way) {
  require_clip(clip, "is stretched by stretching its clips");
  Draft d(reel, clip);
  if (!anchors_of(reel, d.clip).empty()) return move_bound_end(reel, clip, length, way);
  const double own_s = clip_seconds(reel, d.clip), seconds = length.s;
  const double factor = seconds / own_s;
  const auto [least, most] = stretch_bounds(way);
  if (!(factor >= least && factor <= most))
    throw impossible(fmt::format("{} can become {:.2f} to {:.2f} s long {}; {:.2f} s is past that.",
                                 d.clip.name, least * own_s, most * own_s,
                                 way == StretchWay::pitch ? "and keep its pitch" : "like tape",
                                 seconds));
  auto& steps = d.clip.chain.steps;
  const auto other = role_of(way == StretchWay::pitch ? StretchWay::tape : StretchWay::pitch);
  std::erase_if(steps, [&](const ChainStep& s) { return is(s, other); });
  auto at = first_of(steps, role_of(way));
  if (at == steps.end()) at = steps.insert(steps.begin(), make_step(role_of(way)));
  at->curves.clear();
  if (way == StretchWay::pitch)
    setting(*at, "length_s") = seconds;
  else
    setting(*at, "speed_pct") = std::clamp(100 / factor, 10.0, 400.0);
  d.edit.merge = fmt::format("length of clip {}", clip);
  return d.done(fmt::format("Stretch {} to {:.2f} s", d.clip.name, seconds));
}

Edit take_out_stretch(const Reel& reel, ClipId clip) {
  Draft d(reel, clip);
  std::erase_if(d.clip.chain.steps,
                [](const ChainStep& s) { return is(s, Role::stretch) || is(s, Role::tape_speed); });
  return d.done(fmt::format("{} as long as it came", d.clip.name));
}

std::optional<DrawnSetting> drawn_gain(const Clip& clip) {
  const auto& steps = clip.chain.steps;
  if (steps.empty() || !steps.back().on || !is(steps.back(), Role::gain)) return std::nullopt;
  return DrawnSetting{steps.back().id, parameter_at(*steps.back().type, "gain_db")};
}

Edit draw_gain(const Reel& reel, ClipId clip, std::optional<Curve> curve) {
  Draft d(reel, clip);
  if (!drawn_gain(d.clip)) d.clip.chain.steps.push_back(make_step(Role::gain));
  ChainStep& step = d.clip.chain.steps.back();
  const int parameter = parameter_at(*step.type, "gain_db");
  if (curve) require_curve(*curve, step.type->parameters[static_cast<size_t>(parameter)]);
  std::erase_if(step.curves, [&](const Track& t) { return t.parameter == parameter; });
  if (curve) step.curves.push_back({parameter, std::make_shared<const Curve>(std::move(*curve))});
  d.edit.merge = fmt::format("gain along clip {}", clip);
  return d.done(fmt::format("Gain of {} over time", d.clip.name));
}

std::optional<DrawnSetting> drawn_place(const Clip& clip) {
  const auto& steps = clip.chain.steps;
  if (const auto at = first_of(steps, Role::place); at != steps.end())
    return DrawnSetting{at->id, parameter_at(*at->type, "azimuth_deg")};
  for (auto at = steps.rbegin(); at != steps.rend(); ++at)
    if (at->on && is(*at, Role::pan))
      return DrawnSetting{at->id, parameter_at(*at->type, "pan_pct")};
  return std::nullopt;
}

double place_at(const Clip& clip, double s) {
  const auto drawn = drawn_place(clip);
  const ChainStep* step = step_of(clip, drawn);
  if (!step) return 0;
  const auto index = static_cast<size_t>(drawn->parameter);
  const Curve* curve = curve_of(step->curves, drawn->parameter);
  const double value =
      curve ? value_at(*curve, step->type->parameters[index], s) : step->settings[index];
  return value / unit_of(*step);
}

namespace {

// The step that places the clip, added where there is none.
ChainStep& placing_step(Draft& d) {
  require_clip(d.clip.id, "has no place in the picture");
  if (!drawn_place(d.clip)) {
    d.clip.chain.steps.push_back(make_step(Role::pan));
    settle_step_ids(d.edit.next);
  }
  return *std::ranges::find(d.clip.chain.steps, drawn_place(d.clip)->step, &ChainStep::id);
}

void put_curve(ChainStep& step, int parameter, Curve curve) {
  require_curve(curve, step.type->parameters[static_cast<size_t>(parameter)]);
  std::erase_if(step.curves, [&](const Track& t) { return t.parameter == parameter; });
  step.curves.push_back({parameter, std::make_shared<const Curve>(std::move(curve))});
  std::ranges::sort(step.curves, {}, &Track::parameter);
}

}  // namespace

Curve held_curve(const Curve* before, const Parameter& of, double from_s, double to_s,
                 double value) {
  const double end_s = std::max(to_s, from_s);
  Curve curve = before ? *before : Curve{};
  // What was drawn there before gives way, but for the moment where the hand came from.
  std::erase_if(curve.points, [&](const CurvePoint& p) {
    return p.s > from_s + least_point_distance_s && p.s < end_s + least_point_distance_s;
  });
  curve = with_point(std::move(curve), of, end_s, value);
  // Smooth between moments that were held apart; along a way of the hand straight from one to the
  // next.
  for (size_t i = 0; i < curve.points.size(); ++i) {
    const bool apart =
        i + 1 == curve.points.size() || curve.points[i + 1].s - curve.points[i].s > apart_s;
    curve.points[i].shape = apart ? CurveShape::smooth : CurveShape::line;
  }
  return curve;
}

Edit hold_place(const Reel& reel, ClipId clip, double from_s, double to_s, double share) {
  Draft d(reel, clip);
  ChainStep& step = placing_step(d);
  const int parameter = drawn_place(d.clip)->parameter;
  const double value = std::clamp(share, -1.0, 1.0) * unit_of(step);
  put_curve(step, parameter,
            held_curve(curve_of(step.curves, parameter),
                       step.type->parameters[static_cast<size_t>(parameter)], from_s, to_s, value));
  d.edit.merge = fmt::format("place of clip {} in the picture", clip);
  return d.done(fmt::format("{} held on the picture", d.clip.name));
}

Edit hold_along(const Reel& reel, ClipId clip, std::span<const HeldAt> shares) {
  Draft d(reel, clip);
  if (shares.empty()) throw impossible("There is no way to follow; nothing was changed.");
  ChainStep& step = placing_step(d);
  const int parameter = drawn_place(d.clip)->parameter;
  const Parameter& of = step.type->parameters[static_cast<size_t>(parameter)];
  std::vector<CurvePoint> points;
  for (const HeldAt& at : shares)
    points.push_back({at.s, std::clamp(at.share, -1.0, 1.0) * unit_of(step), CurveShape::line});
  // A part of the parameter's range, which is not the picture's width for all.
  const double tolerance = 0.01 * unit_of(step) / (of.most - of.least);
  put_curve(step, parameter,
            overwritten(curve_of(step.curves, parameter), thinned(points, of, tolerance)));
  return d.done(fmt::format("{} follows the picture", d.clip.name));
}

}  // namespace drevan::edits
