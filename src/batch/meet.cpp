// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/meet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace drevan {

namespace {

enum Measure : int { by_sample_peak, by_true_peak, by_loudness };  // of normalise

// The value a target is about first of all, and where in its limits it is best.
struct Goal {
  std::optional<double> Levels::*value;
  double at;
  int measure;  // of normalise; -1: it cannot measure this
  const char* unit;
};

std::optional<Goal> goal_of(const Target& t) {
  const auto inside = [](const Limits& l, double reach) {
    if (l.least && l.most) return (*l.least + *l.most) / 2;
    return l.most ? *l.most - reach : *l.least + reach;
  };
  if (!t.loudness_lufs.free())
    return Goal{&Levels::loudness_lufs, inside(t.loudness_lufs, 0.5), by_loudness, "LUFS"};
  if (!t.rms_dbfs.free()) return Goal{&Levels::rms_dbfs, inside(t.rms_dbfs, 0.5), -1, "dB RMS"};
  if (!t.sample_peak_dbfs.free())
    return Goal{&Levels::sample_peak_dbfs, inside(t.sample_peak_dbfs, 0), by_sample_peak, "dBFS"};
  if (!t.true_peak_dbtp.free())
    return Goal{&Levels::true_peak_dbtp, inside(t.true_peak_dbtp, 0), by_true_peak, "dBTP"};
  return std::nullopt;
}

void set(ChainStep& s, std::string_view id, double value) {
  const Parameter& p = parameter_of(*s.type, id);
  setting(s, id) = std::clamp(value, p.least, p.most);
}

// The last step that is on when it has the role, else a new one at the end.
ChainStep& step_at_end(Chain& c, Role role) {
  for (size_t i = c.steps.size(); i-- > 0;) {
    if (!c.steps[i].on) continue;
    if (is(c.steps[i], role)) return c.steps[i];
    break;
  }
  c.steps.push_back(make_step(role));
  return c.steps.back();
}

class Meeter {
 public:
  Meeter(const ClipSound& sound, const Chain& chain, std::span<const PlannedStep> later,
         const Target& target, const LevelPathOptions& options)
      : sound_(sound), chain_(chain), later_(later), target_(target), options_(options) {
    options_.true_peak = !target.true_peak_dbtp.free();
  }

  Meeting meet() {
    const auto goal = goal_of(target_);
    if (!goal) return {chain_, "This target asks for no level.", true, false};
    const Levels now = measure(chain_);
    if (misses(target_, now).empty()) return {chain_, "It meets the target as it is.", true, false};
    const auto value = now.*goal->value;
    if (!value) return {chain_, "There is nothing to measure in this clip.", false, false};
    const double gain = goal->at - *value;
    if (auto blocked = noise_in_the_way(now, gain)) return *blocked;
    return peaks_would_pass(now, gain) ? with_limiter(*goal, gain) : with_gain(*goal, gain);
  }

 private:
  Levels measure(const Chain& own) const {
    return measure_level_path({sound_, planned(own, sound_.rate, later_)}, options_).stages.back();
  }

  // No gain helps where noise stands too near to the voice.
  std::optional<Meeting> noise_in_the_way(const Levels& now, double gain) const {
    const auto& most = target_.noise_floor_dbfs.most;
    if (!most || !now.noise_floor_dbfs) return std::nullopt;
    const double floor = *now.noise_floor_dbfs + gain;
    if (floor <= *most) return std::nullopt;
    const double missing = std::ceil(floor - *most);
    const bool reduces = std::ranges::any_of(
        chain_.steps, [](const ChainStep& s) { return s.on && s.type->hears == Hears::room_tone; });
    return Meeting{
        chain_,
        fmt::format("Gain alone cannot: at the right level the noise floor would be {:.1f} dBFS, "
                    "wanted is at most {:.1f}. {} would take the missing {:.0f} dB.",
                    floor, *most,
                    reduces ? "More depth in the noise reduction, or a gate behind it,"
                            : "A noise reduction",
                    missing),
        false, false};
  }
  bool peaks_would_pass(const Levels& now, double gain) const {
    const auto over = [&](const Limits& l, const std::optional<double>& peak) {
      return l.most && peak && *peak + gain > *l.most + 0.04;
    };
    const bool about_peaks = target_.loudness_lufs.free() && target_.rms_dbfs.free();
    return !about_peaks && (over(target_.true_peak_dbtp, now.true_peak_dbtp) ||
                            over(target_.sample_peak_dbfs, now.sample_peak_dbfs));
  }

