// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_sound.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"

namespace drevan {

namespace {

struct Kind {
  const char* encoder;
  const char* name;
  std::int64_t bits_per_channel;  // a second
};
Kind kind_of(FilmSound sound) {
  switch (sound) {
    case FilmSound::aac:
      return {"aac", "AAC", 128'000};
    case FilmSound::opus:
      return {"libopus", "Opus", 96'000};
    case FilmSound::pcm:
      break;
  }
  return {"pcm_s24le", "PCM", 0};
}

// Opus runs at 48 kHz; others as the sound is, where the encoder knows that rate.
double rate_for(const AVCodec& codec, double own) {
  if (!codec.supported_samplerates) return own;
  for (const int* r = codec.supported_samplerates; *r != 0; ++r)
    if (*r == static_cast<int>(own)) return own;
  return 48000;
}

constexpr int pcm_frames = 1024;

}  // namespace

FilmSoundEncoder::FilmSoundEncoder(const std::filesystem::path& sound, FilmSound wanted,
                                   AVFormatContext& film, AVStream& stream, double begins_s,
                                   double lasts_s, double skip_s)
    : stream_(stream), begins_s_(begins_s) {
  const Kind kind = kind_of(wanted);
  const AVCodec* codec = avcodec_find_encoder_by_name(kind.encoder);
  if (!codec || avformat_query_codec(film.oformat, codec->id, FF_COMPLIANCE_NORMAL) == 0)
    throw Error(Error::Kind::call,
                fmt::format("{} cannot stand in a {} file. Choose another sound or .mkv.",
                            kind.name, film.oformat->name));
  rate_ = rate_for(*codec, open_audio(sound)->info().rate);
  reader_ = open_audio(sound, rate_);
  const int channels = reader_->info().channels;
  const auto skip = static_cast<Samples>(std::llround(skip_s * rate_));
  const Samples frames = reader_->info().frames - skip;
  if (frames < 1)
    throw Error(Error::Kind::call,
                "The mix ends before the film begins. Move the film or the clips.");
  if (skip > 0) reader_->seek(skip);
  end_ =
      lasts_s > 0 ? std::min(frames, static_cast<Samples>(std::llround(lasts_s * rate_))) : frames;
  cut_off_ = frames - end_;
  codec_.reset(avcodec_alloc_context3(codec));
  codec_->sample_rate = static_cast<int>(rate_);
  codec_->sample_fmt = codec->sample_fmts ? codec->sample_fmts[0] : AV_SAMPLE_FMT_S32;
  codec_->time_base = {1, codec_->sample_rate};
  codec_->bit_rate = kind.bits_per_channel * channels;
  av_channel_layout_default(&codec_->ch_layout, channels);
  if ((film.oformat->flags & AVFMT_GLOBALHEADER) != 0) codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  if (avcodec_open2(codec_.get(), codec, nullptr) < 0)
    throw Error(Error::Kind::call,
                fmt::format("{} cannot hold {} channels at {:g} Hz.", kind.name, channels, rate_));
  if (avcodec_parameters_from_context(stream_.codecpar, codec_.get()) < 0) throw std::bad_alloc();
  // Who reads Opus in Matroska takes the encoder's delay off the packets' times, whoever writes it
  // has to add it (Matroska's CodecDelay); libav's muxer leaves that to us.
  const std::string_view container = film.oformat->name;
  if (wanted == FilmSound::opus && (container == "matroska" || container == "webm"))
    packets_later_ = codec_->initial_padding;
  stream_.time_base = codec_->time_base;
  stream_.disposition = AV_DISPOSITION_DEFAULT;
  first_pts_ = std::llround(begins_s_ * rate_);
  frame_.reset(av_frame_alloc());
  if (!frame_) throw std::bad_alloc();
  const int most = codec_->frame_size > 0 ? codec_->frame_size : pcm_frames;
  now_ = AudioBuffer(channels, most);
}

void FilmSoundEncoder::encode(double until_s, const Put& put) {
  const auto until = std::min(end_, static_cast<Samples>((until_s - begins_s_) * rate_));
  const int most = static_cast<int>(now_.frames());
  while (at_ < until) {
    const int n = static_cast<int>(std::min<Samples>(most, end_ - at_));
    const AudioBlock block = now_.block(0, n);
    const int got = reader_->read(block);
    block.part(got, n - got).clear();
    av_frame_unref(frame_.get());
    frame_->nb_samples = n;
    frame_->format = codec_->sample_fmt;
    frame_->sample_rate = codec_->sample_rate;
    av_channel_layout_copy(&frame_->ch_layout, &codec_->ch_layout);
    if (av_frame_get_buffer(frame_.get(), 0) < 0) throw std::bad_alloc();
    for (int c = 0; c < block.channels(); ++c) {
      const auto x = block.channel(c);
      for (size_t i = 0; i < x.size(); ++i) {
        const size_t spread = i * static_cast<size_t>(block.channels()) + static_cast<size_t>(c);
        if (codec_->sample_fmt == AV_SAMPLE_FMT_FLTP)
          reinterpret_cast<float*>(frame_->extended_data[c])[i] = x[i];
        else if (codec_->sample_fmt == AV_SAMPLE_FMT_FLT)
          reinterpret_cast<float*>(frame_->data[0])[spread] = x[i];
        else if (codec_->sample_fmt == AV_SAMPLE_FMT_S16)
          reinterpret_cast<std::int16_t*>(frame_->data[0])[spread] = static_cast<std::int16_t>(
              std::lround(32767 * std::clamp(static_cast<double>(x[i]), -1.0, 1.0)));
        else  // the upper 24 of 32 bits
          reinterpret_cast<std::int32_t*>(frame_->data[0])[spread] =
              static_cast<std::int32_t>(std::clamp<std::int64_t>(
                  std::llround(8388608.0 * static_cast<double>(x[i])), -8388608, 8388607)) *
              256;
      }
    }
    frame_->pts = first_pts_ + at_;
    at_ += n;
    send(frame_.get(), put);
  }
}

void FilmSoundEncoder::finish(const Put& put) {
  encode(begins_s_ + static_cast<double>(end_ + 1) / rate_, put);
  send(nullptr, put);
}

void FilmSoundEncoder::send(AVFrame* frame, const Put& put) {
  if (avcodec_send_frame(codec_.get(), frame) < 0)
    throw Error(Error::Kind::input, "The sound cannot be encoded for the film.");
  libav::Owned<AVPacket> packet(av_packet_alloc());
  if (!packet) throw std::bad_alloc();
  while (avcodec_receive_packet(codec_.get(), packet.get()) == 0) {
    packet->stream_index = stream_.index;
    packet->pts += packets_later_;
    packet->dts += packets_later_;
    av_packet_rescale_ts(packet.get(), codec_->time_base, stream_.time_base);
    put(*packet);
  }
}

}  // namespace drevan
