// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/turning.h"

#include "work/curve_clock.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

const ChainStep* Turning::step() const { return work_.selection.step(step_); }

void Turning::begin(StepId step, int parameter, double from, bool keep) {
  step_ = step;
  parameter_ = parameter;
  keep_ = keep;
  from_ = from;
  turned_.clear();
  applied_.reset();
  base_.reset();
  const Curve* curve = curve_of(this->step()->curves, parameter);
  if (curve) base_ = std::make_shared<const Curve>(*curve);
}

// Whether something else has changed the curve since: undo, a point in the lane.
bool Turning::stale() const {
  const Curve* now = step() ? curve_of(step()->curves, parameter_) : nullptr;
  const Curve* known = applied_ ? &*applied_ : base_.get();
  return !now != !known || (now && *now != *known);
}

void Turning::turn(StepId step, int parameter, double from, double value, double clip_s,
                   bool keep) {
  if (step_ != step || parameter_ != parameter || keep_ != keep || stale()) {
    // A hand that turns two settings at once makes one edit.
    finish(clip_s);
    begin(step, parameter, from, keep);
  }
  const auto& type = *this->step()->type;
  const Parameter& of = type.parameters[static_cast<size_t>(parameter)];
  if (keep_) {
    write(curve_clock(work_, step).curve_s(clip_s), value);
  } else if (base_) {
    apply(raised(*base_, of, to_fraction(of, value) - to_fraction(of, from_)));
  } else {
    work_.document.change([&](const Reel& reel) {
      return edits::turn(reel, work_.selection.clip_id(), step_, parameter_, value);
    });
  }
}

void Turning::turn_within(StepId step, int parameter, double from, double value, ClipRange clip) {
  if (step_ != step || parameter_ != parameter || keep_ || stale()) {
    finish(clip.begin.s);
    begin(step, parameter, from, false);
  }
  constexpr double edge_s = 0.02;
  const CurveClock clock = curve_clock(work_, step);
  const double begin = clock.curve_s(clip.begin.s), end = clock.curve_s(clip.end.s);
  const Parameter& of = this->step()->type->parameters[static_cast<size_t>(parameter)];
  const Curve flat{{{begin - edge_s, from_}}};
  const Curve& around = base_ ? *base_ : flat;
  const CurvePoint points[] = {{begin - edge_s, value_at(around, of, begin - edge_s)},
                               {begin, value},
                               {end, value},
                               {end + edge_s, value_at(around, of, end + edge_s)}};
  apply(overwritten(&around, points));
}

// Until the hand lets go the value holds, also where the curve goes elsewhere later.
void Turning::write(double s, double value) {
  if (!turned_.empty() && s < turned_.back().s) {
    // A loop has begun again: what was turned in its last round is done.
    const double from = turned_.back().value;
    const int parameter = parameter_;
    const StepId step = step_;
    settle(curve_clock(work_, step).clip_s(turned_.back().s));
    begin(step, parameter, from, true);
  }
  if (!turned_.empty() && s - turned_.back().s < least_point_distance_s)
    turned_.back().value = value;
  else
    turned_.push_back({s, value});
  const auto& of = step()->type->parameters[static_cast<size_t>(parameter_)];
  Curve now;
  if (base_)
    for (const auto& p : base_->points)
      if (p.s <= turned_.front().s - least_point_distance_s) now.points.push_back(p);
  if (!base_) now.points.push_back({turned_.front().s - 0.02, from_});
  const auto kept = thinned(turned_, of);
  now.points.insert(now.points.end(), kept.begin(), kept.end());
  apply(std::move(now));
}

void Turning::settle(double clip_s) {
  finish(clip_s);
  work_.document.end_merge();
}

// What was written ends where the hand lets go.
void Turning::finish(double clip_s) {
  const StepId ended = step_;
  if (ended != 0 && keep_ && step() && !turned_.empty() && !stale()) {
    const double now_s = curve_clock(work_, ended).curve_s(clip_s);
    if (now_s > turned_.back().s + least_point_distance_s)
      turned_.push_back({now_s, turned_.back().value});
    const auto& of = step()->type->parameters[static_cast<size_t>(parameter_)];
    Curve before{{{turned_.front().s - 0.02, from_}}};
    apply(overwritten(base_ ? base_.get() : &before, thinned(turned_, of)));
  }
  step_ = 0;
  turned_.clear();
}

void Turning::apply(Curve curve) {
  applied_ = curve;
  work_.document.change([&](const Reel& reel) {
    return edits::set_curve(reel, work_.selection.clip_id(), step_, parameter_, std::move(curve));
  });
}

}  // namespace drevan::desktop
