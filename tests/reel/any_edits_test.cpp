// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of every kind one after the other, at random: after each the reel is whole, saves, loads and
// is the same. DREVAN_WALK_S says for how many seconds (standard: 3); a find prints its seed and the
// edits that led to it, and DREVAN_WALK_SEED begins with that one.
#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <random>

#include "audio/error.h"
#include "batch/mix.h"
#include "reel/edits/anchors.h"
#include "reel/change.h"
#include "reel/times/crossings.h"
#include "reel/edits/cuts.h"
#include "reel/edits/groups.h"
#include "reel/history.h"
#include "reel/edits/many.h"
#include "reel/scene/recording.h"
#include "reel/files/reel_json.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "reel/edits/takes.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

class Walk {
 public:
  Walk(Reel start, unsigned seed, std::filesystem::path folder)
      : random_(seed), folder_(std::move(folder)), history_(std::move(start)) {}

  // Returns what was done, for a find.
  std::string step() {
    const Reel& reel = history_.now();
    if (chance(12)) return go_about();
    try {
      edits::Edit edit = any(reel);
      const Reel before = reel;
      edits::settle_alike(edit.next, before, [](const Reel&, const Crossing&) { return 0.5; });
      history_.edit(std::move(edit.next), edit.label, chance(3) ? edit.merge : "");
      return edit.label;
    } catch (const Error& e) {
      return std::string("(") + e.what() + ")";
    }
  }
  const Reel& now() const { return history_.now(); }

 private:
  unsigned pick(size_t n) { return n == 0 ? 0 : static_cast<unsigned>(random_() % n); }
  bool chance(unsigned one_in) { return random_() % one_in == 0; }
  double between(double a, double b) {
    return a + (b - a) * static_cast<double>(random_() % 10001) / 10000;
  }
  ClipId clip(const Reel& reel) {
    return reel.clips.empty() ? 0 : reel.clips[pick(reel.clips.size())].id;
  }
  std::vector<ClipId> some(const Reel& reel) {
    std::vector<ClipId> out;
    for (unsigned n = 1 + pick(3); n > 0; --n)
      if (const ClipId id = clip(reel); std::ranges::find(out, id) == out.end()) out.push_back(id);
    return out;
  }
  EventId event(const Reel& reel) {
    return reel.events.empty() ? 0 : reel.events[pick(reel.events.size())].id;
  }
  SpaceId space(const Reel& reel) {
    return reel.spaces.empty() ? 0 : reel.spaces[pick(reel.spaces.size())].id();
  }
  GroupId group(const Reel& reel) {
    return reel.groups.empty() ? 0 : reel.groups[pick(reel.groups.size())].id;
  }
  Curve curve(double least, double most) {
    Curve out;
    double s = between(-1, 1);
    for (unsigned n = 1 + pick(4); n > 0; --n) {
      out.points.push_back(
          {s, between(least, most), chance(2) ? CurveShape::line : CurveShape::hold});
      s += between(0.01, 2);
    }
    return out;
  }

  std::string go_about() {
    switch (pick(4)) {
      case 0:
        history_.undo();
        return "undo";
      case 1:
        history_.redo();
        return "redo";
      case 2:
        history_.go_to(pick(history_.labels().size()));
        return "go to";
      default:
        history_.end_merge();
        return "let go";
    }
  }

