// SPDX-License-Identifier: GPL-3.0-or-later
// What the documents say of the program is so: its steps, its command line, its files.
#include <gtest/gtest.h>

#include <regex>
#include <set>

#include "steps/catalogue.h"
#include "support/sounds.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

std::string text_of(const std::string& file) {
  const auto all = test::bytes(fs::path(DREVAN_SOURCE_DIR) / file);
  return {all.begin(), all.end()};
}

std::set<std::string> all_in(const std::string& text, const std::regex& what) {
  std::set<std::string> out;
  for (std::sregex_iterator at(text.begin(), text.end(), what), end; at != end; ++at)
    out.insert((*at)[1].str());
  return out;
}

TEST(Docs, TheManualsTableNamesEveryStep) {
  const std::string manual = text_of("docs/manual.md");
  const auto table = manual.find("| step | what it does |");
  ASSERT_NE(table, std::string::npos);
  const std::string rows = manual.substr(table, manual.find("\n\n", table) - table);
  std::set<std::string> named;
  for (const auto& first : all_in(rows, std::regex("\n\\| ([^|]*) \\|"))) {
    const std::regex comma(", ");
    for (std::sregex_token_iterator at(first.begin(), first.end(), comma, -1), end; at != end; ++at)
      named.insert(at->str());
  }
  for (const StepType* type : catalogue())
    EXPECT_TRUE(named.contains(std::string(type->label))) << type->label;
}

TEST(Docs, TheManualKnowsEveryCommandAndOption) {
  const std::string manual = text_of("docs/manual.md");
  const std::string cli = test::quoted(DREVAN_CLI);
  int seen = 0;
  for (const char* command : {"render", "measure", "check", "advise", "steps", "recipe check",
                              "film", "events", "sweep", "response"}) {
    EXPECT_NE(manual.find(std::string("drevan-cli ") + command), std::string::npos) << command;
    const auto help = test::run(cli + " " + command + " --help");
    ASSERT_EQ(help.code, 0);
    for (const auto& option : all_in(help.out, std::regex("\n *(--[a-z-]+)"))) {
      EXPECT_NE(manual.find(option), std::string::npos) << command << " " << option;
      ++seen;
    }
  }
  EXPECT_GT(seen, 40);
}

TEST(Docs, FilesAndFoldersThatAreNamedAreThere) {
  int seen = 0;
  for (const char* file :
       {"README.md", "CONTRIBUTING.md", "docs/adding-a-step.md", "docs/formats.md"})
    for (const auto& named : all_in(
             text_of(file),
             std::regex(
                 "`((?:src|tests|scripts|docs|share|packaging)/[A-Za-z0-9_./-]*[A-Za-z0-9_/])`"))) {
      if (named.find("NAME") != std::string::npos) continue;
      EXPECT_TRUE(fs::exists(fs::path(DREVAN_SOURCE_DIR) / named)) << file << ": " << named;
      ++seen;
    }
  EXPECT_GT(seen, 15);
}

// The version is the first heading; every version has a date, the newest first.
TEST(Docs, TheChangesHaveTheirVersionsInOrder) {
  const std::string changes = text_of("CHANGELOG.md");
  std::string before = "9999";
  int seen = 0;
  const std::regex heading("\n## ([^\n]*)");
  for (std::sregex_iterator at(changes.begin(), changes.end(), heading), end; at != end; ++at) {
    const std::string line = (*at)[1].str();
    std::smatch parts;
    ASSERT_TRUE(std::regex_match(line, parts,
                                 std::regex("0\\.[0-9]+\\.[0-9]+, ([0-9]{4}-[0-9]{2}-[0-9]{2})")))
        << line;
    EXPECT_LT(parts[1].str(), before);
    before = parts[1].str();
    ++seen;
  }
  EXPECT_GT(seen, 3);
}

}  // namespace
}  // namespace drevan
