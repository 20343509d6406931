#include "engine/recorder.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "audio/error.h"

namespace drevan {

namespace {
constexpr double shortest_take_s = 0.2;
constexpr size_t ring_capacity = size_t{1} << 23;  // 10 s of 16 inputs at 48 kHz
constexpr auto write_every = std::chrono::milliseconds(30);
constexpr int to_disk_every = 33;  // of these: about a second
constexpr float full_scale = 0.99999F;
}  // namespace

std::vector<RecordedTake> takes_of_recording(const Recording& recording, Samples latency,
                                             RecordedInto into, double rate, Samples lag) {
  std::vector<RecordedTake> takes;
  const auto add = [&](Samples begin, Samples end, std::optional<Samples> position) {
    end = std::min(end, recording.frames);
    if (end - begin >= static_cast<Samples>(shortest_take_s * rate))
      takes.push_back({begin, end - begin, position});
  };
  const auto plays = [](const RecordedRun& run) { return run.playing; };
  const auto last = std::ranges::find_if(recording.runs.rbegin(), recording.runs.rend(), plays);
  if (last == recording.runs.rend()) {
    add(lag, recording.frames, std::nullopt);
    return takes;
  }
  for (const RecordedRun& run : recording.runs) {
    if (!run.playing) continue;
    const Samples from = std::max({Samples{0}, run.position, into.from});
    const Samples until = run.position + run.frames;
    const Samples to = into.to ? std::min(*into.to, until) : until;
    if (to <= from) continue;
    const Samples begin = run.begin + from - run.position + latency + lag;
    // Without an end of its own the last goes on while one still speaks.
    const bool to_the_end = !into.to && &run == &*last;
    add(begin, to_the_end ? recording.frames : begin + to - from, from);
  }
  return takes;
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

std::string Recorder::take_problem() {
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
  } catch (const Error&) {
    std::error_code ignored;
    for (const auto& made : wavs_) std::filesystem::remove(made->file(), ignored);
    wavs_.clear();
    throw;
  }
  written_ = read_ = 0;
  mark_count_ = 0;
  frames_ = 0;
  too_slow_ = false;
  clear_clipped();
  recording_ = true;
  thread_ = std::jthread([this](const std::stop_token& stop) { write_on(stop); });
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
  const size_t samples = frames * static_cast<size_t>(block.channels);
  if (at + samples - read_.load(std::memory_order_acquire) > ring_.size()) {
    too_slow_ = true;
    return;
  }
  mark(block);
  for (size_t i = 0; i < samples; ++i) ring_[(at + i) % ring_.size()] = block.interleaved[i];
  written_.store(at + samples, std::memory_order_release);
  frames_.fetch_add(block.frames, std::memory_order_release);
}

void Recorder::mark(const InputBlock& block) noexcept {
  const Samples here = frames_.load(std::memory_order_relaxed);
  for (const PlayedPiece& piece : block.played) {
    const size_t count = mark_count_.load(std::memory_order_relaxed);
    const Mark now{here + piece.offset, piece.position, piece.playing};
    const Mark& last = last_mark_;
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
    try {
      write_ready();
      for (auto& wav : wavs_) wav->settle(last || turn % to_disk_every == 0);
      if (too_slow_.exchange(false))
        throw Error(Error::Kind::output,
                    fmt::format("{} cannot be written as fast as it is recorded; choose another "
                                "disk, or fewer inputs.",
                                files_.front().file.string()));
    } catch (const Error& e) {
      recording_ = false;
      const std::lock_guard lock(mutex_);
      problem_ = fmt::format("Recording has stopped; what was recorded is kept. {}", e.what());
      return;
    }
    if (last) return;
    std::this_thread::sleep_for(write_every);
  }
}

void Recorder::write_ready() {
  const auto width = static_cast<size_t>(std::max(1, channels_.load()));
  const size_t from = read_.load(std::memory_order_relaxed);
  const size_t to = written_.load(std::memory_order_acquire);
  const size_t frames = (to - from) / width;
  for (size_t f = 0; f < wavs_.size(); ++f) {
    interleaved_.clear();
    for (size_t i = 0; i < frames; ++i)
      for (const int input : files_[f].inputs)
        interleaved_.push_back(
            static_cast<size_t>(input) < width
                ? ring_[(from + i * width + static_cast<size_t>(input)) % ring_.size()]
                : 0.0F);
    wavs_[f]->write(interleaved_);
  }
  read_.store(from + frames * width, std::memory_order_release);
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
  const size_t count = mark_count_.load(std::memory_order_acquire);
  for (size_t i = 0; i < count; ++i) {
    const Samples next = i + 1 < count ? marks_[i + 1].at : done.frames;
    if (marks_[i].at < done.frames)
      done.runs.push_back({marks_[i].at, std::min(next, done.frames) - marks_[i].at,
                           marks_[i].position, marks_[i].playing});
  }
  return done;
}

}  // namespace drevan
