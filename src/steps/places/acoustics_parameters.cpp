// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/places/acoustics_places.h"
#include "steps/places/acoustics_scene.h"
#include "steps/common_parameters.h"

namespace drevan {

namespace {

Parameter number(std::string_view id, std::string_view label, std::string_view unit, double least,
                 double most, double standard, int page, std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = unit,
          .least = least,
          .most = most,
          .standard = standard,
          .help = help,
          .page = page};
}
Parameter logarithmic(Parameter p) {
  p.scale = Scale::logarithmic;
  return p;
}
constexpr int the_source = 1, the_listener = 2, the_room = 3;

Parameter surface(std::string_view id, std::string_view label, int standard) {
  std::vector<Choice> of;
  for (const auto& m : surface_materials()) of.push_back({m.id, m.label});
  Parameter p = choice_parameter(id, label, of, standard, "What this side of the room is made of.");
  p.page = the_room;
  p.fixed = true;  // it is turned by making the step anew; no curve
  return p;
}
Parameter on_page(Parameter p, int page, bool fixed = false) {
  p.page = page;
  p.fixed = fixed;
  return p;
}

}  // namespace

std::vector<Parameter> acoustics_parameters() {
  Parameter keeps = level_parameter();
  keeps.standard = level_as_it_is;
  Parameter people =
      logarithmic(number("people", "People", "", 0, 500, 0, the_room, "How many there are in it."));
  people.scale = Scale::linear;
  people.whole = true;
  people.fixed = true;
  Parameter room = number("room_db", "Room", "dB", no_room_db, 20, 0, 0,
                          "The room against the direct sound: lower, and words stay clear.");
  room.off_at = no_room_db;
  Parameter pace = number("pace_m_s", "Pace", "m/s", -100, 100, 1.4, the_source,
                          "How fast it goes along its path; below 0 the other way round.");
  pace.paces = true;
  return {
      logarithmic(number("width_m", "Width", "m", 0.5, 400, 5, the_room, "From left to right.")),
      logarithmic(number("length_m", "Length", "m", 0.5, 400, 7, the_room, "From back to front.")),
      logarithmic(number("height_m", "Height", "m", 0.5, 100, 2.8, the_room, "Up to the ceiling.")),
      surface("floor", "Floor", 9),
      surface("ceiling", "Ceiling", 4),
      surface("front", "Front wall", 4),
      surface("back", "Back wall", 4),
      surface("left", "Left wall", 4),
      surface("right", "Right wall", 6),
      on_page(number("furniture_pct", "Furniture", "%", 0, 100, 30, the_room,
                     "How much of the floor is taken by things; outdoors: trees and houses."),
              the_room, true),
      people,
      on_page(number("scatter_pct", "Scattering", "%", 0, 95, 30, the_room,
                     "How much the walls send elsewhere instead of back."),
              the_room, true),
      logarithmic(number("decay_pct", "Decay", "%", 25, 400, 100, the_room,
                         "Longer or shorter than such a room would ring.")),
      number("bright_db", "Brightness", "dB", -12, 12, 0, the_room,
             "Lifts what is high of the room and lowers what is deep, or the other way."),
      room,
      number("azimuth_deg", "Direction", "deg", -180, 180, 0, the_source,
             "Where it is: 0 ahead, 90 on the right."),
      number("elevation_deg", "Height angle", "deg", -90, 90, 0, the_source,
             "How far above or below the ears."),
      logarithmic(number("distance_m", "Distance", "m", nearest_m, farthest_m, 2, the_source,
                         "How far away it is; walls keep it inside.")),
      number("spread_deg", "Spread", "deg", 0, 180, 60, the_source,
             "How far the two sides of a stereo sound stand apart."),
      on_page(choice_parameter("radiates", "Radiates",
                               {{"all_round", "to all sides"},
                                {"voice", "as a voice"},
                                {"loudspeaker", "as a loudspeaker"}},
                               1, "To where the source sends its sound."),
              the_source),
      number("faces_deg", "Faces", "deg", -180, 180, 0, the_source,
             "Where it faces: 0 towards the listener, 180 away."),
      on_page(choice_parameter("path", "Path",
                               {{"none", "stands still"},
                                {"ring", "ring round the listener"},
                                {"track", "track"},
                                {"pass_by", "pass-by"},
                                {"to_and_fro", "to and fro"},
                                {"eight", "eight"},
                                {"spiral", "spiral"},
                                {"drift", "drift"},
                                {"approach", "approach"},
                                {"drawn", "drawn on the plan"}},
                               0, "How it moves by itself."),
              the_source, true),
      logarithmic(
          number("path_m", "Path size", "m", 0.2, 400, 6, the_source, "How large its path is.")),
      pace,
      on_page(choice_parameter("travel", "Travel time", {{"off", "left out"}, {"on", "heard"}}, 0,
                               "Heard: sound from afar comes late, and what moves changes its "
                               "pitch. Left out: in step with the picture."),
              the_source, true),
      on_page(choice_parameter("listener", "Listener",
                               {{"headphones", "headphones"},
                                {"spaced", "two microphones, apart"},
                                {"crossed", "two microphones, crossed"},
                                {"mono", "one microphone"}},
                               2, "What hears it."),
              the_listener, true),
      number("turn_deg", "Turn", "deg", -180, 180, 0, the_listener,
             "Where the listener looks: 0 to the front wall, 90 to the right."),
      number("stand_x_pct", "From the left", "%", 0, 100, 50, the_listener,
             "Where the listener is, from the left wall to the right."),
      number("stand_y_pct", "From the back", "%", 0, 100, 35, the_listener,
             "Where the listener is, from the back wall to the front."),
      keeps,
      on_page(choice_parameter("placed", "Placed",
                               {{"direction", "by direction"}, {"room", "in the room"}},
                               placed_by_direction,
                               "Seen from the listener, or in metres from the back left corner of "
                               "the floor: then it stays where it is when the listener moves."),
              the_source, true),
      number("x_m", "x", "m", 0, 400, 2.5, the_source,
             "Metres from the left wall; walls keep it inside. Counts where it is placed in the "
             "room."),
      number("y_m", "y", "m", 0, 400, 4.5, the_source,
             "Metres from the back wall; walls keep it inside. Counts where it is placed in the "
             "room."),
      number("z_m", "z", "m", 0, 100, 1.6, the_source,
             "Metres above the floor. Counts where it is placed in the room."),
      on_page(choice_parameter("sides", "Of stereo",
                               {{"both", "both sides"}, {"left", "left"}, {"right", "right"}},
                               both_sides, "Which side of a stereo sound is heard."),
              the_source, true),
      on_page(number("low_end_db", "Low end", "dB", 0, 12, 0, the_room,
                     "A vehicle or a box is smaller than what is deep, which it lifts: how much."),
              the_room, true),
      on_page(choice_parameter("part", "Heard",
                               {{"all", "all of it"},
                                {"early", "direct and early sound"},
                                {"late", "what rings on"}},
                               0,
                               "All of it, or one half: the source and its first echoes, or the "
                               "rest, which is the same for all who stand in the place."),
              the_room, true)};
}

}  // namespace drevan
