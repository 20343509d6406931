// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/hash.h"
#include "fuzzing.h"
#include "reel/files/history_file.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"

// The input is a journal beside a reel, its checksums put right so that what lies behind them is reached
// too; and a list of edits.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  static const auto file = [] {
    const auto f = fuzz::folder() / "x.reel";
    Reel reel;
    reel.name = "x";
    save_reel(reel, f);
    return f;
  }();
  static const std::string saved = to_hex(Hasher().add(read_text(file)).value());
  const std::string input = fuzz::text(data, size);
  std::string journal;
  const auto line = [&](const std::string& content) {
    journal += to_hex(Hasher().add(content).value()) + " " + content + "\n";
  };
  if (size > 0 && data[0] % 4 != 0) line(R"({"drevan_journal":1,"saved":")" + saved + "\"}");
  for (std::size_t at = 0; at < input.size();) {
    const auto end = std::min(input.find('\n', at), input.size());
    if (data[0] % 2 == 0)
      journal += input.substr(at, end - at) + "\n";
    else
      line(input.substr(at, end - at));
    at = end + 1;
  }
  fuzz::write(Journal::file_of(file), journal);
  fuzz::must_only_throw_error([&] { recover(file); });
  fuzz::write(history_file_of(file),
              R"({"drevan_history":1,"saved":")" + saved + R"(","at":0})" + "\n" + input);
  load_history(file);
  return 0;
}
