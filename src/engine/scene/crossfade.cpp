// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/crossfade.h"

#include <algorithm>
#include <cmath>

#include "dsp/sums.h"
#include "engine/planning/clip_sound.h"

namespace drevan {

namespace {

constexpr double most_heard_s = 10;

// `frames` of a clip's own sound from `from_s` on, without its fades; silence where there is none.
AudioBuffer own_sound(const Reel& reel, const Clip& clip, double from_s, int frames) {
  ClipSound sound = clip_sound(reel, clip, Crossings(Reel{}));
  sound.fade_in = sound.fade_out = {};
  ClipReader reader(sound);
  AudioBuffer out(reader.channels(), frames);
  reader.seek(std::llround(from_s * reel.rate));
  for (int at = 0; at < frames;) {
    const int n = reader.read(out.block(at, std::min(4096, frames - at)));
    if (n == 0) break;
    at += n;
  }
  return out;
}

}  // namespace

std::pair<float, float> crossfade(double t, double alike) {
  const double r = std::clamp(alike, 0.0, 1.0), u = 1 - t;
  const double level = std::sqrt(t * t + u * u + 2 * r * t * u);
  return {static_cast<float>(u / level), static_cast<float>(t / level)};
}

double crossfade_moment(double x, double middle) {
  return std::pow(std::clamp(x, 0.0, 1.0), std::log(0.5) / std::log(middle));
}

double alike_where_they_cross(const Reel& reel, const Crossing& crossing) {
  const Clip &before = *reel.find(crossing.before), &after = *reel.find(crossing.after);
  // Clips that are stretched otherwise cross over other lengths of their own: the shorter counts.
  const double all_s = std::min(crossing.out.s, crossing.in.s);
  const double heard_s = std::min(all_s, most_heard_s), skip_s = (all_s - heard_s) / 2;
  const int frames = std::max(1, static_cast<int>(heard_s * reel.rate));
  const AudioBuffer going =
      own_sound(reel, before, clip_seconds(reel, before) - crossing.out.s + skip_s, frames);
  const AudioBuffer coming = own_sound(reel, after, skip_s, frames);
  double going_power = 0, coming_power = 0, both = 0;
  for (int c = 0; c < std::max(going.channels(), coming.channels()); ++c) {
    const auto a = going.channel(std::min(c, going.channels() - 1)),
               b = coming.channel(std::min(c, coming.channels() - 1));
    going_power += sum_of_squares(a);
    coming_power += sum_of_squares(b);
    both += sum_of_products(a, b);
  }
  if (going_power <= 0 || coming_power <= 0) return 1;
  return both / std::sqrt(going_power * coming_power);
}

}  // namespace drevan
