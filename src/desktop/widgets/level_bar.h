// SPDX-License-Identifier: GPL-3.0-or-later
// Levels drawn: a bar from noise floor to peak with the loudness on it.
#pragma once

#include <QPainter>
#include <functional>

#include "measure/levels.h"

namespace drevan::desktop {

/// The rounded ground of a chart.
void draw_panel(QPainter& p, const QRectF& rect);

/// Upright around `x`; `y_of` gives the height of a dB value and clamps it. `before`: in the colour of what
/// comes in. A peak over 0 dBFS glows, unless `opacity` is below 1.
void draw_level_bar(QPainter& p, const Levels& levels, double x,
                    const std::function<double(double)>& y_of, bool before, double opacity = 1);

}  // namespace drevan::desktop
