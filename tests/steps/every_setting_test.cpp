// SPDX-License-Identifier: GPL-3.0-or-later
// Every setting of every step, each where it does something: where two values of it are heard
// apart. What only the first starting point was asked before is asked there.
#include <gtest/gtest.h>

#include <set>

#include "audio/decibel.h"
#include "support/extent.h"
#include "support/step_bench.h"

namespace drevan {
namespace {

using test::StepBench;

// How far two sounds are apart, in dB below the louder one; channels and edges and all.
double apart_db(const AudioBuffer& a, const AudioBuffer& b) {
  double error = 0, power = 0;
  for (int c = 0; c < std::max(a.channels(), b.channels()); ++c)
    for (size_t i = 0; i < static_cast<size_t>(a.frames()); ++i) {
      const double x = c < a.channels() ? static_cast<double>(a.channel(c)[i]) : 0;
      const double y = c < b.channels() ? static_cast<double>(b.channel(c)[i]) : 0;
      error += (x - y) * (x - y);
      power += std::max(x * x, y * y);
    }
  return 10 * std::log10(error / (power + 1e-20) + 1e-20);
}

struct Setting {
  const StepType* type;
  size_t parameter;
};

std::vector<Setting> settings_of_all() {
  std::vector<Setting> out;
  for (const StepType* t : catalogue()) {
    // To reckon a room anew for every pair of settings would take minutes; AcousticsStandard and
    // Places go through them.
    if (t->id == "acoustics") continue;
    for (size_t p = 0; t->make && p < t->parameters.size(); ++p) out.push_back({t, p});
  }
  return out;
}

std::string name_of_setting(const testing::TestParamInfo<Setting>& given) {
  auto name = std::string(given.param.type->id) + "_" +
              std::string(given.param.type->parameters[given.param.parameter].id);
  std::ranges::replace(name, '-', '_');
  return name;
}

// The two values that a setting is turned between, and settings of the others with which that is
// heard.
struct Heard {
  Settings low, high;
  int channels = 2;  // that come in
  double apart = -200;
};

constexpr double audible_db = -55;

class EverySetting : public testing::TestWithParam<Setting> {
 protected:
  const StepType& type() const { return *GetParam().type; }
  size_t index() const { return GetParam().parameter; }
  const Parameter& parameter() const { return type().parameters[index()]; }
  StepBench bench(int channels = 2) const { return {type(), {48000, channels, 4096}, 0.02}; }
  // In a room that is loud enough for what is learned of it to be heard.
  AudioBuffer programme(double seconds, int channels = 2) const {
    return bench(channels).programme(seconds, 0.01, 0.02);
  }

