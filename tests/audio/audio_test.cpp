// SPDX-License-Identifier: GPL-3.0-or-later
// Hashes, times as people read them, work on all cores, buffers.
#include <gtest/gtest.h>

#include <fstream>
#include <set>

#include "audio/decibel.h"
#include "audio/error.h"
#include "audio/hash.h"
#include "audio/parallel.h"
#include "audio/time_text.h"
#include "support/sounds.h"

namespace drevan {
namespace {

TEST(Hash, OfAFileIsThatOfItsBytes) {
  const test::TempFolder t;
  // XXH3 with 64 bits of nothing: from the reference implementation's own test vectors, from memory.
  std::ofstream(t / "empty").flush();
  EXPECT_EQ(hash_file(t / "empty"), 0x2d06800538d394c2ULL);
  std::string text(3'000'001, 'x');
  text[2'000'000] = 'y';
  std::ofstream(t / "a") << text;
  EXPECT_EQ(hash_file(t / "a"), Hasher().bytes(text.data(), text.size()).value());
  text[2'000'000] = 'z';
  EXPECT_NE(hash_file(t / "a"), Hasher().bytes(text.data(), text.size()).value());
}

TEST(Hash, OfAFileThatIsNotThereNamesIt) {
  try {
    hash_file("/nowhere/gone.wav");
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("/nowhere/gone.wav"), std::string::npos);
  }
}

TEST(Hash, IsGivenUpWhenNobodyWaits) {
  const test::TempFolder t;
  std::ofstream(t / "a") << "text";
  CancelToken token;
  EXPECT_EQ(hash_file(t / "a", &token), hash_file(t / "a"));
  token.cancel();
  EXPECT_THROW(hash_file(t / "a", &token), Cancelled);
}

TEST(Hash, OrderAndBoundsCount) {
  EXPECT_NE(Hasher().add("ab").add("c").value(), Hasher().add("a").add("bc").value());
  EXPECT_NE(Hasher().add(1).add(2).value(), Hasher().add(2).add(1).value());
  for (const std::uint64_t v : {0ULL, 1ULL, 0xfedcba9876543210ULL, ~0ULL})
    EXPECT_EQ(from_hex(to_hex(v)), v);
  EXPECT_EQ(to_hex(0xabcULL), "0000000000000abc");
  for (const char* bad : {"", "x", "12 ", "-1", "0x12", "11112222333344445"})
    EXPECT_EQ(from_hex(bad), 0U) << bad;
}

TEST(TimeText, ReadsAsPeopleDo) {
  EXPECT_EQ(clock_text(5.21), "0:05.21");
  EXPECT_EQ(clock_text(720), "12:00.00");
  EXPECT_EQ(clock_text(3723.4), "1:02:03.40");
  for (const double s : {0.0, 5.21, 720.0, 3723.4})
    EXPECT_NEAR(*seconds_from_text(clock_text(s)), s, 0.005);
  EXPECT_EQ(seconds_from_text(" 2,5 "), 2.5);
  EXPECT_EQ(seconds_from_text("90"), 90);
  for (const char* none :
       {"", "a", "1:60", "1:-2", "1.5:3", "1:2:3:4", "nan", "1e3", "1:", ":1", "-1"})
    EXPECT_FALSE(seconds_from_text(none)) << none;
  EXPECT_EQ(clock_text(-3), "0:00.00");
  EXPECT_EQ(clock_text(59.999), "1:00.00");
  EXPECT_EQ(length_text(11.4), "11.4 s");
  EXPECT_EQ(length_text(130), "2 min 10 s");
  EXPECT_EQ(length_text(3900), "1 h 05 min");
}

TEST(AllCores, DoEachPieceOnce) {
  const CancelToken never{};
  std::vector<std::atomic<int>> done(1000);
  on_all_cores(done.size(), never, [&](size_t i) { ++done[i]; });
  for (const auto& d : done) EXPECT_EQ(d, 1);
  on_all_cores(0, never, [](size_t) { FAIL(); });
}

TEST(AllCores, TheFirstFailureEndsTheRestAndIsThrownOn) {
  const CancelToken never{};
  std::atomic<int> begun{0};
  EXPECT_THROW(on_all_cores(100000, never,
                            [&](size_t i) {
                              ++begun;
                              if (i == 5) throw Error(Error::Kind::input, "five");
                              std::this_thread::sleep_for(std::chrono::microseconds(50));
                            }),
               Error);
  EXPECT_LT(begun, 10000);
}

TEST(AllCores, CanBeCancelled) {
  CancelToken token;
  std::atomic<int> begun{0};
  EXPECT_THROW(on_all_cores(100000, token,
                            [&](size_t) {
                              if (++begun == 10) token.cancel();
                            }),
               Cancelled);
  EXPECT_LT(begun, 20 + static_cast<int>(std::thread::hardware_concurrency()));
}

TEST(Decibel, ThereAndBack) {
  for (double db = -120; db <= 40; db += 7.3) EXPECT_NEAR(to_db(from_db(db)), db, 1e-9);
  EXPECT_EQ(to_db(0), silence_db);
  EXPECT_EQ(power_to_db(0), silence_db);
  EXPECT_NEAR(power_to_db(0.25), to_db(0.5), 1e-12);
}

TEST(Buffer, BlocksAreViewsAndShorteningKeepsTheFront) {
  AudioBuffer b(2, 10);
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < 10; ++i)
      b.channel(c)[i] = static_cast<float>(100 * c) + static_cast<float>(i);
  b.block(3, 4).part(1, 2).clear();
  EXPECT_EQ(b.channel(1)[3], 103);
  EXPECT_EQ(b.channel(1)[4], 0);
  EXPECT_EQ(b.channel(1)[5], 0);
  EXPECT_EQ(b.channel(1)[6], 106);
  b.shorten(7);
  EXPECT_EQ(b.frames(), 7);
  EXPECT_EQ(b.channel(1).size(), 7U);
  EXPECT_EQ(b.channel(1)[6], 106);
  EXPECT_EQ(b.channel(0)[6], 6);
  AudioBuffer mono(1, 5);
  mono.block().copy_from(b.block());
  EXPECT_EQ(mono.channel(0)[2], 2);
}

}  // namespace
}  // namespace drevan
