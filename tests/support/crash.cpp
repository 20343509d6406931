// SPDX-License-Identifier: GPL-3.0-or-later
// A test program that crashes says in which test, and through which functions: with many tests in
// one process nothing else would.
#include <execinfo.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <csignal>
#include <cstring>
#include <iterator>

#include "support/sanitized.h"

namespace drevan::test {

namespace {

void say(const char* text) {
  [[maybe_unused]] const auto written = write(STDERR_FILENO, text, std::strlen(text));
}

// Only what may be called while all else is broken: no memory is asked for.
[[maybe_unused]] void tell(int signal) {
  const auto* running = testing::UnitTest::GetInstance()->current_test_info();
  say("\n-- crashed: ");
  say(running ? running->test_suite_name() : "outside of tests");
  say(".");
  say(running ? running->name() : "");
  say("\n");
  void* calls[48];
  backtrace_symbols_fd(calls, backtrace(calls, std::size(calls)), STDERR_FILENO);
  std::signal(signal, SIG_DFL);
  std::raise(signal);
}

#ifndef DREVAN_SANITIZED  // a sanitizer tells more, and by itself
const bool watched = [] {
  void* first[1];
  backtrace(first, 1);           // loads what it needs now
  static char stack[64 * 1024];  // of its own: the test's may be what is used up
  const stack_t own{stack, 0, sizeof stack};
  sigaltstack(&own, nullptr);
  struct sigaction action {};
  action.sa_handler = tell;
  action.sa_flags = SA_ONSTACK;
  for (const int signal : {SIGSEGV, SIGBUS, SIGILL, SIGFPE, SIGABRT})
    sigaction(signal, &action, nullptr);
  return true;
}();
#endif

}  // namespace

}  // namespace drevan::test
