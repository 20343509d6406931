// SPDX-License-Identifier: GPL-3.0-or-later
// Writing sound: WAV (RF64 where it must) and FLAC, by libsndfile.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>

#include "audio/buffer.h"
#include "audio/replace_file.h"

namespace drevan {

enum class Container { wav, flac };
enum class SampleType { int16, int24, float32 };

struct WriteFormat {
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
  double rate = 48000;  ///< Hz
  int channels = 1;
  std::uint32_t channel_mask =
      0;  ///< as MediaInfo's; 0: the usual one for this many channels, WAV only
};

/// What goes with the sound: where it belongs and what it is.
struct SourceMarks {
  std::string description;
  std::optional<std::int64_t> time_reference;  ///< samples since midnight at the written rate
};

/// ".wav" or ".flac".
std::string_view extension(Container container);

/// Writes beside its goal and takes the final name only in commit(), see ReplacementFile: a killed, failed or
/// dropped writer leaves nothing under it. 16 and 24 bit get TPDF dither of +-1 LSB, from a fixed seed, so
/// that the same sound gives the same bits; samples beyond full scale are clipped and counted.
class AudioWriter {
 public:
  /// `frames`: the length to come, near enough to choose RF64 past 4 GB. Throws Error(output) when
  /// the place cannot be written, Error(call) when the format cannot be (FLAC in 32-bit float,
  /// FLAC with more than 8 channels).
  AudioWriter(std::filesystem::path goal, const WriteFormat& format, Samples frames,
              const SourceMarks& marks, ReplacementFile::Old old = ReplacementFile::Old::replaced);
  ~AudioWriter();
  AudioWriter(const AudioWriter&) = delete;
  AudioWriter& operator=(const AudioWriter&) = delete;

  /// Throws Error(output), naming the file, when the disk is full or fails.
  void write(const AudioBlock& block);
  /// Ends the file and renames it to its goal. Throws Error(output).
  void commit();
  /// Samples that were beyond full scale and had to be clipped.
  Samples clipped() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

/// Adds TPDF dither and rounds `in` (full scale +-1) to `bits`-bit integers, left-aligned in 32
/// bits. Returns how many had to be clipped. `state` is the random generator's, any value but 0.
Samples quantise(std::span<const float> in, std::span<std::int32_t> out, int bits,
                 std::uint64_t& state);

}  // namespace drevan
