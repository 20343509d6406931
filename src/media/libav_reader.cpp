#include "media/libav_reader.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

#include "audio/error.h"
#include "media/interleave.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswresample/swresample.h>
}

namespace drevan {

namespace {

struct Free {
  void operator()(AVFormatContext* p) const { avformat_close_input(&p); }
  void operator()(AVCodecContext* p) const { avcodec_free_context(&p); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
  void operator()(AVFrame* p) const { av_frame_free(&p); }
  void operator()(SwrContext* p) const { swr_free(&p); }
};
template <class T>
using Owned = std::unique_ptr<T, Free>;

class LibavReader final : public AudioReader {
 public:
  LibavReader(Owned<AVFormatContext> format, int stream, Owned<AVCodecContext> codec,
              std::string name)
      : format_(std::move(format)), codec_(std::move(codec)), name_(std::move(name)),
        stream_(stream) {
    const AVStream* s = format_->streams[stream_];
    info_.channels = codec_->ch_layout.nb_channels;
    info_.rate = codec_->sample_rate;
    start_ = s->start_time != AV_NOPTS_VALUE ? s->start_time : 0;
    double seconds = 0;
    if (s->duration != AV_NOPTS_VALUE)
      seconds = static_cast<double>(s->duration) * av_q2d(s->time_base);
    else if (format_->duration != AV_NOPTS_VALUE)
      seconds = static_cast<double>(format_->duration) / AV_TIME_BASE;
    info_.frames = std::llround(seconds * info_.rate);
    SwrContext* swr = nullptr;
    if (swr_alloc_set_opts2(&swr, &codec_->ch_layout, AV_SAMPLE_FMT_FLT, codec_->sample_rate,
                            &codec_->ch_layout, codec_->sample_fmt, codec_->sample_rate, 0,
                            nullptr) < 0 ||
        swr_init(swr) < 0) {
      swr_free(&swr);
      throw Error(Error::Kind::input, fmt::format("{}: its sound cannot be decoded.", name_));
    }
    swr_.reset(swr);
  }

  const MediaInfo& info() const override { return info_; }

  void seek(Samples frame) override {
    if (frame > 0 && !indexed_ && coarse_clock()) build_index();
    // Back up half a second, then decode up to the sample: seeks land on packets, not samples.
    const double seconds = std::max(0.0, static_cast<double>(frame) / info_.rate - 0.5);
    const AVRational base = format_->streams[stream_]->time_base;
    const auto goal = start_ + static_cast<std::int64_t>(seconds / av_q2d(base));
    if (av_seek_frame(format_.get(), stream_, goal, AVSEEK_FLAG_BACKWARD) < 0)
      throw Error(Error::Kind::input, fmt::format("{} cannot be sought in.", name_));
    avcodec_flush_buffers(codec_.get());
    ready_.clear();
    taken_ = 0;
    drained_ = false;
    position_ = -1;
    goal_ = frame;
  }

  int read(const AudioBlock& block) override {
    int done = 0;
    while (done < block.frames()) {
      if (taken_ >= ready_.size()) {
        if (!decode()) break;
        continue;
      }
      const auto channels = static_cast<size_t>(info_.channels);
      const int n = std::min(block.frames() - done,
                             static_cast<int>((ready_.size() - taken_) / channels));
      deinterleave_finite(std::span(ready_).subspan(taken_), block.part(done, n));
      taken_ += static_cast<size_t>(n) * channels;
      done += n;
    }
    return done;
  }

 private:
  // Some containers count time in whole milliseconds, which is not to the sample.
  bool coarse_clock() const {
    return av_q2d(format_->streams[stream_]->time_base) * info_.rate > 1.5;
  }

  // Counts the samples of every packet once, without decoding, so that a time stamp leads to an
  // exact place.
  void build_index() {
    indexed_ = true;
    AVCodecParameters* p = format_->streams[stream_]->codecpar;
    av_seek_frame(format_.get(), stream_, start_, AVSEEK_FLAG_BACKWARD);
    Samples at = -p->initial_padding;
    while (av_read_frame(format_.get(), packet_.get()) >= 0) {
      if (packet_->stream_index == stream_) {
        const int n = av_get_audio_frame_duration2(p, packet_->size);
        if (n <= 0) {  // a codec that does not tell: its time stamps must do
          places_.clear();
          av_packet_unref(packet_.get());
          return;
        }
        places_.emplace(packet_->pts, at);
        at += n;
      }
      av_packet_unref(packet_.get());
    }
  }

