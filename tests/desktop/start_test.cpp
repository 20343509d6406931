// SPDX-License-Identifier: GPL-3.0-or-later
// The program as it is started: what its command line says, what it stands on, one window for two
// starts.
#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

#include "audio/version.h"
#include "help/libraries.h"
#include "support/reels.h"
#include "support/sounds.h"

namespace drevan::desktop {
namespace {

TEST(Start, HelpAndVersionNeedNoScreen) {
  const std::string bare =
      "env -u DISPLAY -u WAYLAND_DISPLAY -u QT_QPA_PLATFORM " DREVAN_APPLICATION;
  const auto version_told = test::run(bare + " --version");
  EXPECT_EQ(version_told.code, 0);
  EXPECT_EQ(version_told.out, std::string("drevan ") + version + "\n");
  const auto help = test::run(bare + " --help");
  EXPECT_EQ(help.code, 0);
  EXPECT_NE(help.out.find("FILE"), std::string::npos) << help.out;
  const auto wrong = test::run("QT_QPA_PLATFORM=offscreen " DREVAN_APPLICATION " --no-such-thing");
  EXPECT_EQ(wrong.code, 2);
  EXPECT_NE(wrong.out.find("no-such-thing"), std::string::npos) << wrong.out;
}

// The compiler's and the C library's own are every program's.
bool is_of_the_system(const std::string& file) {
  for (const char* own : {"libc.so", "libm.so", "libstdc++.so", "libgcc_s.so", "ld-linux"})
    if (file.starts_with(own)) return true;
  return false;
}

TEST(Start, EveryLibraryThatIsLinkedStandsInAbout) {
  const auto linked =
      test::run("readelf -d " DREVAN_APPLICATION " | sed -n 's/.*NEEDED.*\\[\\(.*\\)\\]/\\1/p'");
  ASSERT_EQ(linked.code, 0);
  std::istringstream lines(linked.out);
  int seen = 0;
  for (std::string file; std::getline(lines, file);) {
    bool known = is_of_the_system(file);
    for (const Library& library : libraries()) {
      std::istringstream names(library.file);
      for (std::string name; names >> name;) known = known || file.starts_with(name);
    }
    EXPECT_TRUE(known) << file << " is linked; put it into DREVAN_LIBRARIES with its licence";
    ++seen;
  }
  EXPECT_GT(seen, 15);
  for (const Library& library : libraries()) EXPECT_NE(std::string(library.licence), "");
}

TEST(Start, ASecondStartHandsItsFilesToTheFirst) {
  if (test::run("command -v dbus-run-session").code != 0)
    GTEST_SKIP() << "dbus-run-session (dbus-daemon) is not installed";
  const test::TempFolder t;
  for (const char* name : {"first", "second"}) {
    Reel reel = test::reel_of(t, {{name, "Ines"}}, 0.5);
    reel.name = name;
    save_reel(reel, t / (std::string(name) + ".reel"));
  }
  std::ofstream(t / "both.sh") << R"(
export XDG_CONFIG_HOME=$1/config XDG_CACHE_HOME=$1/cache XDG_DATA_HOME=$1/data HOME=$1 QT_QPA_PLATFORM=offscreen DREVAN_AUDIO=simulated
cd "$1"
")" DREVAN_APPLICATION R"(" first.reel & first=$!
for i in $(seq 300); do
  grep -qs first.reel config/drevan/drevan.conf && break
  sleep 0.1
done
timeout 20 ")" DREVAN_APPLICATION R"(" second.reel
echo "second ended with $?"
for i in $(seq 300); do
  grep -qs second.reel config/drevan/drevan.conf && echo "the first has opened it" && break
  sleep 0.1
done
kill -0 $first && echo "the first goes on"
kill $first; wait $first
)";
  const auto ran = test::run("dbus-run-session -- bash " + test::quoted(t / "both.sh") + " " +
                             test::quoted(t.path()));
  EXPECT_NE(ran.out.find("second ended with 0"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("the first has opened it"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("the first goes on"), std::string::npos) << ran.out;
}

}  // namespace
}  // namespace drevan::desktop
