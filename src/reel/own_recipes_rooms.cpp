// Drevan's own recipes for the story: devices and places.
#include "reel/own_recipe_texts.h"

namespace drevan {

namespace {

// Places as they stand in steps/places.json; the rest set by meter and eye; no source.
constexpr const char* room_texts[] = {
    R"({"drevan_recipe":1,"name":"Wireless in the galley","note":"An old set on a steel shelf, a little loose, between pots.","tags":["story","device","room"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-24,"ratio":3,"make_up_db":4}},
      {"step":"loudspeaker","settings":{"device":"galley_wireless","age_pct":35}},
      {"step":"acoustics","settings":{"width_m":2.4,"length_m":4,"height_m":2.2,"floor":"linoleum","ceiling":"steel","front":"steel","back":"steel","left":"panelling","right":"steel","furniture_pct":40,"people":1,"scatter_pct":40,"distance_m":1.5,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Announcement on the pier in fog","note":"A horn on a mast, driven hard; houses answer late.","tags":["story","device","outdoors"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-26,"ratio":5,"make_up_db":7}},
      {"step":"loudspeaker","settings":{"device":"pier_horn","drive_db":6}},
      {"step":"acoustics","settings":{"width_m":200,"length_m":200,"height_m":60,"floor":"water","ceiling":"open","front":"open","back":"open","left":"open","right":"open","furniture_pct":35,"scatter_pct":20,"distance_m":25,"azimuth_deg":-20,"radiates":"loudspeaker","level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Loud-hailer over water","note":"Shouted from a boat, hard and narrow, with nothing round it but water.","tags":["story","device","outdoors"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-28,"ratio":6,"make_up_db":8}},
      {"step":"loudspeaker","settings":{"device":"loud_hailer","drive_db":12}},
      {"step":"acoustics","settings":{"width_m":200,"length_m":200,"height_m":60,"floor":"water","ceiling":"open","front":"open","back":"open","left":"open","right":"open","furniture_pct":8,"scatter_pct":20,"distance_m":40,"azimuth_deg":15,"radiates":"loudspeaker","level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Drying cellar","note":"Low brick vaults below the tower; words stay clear.","tags":["story","room"],"steps":[
      {"step":"acoustics","settings":{"width_m":5,"length_m":7,"height_m":2.3,"floor":"concrete","ceiling":"brick","front":"brick","back":"brick","left":"brick","right":"brick","furniture_pct":20,"scatter_pct":30,"distance_m":3,"room_db":-3,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Chapel on the point","note":"Small, of stone, with a wooden roof.","tags":["story","room"],"steps":[
      {"step":"acoustics","settings":{"width_m":8,"length_m":16,"height_m":9,"floor":"stone","ceiling":"planks","front":"plaster","back":"plaster","left":"plaster","right":"plaster","furniture_pct":40,"people":6,"scatter_pct":30,"distance_m":5,"room_db":-4,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Inside the buoy","note":"A steel shell, close and ringing.","tags":["story","room"],"steps":[
      {"step":"acoustics","settings":{"width_m":1.6,"length_m":1.6,"height_m":2.2,"floor":"steel","ceiling":"steel","front":"steel","back":"steel","left":"steel","right":"steel","scatter_pct":10,"distance_m":0.6,"room_db":-6,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"The lamp room","note":"Glass all round, the sea outside.","tags":["story","room"],"steps":[
      {"step":"acoustics","settings":{"width_m":4,"length_m":4,"height_m":4.5,"floor":"planks","ceiling":"steel","front":"glass","back":"glass","left":"glass","right":"glass","furniture_pct":30,"people":1,"scatter_pct":30,"distance_m":1.8,"room_db":-2,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"On the stairs","note":"Three flights below, in stone.","tags":["story","room"],"steps":[
      {"step":"acoustics","settings":{"width_m":3.2,"length_m":3.2,"height_m":14,"floor":"stone","ceiling":"stone","front":"rock","back":"rock","left":"rock","right":"rock","scatter_pct":35,"distance_m":5,"elevation_deg":40,"faces_deg":120,"room_db":-3,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A tape in a car","note":"Worn, out of the door, in a small dull space.","tags":["story","device","room"],"steps":[
      {"step":"saturation","settings":{"drive_db":10}},
      {"step":"cut","settings":{"high_hz":9000}},
      {"step":"loudspeaker","settings":{"device":"car_door","drive_db":4,"age_pct":20}},
      {"step":"acoustics","settings":{"width_m":1.5,"length_m":2.6,"height_m":1.2,"floor":"trim","ceiling":"trim","front":"glass","back":"glass","left":"glass","right":"glass","furniture_pct":100,"people":1,"scatter_pct":40,"distance_m":0.7,"azimuth_deg":-50,"elevation_deg":-35,"radiates":"loudspeaker","level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Across a field at dusk","note":"Somebody calls from far away; grass takes the rest.","tags":["story","outdoors"],"steps":[
      {"step":"acoustics","settings":{"width_m":200,"length_m":200,"height_m":60,"floor":"grass","ceiling":"open","front":"open","back":"open","left":"open","right":"open","scatter_pct":10,"distance_m":45,"azimuth_deg":10,"level":"kept"}},
      {"step":"gain","settings":{"gain_db":-6}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Someone circling","note":"Round and round the listener's head; for headphones.","tags":["story","path","headphones"],"steps":[
      {"step":"acoustics","settings":{"width_m":3.6,"length_m":4.2,"height_m":2.4,"floor":"carpet","ceiling":"panelling","front":"books","back":"glass","left":"panelling","right":"panelling","furniture_pct":80,"people":1,"scatter_pct":50,"distance_m":1.4,"listener":"headphones","path":"ring","pace_m_s":1.2,"spread_deg":0,"room_db":-4,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A boat goes by","note":"From left to right with its pitch falling as it passes.","tags":["story","path","outdoors"],"steps":[
      {"step":"acoustics","settings":{"width_m":200,"length_m":200,"height_m":60,"floor":"water","ceiling":"open","front":"open","back":"open","left":"open","right":"open","furniture_pct":10,"scatter_pct":20,"distance_m":14,"path":"pass_by","path_m":120,"pace_m_s":12,"travel":"on","radiates":"all_round","level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Thoughts","note":"Close to the ear, and a soft room that is nowhere.","tags":["story","mind"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-26,"ratio":3,"make_up_db":4}},
      {"step":"acoustics","settings":{"width_m":7,"length_m":9,"height_m":6,"floor":"carpet","ceiling":"stone","front":"curtain","back":"stone","left":"stone","right":"stone","scatter_pct":80,"bright_db":-6,"room_db":3,"distance_m":0.4,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Remembered","note":"Far and bright, longer than a room can be.","tags":["story","mind"],"steps":[
      {"step":"acoustics","settings":{"width_m":18,"length_m":26,"height_m":12,"floor":"stone","ceiling":"plaster","front":"plaster","back":"plaster","left":"plaster","right":"plaster","scatter_pct":70,"decay_pct":180,"bright_db":5,"distance_m":6,"room_db":-2,"level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"On the kitchen table","note":"A call with the telephone set to aloud, the family listening.","tags":["story","phone","device","room"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-24,"ratio":3,"make_up_db":5}},
      {"step":"telephone","settings":{"network":"mobile_12"}},
      {"step":"loudspeaker","settings":{"device":"hands_free","drive_db":3}},
      {"step":"acoustics","settings":{"width_m":3.5,"length_m":4.5,"height_m":2.6,"floor":"stone","ceiling":"plaster","front":"panelling","back":"glass","left":"plaster","right":"plaster","furniture_pct":60,"people":1,"scatter_pct":40,"distance_m":1.2,"elevation_deg":-25,"radiates":"loudspeaker","level":"kept"}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Next door's wall screen","note":"Through plasterboard, from somebody else's evening.","tags":["story","device","room","wall"],"steps":[
      {"step":"loudspeaker","settings":{"device":"wall_screen","drive_db":2}},
      {"step":"acoustics","settings":{"width_m":3.5,"length_m":4,"height_m":2.5,"floor":"thick_carpet","ceiling":"plaster","front":"curtain","back":"plaster","left":"plasterboard","right":"plasterboard","furniture_pct":100,"scatter_pct":50,"distance_m":2,"radiates":"loudspeaker","level":"kept"}},
      {"step":"wall","settings":{"material":"plasterboard","thickness_mm":100,"opening_m2":0.03,"room_pct":35,"level":"kept"}},
      {"step":"gain","settings":{"gain_db":-5}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})"};

}  // namespace

std::span<const char* const> room_recipe_texts() { return room_texts; }

}  // namespace drevan
