// SPDX-License-Identifier: GPL-3.0-or-later
// drevan-cli: renders, measures and checks without a screen.
#include <fmt/format.h>

#include <csignal>
#include <cstdio>
#include <new>
#include <sstream>
#include <system_error>

#include "audio/error.h"
#include "cli/command_line.h"

namespace {

volatile std::sig_atomic_t signalled = 0;
void on_signal(int which) {
  signalled = which;
  drevan::cli::interrupted().cancel();
}

}  // namespace

drevan::CancelToken& drevan::cli::interrupted() {
  static CancelToken token;
  return token;
}
int drevan::cli::interrupted_code() {
  return signalled == SIGTERM ? ended_by_system : interrupted_by_user;
}

int main(int argc, char** argv) {
  using namespace drevan;
  cli::Calls c;
  const auto app = cli::command_line(c);
  try {
    app->parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    std::ostringstream out, wrong;
    const int code = app->exit(e, out, wrong);
    fmt::print("{}", out.str());
    fmt::print(stderr, "{}", printable(wrong.str(), true));
    return code == 0 ? cli::ok : cli::wrong_call;
  }
  std::signal(SIGINT, on_signal);
  std::signal(SIGTERM, on_signal);
  std::signal(SIGPIPE, SIG_IGN);
  // Whatever is thrown, a sentence and the right code; what was begun is taken back on the way here.
  try {
    const auto asked = [&](const char* name) { return app->got_subcommand(name); };
    if (asked("render")) return cli::render(c.render);
    if (asked("measure")) return cli::measure(c.inputs, c.json);
    if (asked("advise")) return cli::advise(c.chain, c.inputs, c.render.room_tone);
    if (asked("check")) return cli::check(c.target, c.inputs);
    if (asked("steps")) return cli::list_steps(c.json);
    if (asked("recipe")) return cli::check_recipes(c.inputs);
    if (asked("film")) return cli::film(c.film);
    if (asked("events"))
      return cli::events(c.event_reel, c.cut_film, c.events_out, c.list_clips, c.replace);
    if (asked("sweep")) return cli::sweep(c.sweep);
    if (asked("response")) return cli::response(c.played, c.came_back, c.response_out, c.replace);
  } catch (const Error& e) {
    cli::complain("{}\n", e.what());
    return e.kind() == Error::Kind::call ? cli::wrong_call : cli::some_failed;
  } catch (const Cancelled&) {
    cli::complain("Stopped; nothing was left half-written.\n");
    return cli::interrupted_code();
  } catch (const std::bad_alloc&) {
    cli::complain(
        "The memory is not enough for this; close other programs, or render fewer clips at a time "
        "with --jobs 1.\n");
    return cli::some_failed;
  } catch (const std::exception& e) {
    // Who reads what is printed has read enough, as `head` does: that is no fault to be told.
    const auto* system = dynamic_cast<const std::system_error*>(&e);
    if (system && system->code() == std::errc::broken_pipe) return cli::reader_gone;
    cli::complain("It could not be done ({}). Please tell Drevan's makers how you came here.\n",
                  e.what());
    return cli::some_failed;
  }
  return cli::wrong_call;
}
