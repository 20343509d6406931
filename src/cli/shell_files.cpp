// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/shell_files.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <vector>

#include "audio/version.h"

namespace drevan::cli {

namespace {

struct OptionFacts {
  std::string name;  // "--out", or "INPUT" where it has none
  std::string help;
  std::vector<std::string> values;  // all it may have; empty: any
  bool takes_value = false, positional = false, required = false;
};

std::vector<std::string> fixed_values(const CLI::Option& option) {
  // "TEXT:{wav,flac}"
  const std::string type = option.get_type_name();
  const auto from = type.find('{'), to = type.rfind('}');
  if (from == std::string::npos || to == std::string::npos) return {};
  return CLI::detail::split(type.substr(from + 1, to - from - 1), ',');
}

std::vector<OptionFacts> options_of(const CLI::App& app) {
  std::vector<OptionFacts> out;
  for (const CLI::Option* o : app.get_options()) {
    OptionFacts facts;
    facts.positional = !o->nonpositional();
    facts.name = facts.positional ? o->get_name(true) : "--" + o->get_lnames().front();
    facts.help = o->get_description();
    facts.values = fixed_values(*o);
    facts.takes_value = o->get_expected_max() > 0;
    facts.required = o->get_required();
    out.push_back(std::move(facts));
  }
  return out;
}

struct Command {
  std::string words;  // "recipe check"
  const CLI::App* app;
};

// Those that do something, in order.
std::vector<Command> commands_of(const CLI::App& app, const std::string& before = {}) {
  std::vector<Command> out;
  for (const CLI::App* sub : app.get_subcommands([](const CLI::App*) { return true; })) {
    const std::string words = before + sub->get_name();
    const auto inner = commands_of(*sub, words + " ");
    if (inner.empty())
      out.push_back({words, sub});
    else
      out.insert(out.end(), inner.begin(), inner.end());
  }
  return out;
}

// Of man(7): a line must not begin with a dot or an apostrophe, a hyphen is not a dash.
std::string in_man(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\')
      out += "\\e";
    else if (c == '-')
      out += "\\-";
    else if ((c == '.' || c == '\'') && (out.empty() || out.back() == '\n'))
      out += std::string("\\&") + c;
    else
      out += c;
  }
  return out;
}

std::string in_quotes(std::string_view text) {
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

std::string joined(const std::vector<std::string>& all) {
  return fmt::format("{}", fmt::join(all, " "));
}

void add_options(std::string& out, const CLI::App& app) {
  for (const OptionFacts& o : options_of(app)) {
    out += ".TP\n";
    const std::string value =
        o.values.empty() ? "VALUE" : fmt::format("{}", fmt::join(o.values, "|"));
    out += o.positional    ? fmt::format("\\fI{}\\fR\n", in_man(o.name))
           : o.takes_value ? fmt::format("\\fB{}\\fR \\fI{}\\fR\n", in_man(o.name), in_man(value))
                           : fmt::format("\\fB{}\\fR\n", in_man(o.name));
    out += in_man(o.help) + (o.help.ends_with('.') ? "\n" : ".\n");
  }
}

}  // namespace

std::string man_page(const CLI::App& app, std::string_view about, std::string_view more) {
  const std::string name = app.get_name();
  std::string upper = name;
  std::ranges::transform(upper, upper.begin(),
                         [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  const auto commands = commands_of(app);
  std::string out = fmt::format(
      ".TH {} 1 \"\" \"Drevan {}\" \"User Commands\"\n.SH NAME\n{} \\- {}\n.SH SYNOPSIS\n",
      in_man(upper), version, in_man(name), in_man(app.get_description()));
  if (commands.empty())
    out += fmt::format(".B {}\n[\\fIOPTIONS\\fR] [\\fIFILE\\fR ...]\n", in_man(name));
  for (const Command& c : commands) {
    out += fmt::format(".B {} {}\n[\\fIOPTIONS\\fR]", in_man(name), in_man(c.words));
    for (const OptionFacts& o : options_of(*c.app))
      if (o.positional) out += fmt::format(" \\fI{}\\fR ...", in_man(o.name));
    out += "\n.br\n";
  }
  out += fmt::format(".SH DESCRIPTION\n{}", about);
  out += ".SH OPTIONS\n";
  add_options(out, app);
  for (const Command& c : commands) {
    out += fmt::format(".SS \"{} {}\"\n{}.\n", in_man(name), in_man(c.words),
                       in_man(c.app->get_description()));
    add_options(out, *c.app);
  }
  return out + std::string(more);
}

std::string bash_completion(const CLI::App& app) {
  const std::string name = app.get_name();
  std::string function = name;
  std::ranges::replace(function, '-', '_');
  std::vector<std::string> first;
  std::string cases, values;
  for (const Command& c : commands_of(app)) {
    const auto space = c.words.find(' ');
    const std::string word = c.words.substr(0, space);
    first.push_back(word);
    std::vector<std::string> names;
    if (space != std::string::npos) names.push_back(c.words.substr(space + 1));
    for (const OptionFacts& o : options_of(*c.app)) {
      if (o.positional) continue;
      names.push_back(o.name);
      if (!o.values.empty())
        values += fmt::format("    {}:{}) COMPREPLY=($(compgen -W {} -- \"$cur\")); return ;;\n",
                              word, o.name, in_quotes(joined(o.values)));
    }
    cases += fmt::format("    {}) words={} ;;\n", word, in_quotes(joined(names)));
  }
  std::vector<std::string> own = first;
  for (const OptionFacts& o : options_of(app))
    if (!o.positional) own.push_back(o.name);
  return fmt::format(R"(# bash completion for {0}, made by Drevan's build.
_{1}() {{
  local cur=${{COMP_WORDS[COMP_CWORD]}} prev= command= words=
  [ "$COMP_CWORD" -gt 0 ] && prev=${{COMP_WORDS[COMP_CWORD - 1]}}
  [ "$COMP_CWORD" -gt 1 ] && command=${{COMP_WORDS[1]}}
  COMPREPLY=()
  case $command:$prev in
{2}    *) ;;
  esac
  case $command in
{3}    *) words={4} ;;
  esac
  if [[ $cur == -* ]] || {{ [ -z "$command" ] && [ -n {5} ]; }}; then
    COMPREPLY=($(compgen -W "$words" -- "$cur"))
  else
    compopt -o filenames 2>/dev/null
    COMPREPLY=($(compgen -f -- "$cur") $(compgen -W "$words" -- "$cur"))
  fi
}}
complete -F _{1} {0}
)",
                     name, function, values, cases, in_quotes(joined(own)),
                     in_quotes(joined(first)));
}

