// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/libav_reader.h"

#include <fmt/format.h>

#include <cmath>
#include <span>

#include "audio/error.h"
#include "audio/time_text.h"
#include "media/interleave.h"
#include "media/libav_index.h"
#include "media/libav_open.h"

extern "C" {
#include <libavutil/opt.h>
#include <libswresample/swresample.h>
}

namespace drevan {

namespace {

using libav::Owned;

// Places that were damaged, as sentences: near ones are one, and many are counted.
class Damage {
 public:
  void at(double seconds) {
    if (!places_.empty() && seconds < places_.back().second + 1) {
      places_.back().second = std::max(places_.back().second, seconds);
      return;
    }
    places_.emplace_back(seconds, seconds);
  }
  std::vector<std::string> told(const std::string& name) const {
    constexpr size_t most = 4;
    std::vector<std::string> out;
    for (size_t i = 0; i < std::min(places_.size(), most); ++i)
      out.push_back(
          fmt::format("{} is damaged at {}; silence, or what could be made of it, stands there. "
                      "Copy it again from where it came from.",
                      name, length_text(places_[i].first)));
    if (places_.size() > most)
      out.push_back(fmt::format("{} is damaged at {} more places.", name, places_.size() - most));
    return out;
  }

 private:
  std::vector<std::pair<double, double>> places_;
};

// Its first elements. (Clang 14, which builds for the sanitizers, cannot compile std::views.)
template <class T>
std::span<const T> first_of(const std::vector<T>& all, size_t count) {
  return std::span(all).first(std::min(all.size(), count));
}

class LibavReader final : public AudioReader {
 public:
  LibavReader(libav::Opened opened, std::shared_ptr<const LibavIndex> index, std::string name)
      : format_(std::move(opened.format)),
        codec_(std::move(opened.codec)),
        name_(std::move(name)),
        stream_(opened.stream),
        index_(std::move(index)) {
    av_channel_layout_copy(&codec_first_.layout, &codec_->ch_layout);
    info_.channels = codec_->ch_layout.nb_channels;
    info_.rate = codec_->sample_rate;
    info_.frames = index_->frames;
    if (codec_->ch_layout.order == AV_CHANNEL_ORDER_NATIVE)
      info_.channel_mask = static_cast<std::uint32_t>(codec_->ch_layout.u.mask);
    constexpr size_t at_most = 5;  // places that are told each
    for (const auto& gap : first_of(index_->gaps, at_most))
      info_.warnings.push_back(fmt::format(
          "{} has no sound from {} to {} (its packets are missing); silence stands there.", name_,
          length_text(static_cast<double>(gap.begin) / info_.rate),
          length_text(static_cast<double>(gap.end) / info_.rate)));
    for (const Samples jump : first_of(index_->jumps, at_most))
      info_.warnings.push_back(fmt::format(
          "{} says that there is nothing for very long from {} on; that is left out, and what "
          "follows stands right there. Check that it is the file that is meant.",
          name_, length_text(static_cast<double>(jump) / info_.rate)));
    const size_t more = std::max(index_->gaps.size(), at_most) +
                        std::max(index_->jumps.size(), at_most) - 2 * at_most;
    if (more > 0) info_.warnings.push_back(fmt::format("{} has {} such places more.", name_, more));
    for (int i = 0; i < static_cast<int>(format_->nb_streams); ++i)
      if (i != stream_) format_->streams[i]->discard = AVDISCARD_ALL;
  }

  const MediaInfo& info() const override { return info_; }
  std::vector<std::string> damage() const override { return damage_.told(name_); }

  void seek(Samples frame) override {
    // Back up half a second, then decode up to the sample: seeks land on packets, not samples.
    const double seconds = std::max(0.0, static_cast<double>(frame) / info_.rate - 0.5);
    const AVRational base = format_->streams[stream_]->time_base;
    const auto goal = seconds <= 0
                          ? index_->first
                          : index_->zero + static_cast<std::int64_t>(seconds / av_q2d(base));
    if (av_seek_frame(format_.get(), stream_, goal, AVSEEK_FLAG_BACKWARD) < 0 &&
        av_seek_frame(format_.get(), stream_, index_->first, AVSEEK_FLAG_BACKWARD) < 0)
      throw Error(Error::Kind::input, Cause::damaged, fmt::format("{} cannot be sought in.", name_),
                  name_);
    avcodec_flush_buffers(codec_.get());
    swr_.reset();
    ready_.clear();
    taken_ = 0;
    drained_ = false;
    position_ = seconds <= 0 ? 0 : -1;
    delivered_ = goal_ = std::max<Samples>(frame, 0);
    silence_ = 0;
  }

  int read(const AudioBlock& block) override {
    int done = 0;
    const auto wanted =
        static_cast<int>(std::clamp<Samples>(info_.frames - delivered_, 0, block.frames()));
    while (done < wanted) {
      if (silence_ > 0) {
        const auto n = static_cast<int>(std::min<Samples>(silence_, wanted - done));
        block.part(done, n).clear();
        silence_ -= n;
        done += n;
        continue;
      }
      if (taken_ >= ready_.size()) {
        if (!decode()) break;
        continue;
      }
      const auto channels = static_cast<size_t>(info_.channels);
      const int n = std::min(wanted - done, static_cast<int>((ready_.size() - taken_) / channels));
      deinterleave_finite(std::span(ready_).subspan(taken_), block.part(done, n));
      taken_ += static_cast<size_t>(n) * channels;
      done += n;
    }
    delivered_ += done;
    return done;
  }

