// SPDX-License-Identifier: GPL-3.0-or-later
// What every step promises, checked over every step there is. A new step is covered on the day it is
// added.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "audio/denormals.h"
#include "engine/rendering/chain_run.h"
#include "reel/chain.h"
#include "steps/catalogue.h"
#include "steps/picture_spec.h"
#include "support/buffer_reader.h"
#include "support/extent.h"
#include "support/sanitized.h"
#include "support/sounds.h"
#include "support/step_bench.h"

namespace drevan {
namespace {

struct Case {
  const StepType* type;
  double rate;
  int channels;
};

std::vector<Case> cases() {
  std::vector<Case> out;
  for (const StepType* t : catalogue())
    for (const double rate : {44100.0, 48000.0, 96000.0})
      for (const int channels : {1, 2, 6}) {
        if (!t->make || (channels == 6 && rate != 48000)) continue;
#ifdef DREVAN_SANITIZED
        // Sanitizers are slow: an odd rate in mono and the usual one in stereo.
        if (rate == 96000 || channels == 6 || (rate == 44100) != (channels == 1)) continue;
        if (t->id == "acoustics" && channels == 2) continue;
#endif
        if (!test::in_full() && rate != 48000 && (rate == 96000 || channels != 1)) continue;
        out.push_back({t, rate, channels});
      }
  return out;
}
// For what runs every step dozens of times: every rate, mono and stereo; under a sanitizer the usual rate, without the
// steps that take longest.
std::vector<Case> long_cases() {
  std::vector<Case> out;
  for (const Case& c : cases()) {
#ifdef DREVAN_SANITIZED
    if (c.rate != 48000 || c.type->id == "doubler") continue;
#endif
    if (!test::in_full() && c.rate != 48000) continue;
    if (c.channels == (c.rate == 48000 ? 2 : 1)) out.push_back(c);
  }
  return out;
}

std::string name_of(const testing::TestParamInfo<Case>& info) {
  std::string id(info.param.type->id);
  std::ranges::replace(id, '-', '_');
  return id + "_" + std::to_string(static_cast<int>(info.param.rate)) +
         (info.param.channels == 1   ? "_mono"
          : info.param.channels == 2 ? "_stereo"
                                     : "_six");
}

class EveryStep : public testing::TestWithParam<Case> {
 protected:
  const StepType& type() const { return *GetParam().type; }
  StreamFormat format() const { return {GetParam().rate, GetParam().channels, 4096}; }
  test::StepBench bench() const { return {type(), format()}; }

  AudioBuffer programme(double seconds = 1.2) const { return bench().programme(seconds); }
  AudioBuffer wide(const AudioBuffer& x) const { return wide(x, busy()); }
  AudioBuffer wide(const AudioBuffer& x, const Settings& s) const { return bench().wide(x, s); }
  Findings learn(const Settings& s) const { return bench().learn(s); }
  std::unique_ptr<Processor> make(const Settings& s) const { return bench().make(s); }
  Settings standard() const { return bench().standard(); }
  Settings busy() const { return bench().busy(); }

