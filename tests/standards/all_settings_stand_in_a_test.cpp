// SPDX-License-Identifier: GPL-3.0-or-later
// Every setting of every step is set by a test that knows what it must do.
#include <gtest/gtest.h>

#include <filesystem>
#include <regex>
#include <set>

#include "reel/files/json_file.h"
#include "steps/catalogue.h"

namespace drevan {
namespace {

TEST(EachSetting, AllStandInATestOfTheirOwn) {
  const std::filesystem::path tests = std::filesystem::path(DREVAN_SOURCE_DIR) / "tests";
  std::string all;
  for (const char* folder : {"standards", "steps", "engine"})
    for (const auto& entry : std::filesystem::directory_iterator(tests / folder)) {
      const auto name = entry.path().filename().string();
      // They go through all, and know of none what it must be.
      if (name == "catalogue_test.cpp" || name == "every_setting_test.cpp") continue;
      if (entry.path().extension() == ".cpp") all += read_text(entry.path());
    }
  // Names that are put together above: "band3_q".
  const std::regex family("(band|shift_|delay_|level_|pan_|time_|feedback_)[1-8](_.*)?");
  const std::set<std::string_view> families{"equaliser", "multiband-compressor", "doubler",
                                            "delay"};
  std::vector<std::string> missing;
  for (const StepType* type : catalogue()) {
    const auto in_a_family = [&](const std::string& id) {
      return families.contains(type->id) && std::regex_match(id, family);
    };
    const auto look = [&](std::string_view id) {
      const std::string name(id);
      if (all.find('"' + name + '"') == std::string::npos && !in_a_family(name))
        missing.push_back(std::string(type->id) + " " + name);
    };
    for (const Parameter& p : type->parameters) look(p.id);
    for (const TextParameter& p : type->texts) look(p.id);
  }
  std::ranges::sort(missing);
  EXPECT_EQ(missing, std::vector<std::string>{}) << "set it in a test that knows what it must do";
}

}  // namespace
}  // namespace drevan
