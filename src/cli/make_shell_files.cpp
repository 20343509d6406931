// SPDX-License-Identifier: GPL-3.0-or-later
// Writes the manual pages and the shells' completions into a folder, at build time.
#include <CLI/CLI.hpp>
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "cli/application_line.h"
#include "cli/command_line.h"
#include "cli/shell_files.h"

namespace {

using namespace drevan;

constexpr const char* about_cli =
    "Renders sound files through a recipe, or the clips, the mix and the stems of a reel, "
    "measures\n"
    "files and judges them by a target, all without a screen.\n"
    "The same sound leaves it as leaves\n.BR drevan (1).\n";
constexpr const char* exit_codes =
    ".SH EXIT STATUS\n"
    ".TP\n.B 0\nAll was done.\n.TP\n.B 1\nA target is missed.\n.TP\n.B 2\nThe call is wrong.\n"
    ".TP\n.B 3\nSomething failed; what could be done was done.\n.TP\n.B 130\nEnded by Ctrl\\-C.\n"
    ".TP\n.B 141\nWhoever read what is printed had read enough.\n.TP\n.B 143\nEnded by the "
    "system.\n"
    ".SH SEE ALSO\n.BR drevan (1)\n";
constexpr const char* about_application =
    "Takes dialogue, voiceover and effects from the recorder to the picture: noise and room out,\n"
    "tone and level right, compared at matched loudness, the same for one clip or for hundreds.\n"
    "A second start hands its files to the window that is open.\n";
constexpr const char* more_application = ".SH SEE ALSO\n.BR drevan\\-cli (1)\n";

void write(const std::filesystem::path& file, const std::string& text) {
  std::ofstream(file, std::ios::binary) << text;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  const std::filesystem::path folder = argv[1];
  cli::Calls calls;
  const auto line = cli::command_line(calls);
  cli::ApplicationCall call;
  const auto application = cli::application_line(call);
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  write(folder / "drevan-cli.1", cli::man_page(*line, about_cli, exit_codes));
  write(folder / "drevan.1", cli::man_page(*application, about_application, more_application));
  for (const auto* app : {line.get(), application.get()}) {
    const std::string name = app->get_name();
    write(folder / (name + ".bash"), cli::bash_completion(*app));
    write(folder / ("_" + name), cli::zsh_completion(*app));
    write(folder / (name + ".fish"), cli::fish_completion(*app));
  }
  return 0;
}
