// SPDX-License-Identifier: GPL-3.0-or-later
#include <array>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <sstream>
#include <stdexcept>

#include "media/reader.h"
#include "sounds.h"

namespace demo {

namespace {

// One sentence through flite, resampled to 48 kHz by the core.
Sound sentence(const std::string& voice, const std::string& text, double pace) {
  const auto file = std::filesystem::temp_directory_path() / "drevan-demo-speech.wav";
  const std::string command = "flite -voice " + voice +
                              " --setf duration_stretch=" + std::to_string(pace) + " -t \"" + text +
                              "\" -o " + file.string();
  if (std::system(command.c_str()) != 0) throw std::runtime_error("flite failed; is it installed?");
  Sound out;
  const auto reader = drevan::open_audio(file, rate);
  drevan::AudioBuffer buffer(reader->info().channels, 8192);
  for (int n = 0; (n = reader->read(buffer.block())) > 0;)
    out.insert(out.end(), buffer.channel(0).begin(), buffer.channel(0).begin() + n);
  std::filesystem::remove(file);
  // flite begins and ends with silence; the pauses are ours.
  const auto loud = [](float x) { return x > 0.004F || x < -0.004F; };
  const auto first = std::find_if(out.begin(), out.end(), loud);
  const auto last = std::find_if(out.rbegin(), out.rend(), loud).base();
  return first < last ? Sound(first, last) : Sound{};
}

}  // namespace

Sound speak(const std::string& voice, const std::string& text, double pause_s, double pace) {
  Sound out;
  std::stringstream parts(text);
  std::string one;
  // People do not pause by the clock, nor speak at one level.
  const std::array<double, 5> stretch{1.0, 1.5, 0.7, 1.2, 0.85};
  const std::array<double, 7> level{-8.5, -10, 0, -9, -7, -3.5, -10};
  for (size_t i = 0; std::getline(parts, one, '|'); ++i) {
    Sound s = sentence(voice, one, pace);
    peak_to(s, -6 + level[i % level.size()]);
    const double at = out.empty() ? 0
                                  : static_cast<double>(out.size()) / rate +
                                        pause_s * stretch[i % stretch.size()];
    mix(out, s, at, 1);
  }
  return out;
}

}  // namespace demo
