#include "reel/library.h"
#include "reel/own_recipe_texts.h"

namespace drevan {

namespace {

// Values: facts of the trade where there are any (the design's section 8), else set by ear and meter on
// the demo reel.
constexpr const char* texts[] = {
    R"({"drevan_recipe":1,"name":"Voice, five steps","note":"Raw voiceover to an even voice with peaks at -3 dB. Needs room tone.","tags":["voice","clean"],"steps":[
      {"step":"normalise","settings":{"target_db":-3}},{"step":"noise-reduction","settings":{"depth_db":9}},{"step":"cut","settings":{"low_hz":80}},
      {"step":"compressor","settings":{"threshold_db":-15,"ratio":3}},{"step":"normalise","settings":{"target_db":-3}}]})",
    R"({"drevan_recipe":1,"name":"Podcast voice, mono","note":"One speaker near the microphone to -19 LUFS with peaks that stay clean.","tags":["voice","podcast"],"steps":[
      {"step":"cut","settings":{"low_hz":85}},{"step":"de-ess"},{"step":"compressor","settings":{"threshold_db":-20,"ratio":2.5,"attack_ms":8,"release_ms":150}},
      {"step":"normalise","settings":{"measure":"loudness","target_db":-19}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Podcast guest on a call","note":"A thin, uneven voice from a call: rode to one level first, then warmed.","tags":["voice","podcast","rescue"],"steps":[
      {"step":"cut","settings":{"low_hz":110}},{"step":"ride"},{"step":"equaliser","settings":{"band3_hz":220,"band3_gain_db":2.5,"band3_q":0.8,"band6_hz":3200,"band6_gain_db":-2}},
      {"step":"compressor","settings":{"threshold_db":-18,"ratio":3}},{"step":"normalise","settings":{"measure":"loudness","target_db":-19}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Dialogue, gentle","note":"As little as does the job: rumble out, noise down 6 dB, a light hand on the level. Needs room tone.","tags":["dialogue","clean"],"steps":[
      {"step":"noise-reduction","settings":{"depth_db":6}},{"step":"cut","settings":{"low_hz":80}},{"step":"compressor","settings":{"threshold_db":-14,"ratio":2,"attack_ms":10,"release_ms":180}}]})",
    R"({"drevan_recipe":1,"name":"Dialogue from a lively room","note":"Pulls the room down between and behind the words. Needs room tone.","tags":["dialogue","rescue"],"steps":[
      {"step":"noise-reduction","settings":{"depth_db":9}},{"step":"gate","settings":{"threshold_db":-38,"ratio":2,"range_db":9,"release_ms":260}},
      {"step":"equaliser","settings":{"band4_hz":480,"band4_gain_db":-3,"band4_q":1.2}},{"step":"compressor","settings":{"threshold_db":-14,"ratio":2}}]})",
    R"({"drevan_recipe":1,"name":"Audiobook chapter","note":"Even over hours: RMS near -20 dB, peaks below -3 dB, a quiet floor. Needs room tone.","tags":["voice","audiobook"],"steps":[
      {"step":"noise-reduction","settings":{"depth_db":10}},{"step":"cut","settings":{"low_hz":80}},{"step":"de-ess"},{"step":"ride"},
      {"step":"compressor","settings":{"threshold_db":-20,"ratio":2.5}},{"step":"normalise","settings":{"measure":"loudness","target_db":-20}},{"step":"limiter","settings":{"ceiling_db":-3.2}}]})",
    R"({"drevan_recipe":1,"name":"Hum and buzz out","note":"Mains hum with its harmonics and what rumbles below the voice; the tone stays.","tags":["clean","rescue"],"steps":[
      {"step":"hum-removal","settings":{"depth_db":40}},{"step":"cut","settings":{"low_hz":70}}]})",
    R"({"drevan_recipe":1,"name":"Voice, finish","note":"One compressor that leaves the voice dense and 5 dB up, then peaks held.","tags":["voice","level"],"steps":[
      {"step":"compressor","settings":{"threshold_db":-20,"ratio":2,"attack_ms":0,"release_ms":50,"make_up_db":5}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Sharp s softened","note":"For a bright microphone near a bright voice; follows the voice, not the level.","tags":["voice","clean"],"steps":[
      {"step":"de-ess","settings":{"most_db":9,"line_db":-24}}]})",
    R"({"drevan_recipe":1,"name":"Through the telephone","note":"The narrow band of a call with the grit of a small capsule.","tags":["story","phone"],"steps":[
      {"step":"cut","settings":{"low_hz":850,"low_slope_db":24,"high_hz":5100,"high_slope_db":24}},{"step":"saturation"},
      {"step":"compressor","settings":{"threshold_db":-24,"ratio":4}},{"step":"normalise","settings":{"target_db":-6}}]})",
    R"({"drevan_recipe":1,"name":"Under music","note":"An effect that leaves the melody its place: dark and low.","tags":["effects"],"steps":[
      {"step":"cut","settings":{"low_hz":60,"high_hz":1000,"high_slope_db":12}},{"step":"gain","settings":{"gain_db":-6}}]})",
    R"({"drevan_recipe":1,"name":"Effect, tight and loud","note":"A door, a step, a hit: shut between, dense within.","tags":["effects","level"],"steps":[
      {"step":"gate","settings":{"threshold_db":-45,"ratio":4,"range_db":40}},{"step":"multiband-compressor"},{"step":"limiter","settings":{"drive_db":4,"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Broadcast, ready","note":"Speech of any kind to -23 LUFS with true peaks at -1 dBTP.","tags":["delivery"],"steps":[
      {"step":"cut","settings":{"low_hz":80}},{"step":"normalise","settings":{"measure":"loudness","target_db":-23}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"One gain for the group","note":"For a group's chain: its loudest clip peaks at -3 dB and the differences between the clips stay.","tags":["level","group"],"steps":[
      {"step":"normalise","settings":{"target_db":-3,"over":"group"}}]})"};

}  // namespace

std::span<const Recipe> own_recipes() {
  static const std::vector<Recipe> all = [] {
    std::vector<Recipe> out;
    for (const char* text : texts) out.push_back(recipe_from_text(text, "own recipe"));
    for (const auto more : {effect_recipe_texts(), place_recipe_texts(), room_recipe_texts()})
      for (const char* text : more) out.push_back(recipe_from_text(text, "own recipe"));
    return out;
  }();
  return all;
}

}  // namespace drevan
