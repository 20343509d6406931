// SPDX-License-Identifier: GPL-3.0-or-later
// A place of a picture that can be held.
#pragma once

#include <QPointF>
#include <QRectF>
#include <functional>
#include <optional>
#include <vector>

#include "reel/reel.h"
#include "steps/step.h"

namespace drevan::desktop {

/// What a drag sets.
struct DragValue {
  int parameter = -1;
  double value = 0;
  double grain = 0;  ///< rounded to multiples of this; 0: not at all
  /// In seconds of the clip: only there, by a curve. Empty: everywhere.
  std::optional<ClipRange> within{};
};

struct Grip {
  enum class Form {
    dot,
    level_line,    ///< moves up and down
    upright_line,  ///< moves sideways
  };
  Form form = Form::dot;
  QPointF at{};      ///< its place; of a line: its middle
  double reach = 9;  ///< from how many pixels away it is taken; below 0: only as `elsewhere` says
  QRectF within{};   ///< only from here; empty: from everywhere
  bool elsewhere = false;  ///< taken where nothing is nearer, too: it jumps to the pointer
  int page = 0;            ///< as Parameter::page; touching it shows these settings
  /// What holding it there sets; nullptr: it can only be touched.
  std::function<std::vector<DragValue>(QPointF)> drag{};
  int wheel = -1;  ///< the parameter that the wheel turns over it
  /// The parameters that a double click puts back.
  std::vector<int> resets{};
};

/// How far a point is from a grip, in pixels, in the direction it moves.
double distance(const Grip& grip, QPointF point);
/// Which grip a press there takes; those of page `page` win where some lie together.
std::optional<size_t> grip_near(const std::vector<Grip>& grips, QPointF point, int page);
/// How far the grip lies from where it was touched, so that a touch moves nothing; no way for one
/// that jumps.
QPointF held_offset(const Grip& grip, QPointF point);
/// A dragged value in its parameter's range, on its grain; `fine`: on a fifth of it.
double snapped(const DragValue& value, const Parameter& parameter, bool fine);

}  // namespace drevan::desktop
