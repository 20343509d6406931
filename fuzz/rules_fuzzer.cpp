// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/rules.h"
#include "batch/target.h"
#include "fuzzing.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  const std::string input = fuzz::text(data, size);
  fuzz::must_only_throw_error([&] {
    const auto rules = rules_from_text(input, "/nowhere", "fuzz.rules");
    rule_for(rules, "Ines dialogue", "lamp-room-04");
  });
  fuzz::must_only_throw_error([&] { target_from_text(input, "fuzz.target"); });
  // Patterns of any length end soon.
  if (size < 4096) pattern_matches(input, input.substr(0, size / 2));
  return 0;
}
