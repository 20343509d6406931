// SPDX-License-Identifier: GPL-3.0-or-later
#include "fuzzing.h"
#include "reel/library/library.h"

// A zip of any content comes in as recipes: within its bounds, and taken in without replacing anything.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  static const auto file = fuzz::folder() / "x.zip", library = fuzz::folder() / "library";
  fuzz::write(file, fuzz::text(data, size));
  const std::filesystem::path what[] = {file};
  fuzz::must_only_throw_error([&] {
    const auto incoming = look_at_incoming(what, {});
    fuzz::require(incoming.size() <= 1002);
    std::filesystem::remove_all(library);
    std::size_t taken = 0;
    for (const auto& in : incoming) {
      fuzz::require((in.state == Incoming::State::unreadable) == !in.problem.empty());
      if (taken < 4 && !take_in(in, Decision::replace, library).empty()) ++taken;
    }
    std::error_code error;
    std::size_t files = 0;
    for (const auto& entry : std::filesystem::directory_iterator(library, error))
      files += entry.is_regular_file() ? 1 : 0;
    fuzz::require(files == taken);
  });
  return 0;
}