 private:
  // Decodes one more frame into ready_; false at the end.
  bool decode() {
    while (!drained_) {
      const int got = avcodec_receive_frame(codec_.get(), frame_.get());
      if (got == 0) {
        if ((frame_->flags & AV_FRAME_FLAG_CORRUPT) != 0 || frame_->decode_error_flags != 0)
          damaged(frame_->best_effort_timestamp);
        take();
        return true;
      }
      if (got == AVERROR_EOF) break;
      if (got != AVERROR(EAGAIN)) damaged(AV_NOPTS_VALUE);
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
      if (ours && (avcodec_send_packet(codec_.get(), packet_.get()) < 0 ||
                   (packet_->flags & AV_PKT_FLAG_CORRUPT) != 0))
        damaged(packet_->pts);
      av_packet_unref(packet_.get());
      if (ours) return;
    }
  }

  // After a seek a decoder may stumble until it has heard enough; that is no damage.
  void damaged(std::int64_t pts) {
    const Samples at = pts != AV_NOPTS_VALUE ? index_->place_of(pts, position_, 0)
                                             : std::max<Samples>(position_, 0);
    if (at >= goal_) damage_.at(static_cast<double>(at) / info_.rate);
  }

  // A stream may change its format on its way; all of it is brought to that of its beginning.
  void prepare_conversion() {
    const auto same = [&] {
      return heard_.rate == frame_->sample_rate && heard_.format == frame_->format &&
             av_channel_layout_compare(&heard_.layout, &frame_->ch_layout) == 0;
    };
    if (swr_ && same()) return;
    AVChannelLayout out{};
    av_channel_layout_copy(&out, &codec_first_.layout);
    SwrContext* swr = nullptr;
    const bool good =
        swr_alloc_set_opts2(&swr, &out, AV_SAMPLE_FMT_FLT, static_cast<int>(info_.rate),
                            &frame_->ch_layout, static_cast<AVSampleFormat>(frame_->format),
                            frame_->sample_rate, 0, nullptr) >= 0 &&
        swr_init(swr) >= 0;
    av_channel_layout_uninit(&out);
    swr_.reset(swr);
    if (!good)
      throw Error(Error::Kind::input, Cause::damaged,
                  fmt::format("{}: its sound cannot be decoded.", name_), name_);
    heard_.rate = frame_->sample_rate;
    heard_.format = frame_->format;
    av_channel_layout_copy(&heard_.layout, &frame_->ch_layout);
  }

  void take() {
    prepare_conversion();
    const auto channels = static_cast<size_t>(info_.channels);
    const int room = std::max(0, swr_get_out_samples(swr_.get(), frame_->nb_samples));
    ready_.resize(static_cast<size_t>(room) * channels);
    taken_ = 0;
    auto* out = reinterpret_cast<std::uint8_t*>(ready_.data());
    const auto converted =
        swr_convert(swr_.get(), &out, room, const_cast<const std::uint8_t**>(frame_->extended_data),
                    frame_->nb_samples);
    ready_.resize(static_cast<size_t>(std::max(0, converted)) * channels);
    const auto count = static_cast<Samples>(ready_.size() / channels);
    const Samples place = index_->place_of(frame_->best_effort_timestamp, position_, count);
    // What comes too early was there already; before what comes late there is silence.
    const Samples begin = std::max(position_, goal_);
    if (place > begin) silence_ = place - begin;
    if (begin > place) taken_ = static_cast<size_t>(std::min(begin - place, count)) * channels;
    position_ = std::max(std::max<Samples>(position_, 0), place + count);
    if (position_ > goal_) goal_ = 0;  // reached
  }

  struct Heard {
    int rate = 0, format = -1;
    AVChannelLayout layout{};
    ~Heard() { av_channel_layout_uninit(&layout); }
  };

  Owned<AVFormatContext> format_;
  Owned<AVCodecContext> codec_;
  Owned<AVPacket> packet_{av_packet_alloc()};
  Owned<AVFrame> frame_{av_frame_alloc()};
  Owned<SwrContext> swr_;
  std::string name_;
  MediaInfo info_;
  int stream_;
  std::shared_ptr<const LibavIndex> index_;
  Heard heard_, codec_first_;  // what swr_ converts from; the format of the beginning
  Damage damage_;
  std::vector<float> ready_;
  size_t taken_ = 0;
  Samples position_ = -1;  // of the frame after ready_; below 0: not known yet
  Samples goal_ = 0;       // samples before this one are dropped
  Samples delivered_ = 0;  // of the next frame that read() gives
  Samples silence_ = 0;    // frames of it before ready_
  bool drained_ = false;
};

}  // namespace

std::unique_ptr<AudioReader> open_libav(const std::filesystem::path& file) {
  auto opened = libav::open_sound(file);
  if (!opened) return nullptr;
  auto index = libav_index(file);
  return std::make_unique<LibavReader>(std::move(*opened), std::move(index), file.string());
}

}  // namespace drevan