  edits::Edit any(const Reel& reel) {
    const ClipId id = clip(reel);
    const double length = reel.find(id) ? clip_seconds(reel, *reel.find(id)) : 1;
    const auto way = chance(2) ? edits::StretchWay::pitch : edits::StretchWay::tape;
    const auto at = [&] { return ClipTime{between(-0.2, length + 0.2)}; };
    const auto range = [&] {
      const auto [a, b] = std::minmax({at(), at()});
      return ClipRange{a, b};
    };
    const edits::Feeder from = chance(3) ? edits::Feeder(group(reel)) : edits::Feeder(id);
    switch (pick(32)) {
      case 0: {
        const ClipTime cuts[] = {at(), at()};
        return edits::split(reel, id, cuts);
      }
      case 1:
        return edits::trim(reel, id, range());
      case 2:
        return edits::take_out(reel, id, range(), chance(2));
      case 3:
        return edits::join(reel, some(reel));
      case 4:
        if (reel.clips.size() > 12) return edits::remove_clips(reel, some(reel));
        return edits::duplicate(reel, some(reel), ReelSpan{between(-3, 3)});
      case 5:
        return edits::set_fades(reel, id, {between(0, 2), CurveShape::smooth}, {between(0, 1)});
      case 6:
      case 7: {
        std::vector<edits::PlacedClip> to;
        for (const ClipId one : some(reel)) to.push_back({one, {between(-1, 12)}});
        return edits::place_clips(reel, to);
      }
      case 8:
      case 9:
        return edits::stretch_to(reel, id, HeardSpan{length * between(0.2, 3)}, way);
      case 10:
        return edits::take_out_stretch(reel, id);
      case 11:
        return edits::bind(reel, id, HeardTime{between(0, 2 * length)}, way);
      case 12:
        return edits::move_anchor(reel, id, static_cast<int>(pick(3)),
                                  HeardTime{between(0, length)});
      case 13:
        return edits::unbind(reel, id, static_cast<int>(pick(3)));
      case 14:
        return edits::add_event(reel, {{between(0, 12)}, "event"});
      case 15: {
        const ReelTime to{between(0, 12)};
        const Event* e = find_event(reel, event(reel));
        auto moved = edits::move_event(reel, e ? e->id : 0, to);
        return e ? edits::follow_event(std::move(moved), e->at, to) : moved;
      }
      case 16: {
        const EventId gone[] = {event(reel)};
        return edits::remove_events(reel, gone);
      }
      case 17:
        return edits::make_takes(reel, some(reel));
      case 18:
        return edits::choose_take(reel, id);
      case 19:
        return edits::part_takes(reel, some(reel));
      case 20:
        if (reel.spaces.size() > 2) return edits::remove_space(reel, space(reel));
        return edits::add_space(reel, "Space " + std::to_string(random_() % 1000));
      case 21:
        return edits::set_send(reel, from, space(reel), between(-70, 3));
      case 22:
        return edits::draw_send(reel, from, space(reel), curve(-60, 0));
      case 23:
        return edits::set_direct(reel, from, chance(2));
      case 24:
        return edits::set_layered(reel, id, chance(2));
      case 25: {
        const Crossings crossings(reel);
        if (crossings.all().empty()) return edits::set_middle(reel, 1, 2, 0.5);
        const Crossing& c = crossings.all()[pick(crossings.all().size())];
        return edits::set_middle(reel, c.before, c.after, between(0, 1));
      }
      case 26: {
        Recipe recipe{"x",
                      "",
                      {{chance(2) ? make_step("reverse")
                                  : test::with("speed", {{"speed_pct", between(30, 300)}})}},
                      {}};
        const ClipId one[] = {id};
        if (reel.find(id) && reel.find(id)->chain.steps.size() > 4)
          return edits::take_steps_off(reel, one);
        return edits::paste_steps(reel, one, recipe, static_cast<int>(pick(3)) - 1);
      }
      case 27:
        return edits::draw_gain(reel, id, curve(-40, 6));
      case 28:
        return edits::set_room_tone(reel, id, range());
      case 29:
        return edits::move_clips(reel, some(reel), group(reel), 0);
      case 30:
        return edits::new_group(reel, "Group " + std::to_string(random_() % 1000), some(reel));
      default:
        return edits::set_rate(reel, chance(2) ? 48000 : 44100);
    }
  }

  std::mt19937 random_;
  std::filesystem::path folder_;
  History history_;
};

