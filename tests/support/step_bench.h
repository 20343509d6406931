// SPDX-License-Identifier: GPL-3.0-or-later
// A step of the catalogue on a bench of the test's own: sound that is another one in every channel
// goes in, a second sound is there to be heard beside it, and what it must learn first it has
// learned.
#pragma once

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

#include "audio/denormals.h"
#include "steps/catalogue.h"
#include "support/sounds.h"

namespace drevan::test {

class StepBench {
 public:
  /// `hum`: of the sound that is learned from.
  StepBench(const StepType& type, StreamFormat format, double hum = 0)
      : type_(&type), format_(format), hum_(hum) {}
  const StepType& type() const { return *type_; }
  StreamFormat format() const { return format_; }

  /// Words in a room's noise and its hum; each channel has its own noise, and its words another
  /// level and 31 ms more of delay.
  AudioBuffer programme(double seconds = 1.2, double room = 0.002, double hum = 0) const {
    AudioBuffer x = noise(room, seconds, 3, format_.rate, format_.channels);
    const AudioBuffer voice = words(0.5, seconds, format_.rate);
    const auto apart = static_cast<size_t>(0.031 * format_.rate);
    for (int c = 0; c < x.channels(); ++c) {
      const auto late = apart * static_cast<size_t>(c);
      for (size_t i = 0; i < x.channel(c).size(); ++i)
        for (int k = 1; k <= 5; ++k)
          x.channel(c)[i] += static_cast<float>(
              hum * std::sin(2 * std::numbers::pi * 50 * k * static_cast<double>(i) / format_.rate +
                             k + c));
      for (size_t i = late; i < x.channel(c).size(); ++i)
        x.channel(c)[i] += voice.channel(0)[i - late] / (1 + 0.4F * static_cast<float>(c));
    }
    return x;
  }
  /// Loud from the first frame to the last, another one in each channel and for each seed.
  AudioBuffer loud(double seconds, unsigned seed) const {
    AudioBuffer x = noise(0.3, seconds, seed, format_.rate, format_.channels);
    for (int c = 0; c < x.channels(); ++c)
      for (size_t i = 0; i < x.channel(c).size(); ++i)
        x.channel(c)[i] +=
            static_cast<float>(0.5 * std::cos(2 * std::numbers::pi * (200 + 90 * c) *
                                              static_cast<double>(i) / format_.rate));
    return x;
  }
  /// As wide as the step works with these settings, with what comes in in its first channels.
  AudioBuffer wide(const AudioBuffer& x, const Settings& s) const {
    const int out = channels_out(*type_, s, x.channels());
    AudioBuffer wider(std::max(x.channels(), out), x.frames());
    for (int c = 0; c < x.channels(); ++c)
      std::ranges::copy(x.channel(c), wider.channel(c).begin());
    return wider;
  }
  Findings learn(const Settings& s) const {
    if (type_->hears == Hears::nothing) return {};
    const auto learner = type_->learn(s, format_);
    AudioBuffer heard = type_->hears == Hears::room_tone
                            ? noise(0.002, 1.0, 9, format_.rate, format_.channels)
                            : programme(1.2, 0.002, hum_);
    for (Samples at = 0; at < heard.frames(); at += 4096)
      learner->hear(
          heard.block(at, static_cast<int>(std::min<Samples>(4096, heard.frames() - at))));
    return learner->findings();
  }
  std::unique_ptr<Processor> make(const Settings& s) const {
    return make_processor(*type_, s, learn(s), format_);
  }
  Settings standard() const { return standard_settings(*type_); }
  /// Settings with which a step does something, for steps that do nothing as they come.
  Settings busy() const { return settings_of(*type_, type_->starting_points.front()); }

  /// In place. `beside`: what every side hears, as long as `x`; nullptr: nothing.
  static void run(Processor& p, AudioBuffer& x, int block = 4096, AudioBuffer* beside = nullptr) {
    const FlushDenormals flush;
    for (Samples at = 0; at < x.frames(); at += block) {
      const int n = static_cast<int>(std::min<Samples>(block, x.frames() - at));
      if (beside) p.hear_side(0, beside->block(at, n));
      p.process(x.block(at, n));
    }
  }
  /// For steps with a side: a voice-like buzz, another one in each channel.
  AudioBuffer beside(double seconds) const {
    AudioBuffer x(format_.channels, static_cast<Samples>(seconds * format_.rate));
    for (int c = 0; c < x.channels(); ++c)
      for (size_t i = 0; i < x.channel(c).size(); ++i) {
        const double turns = static_cast<double>(i) * (110 + 37 * c) / format_.rate;
        x.channel(c)[i] = static_cast<float>(0.3 * (2 * (turns - std::floor(turns)) - 1));
      }
    return x;
  }
  /// What these settings make of `x`, from the first frame on.
  AudioBuffer made_of(const AudioBuffer& x, const Settings& s) const {
    AudioBuffer out = wide(x, s);
    const auto p = make(s);
    AudioBuffer side = beside(static_cast<double>(x.frames()) / format_.rate);
    run(*p, out, 4096, type_->sides.empty() ? nullptr : &side);
    return out;
  }

 private:
  const StepType* type_;
  StreamFormat format_;
  double hum_;
};

}  // namespace drevan::test
