// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace drevan {

namespace {

constexpr double most_reduction_db = 12;  // common practice, no source
constexpr double voice_peak_db = -3;      // common practice, no source

std::string label(const ChainStep& s) {
  std::string out(s.type->label);
  out[0] = static_cast<char>(std::tolower(out[0]));
  return out;
}

Chain moved(Chain chain, size_t from, size_t to) {
  const ChainStep step = chain.steps[from];
  chain.steps.erase(chain.steps.begin() + static_cast<long>(from));
  chain.steps.insert(chain.steps.begin() + static_cast<long>(to), step);
  return chain;
}
Chain with_setting(Chain chain, size_t at, std::string_view id, double value) {
  setting(chain.steps[at], id) = value;
  return chain;
}

// Rules go by a step's traits, so that a later step is covered on the day it is added.
bool dynamics(const ChainStep& s) { return s.type->traits.bends_level; }
// Steps after which a room tone is no longer the room's.
bool bends(const ChainStep& s) { return dynamics(s) || s.type->traits.bends_tone; }
// Steps that harm when they are applied twice (common practice, no source).
bool once_only(const ChainStep& s) { return s.type->traits.only_once; }
bool sets_level(const ChainStep& s) { return is(s, Role::normalise) || is(s, Role::limiter); }

using Found = std::vector<Advice>;

void noise_behind(const Chain& c, Found& out) {
  for (size_t i = 0; i < c.steps.size(); ++i) {
    if (!c.steps[i].on || c.steps[i].type->hears != Hears::room_tone) continue;
    const auto first =
        std::ranges::find_if(c.steps, [](const ChainStep& s) { return s.on && bends(s); });
    const auto at = static_cast<size_t>(first - c.steps.begin());
    if (at >= i) continue;
    out.push_back({"noise-reduction-behind",
                   fmt::format("Noise reduction stands behind the {}, which makes the noise "
                               "change; before it, it is steady.",
                               label(*first)),
                   fmt::format("Move it before the {}", label(*first)), moved(c, i, at)});
    return;
  }
}

// On its way to the listener a sound goes down a line, comes out of a device in a place, and
// through walls. 0: no part of it.
int place_on_the_way(const ChainStep& s) {
  if (is(s, Role::wall)) return 4;
  if (is(s, Role::place)) return 3;
  if (is(s, Role::loudspeaker)) return 2;
  return s.type->family == Family::line ? 1 : 0;
}
// A place before a line is where the caller is, which may be meant.
void device_or_wall_too_early(const Chain& c, Found& out) {
  for (size_t i = 0; i < c.steps.size(); ++i) {
    const bool wall = is(c.steps[i], Role::wall);
    if (!c.steps[i].on || !(wall || is(c.steps[i], Role::loudspeaker))) continue;
    for (size_t j = c.steps.size(); j-- > i + 1;) {
      const int behind = place_on_the_way(c.steps[j]);
      if (!c.steps[j].on || behind == 0 || behind >= place_on_the_way(c.steps[i])) continue;
      out.push_back(
          {wall ? "wall-before-line" : "loudspeaker-before-line",
           fmt::format("The {} stands before the {}: {}.", label(c.steps[i]), label(c.steps[j]),
                       wall ? "it is the other side that is behind it, not the listener"
                            : "what comes out of it is sent on, not what comes down the line"),
           fmt::format("Move it behind the {}", label(c.steps[j])), moved(c, i, j)});
      return;
    }
  }
}
void space_before_dynamics(const Chain& c, Found& out) {
  for (size_t i = 0; i < c.steps.size(); ++i) {
    if (!c.steps[i].on || !c.steps[i].type->traits.spreads_in_time) continue;
    for (size_t j = c.steps.size(); j-- > i + 1;) {
      if (!c.steps[j].on || !dynamics(c.steps[j]) || is(c.steps[j], Role::limiter)) continue;
      out.push_back({"space-before-dynamics",
                     fmt::format("The {} spreads the sound in time before the {}, which then pumps "
                                 "its ringing up and down.",
                                 label(c.steps[i]), label(c.steps[j])),
                     fmt::format("Move it behind the {}", label(c.steps[j])), moved(c, i, j)});
      return;
    }
  }
}

void limiter_not_last(const Chain& c, Found& out) {
  for (size_t i = 0; i < c.steps.size(); ++i) {
    if (!c.steps[i].on || !is(c.steps[i], Role::limiter)) continue;
    const auto next = std::find_if(c.steps.begin() + static_cast<long>(i) + 1, c.steps.end(),
                                   [](const ChainStep& s) { return s.on; });
    // Before a normalise it may well take stray peaks away.
    if (next == c.steps.end() ||
        (is(*next, Role::normalise) && setting(c.steps[i], "ceiling_db") < -3))
      continue;
    out.push_back({"limiter-not-last",
                   "The limiter is not the last step, so what follows can pass its ceiling.",
                   "Move it to the end", moved(c, i, c.steps.size() - 1)});
    return;
  }
}

void twice(const Chain& c, Found& out) {
  std::map<std::string_view, size_t> seen;
  for (size_t i = 0; i < c.steps.size(); ++i) {
    const ChainStep& s = c.steps[i];
    if (!s.on || !once_only(s) || seen.emplace(s.type->id, i).second) continue;
    Chain mended = c;
    mended.steps[i].on = false;
    out.push_back({"twice",
                   fmt::format("The {} stands in the chain twice; what it takes is taken from what "
                               "the first one left.",
                               label(s)),
                   "Switch the second off", std::move(mended)});
    return;
  }
}

void too_much_reduction(const Chain& c, Found& out) {
  for (size_t i = 0; i < c.steps.size(); ++i) {
    const ChainStep& s = c.steps[i];
    if (!s.on || !is(s, Role::noise_reduction) || setting(s, "depth_db") <= most_reduction_db)
      continue;
    out.push_back(
        {"too-much-reduction",
         fmt::format(
             "{:.0f} dB of noise reduction soon sounds harsh and hollow; 6 to 12 sounds natural.",
             setting(s, "depth_db")),
         "Use 12 dB", with_setting(c, i, "depth_db", most_reduction_db)});
    return;
  }
}

void no_final_level(const Chain& c, Found& out) {
  // What only moves things in time makes nothing louder.
  const auto last = std::find_if(c.steps.rbegin(), c.steps.rend(), [](const ChainStep& s) {
    return s.on && s.type->family != Family::motion;
  });
  if (last == c.steps.rend() ||
      std::any_of(c.steps.rbegin(), c.steps.rend(),
                  [](const ChainStep& s) { return s.on && is(s, Role::limiter); }))
    return;
  // What a normalise sets must not be moved again by a step behind it.
  if (sets_level(*last) || is(*last, Role::gain)) return;
  ChainStep normalise = make_step(Role::normalise);
  setting(normalise, "target_db") = voice_peak_db;
  Chain mended = c;
  mended.steps.push_back(normalise);
  out.push_back(
      {"no-final-level",
       fmt::format("Nothing sets the level after the {}, so clips come out as loud as it happens.",
                   label(*last)),
       "Add normalise to -3 dB", std::move(mended)});
}

// Voices that are each below a target's peak add up to more (common practice, no source).
void no_mix_limiter(const Chain& c, const LevelPath* levels, double ceiling_db, Found& out) {
  if (std::ranges::any_of(c.steps, [](const ChainStep& s) { return s.on && is(s, Role::limiter); }))
    return;
  constexpr double unknown = 1000;
  const double peak = levels && !levels->stages.empty()
                          ? levels->stages.back().sample_peak_dbfs.value_or(unknown)
                          : unknown;
  if (peak < ceiling_db - 1) return;
  Chain mended = c;
  ChainStep limiter = make_step(Role::limiter);
  const Parameter& range = parameter_of(*limiter.type, "ceiling_db");
  setting(limiter, "ceiling_db") = std::clamp(ceiling_db, range.least, range.most);
  mended.steps.push_back(std::move(limiter));
  out.push_back(
      {"no-mix-limiter",
       fmt::format("Nothing holds the mix below the target's peak of {:.1f} dB{}.", ceiling_db,
                   peak < unknown ? fmt::format("; it reaches {:.1f}", peak) : ""),
       fmt::format("Add a limiter at {:.1f} dB", ceiling_db), std::move(mended)});
}

// Calls `rule(step, place in the chain, what enters, what leaves)` for the steps that are on, until it
// returns true.
template <class Rule>
void each_measured(const Chain& c, const LevelPath& levels, Rule&& rule) {
  size_t stage = 0;
  for (size_t i = 0; i < c.steps.size(); ++i) {
    if (!c.steps[i].on) continue;
    if (++stage >= levels.stages.size()) return;
    if (rule(c.steps[i], i, levels.stages[stage - 1], levels.stages[stage])) return;
  }
}

// Telephones, shops and many small loudspeakers play one channel (common practice, no source): what
// the two sides have against each other is gone there.
void hole_in_mono(const Chain& c, const LevelPath& levels, Found& out) {
  constexpr double most_lost_db = 3;
  if (!levels.mono_sum_db || *levels.mono_sum_db > -most_lost_db) return;
  for (size_t i = c.steps.size(); i-- > 0;) {
    const ChainStep& s = c.steps[i];
    const int to_stereo = parameter_index(*s.type, "out"),
              width = parameter_index(*s.type, "width_pct");
    if (!s.on || (to_stereo < 0 && width < 0)) continue;
    const bool narrower = to_stereo < 0 || s.settings[static_cast<size_t>(to_stereo)] == 0;
    if (narrower && width < 0) continue;
    out.push_back(
        {"hole-in-mono",
         fmt::format(
             "Summed to mono this loses {:.1f} dB: the {} sets its sides against each other.",
             -*levels.mono_sum_db, label(s)),
         narrower ? "Make it narrower" : "Keep it mono",
         narrower ? with_setting(c, i, "width_pct", 50) : with_setting(c, i, "out", 0)});
    return;
  }
}

// A step whose threshold its input never reaches.
void does_nothing(const Chain& c, const LevelPath& levels, Found& out) {
  each_measured(c, levels, [&](const ChainStep& s, size_t i, const Levels& in, const Levels&) {
    if (is(s, Role::compressor) && in.sample_peak_dbfs) {
      const double peak = *in.sample_peak_dbfs, threshold = setting(s, "threshold_db");
      if (peak > threshold - setting(s, "knee_db") / 2) return false;
      const double use = std::clamp(std::round(peak - 10), -60.0, 0.0);
      out.push_back({"does-nothing",
                     fmt::format("The compressor does nothing here: the loudest peak before it is "
                                 "{:.0f} dB, its threshold {:.0f}.",
                                 peak, threshold),
                     fmt::format("Use {:.0f}", use), with_setting(c, i, "threshold_db", use)});
      return true;
    }
    if (is(s, Role::gate) && in.noise_floor_dbfs) {
      const double floor = *in.noise_floor_dbfs, threshold = setting(s, "threshold_db");
      if (floor < threshold) return false;
      const auto& range = parameter_of(*s.type, "threshold_db");
      const double use = std::clamp(std::round(floor + 10), range.least, range.most);
      if (use <= floor) return false;
      out.push_back({"does-nothing",
                     fmt::format("The gate never closes here: the noise floor before it is {:.0f} "
                                 "dB, its threshold {:.0f}.",
                                 floor, threshold),
                     fmt::format("Use {:.0f}", use), with_setting(c, i, "threshold_db", use)});
      return true;
    }
    return false;
  });
}

// The threshold is read off the quiet words' peaks (common practice, no source): there the quiet words
// stay and the loud ones come down to them.
void threshold_off(const Chain& c, const LevelPath& levels, Found& out) {
  constexpr double tolerance_db = 6;
  each_measured(c, levels, [&](const ChainStep& s, size_t i, const Levels& in, const Levels&) {
    if (!is(s, Role::compressor) || !in.quiet_words_dbfs || setting(s, "ratio") == 1) return false;
    const double threshold = setting(s, "threshold_db"),
                 use = std::clamp(std::round(*in.quiet_words_dbfs), -60.0, 0.0);
    const bool silent =
        in.sample_peak_dbfs.value_or(0) <= threshold - setting(s, "knee_db") / 2;  // another rule's
    if (std::abs(threshold - use) <= tolerance_db || silent) return false;
    out.push_back({"threshold-off",
                   threshold > use
                       ? fmt::format("The quiet words of this clip peak at {:.0f} dB, far below "
                                     "the compressor's threshold of {:.0f}: only shouts come down.",
                                     use, threshold)
                       : fmt::format("The quiet words of this clip peak at {:.0f} dB, far above "
                                     "the compressor's threshold of {:.0f}: everything is pressed.",
                                     use, threshold),
                   fmt::format("Use {:.0f}", use), with_setting(c, i, "threshold_db", use)});
    return true;
  });
}

// A peak goal that made the waveform shrink, or hardly grow, for the sake of a few stray peaks.
void stray_peaks(const Chain& c, const LevelPath& levels, double rate, Found& out) {
  constexpr double stray_db = 6;
  each_measured(
      c, levels, [&](const ChainStep& s, size_t i, const Levels& in, const Levels& after) {
        if (!is(s, Role::normalise) || static_cast<int>(setting(s, "measure")) == 2) return false;
        if (!in.sample_peak_dbfs || !in.loud_words_dbfs || !after.sample_peak_dbfs) return false;
        const double over = *in.sample_peak_dbfs - *in.loud_words_dbfs;
        const double gain = *after.sample_peak_dbfs - *in.sample_peak_dbfs;
        if (over <= stray_db || gain > 1) return false;
        ChainStep limiter = make_step(Role::limiter);
        const double ceiling = std::clamp(std::round(*in.loud_words_dbfs) + 1, -30.0, 0.0);
        for (const auto& [id, value] :
             {std::pair{"measure", 0.0}, std::pair{"ceiling_db", ceiling}})
          setting(limiter, id) = value;
        Chain mended = c;
        mended.steps.insert(mended.steps.begin() + static_cast<long>(i), limiter);
        const double at = static_cast<double>(in.peak_at) / rate;
        out.push_back({"stray-peaks",
                       fmt::format("A stray peak at {:.1f} s stands {:.0f} dB above the loud "
                                   "words, so the peak goal {} the clip.",
                                   at, over, gain < 0 ? "turned down" : "hardly lifted"),
                       fmt::format("Limit to {:.0f} dB before it", ceiling),
                       std::move(mended),
                       {},
                       at});
        return true;
      });
}

void tone_with_speech(const Chain& c, const RoomToneJudgement& tone, Found& out) {
  const bool wanted = std::ranges::any_of(
      c.steps, [](const ChainStep& s) { return s.on && s.type->hears == Hears::room_tone; });
  if (!wanted || tone.flaw == RoomToneFlaw::none) return;
  Advice a{"room-tone",
           fmt::format("The room tone {}; what is learned from it takes parts of the voice away.",
                       flaw_text(tone.flaw)),
           "", c};
  if (tone.better) {
    a.action = fmt::format("Use {:.1f} to {:.1f} s", tone.better->begin.s, tone.better->end.s);
    a.room_tone = tone.better;
  }
  out.push_back(std::move(a));
}

// What comes out passes 0 dBFS: it is taken off where it first happened.
void over(const Chain& c, const LevelPath& levels, Found& out) {
  const size_t stage = levels.first_over;
  if (stage == 0 || levels.stages.empty() ||
      levels.stages.back().sample_peak_dbfs.value_or(-1) <= 0)
    return;
  // The stage-th step that is on.
  size_t at = 0;
  for (size_t count = 0; at < c.steps.size(); ++at)
    if (c.steps[at].on && ++count == stage) break;
  if (at == c.steps.size() || stage >= levels.stages.size()) return;
  const double too_much = std::ceil(*levels.stages[stage].sample_peak_dbfs * 10 + 1) / 10;
  const auto reason = fmt::format(
      "The sound passes 0 dBFS at the {}, by {:.1f} dB, and would be clipped in the file.",
      label(c.steps[at]), *levels.stages[stage].sample_peak_dbfs);
  for (const auto& [id, name] :
       {std::pair{"gain_db", "gain"}, std::pair{"make_up_db", "make-up"}}) {
    const int i = parameter_index(*c.steps[at].type, id);
    if (i < 0) continue;
    const double value = setting(c.steps[at], id) - too_much;
    if (value < c.steps[at].type->parameters[static_cast<size_t>(i)].least) continue;
    out.push_back({"over", reason, fmt::format("Take {:.1f} dB off its {}", too_much, name),
                   with_setting(c, at, id, value)});
    return;
  }
  ChainStep gain = make_step(Role::gain);
  setting(gain, "gain_db") = -too_much;
  Chain mended = c;
  mended.steps.insert(mended.steps.begin() + static_cast<long>(at) + 1, gain);
  out.push_back({"over", reason, fmt::format("Add a gain of -{:.1f} dB behind it", too_much),
                 std::move(mended)});
}

}  // namespace

