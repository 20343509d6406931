// Clips that cross in a row: what is heard where one goes over into the other.
#include "engine/crossfade.h"

#include <gtest/gtest.h>

#include <cmath>

#include "batch/mix.h"
#include "reel/scene_edits.h"
#include "support/reels.h"

namespace drevan {
namespace {

SoundingLength own_length(const Reel& reel, const Clip& c) { return {clip_seconds(reel, c), {}}; }

// After places changed, as the Scene does it.
Reel placed(const Reel& reel, std::span<const edits::PlacedClip> places) {
  std::vector<int> ids;
  for (const auto& p : places) ids.push_back(p.clip);
  auto edit = edits::place_clips(reel, places);
  const Reel now = edit.next;
  return edits::settle_crossings(
             std::move(edit), ids, [&](const Clip& c) { return own_length(now, c); },
             alike_where_they_cross)
      .next;
}

class Crossings : public testing::Test {
 protected:
  void two(AudioBuffer a, AudioBuffer b) {
    test::write_wav(t / "a.wav", a);
    test::write_wav(t / "b.wav", b);
    for (const char* name : {"a.wav", "b.wav"}) add_clip(reel, examine_source(t / name), "Talk");
    reel.clips[0].place_s = 1;
    reel.clips[1].place_s = 10;
  }
  AudioBuffer mix() {
    std::filesystem::remove_all(t / "mix");
    return test::read_all(render_sum(reel, t / "mix" / "mix.wav", store, never).path);
  }
  test::TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

// M. Fink, M. Holters, U. Zoelzer, DAFx 2016: whatever the two have in common, the power of the sum
// stays.
TEST_F(Crossings, ThePowerStaysForSoundsAlikeAndNot) {
  for (const double common : {0.0, 0.5, 0.8, 1.0}) {
    reel = {};
    AudioBuffer shared = test::noise(0.1, 8, 1), a = test::noise(0.1, 4, 2),
                b = test::noise(0.1, 4, 3);
    // Where they lie on each other, from 3 to 4 s of a and from 0 to 1 s of b, they share it.
    const double own = std::sqrt(1 - common);
    for (size_t i = 0; i < 4 * 48000; ++i) {
      const auto k = static_cast<float>(std::sqrt(common)), o = static_cast<float>(own);
      a.channel(0)[i] = o * a.channel(0)[i] + k * shared.channel(0)[i];
      b.channel(0)[i] = o * b.channel(0)[i] + k * shared.channel(0)[i + 3 * 48000];
    }
    two(std::move(a), std::move(b));
    const edits::PlacedClip to[] = {{2, 4.0}};
    reel = placed(reel, to);
    ASSERT_TRUE(reel.clips[0].fade_out.alike && reel.clips[1].fade_in.alike);
    EXPECT_NEAR(*reel.clips[1].fade_in.alike, common, 0.02);
    EXPECT_NEAR(reel.clips[1].fade_in.seconds, 1.0, 1e-9);
    const AudioBuffer y = mix();
    const auto level = [&](double from_s, double to_s) {
      return test::rms_db(y.channel(0).subspan(static_cast<size_t>(from_s * 48000),
                                               static_cast<size_t>((to_s - from_s) * 48000)));
    };
    const double before = level(1.5, 4), after = level(5, 7.5);
    for (double s = 4; s < 5; s += 0.1) {
      EXPECT_NEAR(level(s, s + 0.1), before, 0.35) << common << " at " << s;
      EXPECT_NEAR(level(s, s + 0.1), after, 0.35) << common << " at " << s;
    }
  }
}

TEST_F(Crossings, AlikeSoundsInStepAreAsIfUncut) {
  const AudioBuffer whole = test::words(0.3, 6);
  AudioBuffer a(1, 4 * 48000), b(1, 4 * 48000);
  std::ranges::copy(whole.channel(0).first(4 * 48000), a.channel(0).begin());
  std::ranges::copy(whole.channel(0).last(4 * 48000), b.channel(0).begin());
  two(std::move(a), std::move(b));
  const edits::PlacedClip to[] = {{2, 3.0}};
  reel = placed(reel, to);
  EXPECT_NEAR(*reel.clips[0].fade_out.alike, 1, 1e-6);
  for (const double middle : {0.5, 0.2}) {
    reel = edits::set_middle(reel, 1, 2, middle).next;
    const AudioBuffer y = mix();
    for (size_t i = 0; i < whole.channel(0).size(); ++i)
      ASSERT_NEAR(y.channel(0)[48000 + i], whole.channel(0)[i], 2e-5) << i;
  }
}

TEST_F(Crossings, ComeAndGoWithThePlaces) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  const edits::PlacedClip on[] = {{2, 4.0}}, off[] = {{2, 6.0}}, within[] = {{2, 1.0}};
  reel = placed(reel, on);
  EXPECT_TRUE(reel.clips[0].fade_out.alike);
  const auto length = [&](const Clip& c) { return own_length(reel, c); };
  EXPECT_TRUE(crossed(reel, 1, 2, length));
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
  // The shape stays while they are dragged.
  reel = edits::set_middle(reel, 1, 2, 0.3).next;
  const edits::PlacedClip nearer[] = {{1, 1.5}};
  reel = placed(reel, nearer);
  EXPECT_EQ(reel.clips[0].fade_out.middle, 0.3);
  EXPECT_NEAR(reel.clips[0].fade_out.seconds, 1.5, 1e-9);
  reel = placed(reel, off);
  EXPECT_EQ(reel.clips[0].fade_out, EdgeFade{});
  EXPECT_EQ(reel.clips[1].fade_in, EdgeFade{});
  // One within the other is layered.
  reel = placed(reel, within);
  EXPECT_EQ(reel.clips[1].fade_in, EdgeFade{});
  // The other way round.
  const edits::PlacedClip round[] = {{1, 4.0}, {2, 1.0}};
  reel = placed(reel, round);
  EXPECT_TRUE(reel.clips[1].fade_out.alike && reel.clips[0].fade_in.alike);
  EXPECT_FALSE(reel.clips[0].fade_out.alike);
  reel = edits::set_layered(reel, 1, true, length).next;
  EXPECT_EQ(reel.clips[0].fade_in, EdgeFade{});
  EXPECT_EQ(reel.clips[1].fade_out, EdgeFade{});
  reel = placed(reel, round);
  EXPECT_FALSE(reel.clips[0].fade_in.alike) << "it is layered";
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
  // One that is taken out leaves the other whole.
  reel = edits::set_layered(reel, 1, false, length).next;
  reel = placed(reel, round);
  ASSERT_TRUE(reel.clips[0].fade_in.alike);
  const int gone[] = {2};
  auto without = edits::remove_clips(reel, gone);
  const Reel after = without.next;
  without = edits::clear_crossings(std::move(without),
                                   [&](const Clip& c) { return own_length(after, c); });
  EXPECT_EQ(without.next.clips[0].fade_in, EdgeFade{});
  EXPECT_EQ(edits::clear_crossings({.next = reel, .label = {}}, length).next, reel);
  // Rows do not cross.
  reel.groups.push_back({.name = "Other", .chain = {}});
  reel.clips[0].layered = false;
  reel.clips[0].group = 1;
  reel = placed(reel, round);
  EXPECT_FALSE(reel.clips[0].fade_in.alike);
}

TEST_F(Crossings, WrongOnesInAFileAreRefused) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  const edits::PlacedClip on[] = {{2, 4.0}};
  reel = placed(reel, on);
  auto& fade = reel.clips[1].fade_in;
  fade.alike = 0.25;
  fade.middle = 0.75;
  reel.clips[0].fade_out = fade;
  const std::pair<std::string, std::string> changes[] = {
      {"\"crossed\"", "\"line\""}, {"0.25", "1.5"}, {"0.75", "0.95"}, {"0.75", "null"}};
  test::expect_refused(reel_to_text(reel, t.path()), t.path(), changes);
}

}  // namespace
}  // namespace drevan
