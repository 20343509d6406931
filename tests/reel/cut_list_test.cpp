// SPDX-License-Identifier: GPL-3.0-or-later
// Lists of times. SubRip as its de facto description (no standard), WebVTT after the W3C's
// Candidate Recommendation "WebVTT: The Web Video Text Tracks Format" (2019): both from memory.
#include "reel/scene/cut_list.h"

#include <gtest/gtest.h>

#include "audio/error.h"

namespace drevan {
namespace {

using edits::Piece;
using Pieces = std::vector<Piece>;

TEST(CutList, ReadsTables) {
  const Pieces want{{{0.5, 2}, "Stairs, up"}, {{62.25, 3723.5}, "Lamp"}, {{4000, 4001}, ""}};
  EXPECT_EQ(pieces_from_text("begin,end,name\n0.5,2,\"Stairs, up\"\r\n\n# a remark\n"
                             "1:02.25,1:02:03.5,Lamp\n4000,4001\n",
                             "x"),
            want);
  EXPECT_EQ(pieces_from_text("\xEF\xBB\xBF"
                             "0,5\t2\tStairs, up\n1:02,25\t1:02:03,5\tLamp\n4000\t4001\t\n",
                             "x"),
            want);
  EXPECT_EQ(pieces_from_text("62.25;3723.5;Lamp\n0.5;2;Stairs, up\n4000;4001;", "x"), want);
}

TEST(CutList, ReadsSubtitlesWhoseTextNamesThePiece) {
  const Pieces want{{{1.5, 3.25}, "Who is there?"}, {{3.0, 5.0}, "Only the wind. And the sea."}};
  EXPECT_EQ(pieces_from_text("1\r\n00:00:01,500 --> 00:00:03,250\r\nWho is there?\r\n\r\n2\r\n"
                             "00:00:03,000 --> 00:00:05,000\r\nOnly the wind.\r\nAnd the sea.\r\n",
                             "x"),
            want);
  EXPECT_EQ(pieces_from_text("WEBVTT\n\nNOTE a remark\n\n00:01.500 --> 00:03.250 align:start\n"
                             "<v Ines>Who is there?</v>\n\nsecond\n00:03.000 --> 00:05.000\n"
                             "Only the <i>wind</i>.\nAnd the sea.\n",
                             "x"),
            want);
}

TEST(CutList, WhatIsWrongIsToldWithItsLine) {
  const auto expect_wrong = [](const std::string& text, const std::string& why) {
    try {
      pieces_from_text(text, "list.csv");
      ADD_FAILURE() << text;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("list.csv"), std::string::npos) << e.what();
      EXPECT_NE(std::string(e.what()).find(why), std::string::npos) << e.what();
      EXPECT_LT(std::string(e.what()).size(), 300U);
    }
  };
  expect_wrong("", "holds no times");
  expect_wrong("\n\n# nothing\n", "holds no times");
  expect_wrong("1,2,a\n5,4,b", "line 2: the end, 4.00 s, does not lie behind");
  expect_wrong("1,2,a\n5,five,b", "line 2: \"five\" is no time");
  expect_wrong("1,2\n3\n", "line 2: a line must be");
  expect_wrong("1,nan\n2,3", "line 1: \"nan\" is no time");
  expect_wrong("1,2\n1,-5", "line 2");
  expect_wrong("1,2\n1:2:3:4,9", "line 2");
  expect_wrong("00:05.000 --> 00:03.000\nx", "line 1");
  expect_wrong(std::string(100000, 'x'), "line 1");
}

TEST(CutList, LongOverlappingAndManyLinesAreTaken) {
  std::string text;
  for (int i = 0; i < 1000; ++i)
    text += std::to_string(i) + "," + std::to_string(i + 30) + ",line\n";
  text += "5,6," + std::string(5000, 'n') + "\n";
  const auto pieces = pieces_from_text(text, "x");
  EXPECT_EQ(pieces.size(), 1001U);
  for (const auto& p : pieces) EXPECT_LE(p.name.size(), 60U);
}

TEST(CutList, MarksAndEveryNSeconds) {
  EXPECT_EQ(pieces_between({{{7, 7}, "b"}, {{2, 2}, "a"}, {{20, 20}, "beyond"}}, 10),
            (Pieces{{{2, 7}, "a"}, {{7, 10}, "b"}}));
  EXPECT_TRUE(pieces_between({}, 10).empty());
  EXPECT_EQ(pieces_every(4, 10), (Pieces{{{0, 4}}, {{4, 8}}, {{8, 10}}}));
  EXPECT_EQ(pieces_every(4, 9), (Pieces{{{0, 4}}, {{4, 9}}}));
  EXPECT_THROW(pieces_every(0, 9), Error);
  EXPECT_THROW(pieces_every(std::nan(""), 9), Error);
}

}  // namespace
}  // namespace drevan
