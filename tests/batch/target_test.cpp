// SPDX-License-Identifier: GPL-3.0-or-later
// Targets. EBU R 128 (2020): -23.0 LUFS +-0.5 LU where -23 cannot be met exactly, -1 dBTP. ATSC A/85
// (2013): -24 LKFS +-2 dB, -2 dBTP. The others are common practice, no source.
#include <gtest/gtest.h>

#include <fstream>

#include "audio/error.h"
#include "batch/target.h"
#include "support/sounds.h"

namespace drevan {
namespace {

Levels speech_at(double lufs, double true_peak) {
  Levels l;
  l.loudness_lufs = lufs;
  l.true_peak_dbtp = true_peak;
  l.sample_peak_dbfs = true_peak - 0.3;
  l.rms_dbfs = lufs + 1;
  l.noise_floor_dbfs = -62;
  return l;
}

TEST(TargetStandard, R128AndA85) {
  const Target r128 = find_target("broadcast-r128"), a85 = find_target("broadcast-a85");
  EXPECT_TRUE(misses(r128, speech_at(-23, -1)).empty());
  EXPECT_TRUE(misses(r128, speech_at(-22.5, -3)).empty());
  EXPECT_EQ(misses(r128, speech_at(-22.4, -3)).size(), 1U);
  EXPECT_EQ(misses(r128, speech_at(-23, -0.9)).size(), 1U);
  EXPECT_TRUE(misses(a85, speech_at(-22, -2)).empty());
  EXPECT_EQ(misses(a85, speech_at(-21.9, -1.9)).size(), 2U);
}

TEST(Target, EveryoneOfOursCanBeMetAndMissed) {
  for (const Target& t : targets()) {
    EXPECT_EQ(find_target(t.id), t);
    Levels nothing;
    Levels far = speech_at(-5, 2);
    far.noise_floor_dbfs = -20;
    EXPECT_FALSE(misses(t, far).empty()) << t.id;
    EXPECT_FALSE(misses(t, nothing).empty()) << t.id << ": silence reaches no goal";
  }
}

TEST(Target, MissesSayWhatIsWrong) {
  const auto m = misses(find_target("podcast"), speech_at(-14.9, -0.2));
  ASSERT_EQ(m.size(), 2U);
  EXPECT_EQ(miss_text(m[0]), "loudness -14.9 LUFS, wanted -17.0 to -15.0");
  EXPECT_TRUE(m[0].too_high);
  EXPECT_EQ(miss_text(m[1]), "true peak -0.2 dBTP, wanted at most -1.0");
}

TEST(Target, OnesOwnIsReadStrictly) {
  const Target t = target_from_text(
      R"({"drevan_target":1,"name":"House","loudness_lufs":{"least":-21,"most":-19},"noise_floor_dbfs":{"most":-55}})",
      "house");
  EXPECT_EQ(t.label, "House");
  EXPECT_EQ(misses(t, speech_at(-20, 0)).size(), 0U);
  EXPECT_EQ(misses(t, speech_at(-22, 0)).size(), 1U);
  const auto fails = [](const char* text, const char* word) {
    try {
      target_from_text(text, "house.target");
      ADD_FAILURE() << text;
    } catch (const Error& e) {
      EXPECT_EQ(e.kind(), Error::Kind::call);
      EXPECT_NE(std::string(e.what()).find(word), std::string::npos) << e.what();
      EXPECT_NE(std::string(e.what()).find("house.target"), std::string::npos) << e.what();
    }
  };
  fails(R"({"drevan_target":1})", "limit something");
  fails(R"({"drevan_target":1,"loudness":{"most":1}})", "loudness_lufs");
  fails(R"({"drevan_target":1,"loudness_lufs":{"most":"loud"}})", "least");
  fails(R"({"drevan_target":1,"loudness_lufs":{"least":-10,"most":-20}})", "above");
  fails(R"({"drevan_target":9,"loudness_lufs":{"most":-20}})", "version 9");
  EXPECT_THROW(find_target("no-such-thing"), Error);
}

}  // namespace
}  // namespace drevan
