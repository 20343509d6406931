// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/reference_voice.h"

#include <cmath>
#include <numbers>
#include <random>

#include "dsp/biquad.h"
#include "dsp/sums.h"
#include "media/writer.h"

namespace drevan {

namespace {

constexpr double rate = 48000;
constexpr double seconds = 7;

// One syllable: a glottal buzz through three formants, or a hiss, under a rounded envelope.
struct Syllable {
  double begin_s, length_s, hz, level;
  bool hiss;
};

std::vector<Syllable> syllables() {
  std::vector<Syllable> out;
  double at = 1.1;
  int n = 0;
  for (const double word : {3, 2, 4, 1, 3, 5, 2, 3}) {
    for (int i = 0; i < static_cast<int>(word); ++i, ++n) {
      if (n % 4 == 3) out.push_back({at - 0.06, 0.09, 0, 0.5, true});
      out.push_back({at, 0.15 + 0.03 * (n % 3), 112 + 9 * (n % 5) - 4.0 * i,
                     0.6 + 0.4 * ((n * 7) % 5) / 4, false});
      at += 0.21;
    }
    at += 0.16;
  }
  return out;
}

void add(std::span<float> x, const Syllable& s, std::mt19937& random) {
  // Formants of a neutral vowel, and where an s hisses (G. Fant, "Acoustic Theory of Speech Production",
  // 1960; values from memory).
  std::array<Biquad, 3> formants;
  const std::array<double, 3> hz =
      s.hiss ? std::array<double, 3>{5200, 6800, 8300} : std::array<double, 3>{520, 1480, 2520};
  for (size_t f = 0; f < 3; ++f)
    formants[f].set(design_biquad(BiquadKind::bell, hz[f], 6,
                                  s.hiss ? 14 : 20 - 5 * static_cast<double>(f), rate));
  Biquad slope;
  slope.set(design_biquad(s.hiss ? BiquadKind::high_pass : BiquadKind::low_pass,
                          s.hiss ? 4000 : 900, 0.6, 0, rate));
  double phase = 0;
  const auto n = static_cast<size_t>(s.length_s * rate);
  const auto from = static_cast<size_t>(s.begin_s * rate);
  for (size_t i = 0; i < n && from + i < x.size(); ++i) {
    const double t = static_cast<double>(i) / static_cast<double>(n);
    const double noise = static_cast<double>(random()) / 2147483648.0 - 1;
    phase += s.hz * (1 - 0.08 * t) / rate;
    phase -= std::floor(phase);
    double v = s.hiss ? 0.12 * noise : 0.6 - phase + 0.02 * noise;
    v = slope.process(v);
    for (auto& f : formants) v = f.process(v);
    x[from + i] +=
        static_cast<float>(0.04 * s.level * v * std::pow(std::sin(std::numbers::pi * t), 0.7));
  }
}

}  // namespace

ClipSound reference_voice(const std::filesystem::path& folder) {
  const auto file = folder / "reference-voice-1.wav";
  const ClipSound sound{file, 0, -1, rate, ClipRange{0.1, 1.0}, {}, {}};
  std::error_code error;
  if (std::filesystem::exists(file, error)) return sound;
  std::filesystem::create_directories(folder, error);
  AudioBuffer voice(1, static_cast<Samples>(seconds * rate));
  std::mt19937 random(11);
  for (const auto& s : syllables()) add(voice.channel(0), s, random);
  const float gain = 0.355F / std::max(1e-6F, largest_magnitude(voice.channel(0)));
  for (float& v : voice.channel(0))
    v = v * gain + 0.0035F * (static_cast<float>(random()) / 2147483648.0F - 1);
  AudioWriter writer(file, {Container::wav, SampleType::float32, rate, 1}, voice.frames(), {});
  for (Samples at = 0; at < voice.frames(); at += 4096)
    writer.write(voice.block(at, static_cast<int>(std::min<Samples>(4096, voice.frames() - at))));
  writer.commit();
  return sound;
}

}  // namespace drevan
