// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/recording/recorder.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "audio/guarded_thread.h"

namespace drevan {

namespace {
constexpr double shortest_take_s = 0.2;
constexpr size_t ring_capacity = size_t{1} << 23;  // 10 s of 16 inputs at 48 kHz
constexpr auto write_every = std::chrono::milliseconds(30);
constexpr int to_disk_every = 33;  // of these: about a second
constexpr float full_scale = 0.99999F;
}  // namespace

namespace {

// Runs in which playing went on from where it had come to, with holes between or not.
using Pass = std::span<const RecordedRun>;

std::vector<std::vector<RecordedRun>> passes_of(const Recording& recording) {
  std::vector<std::vector<RecordedRun>> out;
  for (const RecordedRun& run : recording.runs) {
    if (!run.playing) continue;
    const bool goes_on =
        !out.empty() && out.back().back().position + out.back().back().frames == run.position;
    if (!goes_on) out.emplace_back();
    out.back().push_back(run);
  }
  return out;
}

// The frame of the recording at which a position was played: what begins there, or ends there.
Samples frame_at(Pass pass, Samples position, bool begins) {
  const RecordedRun* at = &pass.front();
  for (const RecordedRun& run : pass)
    if (begins ? run.position <= position : run.position < position) at = &run;
  return at->begin + position - at->position;
}

std::vector<RecordedHole> holes_of(Pass pass, Samples from, Samples to) {
  std::vector<RecordedHole> out;
  for (size_t i = 1; i < pass.size(); ++i)
    if (pass[i].position > from && pass[i].position < to)
      out.push_back({pass[i].position, pass[i].begin - pass[i - 1].begin - pass[i - 1].frames});
  return out;
}

}  // namespace

std::vector<RecordedTake> takes_of_recording(const Recording& recording, Samples latency,
                                             RecordedInto into, double rate, Samples lag) {
  std::vector<RecordedTake> takes;
  const auto add = [&](RecordedTake take, Samples end) {
    take.frames = std::min(end, recording.frames) - take.begin;
    if (take.frames >= static_cast<Samples>(shortest_take_s * rate))
      takes.push_back(std::move(take));
  };
  const auto passes = passes_of(recording);
  if (passes.empty()) {
    add({lag, 0, std::nullopt}, recording.frames);
    return takes;
  }
  for (const auto& pass : passes) {
    const Samples from = std::max({Samples{0}, pass.front().position, into.from});
    const Samples until = pass.back().position + pass.back().frames;
    const Samples to = into.to ? std::min(*into.to, until) : until;
    if (to <= from) continue;
    const Samples late = latency + lag;
    // Without an end of its own the last goes on while one still speaks.
    const bool to_the_end = !into.to && &pass == &passes.back();
    add({frame_at(pass, from, true) + late, 0, from, holes_of(pass, from, to)},
        to_the_end ? recording.frames : frame_at(pass, to, false) + late);
  }
  return takes;
}

namespace {

std::vector<RecordedRun> runs_of(std::span<const PlayedMark> marks, Samples frames) {
  std::vector<RecordedRun> out;
  for (size_t i = 0; i < marks.size(); ++i) {
    const Samples next = i + 1 < marks.size() ? marks[i + 1].at : frames;
    if (marks[i].at < frames && next > marks[i].at)
      out.push_back(
          {marks[i].at, std::min(next, frames) - marks[i].at, marks[i].position, marks[i].playing});
  }
  return out;
}

}  // namespace

std::vector<RecordedTake> takes_of_broken(const BrokenRecording& broken, Samples frames) {
  const RecordedWhere& where = broken.where;
  RecordedInto into;
  if (where.plays) into.from = frame_of(where.place, where.rate);
  if (where.to) into.to = frame_of(*where.to, where.rate);
  const Recording recording{{}, frames, runs_of(broken.marks, frames)};
  auto takes = takes_of_recording(recording, where.latency, into, where.rate, where.lag);
  if (takes.empty() && frames > 0) takes.push_back({0, frames, std::nullopt});
  return takes;
}

std::vector<RecordedPart> recorded_parts(const Source& file, std::span<const RecordedTake> takes,
                                         double rate, ReelTime otherwise) {
  std::vector<RecordedPart> out;
  for (const RecordedTake& t : takes)
    out.push_back({file, t.begin, t.frames,
                   t.position ? moment_of<ReelClock>(*t.position, rate) : otherwise});
  return out;
}

Recorder::Recorder(double rate) : rate_(rate), ring_(ring_capacity) {}

Recorder::~Recorder() {
  if (thread_.joinable()) end();
}

Recorder::Level Recorder::take_level(int input) {
  if (input >= channels_.load()) return {.silent = true};
  const auto i = static_cast<size_t>(input);
  return {peaks_[i].exchange(0), clipped_[i].load(), silent(input)};
}

bool Recorder::silent(int input) const {
  return input >= channels_.load() ||
         static_cast<double>(zeros_[static_cast<size_t>(input)].load()) >= rate_;
}

void Recorder::clear_clipped() {
  for (auto& c : clipped_) c = 0;
}

Problem Recorder::take_problem() {
  const std::lock_guard lock(mutex_);
  return std::exchange(problem_, {});
}

void Recorder::begin(const std::vector<RecordedFile>& files, bool floating) {
  if (thread_.joinable()) end();
  files_ = files;
  wavs_.clear();
  try {
    for (const auto& f : files)
      wavs_.push_back(std::make_unique<GrowingWav>(
          f.file, GrowingWav::Format{rate_, static_cast<int>(f.inputs.size()), floating}));
  } catch (...) {
    std::error_code ignored;
    for (const auto& made : wavs_) std::filesystem::remove(made->file(), ignored);
    wavs_.clear();
    throw;
  }
  width_ = 1;
  for (const auto& f : files)
    for (const int input : f.inputs) width_ = std::max(width_, static_cast<size_t>(input) + 1);
  written_ = read_ = 0;
  mark_count_ = 0;
  frames_ = 0;
  too_slow_ = false;
  clear_clipped();
  recording_ = true;
  thread_ = guarded_thread([this](const std::stop_token& stop) { write_on(stop); },
                           [this](const Problem& why) { stop_for(why); });
}

// --- device side ---

void Recorder::hear(const InputBlock& block) noexcept {
  const auto width = static_cast<size_t>(std::min(block.channels, most_inputs));
  const auto frames = static_cast<size_t>(block.frames);
  channels_.store(static_cast<int>(width), std::memory_order_relaxed);
  for (size_t c = 0; c < width; ++c) {
    float peak = 0;
    long clipped = 0, zeros = zeros_[c].load(std::memory_order_relaxed);
    for (size_t i = 0; i < frames; ++i) {
      const float x = std::abs(block.interleaved[i * static_cast<size_t>(block.channels) + c]);
      peak = std::max(peak, x);
      clipped += static_cast<long>(x >= full_scale);
      zeros = x == 0 ? zeros + 1 : 0;
    }
    if (peak > peaks_[c].load(std::memory_order_relaxed)) peaks_[c] = peak;
    if (clipped > 0) clipped_[c].fetch_add(clipped, std::memory_order_relaxed);
    zeros_[c].store(zeros, std::memory_order_relaxed);
  }
  if (!recording_.load()) return;
  const size_t at = written_.load(std::memory_order_relaxed);
  // Of as many inputs as are recorded: a device that has others now gives silence for those.
  const size_t samples = frames * width_;
  if (at + samples - read_.load(std::memory_order_acquire) > ring_.size()) {
    too_slow_ = true;
    return;
  }
  mark(block);
  size_t to = at;
  for (size_t i = 0; i < frames; ++i)
    for (size_t c = 0; c < width_; ++c)
      ring_[to++ % ring_.size()] =
          c < width ? block.interleaved[i * static_cast<size_t>(block.channels) + c] : 0.0F;
  written_.store(at + samples, std::memory_order_release);
  frames_.fetch_add(block.frames, std::memory_order_release);
}

void Recorder::mark(const InputBlock& block) noexcept {
  const Samples here = frames_.load(std::memory_order_relaxed);
  for (const PlayedPiece& piece : block.played) {
    const size_t count = mark_count_.load(std::memory_order_relaxed);
    const PlayedMark now{here + piece.offset, piece.position, piece.playing};
    const PlayedMark& last = last_mark_;
    const bool goes_on = count > 0 && now.playing == last.playing &&
                         (!now.playing || last.position + now.at - last.at == now.position);
    if (goes_on || count == marks_.size()) continue;
    marks_[count] = last_mark_ = now;
    mark_count_.store(count + 1, std::memory_order_release);
  }
}

// --- writing side ---

void Recorder::write_on(const std::stop_token& stop) {
  for (int turn = 1;; ++turn) {
    const bool last = stop.stop_requested();
    write_ready();
    for (auto& wav : wavs_) wav->settle(last || turn % to_disk_every == 0);
    if (too_slow_.exchange(false))
      throw Error(Error::Kind::output,
                  fmt::format("{} cannot be written as fast as it is recorded; choose another "
                              "disk, or fewer inputs.",
                              files_.front().file.string()),
                  files_.front().file);
    if (last) return;
    std::this_thread::sleep_for(write_every);
  }
}

void Recorder::stop_for(const Problem& why) {
  recording_ = false;
  const std::lock_guard lock(mutex_);
  problem_ = why;
  problem_.text.insert(0, "Recording has stopped; what was recorded is kept. ");
}

void Recorder::write_ready() {
  const size_t from = read_.load(std::memory_order_relaxed);
  const size_t to = written_.load(std::memory_order_acquire);
  const size_t frames = (to - from) / width_;
  for (size_t f = 0; f < wavs_.size(); ++f) {
    interleaved_.clear();
    for (size_t i = 0; i < frames; ++i)
      for (const int input : files_[f].inputs)
        interleaved_.push_back(
            ring_[(from + i * width_ + static_cast<size_t>(input)) % ring_.size()]);
    wavs_[f]->write(interleaved_);
  }
  read_.store(from + frames * width_, std::memory_order_release);
}

std::vector<PlayedMark> Recorder::marks(size_t from) const {
  const size_t count = mark_count_.load(std::memory_order_acquire);
  return from < count ? std::vector<PlayedMark>(marks_.begin() + static_cast<std::ptrdiff_t>(from),
                                                marks_.begin() + static_cast<std::ptrdiff_t>(count))
                      : std::vector<PlayedMark>();
}

Recording Recorder::end(Samples more) {
  const Samples goal = frames() + more;
  // A device that has gone gives no more.
  const auto until = std::chrono::steady_clock::now() +
                     std::chrono::milliseconds(
                         300 + static_cast<long>(1000.0 * static_cast<double>(more) / rate_));
  while (recording_ && frames() < goal && std::chrono::steady_clock::now() < until)
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  recording_ = false;
  // hear() may be in the midst of its last block.
  std::this_thread::sleep_for(std::chrono::milliseconds(2));
  thread_.request_stop();
  if (thread_.joinable()) thread_.join();
  Recording done{files_, wavs_.empty() ? 0 : wavs_.front()->frames(), {}};
  for (const auto& wav : wavs_) done.frames = std::min(done.frames, wav->frames());
  wavs_.clear();
  done.runs = runs_of(marks(), done.frames);
  return done;
}

}  // namespace drevan
