// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/libav_index.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <string_view>
#include <tuple>
#include <utility>

#include "audio/error.h"
#include "media/libav_open.h"

namespace drevan {

namespace {

using libav::Owned;

// How far a stamp may be off before it is believed against the count of samples.
Samples tolerance(const LibavIndex& index, Samples count) {
  return std::max<Samples>({1, std::llround(2.5 * index.frames_per_tick),
                            std::min<Samples>(count / 2, std::llround(0.02 * index.rate))});
}

Samples rounded(const LibavIndex& index, std::int64_t pts) {
  return std::llround(static_cast<double>(pts - index.zero) * index.frames_per_tick);
}

class Builder {
 public:
  explicit Builder(const std::filesystem::path& file) : opened_(libav::open_sound(file)) {
    if (!opened_)
      throw Error(Error::Kind::input, file.string() + " cannot be read any more.", file);
    for (unsigned i = 0; i < opened_->format->nb_streams; ++i)
      if (static_cast<int>(i) != opened_->stream)
        opened_->format->streams[i]->discard = AVDISCARD_ALL;
    index_.rate = rate_ = opened_->codec->sample_rate;
    index_.frames_per_tick = av_q2d(stream().time_base) * rate_;
    stamped_ = has_stamps();
    find_zero();
  }

  LibavIndex run() {
    const Owned<AVPacket> packet(av_packet_alloc());
    bool first = true;
    while (av_read_frame(opened_->format.get(), packet.get()) >= 0) {
      if (packet->stream_index == opened_->stream) {
        if (std::exchange(first, false)) {
          index_.first = packet->pts != AV_NOPTS_VALUE ? packet->pts : index_.zero;
          // A codec that does not tell how long a packet is, on a clock too coarse for samples: it is decoded.
          decodes_ =
              length_of(*packet) <= 0 && (packet->duration <= 0 || index_.frames_per_tick > 1.5);
        }
        decodes_ ? decode(packet.get()) : count(*packet);
      }
      av_packet_unref(packet.get());
    }
    if (decodes_) decode(nullptr);
    std::ranges::sort(index_.packets, {}, &LibavIndex::Packet::pts);
    index_.frames = position_;
    // Where a fine clock promises an end within the last packet, what is behind it is padding.
    if (const auto& s = stream(); stamped_ && s.duration != AV_NOPTS_VALUE &&
                                  s.start_time != AV_NOPTS_VALUE && index_.frames_per_tick < 1.5) {
      const Samples end = rounded(index_, s.start_time + s.duration);
      if (end < position_ && end > last_) index_.frames = end;
    }
    return std::move(index_);
  }

 private:
  const AVStream& stream() const { return *opened_->format->streams[opened_->stream]; }

  // Picture and sound have one clock: 0 is where the first of them begins.
  void find_zero() {
    const AVStream& sound = stream();
    index_.zero = sound.start_time != AV_NOPTS_VALUE ? sound.start_time : 0;
    for (unsigned i = 0; i < opened_->format->nb_streams; ++i) {
      const AVStream& other = *opened_->format->streams[i];
      if (other.codecpar->codec_type != AVMEDIA_TYPE_VIDEO ||
          (other.disposition & AV_DISPOSITION_ATTACHED_PIC) != 0 ||
          other.start_time == AV_NOPTS_VALUE)
        continue;
      index_.zero =
          std::min(index_.zero, av_rescale_q(other.start_time, other.time_base, sound.time_base));
    }
  }

  Samples length_of(const AVPacket& packet) const {
    const int n = av_get_audio_frame_duration2(stream().codecpar, packet.size);
    const int rate = adts_rate(packet) > 0 ? adts_rate(packet) : stream().codecpar->sample_rate;
    return n > 0 && rate > 0 ? std::llround(static_cast<double>(n) * rate_ / rate) : 0;
  }

  // A raw AAC stream may change its rate from one packet to the next (ISO/IEC 14496-3, 1.A.3.2: the header's
  // sampling_frequency_index); 0: it has no such header.
  int adts_rate(const AVPacket& packet) const {
    constexpr std::array<int, 13> rates{96000, 88200, 64000, 48000, 44100, 32000, 24000,
                                        22050, 16000, 12000, 11025, 8000,  7350};
    if (stream().codecpar->codec_id != AV_CODEC_ID_AAC || packet.size < 7 ||
        packet.data[0] != 0xff || (packet.data[1] & 0xf0) != 0xf0)
      return 0;
    const auto index = static_cast<size_t>((packet.data[2] >> 2) & 15);
    return index < rates.size() ? rates[index] : 0;
  }

