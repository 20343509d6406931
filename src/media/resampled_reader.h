// SPDX-License-Identifier: GPL-3.0-or-later
// A source at another rate, by libsoxr.
#pragma once

#include "media/reader.h"

namespace drevan {

/// Wraps a reader; very high quality, linear phase, sample for sample in step with the source.
class ResampledReader final : public AudioReader {
 public:
  /// `rate` in Hz; both rates are taken as whole numbers.
  ResampledReader(std::unique_ptr<AudioReader> source, double rate);
  ~ResampledReader() override;

  const MediaInfo& info() const override { return info_; }
  void seek(Samples frame) override;
  int read(const AudioBlock& block) override;
  std::vector<std::string> damage() const override { return source_->damage(); }

 private:
  struct Soxr;
  void restart(Samples source_frame);

  std::unique_ptr<AudioReader> source_;
  MediaInfo info_;
  std::unique_ptr<Soxr> soxr_;
  AudioBuffer in_;
  std::vector<float> interleaved_in_, interleaved_out_;
  size_t in_left_ = 0, in_at_ = 0;  // frames
  bool ended_ = false;
  Samples position_ = 0;                     // of the next frame out of soxr
  Samples goal_ = 0;                         // frames before this one are dropped
  std::int64_t step_in_ = 1, step_out_ = 1;  // rates over their greatest common divisor
};

}  // namespace drevan
