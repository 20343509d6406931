// Drevan's own recipes for the story: voices and effects.
#include "reel/own_recipe_texts.h"

namespace drevan {

namespace {

// Values: set by meter and eye on the demo reel's level paths; no source.
constexpr const char* effect_texts[] = {
    R"({"drevan_recipe":1,"name":"A machine","note":"A robot of the early films: the voice times a low tone, few bits.","tags":["story","voice","machine"],"steps":[
      {"step":"ring-modulator","settings":{"carrier_hz":52,"mix_pct":75}},{"step":"distortion","settings":{"kind":"bits","bits":7,"drive_db":3,"mix_pct":60}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Many as one","note":"One voice as a crowd that speaks together.","tags":["story","voice"],"steps":[
      {"step":"doubler","settings":{"shift_1_st":0.2,"shift_2_st":-0.2,"shift_3_st":-4,"shift_4_st":5,"level_1_db":-2,"level_2_db":-2,"level_3_db":-5,"level_4_db":-6,"delay_3_ms":45,"delay_4_ms":38,"drift_ms":5,"dry_db":-3}},
      {"step":"reverb","settings":{"size_pct":80,"decay_low_s":0.6,"decay_s":0.6,"decay_high_s":0.4,"mix_pct":15}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A giant","note":"Large, slow and dark, with weight below.","tags":["story","voice"],"steps":[
      {"step":"pitch","settings":{"shift_st":-7,"formant_st":-5}},{"step":"equaliser","settings":{"band3_hz":110,"band3_gain_db":4,"band3_q":0.8}},
      {"step":"compressor","settings":{"threshold_db":-22,"ratio":3}},{"step":"reverb","settings":{"size_pct":180,"decay_low_s":1.6,"decay_s":1.1,"decay_high_s":0.5,"mix_pct":14}},
      {"step":"gain","settings":{"gain_db":4}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Something tiny","note":"High and small, quick on its feet.","tags":["story","voice"],"steps":[
      {"step":"cut","settings":{"low_hz":180}},{"step":"pitch","settings":{"shift_st":9,"formant_st":6}},
      {"step":"gain","settings":{"gain_db":2.2}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A machine on noise","note":"No voice at all: noise that speaks.","tags":["story","voice","machine"],"steps":[
      {"step":"vocoder","settings":{"carrier":"noise","bands":24}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":2,"name":"A chord of voices","note":"One speaker sings as a choir, its s sounds let through.","tags":["story","voice"],"steps":[
      {"step":"vocoder","settings":{"carrier":"chord","bands":40,"release_ms":30,"sharp_db":-8,"chord":"A2 C#3 E3 A3"}},
      {"step":"reverb","settings":{"size_pct":180,"decay_low_s":2.2,"decay_s":2.2,"decay_high_s":1.2,"pre_delay_ms":30,"mix_pct":25,"out":"stereo"}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A robot","note":"One pitch, hard and clear.","tags":["story","voice","machine"],"steps":[
      {"step":"vocoder","settings":{"carrier":"saw","carrier_hz":98,"bands":28,"sharp_db":-8}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Without melody","note":"The speaker's own pitch, held still, as of one asleep.","tags":["story","voice"],"steps":[
      {"step":"vocoder","settings":{"carrier":"own_pitch","bands":48,"high_hz":11000,"sharp_db":-6,"mix_pct":85}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Far away","note":"Across a valley: dull, late and mostly echo.","tags":["story","voice"],"steps":[
      {"step":"cut","settings":{"low_hz":250,"high_hz":3200}},{"step":"reverb","settings":{"size_pct":220,"decay_low_s":1.2,"decay_s":1.8,"decay_high_s":0.7,"damping_hz":2500,"pre_delay_ms":40,"early_db":-12,"mix_pct":70}},
      {"step":"delay","settings":{"time_1_ms":640,"level_1_db":-14,"feedback_1_pct":20,"high_hz":2000}},{"step":"gain","settings":{"gain_db":5}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Spirits","note":"The voice far behind two others, above and below it.","tags":["story","voice"],"steps":[
      {"step":"doubler","settings":{"shift_1_st":-5,"shift_2_st":7,"level_1_db":-3,"level_2_db":-6,"dry_db":-14,"drift_ms":5}},
      {"step":"reverb","settings":{"size_pct":220,"decay_low_s":3,"decay_s":4,"decay_high_s":3,"early_db":-60,"pre_delay_ms":60,"mix_pct":35}},{"step":"gain","settings":{"gain_db":3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":2,"name":"A tape that stops","note":"Slower and deeper until it stands; put it on the last word.","tags":["story","voice","effects"],"steps":[
      {"step":"gain","curves":{"gain_db":[[1.8,0,"smooth"],[2.2,-60]]}},{"step":"speed","curves":{"speed_pct":[[0,100],[0.6,100,"smooth"],[2.2,40]]}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A ghost behind echoes","note":"Thin and wavering, behind a wall of echoes that give way to the words.","tags":["story","voice"],"steps":[
      {"step":"cut","settings":{"low_hz":220}},{"step":"chorus","settings":{"voices":4,"rate_hz":1.4,"depth_ms":7,"mix_pct":80}},
      {"step":"delay","settings":{"time_1_ms":180,"level_1_db":-5,"feedback_1_pct":70,"time_2_ms":310,"level_2_db":-9,"feedback_2_pct":55,"high_hz":3200,"duck_db":8}},
      {"step":"gain","settings":{"gain_db":3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Under water","note":"Dull and wavering, as heard with both ears below.","tags":["story","voice","effects"],"steps":[
      {"step":"cut","settings":{"low_hz":60,"high_hz":750,"high_slope_db":24}},{"step":"chorus","settings":{"voices":2,"rate_hz":1.8,"depth_ms":9,"delay_ms":12,"mix_pct":100}},
      {"step":"normalise","settings":{"target_db":-6}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A dream","note":"Slow notches that wander through the voice, and a cloud of sound.","tags":["story","voice"],"steps":[
      {"step":"phaser","settings":{"rate_hz":0.15,"stages":8,"feedback_pct":50}},
      {"step":"reverb","settings":{"size_pct":200,"decay_low_s":2,"decay_s":4,"decay_high_s":3,"damping_hz":9000,"pre_delay_ms":80,"early_db":-60,"diffusion_pct":100,"mix_pct":40}},{"step":"gain","settings":{"gain_db":3.5}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Broadcast on a worn set","note":"A narrow band, clipped, out of a tired receiver.","tags":["story","voice","radio"],"steps":[
      {"step":"cut","settings":{"low_hz":300,"low_slope_db":24,"high_hz":3800,"high_slope_db":24}},
      {"step":"distortion","settings":{"kind":"hard","drive_db":20,"tone_hz":3500,"mix_pct":65}},{"step":"compressor","settings":{"threshold_db":-24,"ratio":3}},
      {"step":"normalise","settings":{"target_db":-12}}]})",
    R"({"drevan_recipe":1,"name":"A radio host","note":"Near, dense and warm, at -19 LUFS.","tags":["story","voice"],"steps":[
      {"step":"cut","settings":{"low_hz":70}},{"step":"equaliser","settings":{"band3_hz":160,"band3_gain_db":3,"band3_q":0.8,"band6_hz":3600,"band6_gain_db":2.5}},
      {"step":"compressor","settings":{"threshold_db":-24,"ratio":4,"attack_ms":5,"release_ms":90}},{"step":"distortion","settings":{"kind":"soft","drive_db":8,"tone_hz":9000,"mix_pct":25}},
      {"step":"normalise","settings":{"measure":"loudness","target_db":-19}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"An echo that rises before the word","note":"Turned round, echoed, turned back: what rings comes first.","tags":["story","voice","effects"],"steps":[
      {"step":"reverse"},{"step":"delay","settings":{"time_1_ms":160,"level_1_db":-4,"feedback_1_pct":72,"high_hz":3500}},{"step":"reverse"},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Wind to whoosh","note":"A resonance that opens and closes sweeps wind past.","tags":["story","effects"],"steps":[
      {"step":"wah","settings":{"rate_hz":0.3,"low_hz":250,"high_hz":4500,"resonance_q":1.6,"mix_pct":90}},{"step":"tremolo","settings":{"rate_hz":0.3,"depth_pct":70}},
      {"step":"normalise","settings":{"target_db":-6}}]})",
    R"({"drevan_recipe":1,"name":"Mouth sounds to machine","note":"Clicks and hisses of a mouth as gears and steam.","tags":["story","effects","machine"],"steps":[
      {"step":"ring-modulator","settings":{"carrier_hz":310,"wander_st":3,"rate_hz":0.6,"mix_pct":70}},{"step":"flanger","settings":{"rate_hz":0.5,"delay_ms":3,"depth_ms":1,"feedback_pct":75}},
      {"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"Wings","note":"Air that is beaten, out of any rustling.","tags":["story","effects"],"steps":[
      {"step":"cut","settings":{"low_hz":120,"high_hz":5000}},{"step":"tremolo","settings":{"rate_hz":13,"depth_pct":85,"shape":"fall"}},{"step":"normalise","settings":{"target_db":-6}}]})",
    R"({"drevan_recipe":1,"name":"An engine","note":"A steady noise becomes a motor that runs.","tags":["story","effects","machine"],"steps":[
      {"step":"distortion","settings":{"kind":"soft","drive_db":22,"tone_hz":1400}},{"step":"tremolo","settings":{"rate_hz":23,"depth_pct":80,"shape":"rise"}},
      {"step":"gain","settings":{"gain_db":3.8}},{"step":"limiter","settings":{"ceiling_db":-1}}]})",
    R"({"drevan_recipe":1,"name":"A spell","note":"Whirls about the voice and goes from side to side.","tags":["story","voice"],"steps":[
      {"step":"phaser","settings":{"rate_hz":1.2,"stages":12,"feedback_pct":70}},
      {"step":"delay","settings":{"time_1_ms":260,"level_1_db":-8,"feedback_1_pct":60,"way":"ping_pong","out":"stereo","duck_db":6,"high_hz":5000}},
      {"step":"gain","settings":{"gain_db":-3}},{"step":"limiter","settings":{"ceiling_db":-1}}]})"};

}  // namespace

std::span<const char* const> effect_recipe_texts() { return effect_texts; }

}  // namespace drevan
