// SPDX-License-Identifier: GPL-3.0-or-later
// A long work: a reel of 500 clips in 8 groups over 12 hours of sources, five steps a clip; what opening,
// editing, saving, memory and the batch cost, and how they grow from 500 to 10 000 clips.
// Usage: reel [--quick]
#include <fmt/format.h>

#include <chrono>
#include <fstream>
#include <thread>

#include "audio/hash.h"
#include "audio/parallel.h"
#include "batch/batch.h"
#include "engine/listening/level_path.h"
#include "long_reel.h"
#include "measured.h"
#include "media/reader.h"
#include "reel/change.h"
#include "reel/edits/edits.h"
#include "reel/history.h"
#include "reel/files/json_file.h"
#include "reel/files/reel_json.h"

namespace {

using namespace drevan;
using namespace drevan::bench;

// What 500 edits of one clip each cost to be undone, beside the reel itself.
void print_undo_memory(const Reel& reel, int clips) {
  const auto states = [&](int count) {
    return measured([&] {
             History history(reel);
             for (int i = 0; i < count; ++i) {
               const Clip& clip = history.now().clips[static_cast<size_t>(i * 7 % clips)];
               auto made =
                   edits::turn(history.now(), clip.id, clip.chain.steps[0].id, 1, -15 - 0.01 * i);
               history.edit(std::move(made.next), made.label);
             }
           })
        .peak_mb;
  };
  const double none = states(0), all = states(500);
  fmt::print("500 edits to undo {:.0f} MB (goal at 5000: 150)\n", all - none);
}

void grow(const test::TempFolder& folder, int clips) {
  const Reel reel = made_reel(folder, clips, 0.5);
  const auto file = folder / "x.reel";
  const double save = best_ms(3, [&] { save_reel(reel, file); });
  Reel opened;
  const double open = best_ms(3, [&] { opened = load_reel(file); });
  History history(reel);
  double db = -15;
  const double edit = best_ms(20, [&] {
    Reel next = history.now();
    next.groups[0].chain.steps[0].settings.values[1] = db -= 0.1;
    history.edit(std::move(next), "Turn", "drag");
  });
  // A knob of one clip: the edit, what it changed, and its line in the journal but for the disk.
  double line = -15;
  const auto turn = [&] {
    const Clip& clip = history.now().clips[static_cast<size_t>(clips) / 2];
    auto made = edits::turn(history.now(), clip.id, clip.chain.steps[0].id, 1, line -= 0.1);
    const auto before = history.shared();
    history.edit(std::move(made.next), made.label, made.merge);
    return before;
  };
  const double turned = best_ms(50, [&] { (void)difference(*turn(), history.now()).has_clip(1); });
  auto before = turn();
  const double patch = best_ms(
      20, [&] { (void)hex_hash_of(reel_patch(*before, history.now(), folder.path()).dump()); });
  fmt::print(
      "{:5} clips: a turn {:6.3f} ms (goal at 5000: 1), its line in the journal {:6.3f} ms (goal: "
      "5), ",
      clips, turned, patch);
  print_undo_memory(reel, clips);
  // What the interface asks after an edit before it can draw: whether levels belong to the chain.
  const double keys =
      best_ms(20, [&] { stage_keys(plan_of(history.now(), history.now().clips[0])); });
  fmt::print(
      "{:5} clips: open {:7.1f} ms, save {:7.1f} ms, an edit {:6.3f} ms, keys of a clip {:6.3f} "
      "ms, file {:6.0f} kB\n",
      clips, open, save, edit, keys, static_cast<double>(std::filesystem::file_size(file)) / 1000);
}

double batch_seconds(const Reel& reel, const test::TempFolder& folder, int workers, int clips) {
  std::vector<ClipId> ids;
  for (int i = 0; i < clips; ++i)
    ids.push_back(
        reel.clips[static_cast<size_t>(i) * reel.clips.size() / static_cast<size_t>(clips)].id);
  const auto done = measured([&] {
    BatchOptions o;
    o.folder = folder / fmt::format("out-{}", workers);
    o.workers = workers;
    FindingStore store;
    const CancelToken never;
    run_batch(batch_jobs(reel, ids), o, store, never, {});
  });
  return done.seconds;
}

// How far time_left() is off, told at a tenth steps of a batch of uneven clips.
double worst_time_left(const Reel& reel, const test::TempFolder& folder, int clips) {
  std::vector<ClipId> ids;
  for (int i = 0; i < clips; ++i) ids.push_back(reel.clips[static_cast<size_t>(i)].id);
  Reel uneven = reel;
  for (int i = 0; i < clips; i += 3) uneven.find(ids[static_cast<size_t>(i)])->frames /= 6;
  const auto jobs = batch_jobs(uneven, ids);
  BatchOptions o;
  o.folder = folder / "left";
  FindingStore store;
  const CancelToken never;
  std::vector<JobResult> now(jobs.size());
  struct Guess {
    double at, left;
  };
  std::vector<Guess> guesses;
  const auto begin = Clock::now();
  run_batch(jobs, o, store, never, [&](size_t i, const JobResult& r) {
    now[i].state = r.state;
    now[i].progress = r.progress;
    const double at = ms_since(begin) / 1000, share = share_done(jobs, now),
                 left = time_left(share, at);
    if (left >= 0 && share > 0.2 && share < 0.8) guesses.push_back({at, left});
  });
  const double total = ms_since(begin) / 1000;
  double worst = 0;
  for (const auto& g : guesses) worst = std::max(worst, std::abs(g.at + g.left - total) / total);
  return worst;
}

}  // namespace