  Samples place_of(std::int64_t pts) const {
    if (const auto known = places_.find(pts); known != places_.end())
      return std::max<Samples>(0, known->second);
    return std::llround(static_cast<double>(pts - start_) *
                        av_q2d(format_->streams[stream_]->time_base) * info_.rate);
  }

  // Decodes one more frame into ready_; false at the end.
  bool decode() {
    while (!drained_) {
      const int got = avcodec_receive_frame(codec_.get(), frame_.get());
      if (got == 0) {
        take();
        return true;
      }
      if (got == AVERROR_EOF) break;
      feed();
    }
    drained_ = true;
    return false;
  }

  void feed() {
    while (true) {
      const int got = av_read_frame(format_.get(), packet_.get());
      if (got < 0) {
        avcodec_send_packet(codec_.get(), nullptr);
        return;
      }
      const bool ours = packet_->stream_index == stream_;
      // A damaged packet is skipped; what follows keeps its place by its time stamp.
      if (ours) avcodec_send_packet(codec_.get(), packet_.get());
      av_packet_unref(packet_.get());
      if (ours) return;
    }
  }

  void take() {
    const auto channels = static_cast<size_t>(info_.channels);
    const auto n = static_cast<size_t>(frame_->nb_samples);
    ready_.resize(n * channels);
    taken_ = 0;
    auto* out = reinterpret_cast<std::uint8_t*>(ready_.data());
    const auto converted = swr_convert(swr_.get(), &out, frame_->nb_samples,
                                       const_cast<const std::uint8_t**>(frame_->extended_data),
                                       frame_->nb_samples);
    ready_.resize(static_cast<size_t>(std::max(0, converted)) * channels);
    const auto pts = frame_->best_effort_timestamp;
    const auto count = static_cast<Samples>(ready_.size() / channels);
    if (position_ < 0 && pts != AV_NOPTS_VALUE) position_ = place_of(pts);
    if (position_ < 0) position_ = 0;
    if (goal_ > position_)
      taken_ = static_cast<size_t>(std::min(goal_ - position_, count)) * channels;
    position_ += count;
  }

  Owned<AVFormatContext> format_;
  Owned<AVCodecContext> codec_;
  Owned<AVPacket> packet_{av_packet_alloc()};
  Owned<AVFrame> frame_{av_frame_alloc()};
  Owned<SwrContext> swr_;
  std::string name_;
  MediaInfo info_;
  int stream_;
  std::int64_t start_ = 0;
  std::vector<float> ready_;
  size_t taken_ = 0;
  Samples position_ = -1;  // of the frame after ready_; below 0: not known yet
  Samples goal_ = 0;       // samples before this one are dropped
  bool drained_ = false;
  bool indexed_ = false;
  std::map<std::int64_t, Samples> places_;  // first sample of the packet with a time stamp
};

}  // namespace

std::unique_ptr<AudioReader> open_libav(const std::filesystem::path& file) {
  av_log_set_level(AV_LOG_QUIET);
  AVFormatContext* raw = nullptr;
  if (avformat_open_input(&raw, file.c_str(), nullptr, nullptr) < 0) return nullptr;
  Owned<AVFormatContext> format(raw);
  // Formats that any text matches (subtitles, raw streams) are not media for us.
  if (format->probe_score < AVPROBE_SCORE_RETRY ||
      avformat_find_stream_info(format.get(), nullptr) < 0)
    return nullptr;
  const AVCodec* decoder = nullptr;
  const int stream =
      av_find_best_stream(format.get(), AVMEDIA_TYPE_AUDIO, -1, -1, &decoder, 0);
  if (stream < 0) {
    if (av_find_best_stream(format.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0) < 0)
      return nullptr;
    throw Error(Error::Kind::input,
                fmt::format("{}: this film has no sound in it.", file.string()));
  }
  Owned<AVCodecContext> codec(avcodec_alloc_context3(decoder));
  if (!codec ||
      avcodec_parameters_to_context(codec.get(), format->streams[stream]->codecpar) < 0)
    return nullptr;
  codec->pkt_timebase = format->streams[stream]->time_base;
  if (avcodec_open2(codec.get(), decoder, nullptr) < 0 || codec->ch_layout.nb_channels < 1)
    return nullptr;
  return std::make_unique<LibavReader>(std::move(format), stream, std::move(codec), file.string());
}

}  // namespace drevan
