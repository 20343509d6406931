// SPDX-License-Identifier: GPL-3.0-or-later
// Reading sound: libsndfile for sound files, libav for video and everything else.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// What a file holds. Times are in the file's own rate.
struct MediaInfo {
  int channels = 1;
  double rate = 48000;  ///< Hz
  Samples frames = 0;   ///< as its header promises; counted where none does
  std::uint32_t channel_mask =
      0;                    ///< which loudspeaker each channel is for (WAVE's bits); 0: not known
  bool whole = true;        ///< false: the header promises more than there is; see warnings
  std::string description;  ///< broadcast-wave description, or empty
  std::optional<std::int64_t> time_reference;  ///< broadcast-wave samples since midnight
  std::vector<std::string> warnings;           ///< whole sentences, each naming the file
  double seconds() const { return static_cast<double>(frames) / rate; }
};

/// A source opened read-only. One thread at a time.
class AudioReader {
 public:
  virtual ~AudioReader() = default;
  virtual const MediaInfo& info() const = 0;
  /// The next read() starts at `frame`, exactly. Beyond the end: reads give 0.
  virtual void seek(Samples frame) = 0;
  /// Fills `block` (as many channels as info() says) from the front and returns the frames read;
  /// fewer than asked only at the end. Samples that are no numbers come out as silence.
  /// Throws Error(input) when the file cannot be read on.
  virtual int read(const AudioBlock& block) = 0;
  /// What of the sound that was read so far is damaged or missing: whole sentences, each naming the file and the
  /// place.
  virtual std::vector<std::string> damage() const { return {}; }
};

/// Opens any file that holds sound. Throws Error(input) with a sentence for the user: not found,
/// not a sound file, no sound in it, more than max_channels.
std::unique_ptr<AudioReader> open_audio(const std::filesystem::path& file);

/// The same, resampled to `rate` (libsoxr, very high quality) where the file has another one;
/// info() then counts at `rate`.
std::unique_ptr<AudioReader> open_audio(const std::filesystem::path& file, double rate);

}  // namespace drevan
