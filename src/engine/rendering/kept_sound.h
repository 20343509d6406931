// SPDX-License-Identifier: GPL-3.0-or-later
// Sound kept aside: between two parts of a pass, as a stage to begin from again, as what a player plays.
#pragma once

#include <cstdio>
#include <cstdlib>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <vector>

#include "audio/error.h"
#include "engine/planning/plan.h"

namespace drevan {

/// In memory while small, in a nameless temporary file beyond. Written once from the front; then read by any number
/// of readers, on any threads.
class KeptSound {
 public:
  /// `memory_limit`: bytes kept in memory before a file is used. All kept sounds together keep at
  /// most 384 MB in memory.
  KeptSound(double rate, int channels, size_t memory_limit = size_t{128} << 20);
  ~KeptSound();
  KeptSound(const KeptSound&) = delete;
  KeptSound& operator=(const KeptSound&) = delete;

  /// Takes the block's first channels. false when the temporary disk is full: the sound is then useless and must be
  /// dropped.
  bool write(const AudioBlock& block);
  /// After the last write().
  bool finish();
  const SoundShape& shape() const { return shape_; }
  size_t bytes() const {
    return static_cast<size_t>(shape_.frames) * static_cast<size_t>(shape_.channels) *
           sizeof(float);
  }
  /// Of finished sound: `frames` from `at`, interleaved. Throws Error(input) when the file cannot be read.
  void read(Samples at, int frames, float* interleaved) const;

 private:
  struct Close {
    void operator()(std::FILE* f) const { std::fclose(f); }
  };
  bool to_file();
  bool add_piece();
  void drop_memory();

  SoundShape shape_;
  size_t limit_;
  // Interleaved, in pieces that are never moved or zeroed; of 2 MB, so that the system can give each as
  // one page.
  static constexpr size_t piece = size_t{1} << 19;
  struct Free {
    void operator()(float* p) const { std::free(p); }
  };
  std::vector<std::unique_ptr<float[], Free>> memory_;
  size_t kept_ = 0;  // samples in memory_
  std::vector<float> scratch_;
  std::unique_ptr<std::FILE, Close> file_;
};

using SharedSound = std::shared_ptr<const KeptSound>;

/// What is said where KeptSound::write() or finish() failed.
Error temporary_disk_full();

/// What a step hears beside its own sound, as StepType::sides; nullptr: nothing.
using StepSides = std::vector<SharedSound>;

/// Reads a finished sound, and keeps it alive.
std::unique_ptr<SoundReader> reader_of(SharedSound sound);

/// Stages that were made, by key, so that turning a knob late in a chain does not run the early steps again. Keeps
/// the sound of the most recent within a budget. Thread-safe.
class StageStore {
 public:
  explicit StageStore(size_t budget_bytes = size_t{384} << 20) : budget_(budget_bytes) {}
  SharedSound get(std::uint64_t key);
  void put(std::uint64_t key, SharedSound sound);
  /// Where and how long a stage is, also when its sound is not kept any more.
  std::optional<Stage> facts(std::uint64_t key) const;
  void put_facts(const Stage& stage);
  size_t budget() const { return budget_; }

 private:
  struct Entry {
    SharedSound sound;
    std::uint64_t used = 0;
  };
  size_t budget_, bytes_ = 0;
  std::uint64_t clock_ = 0;
  std::map<std::uint64_t, Entry> entries_;
  std::map<std::uint64_t, Stage> facts_;
  mutable std::mutex mutex_;
};

}  // namespace drevan
