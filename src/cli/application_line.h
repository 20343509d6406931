// SPDX-License-Identifier: GPL-3.0-or-later
// The command line of the desktop application.
#pragma once

#include <CLI/CLI.hpp>
#include <memory>
#include <string>
#include <vector>

#include "audio/version.h"

namespace drevan::cli {

struct ApplicationCall {
  std::vector<std::string> files;
  bool apart = false;
};

/// Writes into `call`, which must live as long.
inline std::unique_ptr<CLI::App> application_line(ApplicationCall& call) {
  auto app = std::make_unique<CLI::App>("Cleans and shapes sound for picture");
  app->name("drevan");
  app->set_version_flag("--version", std::string("drevan ") + version);
  app->add_flag("--apart", call.apart, "In a window of its own, also where one is open already");
  app->add_option("FILE", call.files, "A reel, or sounds, films, folders and recipes");
  return app;
}

}  // namespace drevan::cli