int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::string(argv[1]) == "--quick";
  const test::TempFolder folder;
  fmt::print("How it grows\n");
  for (const int clips : {500, 2000, 5000, 10000}) grow(folder, clips);

  const Reel reel = made_reel(folder, 500, quick ? 2 : 12);
  const auto file = folder / "long.reel";
  save_reel(reel, file);
  const auto whole = measured([&] {
    const Reel opened = load_reel(file);
    History history(opened);
    for (int i = 0; i < 400; ++i) {
      Reel next = history.now();
      next.groups[static_cast<size_t>(i % 8)].chain.steps[0].settings.values[1] = -20 - 0.01 * i;
      history.edit(std::move(next), "Turn");
    }
  });
  fmt::print("500 clips, 8 groups, {} hours: 400 edits to undo in {:.0f} MB (goal for all: 1000)\n",
             quick ? 2 : 12, whole.peak_mb);

  // What is visible after an edit in a group's chain: some twelve clips, measured as the shelf does it.
  const auto visible = measured([&] {
    FindingStore store;
    LevelStore levels;
    StageStore borders(256 << 20);
    const CancelToken never;
    LevelPathOptions o;
    o.store = &store;
    o.levels = &levels;
    o.cache = &borders;
    o.cancel = &never;
    Reel now = reel;
    std::vector<double> seconds;
    for (const double line : {-22.0, -24.0}) {
      now.groups[0].chain.steps[0].settings.values[1] = line;
      const auto then = Clock::now();
      std::vector<const Clip*> wanted;
      for (const auto& c : now.clips)
        if (c.group == 0 && wanted.size() < 12) wanted.push_back(&c);
      on_all_cores(wanted.size(), never, [&](size_t i) {
        measure_result(plan_of(now, *wanted[i]), wanted[i]->chain.steps.size(), o);
      });
      seconds.push_back(ms_since(then) / 1000);
    }
    fmt::print(
        "12 visible clips of a group measured: {:.2f} s at first, {:.2f} s after an edit in the "
        "group's chain (goal: 2)\n",
        seconds[0], seconds[1]);
    std::fflush(stdout);
  });
  fmt::print("  peak memory of that {:.0f} MB\n", visible.peak_mb);

  const int clips = quick ? 8 : 24;
  const double one = batch_seconds(reel, folder, 1, clips),
               two = batch_seconds(reel, folder, 2, clips);
  fmt::print(
      "Batch of {} clips: {:.1f} s by one worker, {:.1f} s by two: {:.2f} times as fast (goal: "
      "1.8)\n",
      clips, one, two, one / two);
  fmt::print(
      "Time left on uneven clips was off by at most {:.0f} % of the whole between a fifth and four "
      "fifths (goal: 20)\n",
      100 * worst_time_left(reel, folder, clips));
  return 0;
}