// What must hold of every reel, whatever led to it; empty: all does.
std::string fault_in(const Reel& reel, const std::filesystem::path& folder) {
  try {
    const auto text = reel_to_text(reel, folder);
    if (!(reel_from_text(text, folder, "again.reel") == reel))
      return "it is another one when opened again";
  } catch (const Error& e) {
    return std::string("it does not open again: ") + e.what();
  }
  std::set<ClipId> ids;
  for (const Clip& c : reel.clips) {
    const Source& source = reel.source_of(c);
    if (!ids.insert(c.id).second || c.id > reel.last_clip_id) return "a clip's id";
    if (c.begin < 0 || c.frames < 1 || c.begin + c.frames > source.frames)
      return c.name + ": its range";
    if (!(c.place >= ReelTime{0} && c.place <= latest_place)) return c.name + ": its place";
    for (const EdgeFade& f : {c.fade_in, c.fade_out})
      if (!(f.seconds >= 0 && f.gone_s >= 0 && f.gone_s <= f.seconds)) return c.name + ": a fade";
    const ClipTimes times = times_of(reel, c);
    const ReelRange sounds = whole_in_reel(times);
    if (!(sounds.length().s > 0) || !std::isfinite(sounds.end.s))
      return c.name + ": how it is heard";
    for (const ChainStep& s : c.chain.steps)
      for (const Track& track : s.curves)
        for (size_t i = 0; i < track.curve->points.size(); ++i) {
          const CurvePoint& p = track.curve->points[i];
          if (!std::isfinite(p.s) || !std::isfinite(p.value) ||
              (i > 0 && !(p.s > track.curve->points[i - 1].s)))
            return c.name + ": a curve";
        }
    for (const Send& s : c.sends)
      if (!find_space(reel, s.space)) return c.name + ": a send into nothing";
  }
  for (const Crossfade& c : reel.crossfades)
    if (!reel.find(c.before) || !reel.find(c.after)) return "a crossfade of a clip that is gone";
  std::set<ClipId> into, out_of;
  const Crossings crossings(reel);
  for (const Crossing& c : crossings.all()) {
    if (!into.insert(c.after).second || !out_of.insert(c.before).second)
      return "an edge crosses twice";
    const Clip &going = *reel.find(c.before), &coming = *reel.find(c.after);
    if (going.group != coming.group || left_out(reel, going) || left_out(reel, coming))
      return "what crosses is not heard in one row";
    if (c.in.s > clip_seconds(reel, coming) + 1e-6 || c.out.s > clip_seconds(reel, going) + 1e-6)
      return "a crossfade is longer than its clip";
  }
  return {};
}

std::vector<ClipId> differing(const Reel& a, const Reel& b) {
  std::set<ClipId> out;
  for (const auto& [one, other] : {std::pair(&a, &b), std::pair(&b, &a)})
    for (const Clip& c : one->clips) {
      const Clip* d = other->find(c.id);
      if (!d || !(*d == c)) out.insert(c.id);
    }
  return {out.begin(), out.end()};
}

// What is told of an edit is what it did; and the journal's line of it leads to the same file.
std::string fault_between(const Reel& before, const Reel& after,
                          const std::filesystem::path& folder) {
  const Change change = difference(before, after);
  if (change.nothing() != (before == after)) return "whether anything changed";
  if (change.clips != differing(before, after)) return "which clips changed";
  if (difference(before, reel_from_text(reel_to_text(after, folder), folder, "x")) != change)
    return "a change tells something else of reels that share nothing";
  for (const Clip& c : after.clips)
    if (before.find(c.id) && !may_sound_otherwise(change, after, c) &&
        !sounds_the_same(before, after, c.id))
      return c.name + ": it sounds otherwise, which was not told";
  const nlohmann::json was(reel_to_json(before, folder)), is(reel_to_json(after, folder));
  if (was.patch(reel_patch(before, after, folder)) != is) return "the journal's line";
  for (const Chain* chain : live_chains(after))
    if (std::ranges::count(chain->steps, StepId{}, &ChainStep::id) > 0) return "a step has no id";
  const Crossings crossings(after);
  for (const Crossing& c : crossings.all())
    if (!find_crossfade(after, c.before, c.after)) return "how alike two are is not known";
  return {};
}