  static void run(Processor& p, AudioBuffer& x, int block = 4096) {
    test::StepBench::run(p, x, block);
  }
  static bool finite(const AudioBuffer& x) {
    for (int c = 0; c < x.channels(); ++c)
      for (const float v : x.channel(c))
        if (!std::isfinite(v)) return false;
    return true;
  }
};
class EveryStepAtLength : public EveryStep {};

TEST_P(EveryStep, SilenceStaysSilence) {
  AudioBuffer x = wide(test::silence(1.5, format().rate, format().channels));
  run(*make(busy()), x);
  for (int c = 0; c < x.channels(); ++c)
    for (const float v : x.channel(c)) ASSERT_EQ(v, 0.0F);
}

TEST_P(EveryStep, NotANumberNeverLeaves) {
  const auto p = make(busy());
  AudioBuffer x = wide(programme());
  const float bad[] = {std::numeric_limits<float>::quiet_NaN(),
                       std::numeric_limits<float>::infinity(),
                       -std::numeric_limits<float>::infinity(), std::numeric_limits<float>::max()};
  for (int c = 0; c < format().channels; ++c)
    for (size_t i = 0; i < 40; ++i) x.channel(c)[1000 + 97 * i] = bad[i % 4];
  run(*p, x);
  EXPECT_TRUE(finite(x));
  // Nor does it linger inside: afterwards sound comes through again.
  AudioBuffer after = wide(programme());
  run(*p, after);
  EXPECT_TRUE(finite(after));
}

TEST_P(EveryStep, BlockSizeDoesNotChangeTheResult) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const Settings s = busy();
  AudioBuffer whole = wide(programme());
  run(*make(s), whole);
  for (const int block : {1, 64, 477, 1024}) {
    AudioBuffer parts = wide(programme());
    run(*make(s), parts, block);
    for (int c = 0; c < whole.channels(); ++c)
      for (size_t i = 0; i < whole.channel(c).size(); ++i)
        ASSERT_EQ(parts.channel(c)[i], whole.channel(c)[i])
            << "block " << block << ", sample " << i;
  }
}

TEST_P(EveryStep, ResetMakesItNewAgain) {
  if (GetParam().channels == 2) DREVAN_NOT_SANITIZED("one channel goes through the same code");
  const auto p = make(busy());
  AudioBuffer once = wide(programme()), twice = once;
  run(*p, once);
  p->reset();
  run(*p, twice);
  for (int c = 0; c < once.channels(); ++c)
    for (size_t i = 0; i < once.channel(c).size(); ++i)
      ASSERT_EQ(once.channel(c)[i], twice.channel(c)[i]) << i;
}

// The latency a step reports is the one it has: output and input match best at that shift.
TEST_P(EveryStep, LatencyIsExact) {
  // Where the untouched sound can be mixed in, it is what comes out in time with what goes in.
  Settings settings = standard();
  if (const int mix = parameter_index(type(), "mix_pct"); mix >= 0)
    settings.values[static_cast<size_t>(mix)] = 50;
  const auto p = make(settings);
  const auto late = static_cast<long>(p->latency());
  const AudioBuffer in = test::noise(0.25, 0.6, 21, format().rate, format().channels);
  AudioBuffer padded(format().channels, in.frames() + late);
  test::add(padded, in, 0, format().rate);
  AudioBuffer x = wide(padded, settings);
  run(*p, x);
  for (int c = 0; c < std::min(in.channels(), channels_out(type(), settings, in.channels())); ++c) {
    const auto alike = [&](long shift) {
      double sum = 0;
      for (long i = 9000; i + 9000 < in.frames(); ++i)
        sum += static_cast<double>(in.channel(c)[static_cast<size_t>(i)]) *
               static_cast<double>(x.channel(c)[static_cast<size_t>(i + shift)]);
      return sum;
    };
    const double at = alike(late);
    EXPECT_GT(at, 0) << "channel " << c;
    for (long off = 1; off <= 4; ++off) {
      EXPECT_GT(at, alike(late + off)) << "channel " << c;
      if (late >= off) EXPECT_GT(at, alike(late - off)) << "channel " << c;
    }
  }
}

TEST_P(EveryStep, TailIsLongEnough) {
  // Known: noise reduction's last window spreads behind the end, see every_setting_test.cpp.
  const Samples known = type().id == "noise-reduction" ? 8192 : 0;
  const auto p = make(busy());
  AudioBuffer x = wide(programme(0.4));
  run(*p, x);
  const auto rest = p->latency() + p->tail() + known;
  AudioBuffer after = wide(AudioBuffer(format().channels, rest + 4096));
  run(*p, after);
  for (int c = 0; c < after.channels(); ++c)
    for (size_t i = static_cast<size_t>(rest); i < after.channel(c).size(); ++i)
      ASSERT_LT(std::abs(after.channel(c)[i]), 1e-4F) << i - static_cast<size_t>(rest);
}

TEST_P(EveryStepAtLength, EveryParameterAtBothEndsStaysFinite) {
  const auto& parameters = type().parameters;
  for (size_t i = 0; i < parameters.size(); ++i)
    for (const double v : {parameters[i].least, parameters[i].most}) {
      Settings s = busy();
      s.values[i] = v;
      AudioBuffer x = wide(programme(0.7), s);
      run(*make(s), x);
      ASSERT_TRUE(finite(x)) << parameters[i].id << " = " << v;
    }
  for (const bool most : {false, true}) {
    Settings s = standard();
    for (size_t i = 0; i < parameters.size(); ++i)
      s.values[i] = most ? parameters[i].most : parameters[i].least;
    AudioBuffer x = wide(programme(0.8), s);
    run(*make(s), x);
    EXPECT_TRUE(finite(x)) << (most ? "all at most" : "all at least");
  }
}

TEST_P(EveryStep, WithoutFindingsItDoesNoHarm) {
  if (type().hears == Hears::nothing) return;
  const auto p = make_processor(type(), busy(), {}, format());
  AudioBuffer x = programme();
  const AudioBuffer in = x;
  run(*p, x);
  const auto late = static_cast<size_t>(p->latency());
  for (int c = 0; c < in.channels(); ++c)
    for (size_t i = 8192; i + late < in.channel(c).size(); ++i)
      ASSERT_NEAR(x.channel(c)[i + late], in.channel(c)[i], 2e-6F) << c << ", " << i;
}

// Over every parameter that may follow one: to the bit the same in blocks of any size, finite, and as quiet as the
// parameter's turning would be, see turning_test.cpp.
TEST_P(EveryStepAtLength, CurvesAreTheSameForEveryBlockSize) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const Settings s = busy();
  const auto found = learn(s);
  std::vector<int> parameters{on_parameter};
  for (size_t i = 0; i < type().parameters.size(); ++i)
    if (may_follow_curve(type().parameters[i])) parameters.push_back(static_cast<int>(i));
  for (const int i : parameters) {
    Curve curve;
    if (i == on_parameter) {
      curve.points = {
          {0, 1, CurveShape::hold}, {0.2, 0, CurveShape::hold}, {0.41, 1, CurveShape::hold}};
    } else {
      const Parameter& p = type().parameters[static_cast<size_t>(i)];
      const auto shape = p.scale == Scale::choice ? CurveShape::hold : CurveShape::line;
      curve.points = {{0.05, p.least, shape}, {0.3, p.most, shape}, {0.5, p.standard, shape}};
    }
    const PlannedStep step{0, &type(), s, {{i, std::make_shared<const Curve>(curve)}}, {}};
    AudioBuffer whole = wide(programme(0.6));
    const FlushDenormals flush;
    const auto run_curve = [&](AudioBuffer& x, int block) {
      ChainRun chain(std::span(&step, 1), std::span(&found, 1), format());
      for (Samples at = 0; at < x.frames(); at += block)
        chain.process(x.block(at, static_cast<int>(std::min<Samples>(block, x.frames() - at))));
    };
    AudioBuffer parts = whole;
    run_curve(whole, 4096);
    run_curve(parts, 477);
    ASSERT_TRUE(finite(whole)) << i;
    for (int c = 0; c < whole.channels(); ++c)
      for (size_t k = 0; k < whole.channel(c).size(); ++k)
        ASSERT_EQ(parts.channel(c)[k], whole.channel(c)[k])
            << "parameter " << i << ", sample " << k;
  }
}

