// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/libav_open.h"

#include <fmt/format.h>

#include "audio/error.h"

namespace drevan::libav {

std::optional<Opened> open_sound(const std::filesystem::path& file) {
  av_log_set_level(AV_LOG_QUIET);
  AVFormatContext* raw = nullptr;
  // "file:" keeps names like "concat:x" or "http:x" from being anything but a name.
  if (avformat_open_input(&raw, ("file:" + file.string()).c_str(), nullptr, nullptr) < 0)
    return std::nullopt;
  Owned<AVFormatContext> format(raw);
  // Formats that any text matches (subtitles, raw streams) are not media for us; nor are lists of other files.
  if (format->probe_score < AVPROBE_SCORE_RETRY || (format->iformat->flags & AVFMT_NOFILE) != 0 ||
      avformat_find_stream_info(format.get(), nullptr) < 0)
    return std::nullopt;
  const AVCodec* decoder = nullptr;
  const int stream = av_find_best_stream(format.get(), AVMEDIA_TYPE_AUDIO, -1, -1, &decoder, 0);
  if (stream < 0) {
    if (av_find_best_stream(format.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0) < 0)
      return std::nullopt;
    throw Error(Error::Kind::input, fmt::format("{}: this film has no sound in it.", file.string()),
                file);
  }
  Owned<AVCodecContext> codec(avcodec_alloc_context3(decoder));
  if (!codec || avcodec_parameters_to_context(codec.get(), format->streams[stream]->codecpar) < 0)
    return std::nullopt;
  codec->pkt_timebase = format->streams[stream]->time_base;
  if (avcodec_open2(codec.get(), decoder, nullptr) < 0 || codec->ch_layout.nb_channels < 1 ||
      codec->sample_rate < 1)
    return std::nullopt;
  return Opened{std::move(format), std::move(codec), stream};
}

}  // namespace drevan::libav
