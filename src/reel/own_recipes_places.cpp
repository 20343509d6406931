// Drevan's own recipes for the story: what a sound comes out of, and what stands before it.
#include "reel/own_recipe_texts.h"

namespace drevan {

namespace {

// Values: set by meter and eye on the demo reel's level paths; no source.
constexpr const char* place_texts[] = {
    R"({"drevan_recipe":1,"name":"A call by land","note":"A voice on a landline, clean, as loud as it was.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-22,"ratio":3,"make_up_db":4}},{"step":"telephone","settings":{"network":"landline_a"}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Ship's telephone","note":"Wire through wet steel: narrow, gritty, hissing.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-26,"ratio":4,"make_up_db":6}},
      {"step":"telephone","settings":{"network":"landline_u","low_hz":450,"high_hz":2800,"grit_pct":50,"noise_db":-46,"clicks_pct":10}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A message left at night","note":"A mobile held close, a little over-driven, played back the next day.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-26,"ratio":4,"make_up_db":8}},{"step":"telephone","settings":{"network":"mobile_7","grit_pct":20,"noise_db":-56}},
      {"step":"cut","settings":{"low_hz":350,"high_hz":3000}},{"step":"gain","settings":{"gain_db":3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Dispatcher","note":"A headset on a busy desk, wide and pressed.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-28,"ratio":6,"attack_ms":2,"make_up_db":9}},{"step":"telephone","settings":{"network":"wideband","low_hz":300,"high_hz":5000,"grit_pct":30}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Bad reception","note":"Words go missing on a thin mobile line.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-24,"ratio":3,"make_up_db":5}},{"step":"telephone","settings":{"network":"mobile_5","loss_pct":14}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A call over the internet","note":"Wide, with a packet lost here and there.","tags":["story","phone"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-22,"ratio":3,"make_up_db":4}},{"step":"telephone","settings":{"network":"internet","low_hz":90,"loss_pct":3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Coast station","note":"Marine radio from far along the coast: pressed, hissing, with the squelch's tail.","tags":["story","radio"],"steps":[
      {"step":"radio-link","settings":{"system":"marine","signal_db":15}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Hand-held on the cliff","note":"At the edge of its range: breaks up and comes back.","tags":["story","radio"],"steps":[
      {"step":"radio-link","settings":{"system":"hand_held","signal_db":11,"fading_pct":60,"fades_hz":0.8}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A broadcast at night","note":"Medium wave with somebody else far under it.","tags":["story","radio"],"steps":[
      {"step":"radio-link","settings":{"system":"broadcast","low_hz":90,"high_hz":4500,"signal_db":28,"station_db":-26,"squelch":"off"}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Across the ocean","note":"Shortwave that swells and sinks, hollow at times.","tags":["story","radio"],"steps":[
      {"step":"radio-link","settings":{"system":"shortwave","low_hz":150,"signal_db":22,"fading_pct":75,"fades_hz":0.3,"squelch":"off"}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"The next cabin","note":"Through a steel bulkhead into a small hard room. As quiet as a wall makes it, lifted again a little.","tags":["story","wall"],"steps":[
      {"step":"wall","settings":{"material":"steel","thickness_mm":6,"opening_m2":0.04,"room_s":0.3,"room_pct":45,"level":"kept"}},{"step":"gain","settings":{"gain_db":-5}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Through the mess bulkhead","note":"A loud table behind timber: words can be guessed.","tags":["story","wall"],"steps":[
      {"step":"wall","settings":{"material":"timber","thickness_mm":30,"opening_m2":0.01,"room_s":0.5,"room_pct":35,"level":"kept"}},{"step":"gain","settings":{"gain_db":-4}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"The door ajar","note":"From the next room, the door not quite shut.","tags":["story","wall"],"steps":[
      {"step":"wall","settings":{"material":"timber","thickness_mm":38,"opening_m2":0.25,"room_s":0.45,"room_pct":40,"level":"kept"}},{"step":"gain","settings":{"gain_db":-3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":2,"name":"A door swings open","note":"Muffled, then there: the opening follows a curve; move its points to the door.","tags":["story","wall"],"steps":[
      {"step":"wall","settings":{"material":"timber","thickness_mm":38,"room_s":0.45,"room_pct":30},"curves":{"opening_m2":[[0,0.02],[1.2,0.02,"smooth"],[2.4,2]]}},
      {"step":"gain","settings":{"gain_db":7}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"From the cellar","note":"Below a floor of concrete: a rumble that was a voice.","tags":["story","wall"],"steps":[
      {"step":"wall","settings":{"material":"concrete","thickness_mm":140,"opening_m2":0.04,"room_s":0.7,"room_pct":45,"level":"kept"}},{"step":"gain","settings":{"gain_db":-6}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A call through the wall","note":"Somebody next door has the telephone on aloud.","tags":["story","phone","wall"],"steps":[
      {"step":"telephone","settings":{"network":"landline_a","low_hz":350}},{"step":"wall","settings":{"material":"plasterboard","thickness_mm":100,"opening_m2":0.05,"room_pct":40,"level":"kept"}},
      {"step":"gain","settings":{"gain_db":-4}},{"step":"limiter","settings":{"ceiling_db":-1}}]})"};

}  // namespace

std::span<const char* const> place_recipe_texts() { return place_texts; }

}  // namespace drevan
