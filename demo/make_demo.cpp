// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the demo reel, "Skerry Light": its sounds, its reel and a recipe. All text and names are
// invented for it. Usage: make-demo FOLDER
#include <cstdio>
#include <filesystem>

#include "media/writer.h"
#include "reel/reel.h"
#include "sounds.h"

namespace {

using namespace demo;
namespace fs = std::filesystem;

drevan::Reel reel;
fs::path folder;

drevan::ClipId keep(const std::string& name, const std::string& group,
                    std::vector<Sound> channels) {
  size_t length = 0;
  for (const auto& c : channels) length = std::max(length, c.size());
  drevan::AudioBuffer buffer(static_cast<int>(channels.size()),
                             static_cast<drevan::Samples>(length));
  for (size_t c = 0; c < channels.size(); ++c)
    std::copy(channels[c].begin(), channels[c].end(), buffer.channel(static_cast<int>(c)).begin());
  const auto file = folder / (name + ".flac");
  drevan::AudioWriter writer(
      file,
      {drevan::Container::flac, drevan::SampleType::int16, rate, static_cast<int>(channels.size())},
      buffer.frames(), {"Skerry Light, " + name, {}});
  writer.write(buffer.block());
  writer.commit();
  std::printf("%s: %.1f s\n", file.c_str(), static_cast<double>(length) / rate);
  return drevan::add_clip(reel, drevan::examine_source(file), group);
}

// A voice in its noise: room alone first and last, the noise under everything.
Sound take(const Sound& voice, double voice_db, const Sound& noise_kind, double noise_db,
           double lead_s = 1.3, double end_s = 0.8) {
  Sound v = voice;
  peak_to(v, voice_db);
  Sound out = silence(lead_s + static_cast<double>(v.size()) / rate + end_s);
  mix(out, v, lead_s, 1);
  Sound n(noise_kind.begin(), noise_kind.begin() + static_cast<std::ptrdiff_t>(out.size()));
  power_to(n, noise_db);
  mix(out, n, 0, 1);
  return out;
}

void ines() {
  const std::string g = "Ines dialogue";
  auto v = speak("slt",
                 "The lamp is turning again.|I counted nine beams since the last ship.|"
                 "Nobody answers from the mainland.",
                 0.9, 1.05);
  // A hissy recorder on a table that passes on the tower's rumble.
  Sound noise = hiss(30, 3);
  power_to(noise, 0);
  Sound low = rumble(30, 4);
  power_to(low, -3);
  mix(noise, low, 0, 1);
  keep("lamp-room-04", g, {take(in_room(v, 0.35, 0.25), -17, noise, -50.5)});
  v = speak("slt",
            "One hundred and ninety steps.|My grandmother walked them with a bucket of oil.|"
            "I walk them with a radio that hums.",
            0.8, 1.1);
  keep("stairs-02", g, {take(in_room(v, 0.8, 0.4), -10, mains_hum(30, 5), -43)});
  v = speak("slt",
            "The fan in the stairwell will not stop.|If the fog comes in I will hear it first.|"
            "Listen.|There it is.",
            1.0, 1.08);
  keep("stairs-03", g, {take(in_room(v, 0.7, 0.35), -21, fan(30, 7), -50)});
  v = speak("slt",
            "Log of the keeper, the third of November.|Wind from the north west, seven, rising.|"
            "The boat did not come today.|It did not come yesterday.|"
            "I have bread for four days and coffee for two.|"
            "At six the weather buoy began to talk outside its hours.|"
            "It gave a position that is not its own.|I wrote the numbers on the wall.|"
            "They are the numbers of this rock.|"
            "I have turned the recorder on, and I will leave it on.|"
            "If somebody finds this tape, start with the silence.|"
            "There is something in the silence.|It counts the steps when I climb them.|It is "
            "always one step short.|Good night, mother.|The light is burning.",
            1.4, 1.12);
  keep("log-entry-night", g, {take(in_room(v, 0.3, 0.15), -14, hiss(120, 11), -47, 1.6, 1.5)});
}

void others() {
  auto v = speak("rms",
                 "There is a rock in the sea that has two names.|The charts call it Skerry Nine.|"
                 "The people who lived there called it the Grandmother.|"
                 "For a hundred and forty years somebody kept the light.|"
                 "They kept it through the great storm, and through the war.|"
                 "They kept it on the night the mail boat went down.|"
                 "The last of them was Ines Kalder.|She came for one winter.|"
                 "She brought a radio, a recorder, and eleven books.|"
                 "The books came back in the spring, and the radio.|"
                 "The recorder was found in the lamp room, still warm.|"
                 "What you will hear is what the recorder kept.|"
                 "Some of it is wind.|Some of it is the sea.|Some of it is not.",
                 1.3, 1.08);
  keep("opening", "Narrator voiceover", {take(v, -8, rumble(120, 13), -50, 1.0, 1.2)});
  v = speak("rms", "On the second night the fog came in.|It did not come from the sea.", 0.9, 1.08);
  Sound soft = hiss(30, 17);
  keep("night-two", "Narrator voiceover", {take(v, -12, soft, -62)});

  v = speak("awb",
            "Skerry Light, Skerry Light, this is Dunmar coast station.|"
            "We have no boat on our list.|Please say again your position.|Over.",
            0.6, 0.98);
  keep("call-in-01", "Coast station radio",
       {over_radio(take(v, -8, hiss(40, 19), -60, 1.0, 0.6), 21)});
  v = speak("awb",
            "Weather for the outer skerries.|North west eight, gale nine later.|"
            "Rain then fog.|Visibility poor.",
            0.7, 0.98);
  keep("weather-read", "Coast station radio",
       {over_radio(take(v, -6, hiss(40, 23), -60, 1.0, 0.6), 25)});
  v = speak("kal16", "Buoy four.|Water eight degrees.|Waves four metres.|Position unknown.", 0.7,
            1.05);
  keep("buoy-report", "Weather buoy", {take(v, -5, hiss(30, 27), -58, 0.9, 0.5)});
}

void effects() {
  const std::string g = "Effects";
  keep("wind-tower", g, {wind(18, 41)});
  keep("foghorn", g, {foghorn(12)});
  keep("boat-pass", g, boat_pass(13));
  keep("door-slam", g, {door()});
  keep("beam-sweep", g, beam_sweep(8));
}

drevan::ChainStep step(std::string_view id,
                       std::initializer_list<std::pair<const char*, double>> s) {
  auto out = drevan::make_step(id);
  for (const auto& [name, value] : s)
    out.settings.values[static_cast<size_t>(drevan::parameter_index(*out.type, name))] = value;
  return out;
}

drevan::Chain five_steps() {
  return {{step("normalise", {{"target_db", -3}}), step("noise-reduction", {{"depth_db", 12}}),
           step("cut", {{"low_hz", 80}, {"low_slope_db", 1}}),
           step("compressor",
                {{"threshold_db", -15}, {"ratio", 3}, {"attack_ms", 5}, {"release_ms", 120}}),
           step("normalise", {{"target_db", -3}})}};
}

// What is heard out of a device, and where that stands.
drevan::ChainStep place(std::string_view name,
                        std::initializer_list<std::pair<const char*, double>> but) {
  drevan::ChainStep out = step("acoustics", {});
  for (const auto& p : out.type->starting_points)
    if (p.name == name) out.settings = drevan::settings_of(*out.type, p);
  for (const auto& [id, value] : but)
    out.settings.values[static_cast<size_t>(drevan::parameter_index(*out.type, id))] = value;
  return out;
}

drevan::Clip& clip(std::string_view name) {
  return *reel.find(std::ranges::find(reel.clips, name, &drevan::Clip::name)->id);
}

void devices() {
  const auto wireless = step("loudspeaker", {{"device", 4}, {"age_pct", 30}});
  clip("call-in-01").chain = {
      {wireless,
       place("Keeper's room", {{"distance_m", 2.2}, {"azimuth_deg", -25}, {"radiates", 2}})}};
  clip("weather-read").chain = {{wireless}};
  clip("buoy-report").chain = {
      {step("loudspeaker", {{"device", 7}, {"drive_db", 4}}),
       place("Pier in fog",
             {{"distance_m", 8}, {"azimuth_deg", 20}, {"radiates", 2}, {"level", 0}})}};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: make-demo FOLDER\n");
    return 2;
  }
  folder = fs::absolute(argv[1]);
  fs::create_directories(folder);
  reel.name = "Skerry Light";
  ines();
  others();
  effects();
  // One clip shows a finished chain, the others wait for theirs.
  reel.clips[0].chain = five_steps();
  devices();
  reel.clips[0].room_tone = drevan::ClipRange{0.2, 1.2};
  drevan::save_reel(reel, folder / "skerry-light.reel");
  drevan::save_recipe({"Voice, five steps", "raw voiceover to -3 dB peak", five_steps()},
                      folder / "five.recipe");
}
