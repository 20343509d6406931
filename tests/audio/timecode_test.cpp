// SPDX-License-Identifier: GPL-3.0-or-later
// Timecode against SMPTE ST 12-1's rule of dropped numbers; the values are known ones of 29.97
// frames a second (from memory), and the rule applied number by number.
#include "audio/timecode.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fmt/format.h>

namespace drevan {
namespace {

constexpr TimecodeRate pal{25, false, false}, film{24, false, false}, drop{30, true, true},
    fast_drop{60, true, true}, no_drop{30, true, false};

TEST(Timecode, DropsTheNumbersItShould) {
  for (const auto& [frame, code] : {std::pair<int, const char*>{0, "00:00:00;00"},
                                    {1799, "00:00:59;29"},
                                    {1800, "00:01:00;02"},
                                    {17981, "00:09:59;29"},
                                    {17982, "00:10:00;00"},
                                    {107892, "01:00:00;00"},
                                    {2589407, "23:59:59;29"},
                                    {2589408, "00:00:00;00"}}) {
    EXPECT_EQ(timecode(frame, drop), code);
    if (frame < 2589408) EXPECT_EQ(frame_of(code, drop), frame) << code;
  }
  EXPECT_EQ(timecode(3600, fast_drop), "00:01:00;04");
  EXPECT_EQ(timecode(-1, pal), "23:59:59:24");
}

TEST(Timecode, EveryNumberComesOnceAndBack) {
  for (const auto& rate : {pal, film, drop, fast_drop, no_drop}) {
    std::int64_t frame = 0;
    // Number by number over twenty-one minutes.
    for (int m = 0; m < 21; ++m)
      for (int s = 0; s < 60; ++s)
        for (int f = 0; f < rate.frames_per_s; ++f) {
          const bool out = rate.drops && m % 10 != 0 && s == 0 && f < rate.frames_per_s / 15;
          const auto code = fmt::format("00:{:02}:{:02}{}{:02}", m, s, rate.drops ? ';' : ':', f);
          if (out) {
            ASSERT_FALSE(frame_of(code, rate)) << code;
            continue;
          }
          ASSERT_EQ(timecode(frame, rate), code);
          ASSERT_EQ(frame_of(code, rate), frame) << code;
          ++frame;
        }
  }
}

// Dropping keeps it in step with the clock: an hour of it is an hour within 4 ms.
TEST(Timecode, KeepsInStepWithTheClock) {
  const auto hour = static_cast<double>(*frame_of("01:00:00;00", drop));
  EXPECT_NEAR(hour / drop.exact(), 3600, 0.004);
  EXPECT_EQ(frame_at(3600, pal), 90000);
  for (int f = 0; f < 5000; ++f) ASSERT_EQ(frame_at(f / drop.exact(), drop), f);
}

TEST(Timecode, RatesAreToldFromFilms) {
  EXPECT_EQ(timecode_rate(25), pal);
  EXPECT_EQ(timecode_rate(24000 / 1001.0), (TimecodeRate{24, true, false}));
  EXPECT_EQ(timecode_rate(29.97, "00:59:59;28"), drop);
  EXPECT_EQ(timecode_rate(29.97, "00:59:59:28"), no_drop);
  EXPECT_EQ(timecode_rate(59.94, "01:00:00;00"), fast_drop);
  EXPECT_FALSE(timecode_rate(17));
  EXPECT_FALSE(timecode_rate(0));
  EXPECT_FALSE(frame_of("01:00:00", pal));
  EXPECT_FALSE(frame_of("01:00:00:25", pal));
  EXPECT_FALSE(frame_of("25:00:00:00", pal));
  EXPECT_FALSE(frame_of("words", pal));
}

}  // namespace
}  // namespace drevan