  Meeting with_gain(const Goal& goal, double gain) const {
    Chain own = chain_;
    if (goal.measure >= 0) {
      ChainStep& s = step_at_end(own, Role::normalise);
      set(s, "measure", goal.measure);
      set(s, "target_db", goal.at);
      // Steps behind it move what it set.
      correct(own, goal, [&](Chain& c, double by) {
        set(step_at_end(c, Role::normalise), "target_db",
            setting(step_at_end(c, Role::normalise), "target_db") + by);
      });
      return finish(std::move(own), fmt::format("Normalise set to {:.1f} {}", goal.at, goal.unit));
    }
    ChainStep& s = step_at_end(own, Role::gain);
    set(s, "gain_db", setting(s, "gain_db") + gain);
    correct(own, goal, [&](Chain& c, double by) {
      set(step_at_end(c, Role::gain), "gain_db",
          setting(step_at_end(c, Role::gain), "gain_db") + by);
    });
    auto told = fmt::format("Gain set to {:.1f} dB", setting(own.steps.back(), "gain_db"));
    return finish(std::move(own), std::move(told));
  }

  // Loudness by drive, peaks by the ceiling.
  Meeting with_limiter(const Goal& goal, double gain) const {
    Chain own = chain_;
    const bool between = !target_.true_peak_dbtp.free();
    const double ceiling = between ? *target_.true_peak_dbtp.most : *target_.sample_peak_dbfs.most;
    ChainStep& s = step_at_end(own, Role::limiter);
    const double drive = setting(s, "drive_db") + gain;
    if (drive < 0) {
      // A limiter only lifts: what is too loud comes down before it.
      ChainStep down = make_step(Role::gain);
      set(down, "gain_db", drive);
      own.steps.insert(own.steps.end() - 1, down);
    }
    ChainStep& limiter = own.steps.back();
    set(limiter, "measure", between ? 1 : 0);
    set(limiter, "ceiling_db", ceiling - (between ? 0.1 : 0));
    set(limiter, "drive_db", std::max(0.0, drive));
    correct(own, goal, [&](Chain& c, double by) {
      ChainStep& l = c.steps.back();
      if (drive < 0)
        set(c.steps[c.steps.size() - 2], "gain_db",
            setting(c.steps[c.steps.size() - 2], "gain_db") + by);
      else
        set(l, "drive_db", setting(l, "drive_db") + by);
    });
    // Before the chain is given away: in which order arguments are read is not said.
    auto told = drive < 0 ? fmt::format("Gain of {:.1f} dB and a limiter at {:.1f} dB added", drive,
                                        ceiling)
                          : fmt::format("Limiter set to {:.1f} dB drive, ceiling {:.1f} dB",
                                        setting(own.steps.back(), "drive_db"), ceiling);
    return finish(std::move(own), std::move(told));
  }

  template <class Turn>
  void correct(Chain& own, const Goal& goal, Turn&& turn) const {
    for (int round = 0; round < 4; ++round) {
      const auto value = measure(own).*goal.value;
      if (!value || std::abs(goal.at - *value) < 0.05) return;
      turn(own, goal.at - *value);
    }
  }
  Meeting finish(Chain own, std::string told) const {
    const auto left = misses(target_, measure(own));
    for (const auto& miss : left) told += fmt::format("; still {}", miss_text(miss));
    return {std::move(own), told + ".", left.empty(), true};
  }

  const ClipSound& sound_;
  const Chain& chain_;
  std::span<const PlannedStep> later_;
  const Target& target_;
  LevelPathOptions options_;
};

}  // namespace

Meeting meet_target(const ClipSound& sound, const Chain& chain, std::span<const PlannedStep> later,
                    const Target& target, const LevelPathOptions& options) {
  return Meeter(sound, chain, later, target, options).meet();
}

}  // namespace drevan
