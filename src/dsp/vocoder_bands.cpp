// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/vocoder_bands.h"

#include <algorithm>
#include <cmath>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr float least = 1e-4F;
constexpr size_t most = VocoderBands::most_frames, group = BandBank::group;

struct Work {
  size_t frames;
  const float *carrier, *even, *low_noise;  // low_noise: none, where no frame has any
  float up, down, own_speed;
};
struct Groups {
  EightBands &voice, &carrier, &evened;
  float *heard, *own;
};

inline __attribute__((always_inline)) Eight& root(Eight& x) noexcept {
  float at[8];  // NOLINT
  store(at, x);
  for (float& v : at) v = std::sqrt(v);
  load(x, at);
  return x;
}

// Eight bands between the two halves of the work.
struct Halfway {
  float heard[most][group], band[most][group], swing[most][group];  // NOLINT
};

// Each filter waits for its own last state: two in one loop fill each other's pauses, and no more
// than a processor looks ahead.
inline __attribute__((always_inline)) void listen(const Work& work, const float (*voice)[group],
                                                  const Groups& at, Halfway& out) noexcept {
  EightBandsAtWork of_voice(at.voice), of_carrier(at.carrier);
  const Eight rise = Eight{} + work.up, fall = Eight{} + work.down;
  Eight heard;
  load(heard, at.heard);
  for (size_t i = 0; i < work.frames; ++i) {
    Eight in, unheard, level, band, swing;
    load(in, voice[i]);
    of_voice.step(in, unheard, level);
    root(level);
    heard += (level > heard ? rise : fall) * (level - heard);
    store(out.heard[i], heard);
    of_carrier.step(Eight{} + work.carrier[i], band, swing);
    root(swing);
    store(out.band[i], band);
    store(out.swing[i], swing);
  }
  of_voice.keep(at.voice);
  of_carrier.keep(at.carrier);
  store(at.heard, heard);
}
template <bool noisy>
inline __attribute__((always_inline)) void speak_eight(const Work& work, const Halfway& in,
                                                       const Groups& at,
                                                       float (*sums)[group]) noexcept {
  EightBandsAtWork of_evened(at.evened);
  Eight own;
  load(own, at.own);
  for (size_t i = 0; i < work.frames; ++i) {
    Eight band, swing, heard, sum;
    load(band, in.band[i]);
    load(swing, in.swing[i]);
    load(heard, in.heard[i]);
    if constexpr (noisy) {
      Eight again, again_swing;
      of_evened.step(band / (swing + least), again, again_swing);
      root(again_swing);
      band += work.low_noise[i] * (again - band);
      swing += work.low_noise[i] * (again_swing - swing);
    }
    own += work.own_speed * (swing - own);
    load(sum, sums[i]);
    sum += band * heard * (1 + work.even[i] * (1 / (own + least) - 1));
    store(sums[i], sum);
  }
  if constexpr (noisy) of_evened.keep(at.evened);
  store(at.own, own);
}

// Adds what eight bands speak to `sums`. `voice`: what each hears.
DREVAN_CLONES void add_eight(const Work& work, const float* const* voice, const Groups& at,
                             float (*sums)[group]) noexcept {
  float turned[most][group];  // NOLINT
  for (size_t i = 0; i < work.frames; i += group) {
    Eight rows[group];  // NOLINT
    for (size_t k = 0; k < group; ++k) load(rows[k], voice[k] + i);
    transpose(rows);
    for (size_t k = 0; k < group; ++k) store(turned[i + k], rows[k]);
  }
  Halfway halfway;
  listen(work, turned, at, halfway);
  if (work.low_noise)
    speak_eight<true>(work, halfway, at, sums);
  else
    speak_eight<false>(work, halfway, at, sums);
}

}  // namespace

void VocoderBands::set_carrier(const BandPlan& plan, double ratio, double rate) noexcept {
  carrier_.set(plan, ratio, rate);
  evened_.set(plan, ratio, rate);
}

void VocoderBands::set_speed(float up, float down, float own) noexcept {
  up_ = up;
  down_ = down;
  own_speed_ = own;
}

void VocoderBands::reset() noexcept {
  for (BandBank* bank : {&voice_, &carrier_, &evened_}) bank->reset();
  heard_ = own_ = {};
}

void VocoderBands::speak(const Input& input, std::span<float> out) noexcept {
  const bool noisy = std::ranges::any_of(input.low_noise, [](float s) { return s > 0; });
  const Work work{.frames = out.size(),
                  .carrier = input.carrier.data(),
                  .even = input.even.data(),
                  .low_noise = noisy ? input.low_noise.data() : nullptr,
                  .up = up_,
                  .down = down_,
                  .own_speed = own_speed_};
  float sums[most][group]{};  // NOLINT
  for (size_t j = 0; j < voice_.groups().size(); ++j) {
    // Bands that are not there hear what the last one does, and give nothing.
    std::array<const float*, group> voice;
    for (size_t k = 0; k < group; ++k)
      voice[k] = input.voice[std::min(group * j + k, input.voice.size() - 1)];
    add_eight(work, voice.data(),
              {voice_.groups()[j], carrier_.groups()[j], evened_.groups()[j],
               heard_.data() + group * j, own_.data() + group * j},
              sums);
  }
  for (size_t i = 0; i < out.size(); ++i) {
    const auto& s = sums[i];
    out[i] = ((s[0] + s[4]) + (s[1] + s[5])) + ((s[2] + s[6]) + (s[3] + s[7]));
  }
}

}  // namespace drevan
