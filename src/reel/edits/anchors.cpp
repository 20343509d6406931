// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/anchors.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "reel/times/clip_times.h"
#include "reel/edits/draft.h"
#include "steps/curve_edit.h"

namespace drevan {

namespace {

// Beginning, anchors, end.
using Knots = std::vector<Anchor>;

bool stretches(const ChainStep& step) {
  return is(step, Role::stretch) || is(step, Role::tape_speed);
}
bool like_tape(const ChainStep& step) { return is(step, Role::tape_speed); }

int length_parameter(const ChainStep& step) {
  return parameter_at(*step.type, like_tape(step) ? "speed_pct" : "length_pct");
}

const ChainStep* stretching_step(const Clip& clip) {
  const auto& steps = clip.chain.steps;
  const auto at =
      std::ranges::find_if(steps, [](const ChainStep& s) { return s.on && stretches(s); });
  return at == steps.end() ? nullptr : &*at;
}

double factor_of(const ChainStep& step, double pct) {
  return like_tape(step) ? 100 / pct : pct / 100;
}

// How much longer the whole is without a curve.
double even_factor(const ChainStep& step, double own_s) {
  const auto value = [&](const char* id) { return setting(step, id); };
  if (like_tape(step)) return 100 / value("speed_pct");
  return value("length_s") > 0 ? std::clamp(value("length_s") / own_s, 0.1, 4.0)
                               : value("length_pct") / 100;
}

// Whether the curve has corners alone.
bool holds(const Curve& curve) {
  for (size_t i = 0; i + 1 < curve.points.size(); ++i)
    if (curve.points[i].shape != CurveShape::hold &&
        curve.points[i].value != curve.points[i + 1].value)
      return false;
  return true;
}

const Curve* length_curve(const ChainStep& step) {
  return curve_of(step.curves, length_parameter(step));
}

Knots knots_of(const Reel& reel, const Clip& clip) {
  const double own_s = clip_seconds(reel, clip);
  const ChainStep* step = stretching_step(clip);
  if (!step) return {{{0}, {0}}, {{own_s}, {own_s}}};
  const Curve* curve = length_curve(*step);
  if (!curve || !holds(*curve)) return {{{0}, {0}}, {{own_s}, {own_s * even_factor(*step, own_s)}}};
  const auto& of = step->type->parameters[static_cast<size_t>(length_parameter(*step))];
  Knots out{{{0}, {0}}};
  const auto go_to = [&](ClipTime in) {
    const double middle = (out.back().in.s + in.s) / 2;
    const double factor = factor_of(*step, value_at(*curve, of, middle));
    out.push_back({in, out.back().out + HeardSpan{(in - out.back().in).s * factor}});
  };
  for (const CurvePoint& p : curve->points)
    if (p.s > out.back().in.s && p.s < own_s) go_to({p.s});
  go_to({own_s});
  return out;
}

}  // namespace

std::vector<Anchor> anchors_of(const Reel& reel, const Clip& clip) {
  if (is_bus(clip)) return {};
  const Knots knots = knots_of(reel, clip);
  return {knots.begin() + 1, knots.end() - 1};
}

namespace edits {

namespace {

// The step that stretches the clip by `way`, alone of its kind and without a curve.
ChainStep& stretching_step(Draft& d, StretchWay way) {
  auto& steps = d.clip.chain.steps;
  const Role role = role_of(way);
  std::erase_if(steps, [&](const ChainStep& s) { return stretches(s) && !is(s, role); });
  auto at = std::ranges::find_if(steps, [&](const ChainStep& s) { return s.on && is(s, role); });
  if (at == steps.end()) at = steps.insert(steps.begin(), make_step(role));
  at->curves.clear();
  return *at;
}

void require_one_clock(const Clip& clip, StretchWay way) {
  for (const ChainStep& s : clip.chain.steps)
    if (s.on && s.type->rewrite && !stretches(s))
      throw impossible(
          fmt::format("{} of {} has a clock of its own; print it first, then moments "
                      "can be bound.",
                      s.type->label, clip.name));
  const ChainStep* step = drevan::stretching_step(clip);
  if (!step || !is(*step, role_of(way))) return;
  if (const Curve* curve = length_curve(*step); curve && !holds(*curve))
    throw impossible(
        fmt::format("A curve is drawn along the length of {}; take it out first.", clip.name));
}

Edit put(Draft& d, const Knots& knots, StretchWay way, std::string label, std::string merge) {
  const auto [least, most] = stretch_bounds(way);
  Curve curve;
  for (size_t i = 1; i < knots.size(); ++i) {
    const double in = (knots[i].in - knots[i - 1].in).s, out = (knots[i].out - knots[i - 1].out).s;
    const double factor = out / in;
    if (!(factor >= least * 0.999 && factor <= most * 1.001))
      throw impossible(
          fmt::format("{:.2f} s of {} can last {:.2f} to {:.2f} s {}; {:.2f} s is past that.", in,
                      d.clip.name, least * in, most * in,
                      way == StretchWay::tape ? "like tape" : "and keep their pitch", out));
    const double pct = way == StretchWay::tape ? 100 / factor : 100 * factor;
    curve.points.push_back({knots[i - 1].in.s, std::clamp(pct, 10.0, 400.0), CurveShape::hold});
  }
  ChainStep& step = stretching_step(d, way);
  if (way == StretchWay::pitch) setting(step, "length_s") = 0;
  const int parameter = length_parameter(step);
  step.settings.values[static_cast<size_t>(parameter)] = curve.points.front().value;
  if (curve.points.size() > 1)
    step.curves.push_back({parameter, std::make_shared<const Curve>(std::move(curve))});
  d.edit.merge = std::move(merge);
  return d.done(std::move(label));
}

StretchWay way_of(const Clip& clip) { return stretch_way(clip).value_or(StretchWay::pitch); }

std::string merge_of(ClipId clip, size_t anchor) {
  return fmt::format("anchor {} of clip {}", anchor, clip);
}

// Index of the knot of an anchor.
size_t knot_at(const Knots& knots, int anchor) {
  if (anchor < 0 || anchor + 2 >= std::ssize(knots))
    throw impossible("That moment is not bound any more; nothing was changed.");
  return static_cast<size_t>(anchor) + 1;
}

}  // namespace

Edit bind(const Reel& reel, ClipId clip, HeardTime out, StretchWay way) {
  require_clip(clip, "has no moments of its own to bind");
  Draft d(reel, clip);
  way = stretch_way(d.clip).value_or(way);
  require_one_clock(d.clip, way);
  Knots knots = knots_of(reel, d.clip);
  const auto next = std::ranges::find_if(knots, [&](const Anchor& k) { return k.out > out; });
  if (next == knots.begin() || next == knots.end())
    throw impossible(
        fmt::format("{} is not heard there; put the playhead within it.", d.clip.name));
  const Anchor before = *(next - 1), after = *next;
  const ClipTime in =
      before.in + (after.in - before.in) * ((out - before.out) / (after.out - before.out));
  if (!((in - before.in).s >= least_between_s && (after.in - in).s >= least_between_s))
    throw impossible(
        fmt::format("A moment of {} is bound there already, or its end is.", d.clip.name));
  knots.insert(next, {in, out});
  return put(d, knots, way, fmt::format("Bind a moment of {}", reel.find(clip)->name), {});
}

Edit move_anchor(const Reel& reel, ClipId clip, int anchor, HeardTime out) {
  require_clip(clip, "has no moments of its own to bind");
  Draft d(reel, clip);
  Knots knots = knots_of(reel, d.clip);
  const size_t at = knot_at(knots, anchor);
  knots[at].out = out;
  const auto way = way_of(d.clip);
  return put(d, knots, way, fmt::format("Move a bound moment of {}", reel.find(clip)->name),
             merge_of(clip, at));
}

Edit unbind(const Reel& reel, ClipId clip, int anchor) {
  require_clip(clip, "has no moments of its own to bind");
  Draft d(reel, clip);
  Knots knots = knots_of(reel, d.clip);
  knots.erase(knots.begin() + static_cast<std::ptrdiff_t>(knot_at(knots, anchor)));
  const auto way = way_of(d.clip);
  return put(d, knots, way, fmt::format("Let a bound moment of {} go", reel.find(clip)->name), {});
}

Edit move_bound_end(const Reel& reel, ClipId clip, HeardSpan length, StretchWay way) {
  Draft d(reel, clip);
  Knots knots = knots_of(reel, d.clip);
  knots.back().out = HeardTime{0} + length;
  return put(d, knots, way, fmt::format("Stretch {} to {:.2f} s", reel.find(clip)->name, length.s),
             fmt::format("length of clip {}", clip));
}

Edit stretch_bound(const Reel& reel, ClipId clip, double factor) {
  Draft d(reel, clip);
  Knots knots = knots_of(reel, d.clip);
  for (Anchor& k : knots) k.out.s *= factor;
  const auto way = way_of(d.clip);
  return put(d, knots, way, fmt::format("Stretch {}", reel.find(clip)->name), {});
}

Edit follow_event(Edit edit, ReelTime from, ReelTime to) {
  constexpr double near_s = 0.001;
  const Reel before = edit.next;
  std::string left;
  for (const Clip& c : before.clips) {
    const auto anchors = anchors_of(before, c);
    for (size_t i = 0; i < anchors.size(); ++i) {
      const ClipTimes times = times_of(before, c);
      if (std::abs((in_reel(times, anchors[i].out) - from).s) > near_s) continue;
      try {
        edit.next = move_anchor(edit.next, c.id, static_cast<int>(i), heard(times, to)).next;
      } catch (const Error&) {
        left += (left.empty() ? "" : ", ") + c.name;
      }
    }
  }
  if (!left.empty())
    edit.told =
        fmt::format("That is past what can be stretched of {}; it stays where it was", left);
  return edit;
}

}  // namespace edits
}  // namespace drevan