std::string zsh_completion(const CLI::App& app) {
  const auto in_brackets = [](std::string text) {
    std::string out;
    for (const char c : text) {
      if (c == '[' || c == ']' || c == ':' || c == '\\') out += '\\';
      out += c;
    }
    return out;
  };
  const auto arguments = [&](const CLI::App& of) {
    std::string out;
    for (const OptionFacts& o : options_of(of)) {
      const std::string goal =
          o.values.empty() ? ":value:_files" : fmt::format(":value:({})", joined(o.values));
      out += " \\\n        " + in_quotes(o.positional
                                             ? fmt::format("*:{}:_files", in_brackets(o.help))
                                             : fmt::format("{}[{}]{}", o.name, in_brackets(o.help),
                                                           o.takes_value ? goal : ""));
    }
    return out;
  };
  const std::string name = app.get_name();
  const auto commands = commands_of(app);
  if (commands.empty())
    return fmt::format("#compdef {}\n# Made by Drevan's build.\n_arguments{}\n", name,
                       arguments(app));
  std::string list, cases;
  for (const Command& c : commands) {
    const auto space = c.words.find(' ');
    const std::string word = c.words.substr(0, space);
    list += fmt::format("    {}\n", in_quotes(word + ":" + in_brackets(c.app->get_description())));
    // A word below a command is an argument like any other.
    const std::string below =
        space == std::string::npos
            ? ""
            : fmt::format(" \\\n        {}",
                          in_quotes(fmt::format("1:what:({})", c.words.substr(space + 1))));
    cases +=
        fmt::format("    {})\n      _arguments{}{}\n      ;;\n", word, below, arguments(*c.app));
  }
  return fmt::format(R"(#compdef {0}
# Made by Drevan's build.
local -a commands
if (( CURRENT == 2 )); then
  commands=(
{1}  )
  _describe command commands
  _arguments{2}
else
  local command=$words[2]
  shift words
  (( CURRENT-- ))
  case $command in
{3}  esac
fi
)",
                     name, list, arguments(app), cases);
}

std::string fish_completion(const CLI::App& app) {
  const std::string name = app.get_name();
  std::string out = fmt::format("# fish completion for {}, made by Drevan's build.\n", name);
  const auto line = [&](const std::string& when, const OptionFacts& o) {
    if (o.positional) return;
    out += fmt::format("complete -c {}{} -l {} -d {}{}\n", name, when, o.name.substr(2),
                       in_quotes(o.help),
                       !o.values.empty() ? fmt::format(" -x -a {}", in_quotes(joined(o.values)))
                       : o.takes_value   ? " -r"
                                         : "");
  };
  const auto commands = commands_of(app);
  for (const OptionFacts& o : options_of(app))
    line(commands.empty() ? "" : " -n __fish_use_subcommand", o);
  for (const Command& c : commands) {
    const auto space = c.words.find(' ');
    const std::string word = c.words.substr(0, space);
    out += fmt::format("complete -c {} -f -n __fish_use_subcommand -a {} -d {}\n", name, word,
                       in_quotes(c.app->get_description()));
    const std::string when = " -n " + in_quotes("__fish_seen_subcommand_from " + word);
    if (space != std::string::npos)
      out += fmt::format("complete -c {}{} -a {}\n", name, when, c.words.substr(space + 1));
    for (const OptionFacts& o : options_of(*c.app)) line(when, o);
  }
  return out;
}

}  // namespace drevan::cli
