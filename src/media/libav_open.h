// SPDX-License-Identifier: GPL-3.0-or-later
// Opening a file's best sound stream with libav. Private to media.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswresample/swresample.h>
}

namespace drevan::libav {

struct Free {
  void operator()(AVFormatContext* p) const { avformat_close_input(&p); }
  void operator()(AVCodecContext* p) const { avcodec_free_context(&p); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
  void operator()(AVFrame* p) const { av_frame_free(&p); }
  void operator()(SwrContext* p) const { swr_free(&p); }
};
template <class T>
using Owned = std::unique_ptr<T, Free>;

struct Opened {
  Owned<AVFormatContext> format;
  Owned<AVCodecContext> codec;
  int stream = 0;
};

/// Empty when libav does not know the format. Throws Error(input) for a media file without sound.
std::optional<Opened> open_sound(const std::filesystem::path& file);

}  // namespace drevan::libav
