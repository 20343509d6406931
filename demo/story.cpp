// SPDX-License-Identifier: GPL-3.0-or-later
#include "story.h"

#include <numbers>

namespace demo {

namespace {

constexpr double pi = std::numbers::pi;
constexpr Color night{0.05, 0.08, 0.13}, dusk{0.16, 0.21, 0.30}, sea{0.09, 0.16, 0.21},
    stone{0.55, 0.50, 0.43}, dark_stone{0.22, 0.20, 0.19}, lamp{0.95, 0.72, 0.30},
    coat{0.78, 0.33, 0.22}, skin{0.80, 0.66, 0.52}, trousers{0.16, 0.17, 0.22},
    hull{0.30, 0.16, 0.13}, rope{0.35, 0.30, 0.24}, plum{0.45, 0.32, 0.46};

double ease(double t) { return t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t); }

// Waves: bands that rise and fall, each its own way.
void water(Canvas& c, double s, double horizon) {
  c.box(-2, horizon, film_width + 4.0, film_height - horizon + 4, sea);
  for (int band = 0; band < 7; ++band) {
    const double y = horizon + 14 + band * band * 7.0;
    for (double x = -60; x < film_width + 60; x += 92 + 14 * band) {
      const double at = x + 40 * std::sin(0.4 * s + band) + 23 * band,
                   rise = (2 + band) * std::sin(0.9 * s + 0.013 * x + 2.1 * band);
      c.stroke({at, y + rise}, {at + 30 + 8 * band, y + rise}, 2 + 0.4 * band, dusk, 0.55);
    }
  }
}

void beam(Canvas& c, Point from, double s, double turn_s) {
  const double turn = 2 * pi * s / turn_s, reach = std::cos(turn);
  const double side = std::sin(turn) > 0 ? 1 : 0.35;  // towards us, and away
  const Point far{from.x + 1500 * reach, from.y - 40 + 160 * std::sin(turn)};
  const double wide = 30 + 90 * std::abs(reach);
  c.polygon(reach >= 0 ? std::vector<Point>{from, {far.x, far.y - wide}, {far.x, far.y + wide}}
                       : std::vector<Point>{from, {far.x, far.y + wide}, {far.x, far.y - wide}},
            lamp, 0.20 * side * std::abs(reach) + 0.02);
  c.disc(from, 16 + 26 * std::max(0.0, std::sin(turn)), lamp,
         0.35 + 0.5 * std::max(0.0, std::sin(turn)));
}

void lighthouse(Canvas& c, double x, double foot, double tall) {
  const double w = tall * 0.22, top = foot - tall;
  c.polygon({{x - 0.6 * w, top}, {x + 0.6 * w, top}, {x + w, foot}, {x - w, foot}}, stone);
  c.polygon({{x - 0.8 * w, foot - 0.62 * tall},
             {x + 0.8 * w, foot - 0.62 * tall},
             {x + 0.87 * w, foot - 0.42 * tall},
             {x - 0.87 * w, foot - 0.42 * tall}},
            coat, 0.8);
  c.box(x - 0.8 * w, top - 0.05 * tall, 1.6 * w, 0.05 * tall, dark_stone);
  c.box(x - 0.45 * w, top - 0.20 * tall, 0.9 * w, 0.15 * tall, lamp, 0.85);
  c.polygon(
      {{x, top - 0.30 * tall}, {x + 0.6 * w, top - 0.20 * tall}, {x - 0.6 * w, top - 0.20 * tall}},
      dark_stone);
}

void boat(Canvas& c, double x, double y, double size, double s) {
  const double roll = 4 * std::sin(1.3 * s);
  c.polygon({{x - size, y - 6 + roll},
             {x + 1.15 * size, y - 10 - roll},
             {x + 0.75 * size, y + 22},
             {x - 0.8 * size, y + 22}},
            hull);
  c.box(x - 0.45 * size, y - 0.42 * size, 0.55 * size, 0.42 * size, stone, 0.9);
  c.stroke({x + 0.3 * size, y - 6}, {x + 0.3 * size, y - 0.95 * size}, 4, rope);
  c.disc({x + 0.3 * size, y - 0.97 * size}, 5, lamp);
}

// Walking: the legs swing by the way that was gone.
void actor(Canvas& c, Point at, double gone, double size, bool to_right) {
  const double swing = 0.22 * size * std::sin(gone / (0.16 * size)), way = to_right ? 1 : -1;
  const double hip = at.y + 0.42 * size, foot = at.y + size;
  c.stroke({at.x, hip}, {at.x + swing, foot}, 0.17 * size, trousers);
  c.stroke({at.x, hip}, {at.x - swing, foot}, 0.17 * size, trousers);
  c.stroke({at.x, at.y - 0.25 * size}, {at.x, hip}, 0.46 * size, coat);
  c.stroke({at.x, at.y - 0.15 * size}, {at.x - 0.7 * swing + 0.1 * way * size, at.y + 0.32 * size},
           0.13 * size, between(coat, night, 0.35));
  c.disc({at.x + 0.02 * way * size, at.y - 0.72 * size}, 0.24 * size, skin);
  c.box(at.x - 0.26 * size, at.y - 0.95 * size, 0.52 * size, 0.14 * size, trousers);
}

void outside(Canvas& c, double s) {
  c.sky(night, dusk);
  water(c, s, 470);
  beam(c, {1000, 190}, s, 6);
  c.polygon({{820, 480}, {940, 430}, {1090, 428}, {1200, 480}}, dark_stone);
  lighthouse(c, 1000, 440, 210);
  boat(c, -120 + 118 * s, 560, 74, s);
}

void stairs(Canvas& c, double s) {
  c.sky(dark_stone, between(dark_stone, night, 0.5));
  for (int i = 0; i < 12; ++i) {  // stones
    const double y = 60.0 * i;
    for (double x = (i % 2) * -70.0; x < film_width; x += 140)
      c.box(x + 2, y + 2, 136, 56,
            between(dark_stone, stone, 0.18 + 0.05 * ((i * 7 + static_cast<int>(x)) % 3)));
  }
  c.box(930, 120, 90, 150, dusk);
  c.box(972, 120, 6, 150, dark_stone);
  for (int i = 0; i < 15; ++i) {  // treads, rising to the right
    const double x = 90.0 * i - 20, y = 640 - 22.0 * i;
    c.box(x, y, 96, film_height - y, between(stone, night, 0.35 + 0.02 * (i % 3)));
    c.box(x, y, 96, 7, stone, 0.8);
  }
  const Point at = actor_at(s);
  if (at.x > -200) actor(c, at, at.x, 92, true);
}

void lamp_room(Canvas& c, double s, double in_s) {
  c.sky({0.10, 0.09, 0.09}, {0.17, 0.13, 0.10});
  for (int i = 0; i < 6; ++i) c.box(80.0 + 200 * i, 70, 170, 300, night, 0.9);
  c.box(0, 400, film_width, 320, {0.20, 0.15, 0.12});
  // The lens turns, and what it throws goes round.
  const double turn = s * 2 * pi / 6;
  for (int i = 0; i < 5; ++i) {
    const double x = 640 + 120 * std::sin(turn + i * 2 * pi / 5),
                 depth = std::cos(turn + i * 2 * pi / 5);
    c.box(x - 20, 150, 40, 250, between(lamp, stone, 0.4 - 0.3 * depth), 0.35 + 0.3 * depth);
  }
  c.box(600, 400, 80, 160, dark_stone);
  // The door at the left opens.
  const double open = ease((in_s - 1.5) / 0.8) - ease((in_s - 4.5) / 0.6);
  c.box(70, 210, 160, 350, night);
  c.box(70, 210, 160 * (1 - 0.8 * open), 350, rope);
  // The wireless on its shelf: lit while it speaks.
  const double speaks = in_s > 5 && in_s < 10.5 ? 0.5 + 0.5 * std::sin(23 * s) : 0;
  c.box(1000, 380, 150, 90, rope);
  c.disc({1040, 425}, 26, dark_stone);
  c.disc({1115, 410}, 9, lamp, 0.25 + 0.75 * speaks);
  c.box(980, 470, 190, 12, dark_stone);
  if (open > 0.3 || in_s > 3)
    actor(c, {300 + 120 * ease((in_s - 3) / 2), 430}, 120 * ease((in_s - 3) / 2), 100, true);
}

void gallery(Canvas& c, double s) {
  c.sky(night, dusk);
  water(c, s, 520);
  beam(c, {640, 80}, s, 4);
  c.box(0, 560, film_width, 160, dark_stone);
  for (double x = 20; x < film_width; x += 110) c.stroke({x, 440}, {x, 565}, 7, rope);
  c.stroke({0, 440}, {film_width, 440}, 9, rope);
  const Point at = actor_at(s);
  if (at.x > -200) actor(c, at, at.x, 104, false);
}

void buoy(Canvas& c, double s, double in_s) {
  c.sky(between(night, plum, 0.25), between(dusk, plum, 0.3));
  water(c, s, 360);
  const double roll = 22 * std::sin(0.8 * s), y = 430 + 12 * std::sin(0.9 * s + 1);
  c.polygon({{640 - 46 + roll, y - 150},
             {640 + 46 + roll, y - 150},
             {640 + 110, y + 60},
             {640 - 110, y + 60}},
            coat);
  c.stroke({640 + roll, y - 150}, {640 + 1.5 * roll, y - 240}, 8, stone);
  const bool lit = std::fmod(in_s, 3) < 0.4;
  c.disc({640 + 1.5 * roll, y - 246}, lit ? 20 : 11, lamp, lit ? 1 : 0.35);
  for (int gull = 0; gull < 3; ++gull) {
    const double x = 200 + 330 * gull + 34 * in_s,
                 h = 130 + 40 * gull + 12 * std::sin(2 * s + gull);
    const double wing = 12 * std::sin(7 * s + 2 * gull);
    c.stroke({x, h}, {x - 18, h - wing}, 3, stone, 0.8);
    c.stroke({x, h}, {x + 18, h - wing}, 3, stone, 0.8);
  }
  c.veil({0, 0, 0}, ease((in_s - 9.5) / 2.4));
}

}  // namespace

Point actor_at(double s) {
  if (s >= 12 && s < 24) {
    const double t = std::clamp((s - 12.8) / 10.4, 0.0, 1.0);
    const double x = -70 + 1420 * t;
    return {x, 640 - 22 * (x + 20) / 90 - 92};
  }
  if (s >= 48 && s < 60) {
    // He stops in the middle and looks out.
    const double in = s - 48;
    const double x = 1330 - 690 * ease(in / 4.5) - 740 * ease((in - 6.5) / 5);
    return {x, 455};
  }
  return {-1000, 0};
}

void draw(Canvas& c, double s) {
  if (s < 12)
    outside(c, s);
  else if (s < 24)
    stairs(c, s);
  else if (s < 36)
    lamp_room(c, s, s - 24);
  else if (s < 48) {
    outside(c, s - 36 + 0.01);
  } else if (s < 60)
    gallery(c, s);
  else
    buoy(c, s, s - 60);
  if (s < 1.2) c.veil({0, 0, 0}, 1 - ease(s / 1.2));
}

}  // namespace demo