INSTANTIATE_TEST_SUITE_P(Steps, EveryStep, testing::ValuesIn(cases()), name_of);
INSTANTIATE_TEST_SUITE_P(Steps, EveryStepAtLength, testing::ValuesIn(long_cases()), name_of);

// --- steps that rewrite ---

std::vector<Case> rewriters() {
  std::vector<Case> out;
  for (const StepType* t : catalogue())
    for (const auto& [rate, channels] :
         {std::pair(44100.0, 1), std::pair(48000.0, 2), std::pair(96000.0, 6)}) {
#ifdef DREVAN_SANITIZED
      if (channels == 6) continue;  // as above
#endif
      if (t->rewrite) out.push_back({t, rate, channels});
    }
  return out;
}

class EveryRewriter : public testing::TestWithParam<Case> {
 protected:
  const StepType& type() const { return *GetParam().type; }
  // What it makes of a sound, and whether all it promises is true.
  AudioBuffer rewritten(const Settings& s, const AudioBuffer& in, int block = 4096,
                        std::span<const Track> tracks = {}) {
    const auto rewriter = type().rewrite(s, {{GetParam().rate, in.channels(), block}, tracks});
    test::BufferReader reader(in, GetParam().rate);
    const Samples length = rewriter->length(in.frames());
    AudioBuffer out(in.channels(), length);
    Samples at = 0;
    double share = 0;
    rewriter->rewrite(
        reader,
        [&](const AudioBlock& b) {
          ASSERT_LE(at + b.frames(), length);
          out.block(at, b.frames()).copy_from(b);
          at += b.frames();
        },
        [&](double told) {
          EXPECT_GE(told, share - 1e-9);
          share = told;
        });
    EXPECT_EQ(at, length);
    EXPECT_NEAR(share, 1, 1e-6);
    const TimeMap map = rewriter->map(in.frames());
    const double in_s = static_cast<double>(in.frames()) / GetParam().rate,
                 out_s = static_cast<double>(length) / GetParam().rate;
    const double first = map.out_of(0), last = map.out_of(in_s);
    EXPECT_NEAR(std::min(first, last), 0, 1 / GetParam().rate);
    EXPECT_NEAR(std::max(first, last), out_s, 1 / GetParam().rate);
    for (int c = 0; c < out.channels(); ++c)
      for (const float v : out.channel(c)) EXPECT_LT(std::abs(v), 4.0F);
    return out;
  }
  std::vector<Settings> settings() const {
    std::vector<Settings> all{standard_settings(type())};
    for (const auto& point : type().starting_points) all.push_back(settings_of(type(), point));
    for (size_t i = 0; i < type().parameters.size(); ++i)
      for (const double v : {type().parameters[i].least, type().parameters[i].most}) {
        all.push_back(standard_settings(type()));
        all.back().values[i] = v;
      }
    return all;
  }
};