  // Others' settings to try: as they come, all starting points, and each of these with each choice
  // and with each other setting at its ends.
  std::vector<Settings> bases() const {
    Settings all_most = bench().standard();
    for (size_t p = 0; p < type().parameters.size(); ++p)
      if (type().parameters[p].choices.empty()) all_most.values[p] = type().parameters[p].most;
    std::vector<Settings> out{bench().standard(), all_most};
    for (const auto& point : type().starting_points) out.push_back(settings_of(type(), point));
    const size_t named = out.size();
    for (size_t i = 0; i < named; ++i)
      for (size_t p = 0; p < type().parameters.size(); ++p) {
        if (p == index()) continue;
        const Parameter& of = type().parameters[p];
        std::set<double> values{of.least, of.most};
        for (size_t k = 0; k < of.choices.size(); ++k) values.insert(static_cast<double>(k));
        for (const double v : values) {
          out.push_back(out[i]);
          out.back().values[p] = v;
        }
      }
    return out;
  }
  void SetUp() override {
    if (!is_done_around()) heard_ = find_heard();
  }
  void expect_reset_makes_it_new() const;
  void expect_reset_ends_a_glide() const;
  void expect_long_enough_tail() const;
  void expect_it_ends_where_making_begins() const;
  void expect_sides_to_be_alike() const;
  const std::optional<Heard>& heard() const { return heard_; }
  std::optional<Heard> find_heard() const {
    // What makes a sound wider is heard of one that is narrow.
    for (const int channels : {2, 1}) {
      const AudioBuffer x = programme(0.8, channels);
      for (const Settings& base : bases()) {
        Heard one{base, base, channels};
        one.low.values[index()] = parameter().least;
        one.high.values[index()] = parameter().most;
        one.apart =
            apart_db(bench(channels).made_of(x, one.low), bench(channels).made_of(x, one.high));
        if (one.apart > audible_db) return one;
      }
    }
    return std::nullopt;
  }
  // What it changes is done around the step: it is kept as loud as it came, or learns over its
  // group. KeepsLevel and ClipSoundTest hear that.
  bool is_done_around() const {
    Settings low = bench().busy(), high = low;
    low.values[index()] = parameter().least;
    high.values[index()] = parameter().most;
    // Which of the measurements of a file of one's own: AcousticsStandard reads such files.
    if (type().id == "convolution" && parameter().id == "measurement") return true;
    // It acts in pauses longer than this programme: RadioStandard hears it.
    if (type().id == "radio-link" && parameter().id == "squelch") return true;
    return keeps_level(type(), low) != keeps_level(type(), high) ||
           (type().shares && type().shares(low) != type().shares(high));
  }

