// SPDX-License-Identifier: GPL-3.0-or-later
// Knobs turned while sound plays, over every step and every parameter: no click, and where it ends is where a step
// made with these values begins.
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <numbers>

#include "audio/denormals.h"
#include "engine/rendering/chain_run.h"
#include "support/extent.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

struct Turn {
  const StepType* type;
  size_t parameter;
};

std::vector<Turn> turns() {
  std::vector<Turn> out;
  for (const StepType* t : catalogue())
    for (size_t p = 0; t->make && p < t->parameters.size(); ++p)
      // What stands still while it runs is not turned.
      if (!t->parameters[p].fixed) out.push_back({t, p});
  return out;
}

std::string name_of(const testing::TestParamInfo<Turn>& given) {
  auto name = std::string(given.param.type->id) + "_" +
              std::string(given.param.type->parameters[given.param.parameter].id);
  std::ranges::replace(name, '-', '_');
  return name;
}

using at_48k::rate;

// A step of 1 dB at the crest of a tone is a second difference of a tenth of its level; a glide's is far less.
double bend(const AudioBuffer& a, size_t i) {
  const auto x = a.channel(0);
  return std::abs(static_cast<double>(x[i + 1]) - 2 * static_cast<double>(x[i]) +
                  static_cast<double>(x[i - 1]));
}

// What it may be where it was `before` at rest, by the level around: the last period's of 200 Hz and the next one's.
double most_bend(const AudioBuffer& a, size_t i, double before) {
  double level = 1e-4;
  const auto most = [&] { return 0.04 * level + 2 * before; };
  if (bend(a, i) < most()) return most();  // whatever is around
  for (size_t k = i - 240; k < i + 240; k += 4)
    level = std::max(level, static_cast<double>(std::abs(a.channel(0)[k])));
  return most();
}

class Turning : public testing::TestWithParam<Turn> {
 protected:
  const StepType& type() const { return *GetParam().type; }
  const Parameter& parameter() const { return type().parameters[GetParam().parameter]; }
  Settings from() const { return settings_of(type(), type().starting_points.front()); }
  double to() const {
    return from_fraction(
        parameter(), to_fraction(parameter(), from()[GetParam().parameter]) < 0.5 ? 0.85 : 0.15);
  }
  std::unique_ptr<Processor> make(const Settings& s) const {
    if (type().hears == Hears::nothing)
      return make_processor(type(), s, {}, {rate, channels(), 4096});
    return make_processor(type(), s, learned(s), {rate, 1, 4096});
  }
  // Learned once for all that is alike.
  const Findings& learned(const Settings& s) const {
    static std::map<std::pair<const StepType*, std::vector<double>>, Findings> known;
    const auto [at, fresh] = known.try_emplace({&type(), s.values});
    if (fresh) {
      AudioBuffer heard =
          type().hears == Hears::room_tone ? test::noise(0.002, 1.0, 9) : programme(6);
      at->second = test::learn_step({&type(), s}, heard);
    }
    return at->second;
  }
  // What places sounds is heard in stereo.
  int channels() const { return type().family == Family::space ? 2 : 1; }
  // What leaves a step that nobody turns, as it is before and as it is after.
  std::pair<AudioBuffer, AudioBuffer> at_rest(const AudioBuffer& x, bool by_curve) const {
    Settings goal = from();
    goal.values[GetParam().parameter] = to();
    // Nobody turns the first: it is the same for all parameters of a step.
    static std::map<std::pair<const StepType*, bool>, AudioBuffer> unturned;
    const auto [known, fresh] = unturned.try_emplace({&type(), by_curve}, x);
    if (fresh) run(*make(from()), known->second, 0, x.frames());
    std::pair<AudioBuffer, AudioBuffer> out{known->second, x};
    // What it must have learned for them is another matter.
    run(*make(parameter().learned_from ? from() : goal), out.second, 0, x.frames());
    return out;
  }
  int wide() const { return std::max(channels(), channels_out(type(), from(), channels())); }
  AudioBuffer widened(const AudioBuffer& x) const {
    AudioBuffer out(wide(), x.frames());
    for (int c = 0; c < wide(); ++c)
      for (size_t i = 0; i < x.channel(0).size(); ++i)
        out.channel(c)[i] = (c == 0 ? 1.0F : 0.5F) * x.channel(0)[i];
    return out;
  }
  // Words on a room; with a hum, so that there is something for every step to find.
  static const AudioBuffer& programme(double seconds) {
    static std::map<double, AudioBuffer> made;
    const auto [at, fresh] = made.try_emplace(seconds);
    if (fresh) at->second = new_programme(seconds);
    return at->second;
  }
  static AudioBuffer new_programme(double seconds) {
    AudioBuffer x = test::noise(0.002, seconds, 3);
    test::add(x, test::words(0.4, seconds), 0);
    for (size_t i = 0; i < x.channel(0).size(); ++i) {
      const double t = static_cast<double>(i) / rate;
      for (int k = 1; k <= 5; ++k)
        x.channel(0)[i] +=
            static_cast<float>(0.004 * std::sin(2 * std::numbers::pi * 50 * k * t + k));
    }
    return x;
  }
  static void run(Processor& p, AudioBuffer& x, Samples begin, Samples end, int block = 256) {
    const FlushDenormals flush;
    for (Samples at = begin; at < end; at += block)
      p.process(x.block(at, static_cast<int>(std::min<Samples>(block, end - at))));
  }
};

