// SPDX-License-Identifier: GPL-3.0-or-later
// A WAV file that grows on the disk while it is recorded.
#pragma once

#include <filesystem>
#include <memory>
#include <span>

#include "audio/buffer.h"

namespace drevan {

/// Has its final name from the first moment on and never takes the place of a file. Its header
/// tells of all that was settled, so that a killed program leaves a whole WAV file; past 4 GB it is
/// RF64.
class GrowingWav {
 public:
  struct Format {
    double rate = 48000;  ///< Hz
    int channels = 1;
    bool floating = false;  ///< 32-bit float; otherwise 24 bit, rounded without dither: what a
                            ///< converter gives is kept to the bit
  };
  /// Throws Error(output) where there is a file of this name, or none can be made.
  GrowingWav(std::filesystem::path file, const Format& format);
  /// What was settled stays.
  ~GrowingWav();
  GrowingWav(const GrowingWav&) = delete;
  GrowingWav& operator=(const GrowingWav&) = delete;

  /// Interleaved. Throws Error(output), naming the file, when the disk is full or fails.
  void write(std::span<const float> interleaved);
  /// The header tells of all that was written. `to_disk`: and it is safe from a loss of power.
  /// Throws Error(output).
  void settle(bool to_disk);
  Samples frames() const;
  const std::filesystem::path& file() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace drevan