double walk_seconds() {
  const char* wish = std::getenv("DREVAN_WALK_S");
  return wish ? std::atof(wish) : 3;
}

TEST(AnyEdits, LeaveAWholeReel) {
  const test::TempFolder t;
  const Reel start = test::reel_of(t, {{"a", "One"}, {"b", "One"}, {"c", "Two"}}, 4);
  const auto until =
      std::chrono::steady_clock::now() + std::chrono::duration<double>(walk_seconds());
  const char* wish = std::getenv("DREVAN_WALK_SEED");  // what a find printed
  unsigned seed = wish                  ? static_cast<unsigned>(std::stoul(wish)) - 1
                  : walk_seconds() > 10 ? std::random_device{}()
                                        : 1;
  long edits = 0;
  while (std::chrono::steady_clock::now() < until) {
    Walk walk(start, ++seed, t.path());
    std::string done;
    for (int i = 0; i < 120; ++i, ++edits) {
      const Reel before = walk.now();
      done += walk.step() + "\n";
      auto fault = fault_in(walk.now(), t.path());
      if (fault.empty()) fault = fault_between(before, walk.now(), t.path());
      ASSERT_TRUE(fault.empty()) << fault << " after, with seed " << seed << ":\n" << done;
    }
  }
  std::printf("  %ld edits at random, each left a whole reel\n", edits);
}

// What is summed of all clips alone is what they sum to together: below -120 dB.
TEST(AnyEdits, TheMixIsTheSumOfItsParts) {
  const test::TempFolder t;
  const Reel start = test::reel_of(t, {{"a", "One"}, {"b", "One"}, {"c", "Two"}}, 2);
  const auto until =
      std::chrono::steady_clock::now() + std::chrono::duration<double>(walk_seconds());
  unsigned seed = walk_seconds() > 10 ? std::random_device{}() : 100;
  FindingStore store;
  const CancelToken never{};
  int reels = 0;
  do {
    Walk walk(start, ++seed, t.path());
    for (int i = 0; i < 40; ++i) walk.step();
    Reel reel = walk.now();
    reel.rate = 48000;
    if (rendered_clips(reel).empty()) continue;
    const auto render = [&](const std::string& name, std::vector<ClipId> only) {
      std::filesystem::remove_all(t / name);
      BatchOptions options;
      options.folder = t / name;
      options.samples = SampleType::float32;
      MixOptions what;
      what.only = std::move(only);
      return test::read_all(render_mix(reel, options, what, store, never).files.front().output);
    };
    const AudioBuffer whole = render("whole", {});
    std::vector<double> sum(whole.channel(0).size());
    for (const ClipId id : rendered_clips(reel)) {
      const AudioBuffer part = render("part", {id});
      // A mono part stands in the middle of a wider whole; all of these are mono.
      for (size_t i = 0; i < std::min(sum.size(), part.channel(0).size()); ++i)
        sum[i] += static_cast<double>(part.channel(0)[i]);
    }
    double error = 0, power = 1e-12;
    for (size_t i = 0; i < sum.size(); ++i) {
      const double x = static_cast<double>(whole.channel(0)[i]);
      error += (sum[i] - x) * (sum[i] - x);
      power += x * x;
    }
    ASSERT_LT(10 * std::log10(error / power + 1e-30), -120) << "seed " << seed;
    ++reels;
  } while (std::chrono::steady_clock::now() < until);
  std::printf("  %d reels made at random: each mix is the sum of its parts\n", reels);
}

}  // namespace
}  // namespace drevan
