// SPDX-License-Identifier: GPL-3.0-or-later
// Files that take their name only when all of them is on the disk; and names that are text.
#include "audio/replace_file.h"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fstream>

#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "support/sounds.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

mode_t mode_of(const fs::path& file) {
  struct stat s {};
  ::stat(file.c_str(), &s);
  return s.st_mode & 07777;
}

TEST(ReplacementFile, TheLinkStaysAndItsTargetIsReplaced) {
  const TempFolder t;
  fs::create_directory(t / "elsewhere");
  write_text(t / "elsewhere" / "real.reel", "old");
  fs::create_symlink("elsewhere/real.reel", t / "work.reel");
  write_text(t / "work.reel", "new");
  EXPECT_TRUE(fs::is_symlink(t / "work.reel"));
  EXPECT_EQ(read_text(t / "elsewhere" / "real.reel"), "new");
  EXPECT_TRUE(test::left_over(t.path()).empty());
  // Also where the link leads to nothing yet.
  fs::create_symlink("elsewhere/later.reel", t / "later.reel");
  write_text(t / "later.reel", "first");
  EXPECT_TRUE(fs::is_symlink(t / "later.reel"));
  EXPECT_EQ(read_text(t / "elsewhere" / "later.reel"), "first");
}

TEST(ReplacementFile, ModeAndOwnerStay) {
  const TempFolder t;
  write_text(t / "a", "old");
  ::chmod((t / "a").c_str(), 0660);
  if (::geteuid() == 0) ASSERT_EQ(::chown((t / "a").c_str(), 12345, 23456), 0);
  write_text(t / "a", "new");
  EXPECT_EQ(mode_of(t / "a"), 0660U);
  struct stat s {};
  ASSERT_EQ(::stat((t / "a").c_str(), &s), 0);
  if (::geteuid() == 0) {
    EXPECT_EQ(s.st_uid, 12345U);
    EXPECT_EQ(s.st_gid, 23456U);
  }
}

TEST(ReplacementFile, WhatIsKeptIsNotReplaced) {
  const TempFolder t;
  write_text(t / "a", "old");
  EXPECT_THROW(write_text(t / "a", "new", ReplacementFile::Old::kept), Error);
  EXPECT_EQ(read_text(t / "a"), "old");
  EXPECT_TRUE(test::left_over(t.path()).empty());
}

TEST(ReplacementFile, SaysWhatToDo) {
  const TempFolder t;
  const auto told = [](const fs::path& file) {
    try {
      write_text(file, "x");
    } catch (const Error& e) {
      return std::string(e.what());
    }
    return std::string();
  };
  EXPECT_NE(told(t / "no" / "a").find("its folder is not there"), std::string::npos);
  EXPECT_NE(told("/proc/a").find("/proc/a cannot be written"), std::string::npos);
}

TEST(MakeFolder, MakesAllAboveAndRefusesAFileInItsPlace) {
  const TempFolder t;
  make_folder(t.path() / "a" / "b" / "c");
  EXPECT_TRUE(fs::is_directory(t.path() / "a" / "b" / "c"));
  write_text(t / "file", "x");
  EXPECT_THROW(make_folder(t.path() / "file"), Error);
  EXPECT_THROW(make_folder(t.path() / "file" / "below"), Error);
}

// RFC 3629.
TEST(Utf8, IsCutBetweenCharacters) {
  const std::string mixed = "aé☃𝄞";
  EXPECT_EQ(utf8_prefix(mixed, 1), "a");
  EXPECT_EQ(utf8_prefix(mixed, 2), "a");
  EXPECT_EQ(utf8_prefix(mixed, 3), "aé");
  EXPECT_EQ(utf8_prefix(mixed, 5), "aé");
  EXPECT_EQ(utf8_prefix(mixed, 6), "aé☃");
  EXPECT_EQ(utf8_prefix(mixed, 10), mixed);
  for (size_t n = 0; n <= 11; ++n) EXPECT_TRUE(is_utf8(utf8_prefix(mixed, n))) << n;
}

TEST(Utf8, BrokenBytesAreTold) {
  for (const char* bad :
       {"\xff", "\xc3", "\xc0\xaf", "\xe0\x80\x80", "\xed\xa0\x80", "\xf4\x90\x80\x80", "a\x80"}) {
    EXPECT_FALSE(is_utf8(bad));
    EXPECT_TRUE(is_utf8(to_utf8(bad)));
    EXPECT_TRUE(is_utf8(printable(bad)));
  }
}

// ECMA-48: ESC and the C1 controls steer a terminal.
TEST(Utf8, NothingSteersTheTerminal) {
  EXPECT_EQ(printable("a\x1b[31mb\r\n"), "a\\x1b[31mb\\x0d\\x0a");
  EXPECT_EQ(printable("\xc2\x9b"
                      "31m"),
            "\\xc2\\x9b31m");
  EXPECT_EQ(printable("line\nnext\t\x07", true), "line\nnext\t\\x07");
  EXPECT_EQ(printable("Æther 🎙"), "Æther 🎙");
}

TEST(Utf8, FileNamesAreSafeAndShort) {
  EXPECT_EQ(file_name_of("../a/b:c\\d\n", "x"), "-a-b-c-d-");
  EXPECT_EQ(file_name_of("...", "clip"), "clip");
  std::string snow;
  for (int i = 0; i < 200; ++i) snow += "☃";
  const auto name = file_name_of(snow, "x", 100);
  EXPECT_EQ(name.size(), 99U);
  EXPECT_TRUE(is_utf8(name));
}

}  // namespace
}  // namespace drevan
