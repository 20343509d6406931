// SPDX-License-Identifier: GPL-3.0-or-later
// Killed at random moments while it edits, saves and renders: the reel opens with all that was on the
// disk, no final name holds half a file, no source is changed.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <random>
#include <thread>

#include "audio/hash.h"
#include "batch/batch.h"
#include "batch/mix.h"
#include "engine/making/print.h"
#include "engine/recording/recorder.h"
#include "media/reader.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "reel/edits/anchors.h"
#include "reel/library/lock.h"
#include "reel/scene/recording.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "reel/library/version_files.h"
#include "support/extent.h"
#include "support/sanitized.h"
#include "support/steps.h"

namespace drevan {
namespace {

// Events, places, a space that is fed, a gain that is drawn.
void work_on_the_scene(Reel& reel, std::mt19937& random) {
  const ClipId clip = reel.clips[0].id;
  const double s = random() % 1000 / 100.0;
  const edits::PlacedClip place[] = {{clip, s}};
  switch (random() % 6) {
    case 0:
      if (reel.events.size() > 20) reel.events.clear();
      reel = edits::add_event(reel, {s, "event"}).next;
      break;
    case 1:
      reel = edits::place_clips(reel, place).next;
      break;
    case 2:
      if (reel.spaces.empty()) reel = edits::add_space(reel, "Hall", {{make_step("gain")}}).next;
      reel = edits::set_send(reel, clip, reel.spaces[0].id(), -s).next;
      break;
    case 3:
      if (reel.clips[0].chain.steps.size() < 4)
        reel = edits::draw_gain(reel, clip, Curve{{{0, -s}, {1, -3}}}).next;
      break;
    case 4: {
      // Somebody stands in a room, or the space goes.
      if (!reel.spaces.empty()) {
        reel = edits::remove_space(reel, reel.spaces[0].id()).next;
        break;
      }
      reel = edits::add_space(reel, "Room", {{make_step("acoustics")}}).next;
      const edits::Feeder from(clip);
      const SpaceId room = reel.spaces[0].id();
      reel = edits::draw_send(reel, from, room, Curve{{{0, -s}, {1, -3}}}).next;
      SendPlace place_there{-s, 0, 1 + s};
      place_there.azimuth = Curve{{{0, -s}, {1, s}}};
      reel = edits::place_in_space(reel, from, room, place_there).next;
      break;
    }
    default:
      // A moment is bound, or let go.
      if (anchors_of(reel, reel.clips[0]).empty())
        reel = edits::bind(reel, clip, HeardTime{clip_seconds(reel, reel.clips[0]) / 2},
                           edits::StretchWay::tape)
                   .next;
      else
        reel = edits::unbind(reel, clip, 0).next;
      break;
  }
}

// A line is recorded as the window records it: its note, the file that grows, the edit, and only
// when that is on the disk the note goes. Killed before, it comes back with brings_back().
void record_a_line(Reel& reel, const std::filesystem::path& file, Journal& journal,
                   std::mt19937& random) {
  const auto folder = recordings_folder(reel, file, {});
  std::filesystem::create_directories(folder);
  const auto audio = recording_file(folder, "Line");
  // Against the picture: what is played begins a second before the place; the sound comes back 700
  // frames late.
  const RecordedWhere where{{2.5}, true, std::nullopt, 48000, 700, 0};
  RecordingNote note(audio, file, {"Line", "Recordings"}, where);
  Recorder recorder(48000);
  recorder.begin({{{0}, audio}}, random() % 2 == 0);
  const Samples pre_roll = 4800 + static_cast<Samples>(random() % 480);
  const std::vector<float> block(480, 0.25F);
  const int blocks = 45 + static_cast<int>(random() % 30);
  for (int i = 0; i < blocks; ++i) {
    const PlayedPiece piece{0, 120000 - pre_roll + 480 * i, true};
    recorder.hear({block.data(), 1, 480, std::span(&piece, 1), -1});
    if (i == 0) note.keep(recorder.marks()[0]);
    std::this_thread::sleep_for(std::chrono::microseconds(200));
  }
  const auto recording = recorder.end();
  reel = edits::add_recording(
             reel, {"Line", "Recordings"},
             recorded_parts(examine_source(audio),
                            takes_of_recording(recording, 700, {120000}, 48000), 48000, {2.5}))
             .next;
  journal.tell(std::make_shared<const Reel>(reel), "Record");
  journal.flush();
  note.remove();
}

// What a killed program had recorded and not yet told.
int bring_back(Reel& reel, const std::filesystem::path& file) {
  int back = 0;
  for (const auto& broken : broken_recordings(recordings_folder(reel, file, {}), file)) {
    std::filesystem::remove(broken.note);
    if (std::ranges::find(reel.sources, broken.audio, &Source::path) != reel.sources.end())
      continue;
    try {
      const Source source = examine_source(broken.audio);
      const auto takes = takes_of_broken(broken, source.frames);
      reel =
          edits::add_recording(reel, broken.line,
                               recorded_parts(source, takes, broken.where.rate, broken.where.place))
              .next;
      // To the sample, as if it had not been killed: the pre-roll is no part of it.
      if (!broken.marks.empty() && takes[0].position) {
        const PlayedMark& first = broken.marks[0];
        EXPECT_EQ(takes[0].position, 120000);
        EXPECT_EQ(takes[0].begin, first.at + 120000 - first.position + 700);
        EXPECT_EQ(reel.clips.back().place.s, 2.5);
      }
      ++back;
    } catch (const Error&) {
      // Killed before the first sample was written.
      EXPECT_LT(std::filesystem::file_size(broken.audio), 4096U);
    }
  }
  return back;
}

// All of it is what was heard.
void expect_recorded(const std::filesystem::path& audio) {
  const AudioBuffer all = test::read_all(audio);
  ASSERT_GT(all.frames(), 0) << audio;
  for (const float x : all.channel(0)) ASSERT_EQ(x, 0.25F) << audio;
}

// Opens the reel as the application does and works on it until it is killed. Tells the parent every
// count that is safe on the disk.
[[noreturn]] void work_until_killed(const std::filesystem::path& file,
                                    const std::filesystem::path& out, int tell, unsigned seed) {
  std::mt19937 random(seed);
  std::string why;
  const auto lock = ReelLock::take(file, why);
  if (!lock) ::_exit(3);
  Reel reel = load_reel(file);
  if (auto found = recover(file)) {
    reel = found->reel;
    save_reel(reel, file);
  }
  int count = std::stoi(reel.clips[0].name);
  auto journal = std::make_unique<Journal>(file, read_text(file));
  FindingStore store;
  const CancelToken never{};
  while (true) {
    work_on_the_scene(reel, random);
    // Asked for anew each time: what the journal was told is shared with it, and a reference to it
    // from before would be of its reel.
    const auto clip = [&]() -> Clip& { return reel.clips[0]; };
    clip().name = std::to_string(++count);
    if (random() % 3 == 0 && clip().chain.steps.size() < 4)
      clip().chain.steps.push_back(test::with("gain", {{"gain_db", -1}}));
    else if (!clip().chain.steps.empty() && clip().chain.steps[0].type->id == "gain")
      clip().chain.steps[0].settings.values[0] = -static_cast<double>(random() % 20);
    journal->tell(std::make_shared<const Reel>(reel), "Edit " + clip().name);
    if (random() % 2 == 0) {
      journal->flush();
      if (::write(tell, &count, sizeof count) < 0) ::_exit(4);
    }
    if (random() % 4 == 0) {
      save_reel(reel, file);
      if (::write(tell, &count, sizeof count) < 0) ::_exit(4);
      journal->end();
      journal = std::make_unique<Journal>(file, read_text(file));
    }
    if (random() % 3 == 0)
      render_clip({plan_of(reel, clip()), out / (std::to_string(random() % 4) + ".wav")}, store,
                  never);
    // A print is safe when the version is in the journal; its file was whole before.
    if (random() % 3 == 0 && clip().versions.size() < 12) {
      const auto to = version_file(file, clip());
      print_clip({own_plan_of(reel, clip()), ClipRange{0.5, 1.2}, 0.05, to}, store, never);
      add_version(reel, clip().id, {.what = "printed", .made_with = clip().chain},
                  examine_source(to));
      journal->tell(std::make_shared<const Reel>(reel), "Print");
      journal->flush();
    }
    // Saved under another name, it takes its printed files along; its own are cleared when nothing stands on them.
    if (random() % 4 == 0) {
      Reel other = reel;
      const auto copy = file.parent_path() / ("copy" + std::to_string(random() % 3) + ".reel");
      move_sources(other, own_version_files(other, copy));
      save_reel(other, copy);
    }
    if (random() % 4 == 0 && clip().versions.size() > 6) {
      const auto unused = unused_versions(reel);
      std::vector<std::filesystem::path> files;
      for (const auto& u : unused)
        files.push_back(reel.at(find_version(*reel.find(u.clip), u.version)->source).path);
      go_to_version(*reel.find(clip().id), 0);
      drop_versions(reel, unused_versions(reel));
      save_reel(reel, file);
      journal->end();
      journal = std::make_unique<Journal>(file, read_text(file));
      delete_version_files(files, file);
      continue;
    }
    if (random() % 6 == 0) {
      const std::vector<ClipId> ids{clip().id};
      BatchOptions options;
      options.folder = out;
      options.pattern = "batch";
      run_batch(batch_jobs(reel, ids), options, store, never, {});
    }
    if (random() % 8 == 0) {
      BatchOptions options;
      options.folder = out.parent_path() / "mix";
      render_mix(reel, options, {.mix = true, .stems = true}, store, never);
    }
    if (random() % 4 == 0 && reel.clips.size() < 8) record_a_line(reel, file, *journal, random);
  }
}

// Sanitizers make the work some ten times slower.
#ifdef DREVAN_SANITIZED
constexpr unsigned most_us = 400000;
constexpr int kills = 40;
#else
constexpr unsigned most_us = 90000;
const int kills = test::in_full() ? 200 : 20;
#endif

TEST(Kill, TwoHundredTimesAndNothingIsLost) {
  const test::TempFolder folder;
  AudioBuffer x = test::words(0.3, 2);
  test::write_wav(folder / "voice.wav", x, 48000, SampleType::int24);
  const auto source = hash_file(folder / "voice.wav");
  const auto file = folder / "work.reel";
  const auto out = folder / "out";
  std::filesystem::create_directory(out);
  Reel reel;
  reel.name = "Kill";
  add_clip(reel, examine_source(folder / "voice.wav"), "Voices");
  reel.clips[0].name = "0";
  save_reel(reel, file);
  std::mt19937 random(11);
  int recovered = 0, renders = 0, last = 0, prints = 0, copies = 0, recorded = 0, back = 0;
  for (int round = 0; round < kills; ++round) {
    int safe[2];
    ASSERT_EQ(::pipe(safe), 0);
    const pid_t child = ::fork();
    if (child == 0) {
      ::close(safe[0]);
      // What it throws must not unwind the test's own folder away.
      try {
        work_until_killed(file, out, safe[1], static_cast<unsigned>(round));
      } catch (const std::exception& error) {
        std::fprintf(stderr, "at work: %s\n", error.what());
        ::_exit(6);
      }
    }
    ::close(safe[1]);
    // Every other time the clock runs from its first edit: starting takes as long as the machine
    // likes. The other times it may be killed while it opens the reel.
    int count = 0;
    if (round % 2 == 0 && ::read(safe[0], &count, sizeof count) == sizeof count)
      last = std::max(last, count);
    std::this_thread::sleep_for(std::chrono::microseconds(random() % most_us));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status)) << "ended by itself, " << WEXITSTATUS(status);
    while (::read(safe[0], &count, sizeof count) == sizeof count) last = std::max(last, count);
    ::close(safe[0]);

