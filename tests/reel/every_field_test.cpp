// SPDX-License-Identifier: GPL-3.0-or-later
// A reel in which every field of everything holds something: saved, opened, cut, undone, brought
// back. A field that is added to one of these structures does not compile here until it is filled,
// too.
#include <gtest/gtest.h>

#include "reel/edits/cuts.h"
#include "reel/history.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "reel/scene/sends.h"
#include "steps/curve_edit.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

// None of these is what it is by itself.
template <class... T>
void expect_filled(const char* what, const T&... fields) {
  int i = 0;
  const auto one = [&](const auto& field) {
    using Field = std::decay_t<decltype(field)>;
    ++i;
    if constexpr (std::is_same_v<Field, bool>)
      return;  // told by the ones who fill it
    else
      EXPECT_FALSE(field == Field{}) << what << ", field " << i;
  };
  (one(fields), ...);
}

std::shared_ptr<const Curve> drawn(double value) {
  return std::make_shared<const Curve>(
      Curve{{{0.25, value}, {1.5, value / 2, CurveShape::hold}, {2.5, value, CurveShape::smooth}}});
}

class EveryField : public testing::Test {
 protected:
  EveryField() {
    reel = test::reel_of(t, {{"a", "One", 2}, {"b", "One"}, {"c", "Two"}}, 4);
    reel.name = "Lighthouse";
    reel.rate = 44100;
    reel.target = "podcast";
    reel.reference = t / "a.wav";
    reel.recording = {true, true, t / "takes"};
    reel.films = {{t / "film.mov", {1.5}}};
    reel.events = {{{2.5}, "door", 3}};
    reel.last_event_id = 5;
    Space hall;
    hall.clip.id = -4;
    hall.clip.name = "Hall";
    hall.clip.chain.steps = {test::with("acoustics", {{"distance_m", 3}})};
    hall.level_db = -5;
    reel.spaces = {hall};
    reel.last_space_id = -6;
    reel.crossfades = {{1, 2, 0.3, 0.6}};
    reel.chain.steps = {step()};
    reel.chain.steps[0].sides.clear();  // all clips go through it, also the one that would be heard
    reel.mix.chain.steps = {test::with("limiter", {})};
    fill(reel.groups[0]);
    fill(reel.clips[0]);
    settle_step_ids(reel);
  }
  ChainStep step() const {
    ChainStep s = test::with("vocoder", {{"mix_pct", 40}});
    s.settings.texts = {"C3 E3 G3"};
    s.on = false;
    s.sits_out = {2};
    s.curves = {{parameter_index(*s.type, "mix_pct"), drawn(70)}};
    s.sides = {{SideChoice::From::clip, 3, "c", {}}};
    return s;
  }
  static Send send(double level) {
    Send s{-4, level, *drawn(-20), SendPlace{20, 10, 3, *drawn(60), *drawn(4)}};
    return s;
  }
  void fill(Group& group) const {
    group.chain.steps = {step()};
    group.room_tone_clip = 2;
    group.sits_out = {2};
    group.note = "by the window";
    group.mark = GroupMark::cross;
    group.kind = GroupKind::effects;
    group.sends = {send(-9)};
    group.direct = false;
  }
  void fill(Clip& c) const {
    c.begin = 4800;
    c.frames = 160000;
    c.place = {2};
    c.room_tone = ClipRange{{0.1}, {0.9}};
    c.fade_in = {0.4, CurveShape::smooth, 0.1};
    c.fade_out = {0.3, CurveShape::line, 0.05};
    c.line = 2;
    c.chosen = false;
    c.chain.steps = {step()};
    c.chain.steps[0].sits_out.clear();
    c.sends = {send(-7)};
    c.direct = false;
    c.text = "The lamp is out.";
    c.layered = true;
    c.made_into = 3;
    c.version = 1;
    Version first{.id = 0, .what = "as it came", .source = 1, .begin = 1, .frames = 160000};
    Version printed{.id = 1,
                    .parent = 0,
                    .what = "printed",
                    .when = 1'700'000'000,
                    .source = 2,
                    .begin = 4800,
                    .frames = 160000,
                    .fade_in = {0.2, CurveShape::smooth, 0.1},
                    .fade_out = {0.2, CurveShape::smooth, 0.1},
                    .made_with = {{step()}},
                    .range = ClipRange{{0.5}, {1.5}},
                    .loudness_lufs = -20,
                    .peak_dbfs = -3,
                    .top = {{step()}}};
    for (Chain* chain : {&printed.made_with, &printed.top}) chain->steps[0].sits_out.clear();
    c.source = 2;
    c.versions = {first, printed};
  }
  test::TempFolder t;
  Reel reel;
};

