// SPDX-License-Identifier: GPL-3.0-or-later
// A sound on its way into a film. Private to media.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>

#include "media/film_file.h"
#include "media/libav_open.h"
#include "media/reader.h"

namespace drevan {

/// Encodes a sound file as one stream of a film, in step with its pictures.
class FilmSoundEncoder {
 public:
  using Put = std::function<void(AVPacket&)>;
  /// Settles what `stream` holds; to be made before the header is written. The sound begins at
  /// `begins_s` of the film's clock and ends at the latest after `lasts_s`; 0: that is not known.
  /// `skip_s` of the sound are left out before. Throws Error(input), Error(call).
  FilmSoundEncoder(const std::filesystem::path& sound, FilmSound kind, AVFormatContext& film,
                   AVStream& stream, double begins_s, double lasts_s, double skip_s = 0);
  /// Up to a moment of the film's clock.
  void encode(double until_s, const Put& put);
  /// The rest.
  void finish(const Put& put);
  /// How much of the sound was left out at the end.
  double cut_off_s() const { return static_cast<double>(cut_off_) / rate_; }

 private:
  void send(AVFrame* frame, const Put& put);

  std::unique_ptr<AudioReader> reader_;
  AVStream& stream_;
  libav::Owned<AVCodecContext> codec_;
  libav::Owned<AVFrame> frame_;
  AudioBuffer now_;
  double rate_, begins_s_;
  Samples at_ = 0, end_ = 0, cut_off_ = 0, first_pts_ = 0;
  std::int64_t packets_later_ = 0;  // frames
};

}  // namespace drevan