TEST_P(Turning, DoesNotClick) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const auto p = make(from());
  const Samples join = 60000;
  AudioBuffer x(1, 2 * join);
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    x.channel(0)[i] = static_cast<float>(
        0.05 *
        std::cos(2 * std::numbers::pi * 200 *
                 (static_cast<double>(i) - static_cast<double>(join + p->latency())) / rate));
  x = widened(x);
  const auto [unturned, made] = at_rest(x, false);
  run(*p, x, 0, join);
  p->set(static_cast<int>(GetParam().parameter), to());
  run(*p, x, join, x.frames());
  double before = 0;
  for (size_t i = 40000; i + 1 < x.channel(0).size(); ++i)
    before = std::max({before, bend(unturned, i), bend(made, i)});
  for (size_t i = join - 2; i + 241 < x.channel(0).size(); ++i)
    ASSERT_LT(bend(x, i), most_bend(x, i, before))
        << "sample " << static_cast<Samples>(i) - join << ", to " << to();
}

// The same of a curve that goes there within half a second, or holds and goes there at once.
TEST_P(Turning, CurvesDoNotClick) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  if (!may_follow_curve(parameter())) return;
  const auto index = static_cast<int>(GetParam().parameter);
  AudioBuffer tone(1, 120000);
  for (size_t i = 0; i < tone.channel(0).size(); ++i)
    tone.channel(0)[i] = static_cast<float>(
        0.05 * std::cos(2 * std::numbers::pi * 200 * static_cast<double>(i) / rate));
  tone = widened(tone);
  const auto [unturned, made] = at_rest(tone, true);
  for (const auto shape : {CurveShape::line, CurveShape::hold}) {
    if (shape == CurveShape::line && parameter().scale == Scale::choice) continue;
    const Curve curve{{{1.0, from()[GetParam().parameter], shape}, {1.5, to()}}};
    PlannedStep step{0, &type(), from(), {{index, std::make_shared<const Curve>(curve)}}, {}};
    Findings found;
    if (type().hears != Hears::nothing) found = learned(from());
    ChainRun run(std::span(&step, 1), std::span(&found, 1), {rate, channels(), 4096});
    AudioBuffer x = tone;
    for (Samples at = 0; at < x.frames(); at += 256)
      run.process(x.block(at, static_cast<int>(std::min<Samples>(256, x.frames() - at))));
    double before = 0;
    for (size_t i = 40000; i + 1 < x.channel(0).size(); ++i)
      before = std::max({before, bend(unturned, i), bend(made, i)});
    for (size_t i = 46000; i + 241 < x.channel(0).size(); ++i)
      ASSERT_LT(bend(x, i), most_bend(x, i, before)) << "sample " << i << ", to " << to();
  }
}

TEST_P(Turning, EndsWhereMakingBegins) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  Settings goal = from();
  goal.values[GetParam().parameter] = to();
  // What goes to and fro is compared over a while.
  const double seconds = parameter().paces ? 4 + 4 * type().run_in_s : 3 + 2 * type().run_in_s;
  AudioBuffer turned = widened(programme(seconds)), again = turned, made = turned;
  const auto end = turned.frames();
  const auto p = make(from()), twice = make(from()), fresh = make(goal);
  // What a finding depends on is learned anew; this is about the knob.
  if (parameter().learned_from) {
    const Findings& found = learned(goal);
    run(*p, turned, 0, 48000);
    p->set(static_cast<int>(GetParam().parameter), to());
    p->set_findings(found);
    run(*p, turned, 48000, end);
    run(*twice, again, 0, 48000);
    twice->set_findings(found);
    twice->set(static_cast<int>(GetParam().parameter), to());
    run(*twice, again, 48000, end);
  } else {
    run(*p, turned, 0, 48000);
    p->set(static_cast<int>(GetParam().parameter), to());
    run(*p, turned, 48000, end);
    // Turned to one side and, a few milliseconds later, to the other: nothing of the first stays.
    run(*twice, again, 0, 48000);
    twice->set(static_cast<int>(GetParam().parameter), from_fraction(parameter(), 0.5));
    run(*twice, again, 48000, 48000 + 256);
    twice->set(static_cast<int>(GetParam().parameter), to());
    run(*twice, again, 48000 + 256, end);
  }
  run(*fresh, made, 0, end);
  double power = 1e-12, off = 0, off_again = 0;
  if (parameter().paces) {
    // What goes to and fro goes on from where it was; its level over a while is the same.
    const auto level = [end](const AudioBuffer& x) {
      return test::rms_db(x.channel(0).subspan(static_cast<size_t>(end) - 144000, 144000));
    };
    EXPECT_NEAR(level(turned), level(made), 1.5) << "to " << to();
    EXPECT_NEAR(level(again), level(made), 1.5) << "turned twice, to " << to();
    return;
  }
  for (size_t i = static_cast<size_t>(end) - 26400; i < static_cast<size_t>(end); ++i) {
    power += std::pow(static_cast<double>(made.channel(0)[i]), 2);
    off += std::pow(static_cast<double>(turned.channel(0)[i] - made.channel(0)[i]), 2);
    off_again += std::pow(static_cast<double>(again.channel(0)[i] - made.channel(0)[i]), 2);
  }
  EXPECT_LT(10 * std::log10(off / power + 1e-20), -50) << "to " << to();
  EXPECT_LT(10 * std::log10(off_again / power + 1e-20), -50) << "turned twice, to " << to();
}

INSTANTIATE_TEST_SUITE_P(Steps, Turning, testing::ValuesIn(turns()), name_of);

}  // namespace
}  // namespace drevan