  // Streams without a container have no stamps of their own; what libav makes up for them only names packets.
  bool has_stamps() const {
    constexpr std::string_view raw[] = {"aac",  "mp3",  "ac3",    "eac3", "dts",
                                        "flac", "loas", "truehd", "mlp"};
    return std::ranges::find(raw, opened_->format->iformat->name) == std::end(raw);
  }

  void count(const AVPacket& packet) {
    Samples n = length_of(packet);
    if (n <= 0) n = std::llround(static_cast<double>(packet.duration) * index_.frames_per_tick);
    std::int64_t pts = packet.pts;
    size_t size = 0;
    if (const auto* side = av_packet_get_side_data(&packet, AV_PKT_DATA_SKIP_SAMPLES, &size);
        side && size >= 10) {
      // The decoder leaves out what encoders put before and behind the sound, and moves the stamp with it.
      const auto number = [&](size_t at) {
        return static_cast<Samples>(side[at] | (side[at + 1] << 8) | (side[at + 2] << 16) |
                                    (static_cast<std::uint32_t>(side[at + 3]) << 24));
      };
      const Samples skip = std::min(n, number(0)), drop = std::min(n - skip, number(4));
      if (pts != AV_NOPTS_VALUE)
        pts += std::llround(static_cast<double>(skip) / index_.frames_per_tick);
      n -= skip + drop;
    }
    add(pts, n);
  }

  void decode(const AVPacket* packet) {
    avcodec_send_packet(opened_->codec.get(), packet);
    while (avcodec_receive_frame(opened_->codec.get(), frame_.get()) == 0) {
      const double ratio = frame_->sample_rate > 0 ? rate_ / frame_->sample_rate : 1;
      add(frame_->best_effort_timestamp, std::llround(frame_->nb_samples * ratio));
    }
  }

  void add(std::int64_t pts, Samples n) {
    if (n <= 0) return;
    Samples place = position_;
    if (pts != AV_NOPTS_VALUE) {
      Samples told = rounded(index_, pts) - jumped_;
      if (stamped_ && (told - position_ > std::llround(longest_gap_s * rate_) ||
                       (told > position_ + n &&
                        silence_ + told - position_ > std::llround(longest_gaps_s * rate_)))) {
        jumped_ += told - position_;
        told = position_;
        index_.jumps.push_back(position_);
      }
      if (stamped_ && std::abs(told - position_) > tolerance(index_, n)) place = told;
      silence_ += std::max<Samples>(0, place - position_);
      if (place > position_ + std::llround(0.05 * rate_)) index_.gaps.push_back({position_, place});
      index_.packets.push_back({pts, place});
    }
    last_ = place;
    position_ = std::max(position_, place + n);
  }

  std::optional<libav::Opened> opened_;
  const Owned<AVFrame> frame_{av_frame_alloc()};
  LibavIndex index_;
  double rate_ = 48000;
  Samples position_ = 0, last_ = 0;  // the end so far; where the last packet begins
  Samples silence_ = 0;              // in all gaps
  Samples jumped_ = 0;               // by so much stamps have jumped
  bool decodes_ = false, stamped_ = true;
};

}  // namespace

Samples LibavIndex::place_of(std::int64_t pts, Samples position, Samples count) const {
  if (pts == AV_NOPTS_VALUE) return std::max<Samples>(position, 0);
  const auto at = std::ranges::lower_bound(packets, pts, {}, &Packet::pts);
  Samples place = rounded(*this, pts);
  if (at != packets.end() && at->pts == pts)
    place = at->place;
  else if (at != packets.begin() && !jumps.empty())
    place =
        (at - 1)->place + std::llround(static_cast<double>(pts - (at - 1)->pts) * frames_per_tick);
  return position >= 0 && std::abs(place - position) <= tolerance(*this, count) ? position : place;
}

std::shared_ptr<const LibavIndex> libav_index(const std::filesystem::path& file) {
  using Key = std::tuple<std::filesystem::path, std::uintmax_t, std::filesystem::file_time_type>;
  static std::mutex mutex;
  static std::map<Key, std::shared_ptr<const LibavIndex>> kept;
  std::error_code error;
  const Key key{std::filesystem::absolute(file, error), std::filesystem::file_size(file, error),
                std::filesystem::last_write_time(file, error)};
  {
    const std::lock_guard lock(mutex);
    if (const auto at = kept.find(key); at != kept.end()) return at->second;
  }
  auto made = std::make_shared<const LibavIndex>(Builder(file).run());
  const std::lock_guard lock(mutex);
  if (kept.size() >= 200) kept.clear();
  return kept[key] = std::move(made);
}

}  // namespace drevan
