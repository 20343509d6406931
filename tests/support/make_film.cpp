// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/make_film.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "media/libav_open.h"

extern "C" {
#include <libavutil/display.h>
}

namespace drevan::test {

namespace {

using libav::Owned;

void check(int code) {
  if (code < 0) throw std::runtime_error("libav does not make the film");
}

Owned<AVCodecContext> encoder(const AVCodec* codec, AVFormatContext& film) {
  Owned<AVCodecContext> out(avcodec_alloc_context3(codec));
  if ((film.oformat->flags & AVFMT_GLOBALHEADER) != 0) out->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  return out;
}

void encode(AVFormatContext& film, AVCodecContext& codec, AVStream& stream, AVFrame* frame) {
  check(avcodec_send_frame(&codec, frame));
  Owned<AVPacket> packet(av_packet_alloc());
  while (avcodec_receive_packet(&codec, packet.get()) == 0) {
    packet->stream_index = stream.index;
    av_packet_rescale_ts(packet.get(), codec.time_base, stream.time_base);
    check(av_interleaved_write_frame(&film, packet.get()));
  }
}

AVMediaType type_of(FilmStream kind) {
  return kind == FilmStream::picture ? AVMEDIA_TYPE_VIDEO
         : kind == FilmStream::sound ? AVMEDIA_TYPE_AUDIO
                                     : AVMEDIA_TYPE_SUBTITLE;
}

Owned<AVFormatContext> opened(const std::filesystem::path& file) {
  AVFormatContext* raw = nullptr;
  check(avformat_open_input(&raw, file.c_str(), nullptr, nullptr));
  Owned<AVFormatContext> out(raw);
  check(avformat_find_stream_info(out.get(), nullptr));
  return out;
}

int stream_of(const AVFormatContext& film, FilmStream kind, int which) {
  for (unsigned i = 0; i < film.nb_streams; ++i)
    if (film.streams[i]->codecpar->codec_type == type_of(kind) && which-- == 0)
      return static_cast<int>(i);
  throw std::runtime_error("no such stream");
}

}  // namespace

void make_film(const std::filesystem::path& file, const FilmOptions& o) {
  av_log_set_level(AV_LOG_QUIET);
  AVFormatContext* raw = nullptr;
  check(avformat_alloc_output_context2(&raw, nullptr, nullptr, file.c_str()));
  const std::unique_ptr<AVFormatContext, void (*)(AVFormatContext*)> film(raw,
                                                                          avformat_free_context);
  const AVCodec* mpeg4 = avcodec_find_encoder(AV_CODEC_ID_MPEG4);
  const auto picture = encoder(mpeg4, *film);
  picture->width = o.width;
  picture->height = o.height;
  picture->flags |= AV_CODEC_FLAG_QSCALE;
  picture->global_quality = 3 * FF_QP2LAMBDA;
  picture->pix_fmt = AV_PIX_FMT_YUV420P;
  picture->time_base = {1, o.frames_per_s};
  picture->sample_aspect_ratio = {o.pixel_wide, o.pixel_high};
  picture->framerate = {o.frames_per_s, 1};
  picture->gop_size = 12;
  picture->max_b_frames = 1;
  check(avcodec_open2(picture.get(), mpeg4, nullptr));
  AVStream* shown = avformat_new_stream(film.get(), nullptr);
  check(avcodec_parameters_from_context(shown->codecpar, picture.get()));
  shown->time_base = picture->time_base;
  shown->sample_aspect_ratio = picture->sample_aspect_ratio;
  shown->avg_frame_rate = picture->framerate;
  if (o.turned_right_deg != 0) {
    auto* matrix = av_stream_new_side_data(shown, AV_PKT_DATA_DISPLAYMATRIX, 9 * sizeof(int32_t));
    if (!matrix) throw std::bad_alloc();
    // Counted to the left there.
    av_display_rotation_set(reinterpret_cast<int32_t*>(matrix), o.turned_right_deg);
  }
  if (!o.timecode.empty()) av_dict_set(&shown->metadata, "timecode", o.timecode.c_str(), 0);

  const AVCodec* pcm = avcodec_find_encoder(AV_CODEC_ID_PCM_S16LE);
  Owned<AVCodecContext> sound;
  AVStream* heard = nullptr;
  if (o.sound_s > 0) {
    sound = encoder(pcm, *film);
    sound->sample_rate = 48000;
    sound->sample_fmt = AV_SAMPLE_FMT_S16;
    sound->time_base = {1, 48000};
    av_channel_layout_default(&sound->ch_layout, 1);
    check(avcodec_open2(sound.get(), pcm, nullptr));
    heard = avformat_new_stream(film.get(), nullptr);
    check(avcodec_parameters_from_context(heard->codecpar, sound.get()));
    heard->time_base = sound->time_base;
  }
  AVStream* words = nullptr;
  if (o.subtitles) {
    words = avformat_new_stream(film.get(), nullptr);
    words->codecpar->codec_type = AVMEDIA_TYPE_SUBTITLE;
    words->codecpar->codec_id = AV_CODEC_ID_SUBRIP;
    words->time_base = {1, 1000};
  }
  if (o.chapters) {
    film->chapters = static_cast<AVChapter**>(av_calloc(2, sizeof(AVChapter*)));
    for (int i = 0; i < 2; ++i) {
      auto* c = static_cast<AVChapter*>(av_mallocz(sizeof(AVChapter)));
      c->id = i + 1;
      c->time_base = {1, 1000};
      c->start = 1000 * i;
      c->end = 1000 * (i + 1);
      av_dict_set(&c->metadata, "title", i == 0 ? "The tower" : "The pier", 0);
      film->chapters[film->nb_chapters++] = c;
    }
  }
  check(avio_open(&film->pb, file.c_str(), AVIO_FLAG_WRITE));
  check(avformat_write_header(film.get(), nullptr));
  for (int line = 0; words && line < 2; ++line) {
    Owned<AVPacket> packet(av_packet_alloc());
    const std::string text = line == 0 ? "The light is out." : "Again.";
    check(av_new_packet(packet.get(), static_cast<int>(text.size())));
    std::copy(text.begin(), text.end(), packet->data);
    packet->stream_index = words->index;
    packet->pts = packet->dts = 300 + 800 * line;
    packet->duration = 500;
    av_packet_rescale_ts(packet.get(), {1, 1000}, words->time_base);
    check(av_interleaved_write_frame(film.get(), packet.get()));
  }
  Owned<AVFrame> frame(av_frame_alloc());
  const auto first = std::llround(o.begins_s * o.frames_per_s);
  for (int i = 0; i < o.frames; ++i) {
    av_frame_unref(frame.get());
    frame->format = AV_PIX_FMT_YUV420P;
    frame->width = o.width;
    frame->height = o.height;
    frame->quality = picture->global_quality;
    check(av_frame_get_buffer(frame.get(), 0));
    for (int p = 0; p < 3; ++p)
      for (int y = 0; y < (p == 0 ? o.height : o.height / 2); ++y)
        for (int x = 0; x < (p == 0 ? o.width : o.width / 2); ++x)
          frame->data[p][y * frame->linesize[p] + x] =
              o.paint
                  ? static_cast<std::uint8_t>(
                        p == 0 ? std::clamp(16 + 219.0 / 255 * o.paint(i, x, y), 16.0, 235.0) : 128)
                  : static_cast<std::uint8_t>(3 * i + 2 * x + y * (p + 1));
    frame->pts = first + i + (o.pause_after >= 0 && i > o.pause_after ? 10 : 0);
    encode(*film, *picture, *shown, frame.get());
    // The tone that goes with it.
    if (!sound || static_cast<double>(i) / o.frames_per_s >= o.sound_s) continue;
    av_frame_unref(frame.get());
    frame->format = AV_SAMPLE_FMT_S16;
    frame->nb_samples = 48000 / o.frames_per_s;
    frame->sample_rate = 48000;
    av_channel_layout_copy(&frame->ch_layout, &sound->ch_layout);
    check(av_frame_get_buffer(frame.get(), 0));
    auto* x = reinterpret_cast<std::int16_t*>(frame->data[0]);
    for (int k = 0; k < frame->nb_samples; ++k)
      x[k] = static_cast<std::int16_t>(4000 * std::sin(0.06 * (i * frame->nb_samples + k)));
    frame->pts = (first + i) * frame->nb_samples;
    encode(*film, *sound, *heard, frame.get());
  }
  encode(*film, *picture, *shown, nullptr);
  if (sound) encode(*film, *sound, *heard, nullptr);
  check(av_write_trailer(film.get()));
  check(avio_closep(&film->pb));
}

std::vector<FilmPacket> film_packets(const std::filesystem::path& file, FilmStream kind,
                                     int which) {
  const auto film = opened(file);
  const int stream = stream_of(*film, kind, which);
  std::vector<FilmPacket> out;
  Owned<AVPacket> packet(av_packet_alloc());
  while (av_read_frame(film.get(), packet.get()) >= 0) {
    if (packet->stream_index == stream)
      out.push_back({static_cast<double>(packet->pts) * av_q2d(film->streams[stream]->time_base),
                     (packet->flags & AV_PKT_FLAG_KEY) != 0,
                     {packet->data, packet->data + packet->size}});
    av_packet_unref(packet.get());
  }
  return out;
}

double film_stream_begins_s(const std::filesystem::path& file, FilmStream kind) {
  const auto film = opened(file);
  const AVStream& s = *film->streams[stream_of(*film, kind, 0)];
  return static_cast<double>(s.start_time) * av_q2d(s.time_base);
}

double numbered(int frame, int x, int) { return (frame >> (x / 8)) & 1 ? 210 : 40; }

int number_of(const FilmPicture& picture, int bytes) {
  int out = 0;
  for (int bit = 0; bit < 8; ++bit) {
    const int at =
        picture.height / 2 * picture.width + bit * picture.width / 8 + picture.width / 16;
    if (picture.pixels[static_cast<size_t>(bytes * at)] > 128) out |= 1 << bit;
  }
  return out;
}

}  // namespace drevan::test
