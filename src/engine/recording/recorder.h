// SPDX-License-Identifier: GPL-3.0-or-later
// Records the device's inputs into files that grow on the disk.
#pragma once

#include <array>
#include <atomic>
#include <filesystem>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "audio/error.h"
#include "engine/playing/player_inputs.h"
#include "media/device.h"
#include "media/growing_wav.h"
#include "reel/scene/recording.h"

namespace drevan {

/// What one or two inputs, counted from 0, are recorded into.
struct RecordedFile {
  std::vector<int> inputs;
  std::filesystem::path file;
};

/// A part of a recording during which playing went on, or did not play at all.
struct RecordedRun {
  Samples begin = 0, frames = 0;  ///< of the recording
  Samples position = 0;           ///< of what was played at its beginning; negative in a count-in
  bool playing = false;
};

struct Recording {
  std::vector<RecordedFile> files;
  Samples frames = 0;
  std::vector<RecordedRun> runs;
};

/// Where playing stood still for want of sound, while recording went on.
struct RecordedHole {
  Samples position = 0, frames = 0;  ///< of what was played; of the recording
  friend bool operator==(const RecordedHole&, const RecordedHole&) = default;
};
/// A part of a recording that becomes a clip.
struct RecordedTake {
  Samples begin = 0, frames = 0;      ///< of the recording
  std::optional<Samples> position{};  ///< where it stands in what was played; empty: nothing was
  std::vector<RecordedHole> holes{};  ///< within it: what follows each stands so much later
};
/// The part of what is played that is recorded into.
struct RecordedInto {
  Samples from = 0;
  std::optional<Samples> to{};  ///< empty: as long as it goes on
};
/// What was recorded while `into` was played, once for each time it was, holes or not; where nothing
/// was played, all. `latency`: frames from playing to hearing; `lag`: frames by which these inputs come later
/// than others, see InputSource. Parts shorter than 0.2 s are none.
std::vector<RecordedTake> takes_of_recording(const Recording& recording, Samples latency,
                                             RecordedInto into, double rate, Samples lag = 0);

/// What a program that was killed had recorded of it, as its note and its file tell. `frames`: of the
/// file. All of it, where the note does not tell what was played.
std::vector<RecordedTake> takes_of_broken(const BrokenRecording& broken, Samples frames);

/// Each take of a file at its place in what was played; where nothing was, at `otherwise`.
std::vector<RecordedPart> recorded_parts(const Source& file, std::span<const RecordedTake> takes,
                                         double rate, ReelTime otherwise);

/// Hears all inputs as long as it is the player's tap; records when it is told to. Its public
/// functions are for the interface's thread; only end() waits, for the latency.
class Recorder final : public InputTap {
 public:
  explicit Recorder(double rate);
  ~Recorder() override;

  struct Level {
    float peak = 0;       ///< highest sample since the last call
    long clipped = 0;     ///< samples at full scale since clear_clipped()
    bool silent = false;  ///< nothing but digital silence for the last second
  };
  /// Of inputs that there are not: silent.
  Level take_level(int input);
  bool silent(int input) const;
  void clear_clipped();

  /// Writes from now on. Throws Error(output): nothing is recorded then, and no file is left.
  void begin(const std::vector<RecordedFile>& files, bool floating);
  bool recording() const { return recording_.load(); }
  Samples frames() const { return frames_.load(); }
  /// What was played, from the `from`th mark of this recording on.
  std::vector<PlayedMark> marks(size_t from = 0) const;
  /// Why writing has stopped, in a sentence, once; what was written stays. Empty: it has not.
  Problem take_problem();
  /// Records `more` frames and closes the files.
  Recording end(Samples more = 0);

  void hear(const InputBlock& block) noexcept override;

 private:
  void write_on(const std::stop_token& stop);
  void stop_for(const Problem& why);
  void write_ready();
  void mark(const InputBlock& block) noexcept;

  double rate_;
  // Device side.
  std::array<std::atomic<float>, most_inputs> peaks_{};
  std::array<std::atomic<long>, most_inputs> clipped_{};
  std::array<std::atomic<long>, most_inputs> zeros_{};
  std::atomic<bool> recording_{false};
  std::atomic<Samples> frames_{0};
  std::atomic<int> channels_{0};
  PlayedMark last_mark_{};

  // Between: one writer, one reader each.
  size_t width_ = 1;  // inputs that are recorded, from the first on; only changed while nothing is
  std::vector<float> ring_;
  std::atomic<size_t> written_{0}, read_{0};
  std::array<PlayedMark, 4096> marks_{};
  std::atomic<size_t> mark_count_{0};
  std::atomic<bool> too_slow_{false};

  // Writing side.
  std::vector<RecordedFile> files_;
  std::vector<std::unique_ptr<GrowingWav>> wavs_;
  std::vector<float> interleaved_;
  std::mutex mutex_;
  Problem problem_;
  std::jthread thread_;
};

}  // namespace drevan
