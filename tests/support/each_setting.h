// SPDX-License-Identifier: GPL-3.0-or-later
// One step with some of its settings, heard: for tests that measure each setting by itself.
#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include "audio/decibel.h"
#include "support/lines.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan::test::each_setting {

using at_48k::rate;
using test::with;
using Named = std::pair<std::string, double>;

inline ChainStep set(std::string_view id, const std::vector<Named>& values) {
  ChainStep step = with(id, {});
  for (const auto& [name, value] : values)
    step.settings.values.at(static_cast<size_t>(parameter_index(*step.type, name))) = value;
  return step;
}
inline void set_text(ChainStep& step, std::string_view id, std::string text) {
  const auto& all = step.type->texts;
  const auto at = std::ranges::find(all, id, &TextParameter::id);
  step.settings.texts.at(static_cast<size_t>(at - all.begin())) = std::move(text);
}
/// As wide as it leaves the step, its latency taken out. `found`: null, what it finds in `x`.
inline AudioBuffer through(const ChainStep& step, AudioBuffer x, const Findings* found = nullptr) {
  const FlushDenormals flush;
  const Findings own = found ? *found : test::learn_step(step, x);
  const auto processor = make_processor(*step.type, step.settings, own, {rate, x.channels(), 4096});
  const auto late = processor->latency();
  const int wide = std::max(x.channels(), channels_out(*step.type, step.settings, x.channels()));
  AudioBuffer all(wide, x.frames() + late), out(wide, x.frames());
  for (int c = 0; c < x.channels(); ++c) std::ranges::copy(x.channel(c), all.channel(c).begin());
  for (Samples at = 0; at < all.frames(); at += 4096)
    processor->process(all.block(at, static_cast<int>(std::min<Samples>(4096, all.frames() - at))));
  for (int c = 0; c < wide; ++c)
    std::copy_n(all.channel(c).begin() + late, out.frames(), out.channel(c).begin());
  return out;
}
inline AudioBuffer through(std::string_view id, const std::vector<Named>& values, AudioBuffer x) {
  return through(set(id, values), std::move(x));
}
/// Gain of a step that stands still at `hz`, dB, by its answer to an impulse.
inline double gain_db(std::string_view id, const std::vector<Named>& values, double hz) {
  AudioBuffer x(1, 48000);
  x.channel(0)[200] = 1;
  x = through(id, values, std::move(x));
  return test::gain_db(x.channel(0), hz, rate);
}
/// Of so many seconds of one channel.
inline double level_db(const AudioBuffer& x, int channel, double from_s, double seconds) {
  return test::rms_db(x.channel(channel).subspan(static_cast<size_t>(from_s * rate),
                                                 static_cast<size_t>(seconds * rate)));
}
inline AudioBuffer stereo(const AudioBuffer& left, const AudioBuffer& right) {
  AudioBuffer out(2, left.frames());
  std::ranges::copy(left.channel(0), out.channel(0).begin());
  std::ranges::copy(right.channel(0), out.channel(1).begin());
  return out;
}
/// `a` less `b`, of one length and width.
inline AudioBuffer difference(AudioBuffer a, const AudioBuffer& b) {
  for (int c = 0; c < a.channels(); ++c)
    for (size_t i = 0; i < a.channel(c).size(); ++i) a.channel(c)[i] -= b.channel(c)[i];
  return a;
}
/// How loud a tone is in a part of a sound, dB of its rms: by projection.
inline double tone_db(const AudioBuffer& x, double hz, double from_s, double seconds,
                      int channel = 0) {
  const auto from = static_cast<size_t>(from_s * rate), n = static_cast<size_t>(seconds * rate);
  double re = 0, im = 0;
  for (size_t i = from; i < from + n; ++i) {
    const double at = 2 * M_PI * hz * static_cast<double>(i) / rate;
    const auto v = static_cast<double>(x.channel(channel)[i]);
    re += v * std::cos(at), im += v * std::sin(at);
  }
  return 10 *
         std::log10(2 * (re * re + im * im) / (static_cast<double>(n) * static_cast<double>(n)) +
                    1e-20);
}
inline AudioBuffer both(const AudioBuffer& mono) { return stereo(mono, mono); }

}  // namespace drevan::test::each_setting