TEST_F(EveryField, HoldsSomething) {
  const auto& [id, name, source, begin, frames, group, place, tone, in, out, line, chosen, chain,
               version, versions, sends, direct, text, layered, made_into] = reel.clips[0];
  expect_filled("clip", id, name, source, begin, frames, group, place, tone, in, out, line, chain,
                version, versions, sends, text, made_into);
  EXPECT_TRUE(!chosen && !direct && layered);
  {
    const auto& [of, of_chain, lender, sits_out, note, mark, kind, fed, straight, own] =
        reel.groups[0];
    expect_filled("group", of, of_chain, lender, sits_out, note, mark, kind, fed, own);
    EXPECT_FALSE(straight);
  }
  {
    const auto& [type, settings, on, sits_out, step_id, curves, sides] =
        reel.groups[0].chain.steps[0];
    expect_filled("step", type, sits_out, step_id, curves, sides, settings.values, settings.texts);
    EXPECT_FALSE(on);
  }
  {
    const auto& [v, parent, what, when, of, at, length, f_in, f_out, made_with, range, loud, peak,
                 top] = versions[1];
    expect_filled("version", v, what, when, of, at, length, f_in, f_out, made_with, range, loud,
                  peak, top);
    EXPECT_EQ(parent, 0);
  }
  {
    const auto& [space, level, curve, stands] = sends[0];
    expect_filled("send", space, level, curve, stands);
    const auto& [azimuth, elevation, distance, turning, nearing] = *stands;
    expect_filled("place in a space", azimuth, elevation, distance, turning, nearing);
  }
  {
    const auto& [seconds, shape, gone] = in;
    expect_filled("fade", seconds, shape, gone);
    const auto& [path, length, rate, channels, hash, own] = reel.sources[0];
    expect_filled("source", path, length, rate, channels, hash, own);
    const auto& [floating, stereo, folder] = reel.recording;
    EXPECT_TRUE(floating && stereo);
    expect_filled("recording", folder);
    const auto& [at, called, event] = reel.events[0];
    expect_filled("event", at, called, event);
    const auto& [film, stands] = reel.films[0];
    expect_filled("film", film, stands);
    const auto& [before, after, alike, middle] = reel.crossfades[0];
    expect_filled("crossfade", before, after, alike, middle);
  }
}

TEST_F(EveryField, ComesBackFromItsFile) {
  const auto again = reel_from_text(reel_to_text(reel, t.path()), t.path(), "x");
  EXPECT_TRUE(again == reel);
  EXPECT_EQ(reel_to_text(again, t.path()), reel_to_text(reel, t.path())) << "ids of steps as well";
  EXPECT_EQ(again.last_step_id, reel.last_step_id);
}

TEST_F(EveryField, ComesBackFromTheJournalAndByUndo) {
  Reel bare = test::reel_of(t, {{"a", "One", 2}, {"b", "One"}, {"c", "Two"}}, 4);
  save_reel(bare, t / "x.reel");
  History history(bare);
  {
    Journal journal(t / "x.reel", read_text(t / "x.reel"), history.shared());
    history.edit(reel, "All at once");
    journal.tell(history.shared(), "All at once");
    journal.flush();
  }
  EXPECT_TRUE(recover(t / "x.reel")->reel == reel);
  history.undo();
  EXPECT_TRUE(history.now() == bare);
  history.redo();
  EXPECT_TRUE(history.now() == reel);
}

// What a clip feeds into a space, from where and from how far, stays where it was in the reel when
// the clip is cut; all else goes with both pieces.
TEST_F(EveryField, GoesWithBothPiecesOfACut) {
  Clip& clip = reel.clips[0];
  clip.made_into = 0;
  clip.line = 0;
  clip.chosen = true;
  const Clip whole = clip;
  const ClipTime at[] = {{1.2}};
  const Reel cut = edits::split(reel, whole.id, at).next;
  std::vector<Clip> pieces;
  for (const Clip& c : cut.clips)
    if (c.id == whole.id || c.id > ClipId{3}) pieces.push_back(c);
  ASSERT_EQ(pieces.size(), 2U);
  const auto& parameters = *find_step("acoustics");
  const auto along = [&](const Curve& curve, const char* id, const Clip& of, double reel_s) {
    const auto& p = parameters.parameters[static_cast<size_t>(parameter_index(parameters, id))];
    return value_at(curve, p, reel_s - of.place.s);
  };
  for (const Clip& piece : pieces) {
    EXPECT_EQ(piece.group, whole.group);
    EXPECT_EQ(piece.text, whole.text);
    EXPECT_EQ(piece.layered, whole.layered);
    EXPECT_EQ(piece.direct, whole.direct);
    EXPECT_EQ(piece.version, whole.version);
    ASSERT_EQ(piece.versions.size(), 2U);
    EXPECT_EQ(piece.chain.steps.size(), 1U);
    EXPECT_EQ(piece.chain.steps[0].sides, whole.chain.steps[0].sides);
    ASSERT_EQ(piece.sends.size(), 1U);
    const Send &is = piece.sends[0], &was = whole.sends[0];
    EXPECT_EQ(is.level_db, was.level_db);
    EXPECT_EQ(is.place->elevation_deg, was.place->elevation_deg);
    for (double s = piece.place.s; s < piece.place.s + 1.1; s += 0.1) {
      EXPECT_NEAR(along(*is.place->azimuth, "azimuth_deg", piece, s),
                  along(*was.place->azimuth, "azimuth_deg", whole, s), 1e-6);
      EXPECT_NEAR(along(*is.place->distance, "distance_m", piece, s),
                  along(*was.place->distance, "distance_m", whole, s), 1e-6);
      EXPECT_NEAR(value_at(*is.level, send_level_parameter(), s - piece.place.s),
                  value_at(*was.level, send_level_parameter(), s - whole.place.s), 1e-6);
      const Parameter& mix =
          whole.chain.steps[0]
              .type->parameters[static_cast<size_t>(whole.chain.steps[0].curves[0].parameter)];
      EXPECT_NEAR(value_at(*piece.chain.steps[0].curves[0].curve, mix, s - piece.place.s),
                  value_at(*whole.chain.steps[0].curves[0].curve, mix, s - whole.place.s), 1e-6);
    }
  }
  EXPECT_NEAR(pieces[1].place.s, whole.place.s + 1.2, 1e-6);
  EXPECT_EQ(pieces[0].fade_in, whole.fade_in);
  EXPECT_EQ(pieces[1].fade_out, whole.fade_out);
}

}  // namespace
}  // namespace drevan
