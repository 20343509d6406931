// SPDX-License-Identifier: GPL-3.0-or-later
// What turning a setting that follows a curve does to the curve.
#pragma once

#include <optional>
#include <vector>

#include "reel/reel.h"
#include "steps/curve_edit.h"
#include "work/work.h"

namespace drevan::desktop {

/// One setting being turned, from the first change to settle(): all of its curve goes up or down
/// with it, or, while it plays and what is turned is kept, the curve takes on what was turned when.
class Turning {
 public:
  explicit Turning(const Work& work) : work_(work) {}
  /// The setting of a step becomes `value` at `clip_s`; it was `from` before the first change.
  void turn(StepId step, int parameter, double from, double value, double clip_s, bool keep);
  /// The same only within a stretch of the clip, by a curve.
  void turn_within(StepId step, int parameter, double from, double value, ClipRange clip);
  /// The hand lets go, at `clip_s`.
  void settle(double clip_s);

 private:
  void begin(StepId step, int parameter, double from, bool keep);
  void write(double s, double value);
  void finish(double clip_s);
  void apply(Curve curve);
  const ChainStep* step() const;
  bool stale() const;

  const Work& work_;
  StepId step_ = 0;
  int parameter_ = 0;
  bool keep_ = false;
  double from_ = 0;
  std::shared_ptr<const Curve> base_;  // as it was before; nullptr: it stood still
  std::optional<Curve> applied_;       // as this left it last
  std::vector<CurvePoint> turned_;
};

}  // namespace drevan::desktop
