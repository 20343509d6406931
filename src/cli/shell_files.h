// SPDX-License-Identifier: GPL-3.0-or-later
// What a shell and `man` know of a command line, made from the command line itself.
#pragma once

#include <string>
#include <string_view>

namespace CLI {
class App;
}

namespace drevan::cli {

/// A manual page of section 1 (man(7)). `about`: paragraphs for its DESCRIPTION; `more`: lines of
/// man(7) behind the options, or none.
std::string man_page(const CLI::App& app, std::string_view about, std::string_view more);
/// A file for share/bash-completion/completions, share/zsh/vendor-completions and
/// share/fish/vendor_completions.d: commands, options, their fixed values, else files.
std::string bash_completion(const CLI::App& app);
std::string zsh_completion(const CLI::App& app);
std::string fish_completion(const CLI::App& app);

}  // namespace drevan::cli