 private:
  std::optional<Heard> heard_;  // empty: it is nowhere heard
};

TEST_P(EverySetting, IsHeardSomewhereAndHoldsThere) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  if (is_done_around()) return;
  ASSERT_TRUE(heard()) << "no settings were found with which " << parameter().id
                       << " changes the sound: it does nothing, or has no test";
  expect_reset_makes_it_new();
  expect_reset_ends_a_glide();
  expect_long_enough_tail();
  expect_it_ends_where_making_begins();
  expect_sides_to_be_alike();
}

// What a step remembers is loud, and what comes after the reset begins loudly, or softly, so that
// nothing that stayed behind hides; also where it is late by as little as can be.
void EverySetting::expect_reset_makes_it_new() const {
  const StepBench on = bench(heard()->channels);
  AudioBuffer loud = on.loud(0.3, 5), softly = loud;
  const AudioBuffer before = on.loud(0.3, 6);
  for (int c = 0; c < softly.channels(); ++c)
    for (float& v : softly.channel(c).first(4000)) v *= 0.01F;
  Settings soon = heard()->high;
  for (size_t p = 0; p < type().parameters.size(); ++p)
    if (type().parameters[p].unit == "ms" && p != index())
      soon.values[p] = type().parameters[p].least;
  for (const auto& [s, x] :
       {std::pair{heard()->low, &loud}, {heard()->high, &loud}, {soon, &loud}, {soon, &softly}}) {
    const AudioBuffer once = on.made_of(*x, s);
    AudioBuffer twice = on.wide(*x, s), first = on.wide(before, s);
    AudioBuffer side = on.beside(0.3), *beside = type().sides.empty() ? nullptr : &side;
    const auto p = on.make(s);
    StepBench::run(*p, first, 4096, beside);
    p->reset();
    StepBench::run(*p, twice, 4096, beside);
    for (int c = 0; c < once.channels(); ++c)
      for (size_t i = 0; i < once.channel(c).size(); ++i)
        ASSERT_EQ(once.channel(c)[i], twice.channel(c)[i]) << "channel " << c << ", " << i;
  }
}

// Reset while a turn still glides, it is as one that was made so.
void EverySetting::expect_reset_ends_a_glide() const {
  if (parameter().fixed || parameter().learned_from) return;
  const StepBench on = bench(heard()->channels);
  const AudioBuffer x = on.loud(0.2, 5);
  const AudioBuffer made = on.made_of(x, heard()->high);
  AudioBuffer turned = on.wide(x, heard()->high), first = turned;
  AudioBuffer side = on.beside(0.2), *beside = type().sides.empty() ? nullptr : &side;
  const auto p = on.make(heard()->low);
  StepBench::run(*p, first, 4096, beside);
  p->set(static_cast<int>(index()), parameter().most);
  p->reset();
  StepBench::run(*p, turned, 4096, beside);
  EXPECT_LT(apart_db(turned, made), -100);
}

void EverySetting::expect_long_enough_tail() const {
  // Known, and to be mended with the noise that moves: noise reduction's last window spreads behind
  // the end (up to 6e-4), and hum that was learned is taken out of silence, too.
  if (type().hears != Hears::nothing) return;
  // A carrier that is heard by itself has no end. The idle step of an A-law line (1/4096) goes on.
  if (type().id == "vocoder" && (parameter().id == "hear" || parameter().id == "carrier_db"))
    return;
  const float quiet = type().id == "telephone" ? 3e-4F : 1e-4F;
  const StepBench on = bench(heard()->channels);
  for (const Settings& s : {heard()->low, heard()->high}) {
    const auto p = on.make(s);
    AudioBuffer x = on.wide(on.programme(0.3), s), side = on.beside(0.3);
    AudioBuffer* beside = type().sides.empty() ? nullptr : &side;
    StepBench::run(*p, x, 4096, beside);
    const auto rest = p->latency() + p->tail();
    AudioBuffer after(x.channels(), rest + 4096), silence(on.format().channels, rest + 4096);
    StepBench::run(*p, after, 4096, beside ? &silence : nullptr);
    for (int c = 0; c < after.channels(); ++c)
      for (size_t i = static_cast<size_t>(rest); i < after.channel(c).size(); ++i)
        ASSERT_LT(std::abs(after.channel(c)[i]), quiet)
            << "channel " << c << ", " << i - static_cast<size_t>(rest) << " frames behind it";
  }
}

// A setting that is turned while it runs ends where one that was made with it begins: every
// channel, within 40 dB of what the turn itself makes.
void EverySetting::expect_it_ends_where_making_begins() const {
  if (parameter().fixed || parameter().learned_from) return;
  const auto& [low, high, channels, apart] = *heard();
  const StepBench on = bench(channels);
  const double seconds = 2;
  AudioBuffer turned = on.wide(on.programme(seconds), high), made = turned;
  AudioBuffer side = on.beside(seconds), *beside = type().sides.empty() ? nullptr : &side;
  const auto p = on.make(low), q = on.make(high);
  p->set(static_cast<int>(index()), parameter().most);
  // What swings may stand elsewhere in its turn, and what rings has rung on another way: only the
  // last half second of two counts, and of such only its level.
  const bool goes_on =
      type().traits.spreads_in_time || std::ranges::any_of(type().parameters, &Parameter::paces);
  StepBench::run(*p, turned, 1024, beside);
  StepBench::run(*q, made, 1024, beside);
  for (int c = 0; c < turned.channels(); ++c) {
    double error = 0, power = 1e-12, level = 1e-12;
    for (size_t i = 72000; i < turned.channel(c).size(); ++i) {
      const auto a = static_cast<double>(turned.channel(c)[i]),
                 b = static_cast<double>(made.channel(c)[i]);
      error += (a - b) * (a - b);
      power += b * b;
      level += a * a;
    }
    const double off = 10 * std::log10(error / power);
    if (off < std::min(-40.0, apart - 40)) continue;
    EXPECT_TRUE(goes_on) << "channel " << c << ": " << off << " dB off, set apart " << apart;
    EXPECT_NEAR(10 * std::log10(level / power), 0, 1) << "channel " << c;
  }
}

// With the sides of what comes in exchanged, those of what comes out are, where no setting makes
// them unlike. Rooms answer each side in their own way, and lines have noise of their own on each:
// there one side alone is about as loud as the other.
void EverySetting::expect_sides_to_be_alike() const {
  if (type().hears != Hears::nothing) return;  // it has learned of each side by itself
  if (type().id == "radio-link") return;       // it fades, on each side at other times
  constexpr std::string_view own_ways[] = {"reverb", "convolution", "wall", "telephone",
                                           "loudspeaker"};
  const bool own_way = std::ranges::find(own_ways, type().id) != std::end(own_ways);
  const StepBench on = bench(2);
  AudioBuffer x = on.programme(0.4);
  if (own_way) std::ranges::fill(x.channel(1), 0.0F);
  AudioBuffer other = x, other_side = on.beside(0.4);
  const auto exchange = [](AudioBuffer& of) {
    if (of.channels() > 1) std::ranges::swap_ranges(of.channel(0), of.channel(1));
  };
  exchange(other);
  exchange(other_side);
  const auto loudness = [](const AudioBuffer& of) {
    double sum = 1e-12;
    for (int c = 0; c < of.channels(); ++c) sum += std::pow(10, test::rms_db(of.channel(c)) / 10);
    return 10 * std::log10(sum);
  };
  for (Settings s : {heard()->low, heard()->high}) {
    for (size_t p = 0; p < type().parameters.size(); ++p) {
      const std::string_view id = type().parameters[p].id;
      if (id == "phase_deg" || id == "spread_pct" || id == "way" || id.starts_with("pan_"))
        s.values[p] = 0;
    }
    const AudioBuffer a = on.made_of(x, s);
    AudioBuffer b = on.wide(other, s);
    StepBench::run(*on.make(s), b, 4096, type().sides.empty() ? nullptr : &other_side);
    exchange(b);
    if (own_way)
      EXPECT_NEAR(loudness(a), loudness(b), 3.5);
    else
      EXPECT_LT(apart_db(a, b), -80);
  }
}

INSTANTIATE_TEST_SUITE_P(Steps, EverySetting, testing::ValuesIn(settings_of_all()),
                         name_of_setting);

// --- what is mixed in ---

// Where the untouched sound can be mixed in, half of each is the sum of the halves, in time: at
// every frame and in every channel.
TEST(EveryMix, IsTheSumOfItsShares) {
  for (const StepType* t : catalogue()) {
    const int mix = parameter_index(*t, "mix_pct");
    if (mix < 0 || !t->make) continue;
    const StepBench bench(*t, {48000, 2, 4096});
    const AudioBuffer x = bench.programme(0.6);
    const auto at = [&](double pct) {
      Settings s = bench.busy();
      s.values[static_cast<size_t>(mix)] = pct;
      return bench.made_of(x, s);
    };
    // In the middle of a delay's both are whole: echoes come in beside the sound.
    const double share = t->id == "delay" ? 1 : 0.5;
    const AudioBuffer none = at(0), half = at(50), all = at(100);
    double error = 0, power = 1e-12;
    for (int c = 0; c < half.channels(); ++c)
      for (size_t i = 0; i < half.channel(c).size(); ++i) {
        const auto wanted = share * (static_cast<double>(none.channel(c)[i]) +
                                     static_cast<double>(all.channel(c)[i]));
        const double off = static_cast<double>(half.channel(c)[i]) - wanted;
        error += off * off;
        power += wanted * wanted;
      }
    EXPECT_LT(10 * std::log10(error / power), -80) << t->id;
    Settings dry = bench.busy();
    dry.values[static_cast<size_t>(mix)] = 0;
    const auto late = static_cast<size_t>(bench.make(dry)->latency());
    for (int c = 0; c < x.channels(); ++c)
      for (size_t i = 0; i + late < x.channel(c).size(); ++i)
        ASSERT_NEAR(none.channel(c)[i + late], x.channel(c)[i], 2e-6F) << t->id << " " << c;
  }
}

}  // namespace
}  // namespace drevan
