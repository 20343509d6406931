// SPDX-License-Identifier: GPL-3.0-or-later
// Running single steps in tests.
#pragma once

#include <cstring>

#include "audio/denormals.h"
#include "reel/chain.h"
#include "steps/catalogue.h"
#include "steps/picture_spec.h"
#include "support/sounds.h"

namespace drevan::test {

/// A step with its standard settings but for those named; list choices by their index.
inline ChainStep with(std::string_view id,
                      std::initializer_list<std::pair<std::string_view, double>> values) {
  ChainStep s = make_step(id);
  for (const auto& [name, value] : values)
    s.settings.values.at(static_cast<size_t>(parameter_index(*s.type, name))) = value;
  return s;
}

/// A step's gain at `hz`, as its picture draws it.
inline double response_db(const StepType& type, const Settings& settings, double hz, double rate) {
  return std::get<ResponseSpec>(spec_of(type.picture)).response_db(settings, hz, rate);
}

/// What the step would find in `heard`.
inline Findings learn_step(const ChainStep& step, AudioBuffer& heard, double rate = 48000) {
  if (step.type->hears == Hears::nothing) return {};
  const auto learner = step.type->learn(step.settings, {rate, heard.channels(), 4096});
  for (Samples at = 0; at < heard.frames(); at += 4096)
    learner->hear(heard.block(at, static_cast<int>(std::min<Samples>(4096, heard.frames() - at))));
  return learner->findings();
}

/// Runs all of `x` through a step, its latency taken out; steps that hear the whole clip hear `x`.
inline void run_step(const ChainStep& step, AudioBuffer& x, double rate = 48000,
                     const Findings* found = nullptr) {
  const FlushDenormals flush;
  const Findings own =
      found || step.type->hears == Hears::nothing ? Findings{} : learn_step(step, x, rate);
  const auto processor =
      make_processor(*step.type, step.settings, found ? *found : own, {rate, x.channels(), 4096});
  const Samples late = processor->latency();
  AudioBuffer all(x.channels(), x.frames() + late);
  add(all, x, 0, rate);
  for (Samples at = 0; at < all.frames(); at += 4096)
    processor->process(all.block(at, static_cast<int>(std::min<Samples>(4096, all.frames() - at))));
  for (int c = 0; c < x.channels(); ++c)
    std::copy_n(all.channel(c).begin() + late, x.frames(), x.channel(c).begin());
}

}  // namespace drevan::test
