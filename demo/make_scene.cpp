// SPDX-License-Identifier: GPL-3.0-or-later
// Places the demo's clips against its film: run build/release/demo/make-scene demo
#include <cstdio>
#include <filesystem>

#include "reel/edits/anchors.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "steps/catalogue.h"
#include "story.h"

namespace fs = std::filesystem;
using namespace drevan;

namespace {

fs::path folder;
Reel reel;

struct Placed {
  const char *file, *name, *group;
  double at_s, from_s = 0, lasts_s = 0;  // 0: to the end
};

void place(const Placed& p) {
  const ClipId id =
      add_clip(reel, examine_source(folder / (std::string(p.file) + ".flac")), p.group);
  Clip& clip = *reel.find(id);
  const double rate = reel.source_of(clip).rate;
  clip.name = p.name;
  clip.place = ReelTime{p.at_s};
  clip.begin = static_cast<Samples>(p.from_s * rate);
  clip.frames -= clip.begin;
  if (p.lasts_s > 0) clip.frames = std::min(clip.frames, static_cast<Samples>(p.lasts_s * rate));
  if (p.from_s > 0 || p.lasts_s > 0) clip.fade_in = clip.fade_out = {0.05, CurveShape::smooth};
}

ChainStep step(std::string_view id, std::initializer_list<std::pair<const char*, double>> s) {
  auto out = make_step(id);
  for (const auto& [name, value] : s)
    out.settings.values[static_cast<size_t>(parameter_index(*out.type, name))] = value;
  return out;
}

GroupId group(std::string_view name) {
  return std::ranges::find(reel.groups, name, &Group::name)->id;
}

void clips() {
  for (const Placed& p : std::initializer_list<Placed>{
           {"stairs-02", "stairs-02", "Ines dialogue", 12.3},
           {"lamp-room-04", "lamp-room-04", "Ines dialogue", 25.0, 0, 4.4},
           {"stairs-03", "gallery-01", "Ines dialogue", 48.4, 0, 11.2},
           {"call-in-01", "call-in-01", "Coast station", 29.0, 0, 7},
           {"opening", "opening", "Narrator", 2.0, 0, 9.3},
           {"night-two", "night-two", "Narrator", 38.5},
           {"buoy-report", "buoy-report", "Weather buoy", 61.5},
           {"beam-sweep", "beam-sweep", "Effects", 4.0},
           {"door-slam", "door", "Effects", 24.9},
           {"boat-pass", "boat-pass", "Effects", 36.0, 0, 12},
           {"foghorn", "foghorn", "Effects", 58.5},
           {"wind-tower", "wind-1", "Wind", 0.0, 0, 12.4},
           {"wind-tower", "wind-2", "Wind", 47.6, 2, 13}})
    place(p);
  for (const char* effects : {"Effects", "Wind"}) reel.at(group(effects)).kind = GroupKind::effects;
  reel.at(group("Ines dialogue")).chain = {
      {step("cut", {{"low_hz", 80}}), step("compressor", {{"threshold_db", -24}, {"ratio", 3}})}};
  reel.at(group("Coast station")).chain = {{step("loudspeaker", {{"device", 4}, {"age_pct", 30}})}};
  reel.at(group("Weather buoy")).chain = {{step("loudspeaker", {{"device", 7}, {"drive_db", 4}})}};
  reel.at(group("Wind")).chain = {{step("gain", {{"gain_db", -9}})}};
}

void scene() {
  const auto add = [](const edits::Edit& edit) { reel = edit.next; };
  add(edits::add_film(reel, folder / "skerry-light.mp4", {}));
  add(edits::add_space(
      reel, "Tower stairs",
      {{step("reverb", {{"mix_pct", 100}, {"decay_s", 2.2}, {"decay_low_s", 2.6}})}}));
  add(edits::add_space(reel, "Lamp room",
                       {{step("acoustics", {{"width_m", 4.2},
                                            {"length_m", 4.2},
                                            {"height_m", 3.4},
                                            {"furniture_pct", 15},
                                            {"level", 1},
                                            {"distance_m", 1.5}})}}));
  const SpaceId stairs = reel.spaces[0].id(), room = reel.spaces[1].id();
  using edits::Feeder;
  add(edits::set_send(reel, group("Ines dialogue"), stairs, -14));
  add(edits::set_send(reel, group("Coast station"), room, -12));
  add(edits::place_in_space(reel, group("Coast station"), room, SendPlace{40, -10, 1.6}));
  for (const Clip& c : reel.clips)
    if (c.name == "lamp-room-04") {
      // She is heard by the room alone, left of the radio on its table.
      add(edits::set_send(reel, c.id, room, 0));
      add(edits::set_direct(reel, c.id, false));
      add(edits::place_in_space(reel, c.id, room, SendPlace{-25, 0, 0.9}));
      add(edits::set_send(reel, c.id, stairs, off_send_db));
      break;
    }
  const char* names[] = {"cut to stairs", "cut to lamp room", "cut to sea", "cut to gallery",
                         "cut to buoy"};
  for (size_t i = 0; i < std::size(names); ++i)
    add(edits::add_event(reel, {{demo::cuts_s[i]}, names[i]}));
  add(edits::add_event(reel, {{25.5}, "door opens"}));
  add(edits::add_event(reel, {{52.5}, "stops"}));
  add(edits::add_event(reel, {{42.6}, "boat nearest"}));
  for (const Clip& c : reel.clips) {
    // What is loudest of the boat is heard where it is nearest, and then it hurries off.
    if (c.name == "boat-pass") {
      const ClipId id = c.id;
      add(edits::bind(reel, id, {6.0}, edits::StretchWay::pitch));
      add(edits::move_anchor(reel, id, 0, {42.6 - 36.0}));
      break;
    }
  }
  for (const Clip& c : reel.clips)
    if (c.name == "wind-2") {
      const ClipId id = c.id;
      add(edits::draw_gain(
          reel, id, Curve{{{0, -8, CurveShape::smooth}, {5, 3, CurveShape::smooth}, {12, -6}}}));
      break;
    }
  reel.mix.chain = {{step("compressor", {{"threshold_db", -18}, {"ratio", 1.5}}),
                     step("gain", {{"gain_db", 10.6}}), step("limiter", {{"ceiling_db", -1.2}})}};
  reel.target = "podcast";
  settle_step_ids(reel);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: make-scene FOLDER\n");
    return 2;
  }
  folder = fs::absolute(argv[1]);
  reel.name = "Skerry Light, against picture";
  clips();
  scene();
  save_reel(reel, folder / "skerry-light-scene.reel");
}
