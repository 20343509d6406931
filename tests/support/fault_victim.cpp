// SPDX-License-Identifier: GPL-3.0-or-later
// Opens a reel and does what loses work when it goes wrong: edits with a journal, saves, prints, saves under
// another name, renders. Any of these may be made to fail; it goes on with the next, as the window does.
#include <cstdio>

#include "audio/error.h"
#include "batch/batch.h"
#include "engine/making/print.h"
#include "reel/files/history_file.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "reel/library/lock.h"
#include "reel/library/version_files.h"

namespace fs = std::filesystem;

int main(int, char** argv) {
  using namespace drevan;
  if (std::string_view(argv[1]) == "--lock") {
    std::string why;
    const auto lock = ReelLock::take(argv[2], why);
    std::printf("%s\n", !lock ? why.c_str() : lock->guards() ? "taken" : "taken without guarding");
    return lock ? 0 : 3;
  }
  const fs::path file = argv[1], folder = file.parent_path();
  const CancelToken never{};
  FindingStore store;
  Reel reel = load_reel(file);
  int failures = 0;
  const auto attempt = [&](auto&& act) {
    try {
      act();
      return true;
    } catch (const Error& e) {
      std::printf("%s\n", e.what());
      ++failures;
      return false;
    }
  };
  {
    Journal journal(file, read_text(file));
    reel.clips[0].name = "edited";
    journal.tell(std::make_shared<const Reel>(reel), "Rename");
    journal.flush();
    if (attempt([&] { save_reel(reel, file); })) journal.end();
  }
  attempt([&] {
    save_history({{{std::make_shared<const Reel>(reel), "Rename"}}, 0}, file, read_text(file));
  });
  const auto printed = version_file(file, reel.clips[0]);
  if (attempt([&] {
        print_clip({plan_of(clip_sound(reel, reel.clips[0]), {{make_step("gain")}}), std::nullopt,
                    0.05, printed},
                   store, never);
      })) {
    Reel next = reel;
    add_version(next, next.clips[0].id, {.what = "printed"}, examine_source(printed));
    if (attempt([&] { save_reel(next, file); })) reel = next;
  }
  attempt([&] {
    Reel other = reel;
    const auto moved = own_version_files(other, folder / "other.reel");
    move_sources(other, moved);
    save_reel(other, folder / "other.reel");
  });
  attempt([&] {
    const std::vector<ClipId> ids{reel.clips[0].id};
    BatchOptions o;
    o.folder = folder / "out";
    o.also.push_back({Container::flac, SampleType::int16});
    for (const auto& r : run_batch(batch_jobs(reel, ids), o, store, never, {}))
      if (r.state != JobState::done) throw Error(Error::Kind::output, r.problem);
  });
  return failures > 0 ? 3 : 0;
}
