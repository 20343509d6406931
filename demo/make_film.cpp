// SPDX-License-Identifier: GPL-3.0-or-later
// Draws the demo's film: build the target, then run build/release/demo/make-film
// demo/skerry-light.mp4
#include <cstdio>
#include <stdexcept>

extern "C" {
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include "media/libav_open.h"
#include "story.h"

namespace {

using drevan::libav::Owned;

void check(int code) {
  if (code < 0) throw std::runtime_error("libav does not make the film");
}

void write(AVFormatContext& film, AVCodecContext& codec, AVStream& stream, const AVFrame* frame) {
  check(avcodec_send_frame(&codec, frame));
  const Owned<AVPacket> packet(av_packet_alloc());
  while (avcodec_receive_packet(&codec, packet.get()) == 0) {
    packet->stream_index = stream.index;
    av_packet_rescale_ts(packet.get(), codec.time_base, stream.time_base);
    check(av_interleaved_write_frame(&film, packet.get()));
  }
}

void make(const char* file) {
  AVFormatContext* raw = nullptr;
  check(avformat_alloc_output_context2(&raw, nullptr, nullptr, file));
  const std::unique_ptr<AVFormatContext, void (*)(AVFormatContext*)> film(raw,
                                                                          avformat_free_context);
  const AVCodec* h264 = avcodec_find_encoder_by_name("libx264");
  if (!h264) throw std::runtime_error("libx264 is not there");
  const Owned<AVCodecContext> codec(avcodec_alloc_context3(h264));
  codec->width = demo::film_width;
  codec->height = demo::film_height;
  codec->pix_fmt = AV_PIX_FMT_YUV420P;
  codec->time_base = {1, demo::film_rate};
  codec->framerate = {demo::film_rate, 1};
  codec->gop_size = 2 * demo::film_rate;
  codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  av_opt_set(codec->priv_data, "preset", "slow", 0);
  av_opt_set(codec->priv_data, "crf", "27", 0);
  check(avcodec_open2(codec.get(), h264, nullptr));
  AVStream* stream = avformat_new_stream(film.get(), nullptr);
  check(avcodec_parameters_from_context(stream->codecpar, codec.get()));
  stream->time_base = codec->time_base;
  stream->avg_frame_rate = codec->framerate;
  av_dict_set(&stream->metadata, "timecode", "01:00:00:00", 0);
  check(avio_open(&film->pb, file, AVIO_FLAG_WRITE));
  check(avformat_write_header(film.get(), nullptr));
  SwsContext* to_yuv =
      sws_getContext(codec->width, codec->height, AV_PIX_FMT_RGB24, codec->width, codec->height,
                     codec->pix_fmt, SWS_BILINEAR, nullptr, nullptr, nullptr);
  demo::Canvas canvas(codec->width, codec->height);
  const Owned<AVFrame> frame(av_frame_alloc());
  for (int i = 0; i < static_cast<int>(demo::film_s * demo::film_rate); ++i) {
    demo::draw(canvas, static_cast<double>(i) / demo::film_rate);
    const auto bytes = canvas.bytes();
    av_frame_unref(frame.get());
    frame->format = codec->pix_fmt;
    frame->width = codec->width;
    frame->height = codec->height;
    check(av_frame_get_buffer(frame.get(), 0));
    const std::uint8_t* planes[] = {bytes.data()};
    const int strides[] = {3 * codec->width};
    sws_scale(to_yuv, planes, strides, 0, codec->height, frame->data, frame->linesize);
    frame->pts = i;
    write(*film, *codec, *stream, frame.get());
  }
  write(*film, *codec, *stream, nullptr);
  sws_freeContext(to_yuv);
  check(av_write_trailer(film.get()));
  avio_closep(&film->pb);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: make-film FILE\n");
    return 2;
  }
  try {
    make(argv[1]);
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
}
