// SPDX-License-Identifier: GPL-3.0-or-later
// The commands of drevan-cli with their options: what is parsed, and what its manual page and the shells' completions
// are made from.
#pragma once

#include <CLI/CLI.hpp>
#include <memory>

#include "cli/commands.h"

namespace drevan::cli {

/// What was asked for, of all commands.
struct Calls {
  RenderCall render;
  std::vector<std::filesystem::path> inputs;
  bool json = false;
  std::string target;
  std::filesystem::path chain;
  FilmCall film;
  std::filesystem::path event_reel, cut_film, events_out;
  bool list_clips = false, replace = false;
  SweepCall sweep;
  std::filesystem::path played, came_back, response_out;
};

/// Writes into `calls`, which must live as long.
std::unique_ptr<CLI::App> command_line(Calls& calls);

}  // namespace drevan::cli
