// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen in the demo's film, moment by moment.
#pragma once

#include "canvas.h"

namespace demo {

inline constexpr int film_width = 1280, film_height = 720, film_rate = 24;
inline constexpr double film_s = 72;
/// Where another scene begins.
inline constexpr double cuts_s[] = {12, 24, 36, 48, 60};

void draw(Canvas& canvas, double s);

/// Where the actor's middle is on the stairs and on the gallery; x below 0: not in the picture.
Point actor_at(double s);

}  // namespace demo