TEST_P(EveryRewriter, GivesTheLengthAndClockThatItPromises) {
  const AudioBuffer x = test::noise(0.1, 0.15, 3, GetParam().rate, GetParam().channels);
  for (const auto& s : settings()) rewritten(s, x);
  if (testing::Test::HasFailure()) return;
  AudioBuffer one(GetParam().channels, 1);
  for (const auto& s : settings()) rewritten(s, one);
}

TEST_P(EveryRewriter, SilenceStaysSilence) {
  const AudioBuffer out =
      rewritten(settings().back(), test::silence(0.3, GetParam().rate, GetParam().channels));
  for (const float v : out.channel(0)) ASSERT_EQ(v, 0.0F);
}

TEST_P(EveryRewriter, CurvesGiveTheLengthThatTheirMapSays) {
  const AudioBuffer x = test::noise(0.1, 0.6, 3, GetParam().rate, std::min(GetParam().channels, 2));
  for (size_t i = 0; i < type().parameters.size(); ++i) {
    const Parameter& p = type().parameters[i];
    if (!may_follow_curve(p)) continue;
    const Track track{
        static_cast<int>(i),
        std::make_shared<const Curve>(
            Curve{{{0.1, 50}, {0.3, 200, CurveShape::smooth}, {0.5, 100, CurveShape::hold}}})};
    const AudioBuffer out = rewritten(standard_settings(type()), x, 4096, std::span(&track, 1));
    EXPECT_NE(out.frames(), x.frames());
    const AudioBuffer again = rewritten(standard_settings(type()), x, 4096, std::span(&track, 1));
    for (size_t k = 0; k < out.channel(0).size(); ++k)
      ASSERT_EQ(out.channel(0)[k], again.channel(0)[k]);
  }
}

INSTANTIATE_TEST_SUITE_P(Steps, EveryRewriter, testing::ValuesIn(rewriters()), name_of);