    Reel now = load_reel(file);
    if (auto found = recover(file)) {
      now = found->reel;
      ++recovered;
    }
    ASSERT_GE(std::stoi(now.clips[0].name), last) << "round " << round;
    last = std::stoi(now.clips[0].name);
    // Every recording is in the reel, or its note tells of it.
    if (const int more = bring_back(now, file); more > 0) {
      back += more;
      save_reel(now, file);
    }
    recorded = std::max(recorded, static_cast<int>(now.clips.size()) - 1);
    // Every version the reel knows is there and whole, and so is whatever has a final name.
    const auto recordings = recordings_folder(now, file, {});
    for (const auto& known : now.sources) {
      if (known.path.parent_path() != recordings)
        ASSERT_EQ(open_audio(known.path)->info().frames, x.frames()) << known.path;
      else
        expect_recorded(known.path);
    }
    prints = std::max(prints, static_cast<int>(now.clips[0].versions.size()) - 1);
    if (std::filesystem::exists(versions_folder(file)))
      for (const auto& entry : std::filesystem::directory_iterator(versions_folder(file)))
        if (!entry.path().filename().string().starts_with("."))
          ASSERT_EQ(open_audio(entry.path())->info().frames, x.frames()) << entry.path();
    // Reels saved under other names open, and have all their files, whatever was cleared since.
    for (const auto& entry : std::filesystem::directory_iterator(folder.path())) {
      if (entry.path().extension() != ".reel" || entry.path() == file) continue;
      for (const auto& known : load_reel(entry.path()).sources)
        if (known.path.parent_path() != recordings)
          ASSERT_EQ(open_audio(known.path)->info().frames, x.frames())
              << entry.path() << known.path;
      ++copies;
    }
    for (const auto& entry : std::filesystem::directory_iterator(out)) {
      if (entry.path().filename().string().starts_with("."))
        continue;  // a part under no final name
      ASSERT_EQ(open_audio(entry.path())->info().frames, x.frames()) << entry.path();
      ++renders;
    }
    // Mix and stems have one length, whatever the clip's place.
    if (std::filesystem::exists(folder / "mix"))
      for (const auto& entry : std::filesystem::directory_iterator(folder / "mix"))
        if (entry.path().extension() == ".wav" &&
            !entry.path().filename().string().starts_with("."))
          ASSERT_GE(open_audio(entry.path())->info().frames, x.frames()) << entry.path();
    ASSERT_EQ(hash_file(folder / "voice.wav"), source);
  }
  std::printf(
      "  %d kills: %d times the journal brought edits back, %d whole renders seen, %d versions, %d "
      "whole copies under other names, %d edits in the end; %d recordings in the reel, %d of them "
      "brought back\n",
      kills, recovered, renders, prints, copies, last, recorded, back);
  EXPECT_GT(recovered, kills / 10);
  EXPECT_GT(renders, kills / 10);
  EXPECT_GT(prints, 3);
  EXPECT_GT(recorded, 2);
  EXPECT_GT(last, kills);
}

}  // namespace
}  // namespace drevan