std::vector<Advice> advise(const Chain& chain, const LevelPath* levels, double rate,
                           const RoomToneJudgement* tone, std::optional<double> mix_ceiling_db) {
  Found out;
  if (mix_ceiling_db) no_mix_limiter(chain, levels, *mix_ceiling_db, out);
  if (levels) over(chain, *levels, out);
  if (tone) tone_with_speech(chain, *tone, out);
  noise_behind(chain, out);
  space_before_dynamics(chain, out);
  device_or_wall_too_early(chain, out);
  twice(chain, out);
  limiter_not_last(chain, out);
  if (levels) {
    stray_peaks(chain, *levels, rate, out);
    does_nothing(chain, *levels, out);
    threshold_off(chain, *levels, out);
    hole_in_mono(chain, *levels, out);
  }
  too_much_reduction(chain, out);
  no_final_level(chain, out);
  return out;
}

std::vector<Advice> advise_clip(const Reel& reel, const Clip& clip, const LevelPath* levels,
                                const RoomToneJudgement* tone,
                                std::optional<double> delivered_peak_db) {
  const auto any_on = [](const Chain& c) { return std::ranges::any_of(c.steps, &ChainStep::on); };
  const bool bus = is_bus(clip);
  const bool more = bus || any_on(reel.group_of(clip).chain) || any_on(reel.chain);
  auto out = advise(clip.chain, levels, reel.rate, tone,
                    clip.id == mix_clip_id ? delivered_peak_db : std::nullopt);
  std::erase_if(out, [&](const Advice& a) {
    // A mix is glued by a dB or two, not brought to its quiet words (common practice, no source).
    return (more && a.rule == "no-final-level") || (bus && a.rule == "threshold-off");
  });
  return out;
}

}  // namespace drevan