// What a picture names is there, its functions are, and what it can hold it can hold everywhere.
void expect_whole_picture(const StepType& t) {
  for (const int parameter : parameters_of(spec_of(t.picture))) {
    EXPECT_GE(parameter, -1) << t.id;
    EXPECT_LT(parameter, std::ssize(t.parameters)) << t.id;
  }
  const bool held =
      std::ranges::any_of(parameters_of(spec_of(t.picture)), [](int p) { return p >= 0; });
  EXPECT_EQ(held, !t.parameters.empty()) << t.id;
  if (const auto* response = std::get_if<ResponseSpec>(&spec_of(t.picture))) {
    EXPECT_NE(response->response_db, nullptr) << t.id;
    EXPECT_LT(response->least_db, response->most_db) << t.id;
    for (const auto& band : response->bands) EXPECT_TRUE(band.hz >= 0 || band.fixed_hz > 0) << t.id;
  }
  if (const auto* transfer = std::get_if<TransferSpec>(&spec_of(t.picture))) {
    EXPECT_NE(transfer->transfer_db, nullptr) << t.id;
  }
  if (const auto* reduction = std::get_if<ReductionSpec>(&spec_of(t.picture))) {
    EXPECT_NE(reduction->learned_power, nullptr) << t.id;
    EXPECT_GE(reduction->depth, 0) << t.id;
  }
  if (const auto* bands = std::get_if<BandsSpec>(&spec_of(t.picture))) {
    ASSERT_NE(bands->count, nullptr) << t.id;
    EXPECT_EQ(bands->corners.size() + 1, bands->bands.size()) << t.id;
  }
  EXPECT_EQ(std::holds_alternative<ClockSpec>(spec_of(t.picture)), t.rewrite != nullptr) << t.id;
}

TEST(Catalogue, DescriptionsAreWhole) {
  std::set<std::string_view> seen;
  for (const StepType* t : catalogue()) {
    EXPECT_TRUE(seen.insert(t->id).second) << t->id;
    EXPECT_FALSE(t->label.empty());
    EXPECT_FALSE(t->summary.empty());
    EXPECT_NE(t->make != nullptr, t->rewrite != nullptr) << t->id;
    if (!t->parameters.empty()) EXPECT_GE(t->starting_points.size(), 3U) << t->id;
    EXPECT_EQ(t->hears == Hears::nothing, t->learn == nullptr) << t->id;
    ASSERT_NE(t->brief, nullptr);
    EXPECT_FALSE(t->brief(standard_settings(*t)).empty());
    expect_whole_picture(*t);
    for (const auto& p : t->parameters) {
      EXPECT_TRUE(in_range(p, p.standard)) << t->id << " " << p.id;
      EXPECT_LT(p.least, p.most) << p.id;
      EXPECT_FALSE(p.help.empty()) << p.id;
      EXPECT_FALSE(value_text(p, p.standard).empty());
      for (const double f : {0.0, 0.3, 1.0})
        if (p.scale != Scale::choice && !p.whole)
          EXPECT_NEAR(to_fraction(p, from_fraction(p, f)), f, 1e-9) << p.id;
      const std::pair<std::string_view, std::string_view> units[] = {
          {"dB", "_db"}, {"Hz", "_hz"}, {"ms", "_ms"}, {"%", "_pct"}, {"s", "_s"}, {"st", "_st"}};
      for (const auto& [unit, ending] : units)
        if (p.unit == unit) EXPECT_TRUE(p.id.ends_with(ending)) << p.id;
    }
    for (const auto& point : t->starting_points)
      for (const auto& [id, value] : point.values) {
        const int i = parameter_index(*t, id);
        ASSERT_GE(i, 0) << point.name << " " << id;
        EXPECT_TRUE(in_range(t->parameters[static_cast<size_t>(i)], value))
            << point.name << " " << id;
      }
  }
  EXPECT_GE(seen.size(), 6U);
}

TEST(Catalogue, EverySettingSurvivesARecipe) {
  for (const StepType* t : catalogue()) {
    Chain chain{{{t, standard_settings(*t), true}}};
    for (const auto& point : t->starting_points)
      chain.steps.push_back({t, settings_of(*t, point), false});
    for (size_t i = 0; i < t->parameters.size(); ++i)
      for (const double v : {t->parameters[i].least, t->parameters[i].most}) {
        chain.steps.push_back({t, standard_settings(*t), true});
        chain.steps.back().settings.values[i] = v;
      }
    const auto text = to_json(Recipe{"all", "", chain, {}}).dump();
    EXPECT_EQ(recipe_from_text(text, "test").chain, chain) << t->id;
  }
}

}  // namespace
}  // namespace drevan
