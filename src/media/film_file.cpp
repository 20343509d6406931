// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "media/film_open.h"
#include "media/film_sound.h"
#include "media/film_words.h"
#include "media/reader.h"

namespace drevan {

namespace {

namespace fs = std::filesystem;

using libav::info_of;
using libav::open_film;
using libav::seconds_of;

using libav::kind_of;

// The film as it is written: which of its streams go where.
class Copy {
 public:
  Copy(libav::Film& film, const fs::path& goal, const fs::path& part, bool keeps_sound)
      : film_(film), goal_(goal), to_(film.format->nb_streams, -1) {
    AVFormatContext* raw = nullptr;
    const AVOutputFormat* kind = av_guess_format(nullptr, goal.filename().c_str(), nullptr);
    if (!kind || avformat_alloc_output_context2(&raw, kind, nullptr, nullptr) < 0)
      throw Error(Error::Kind::call,
                  fmt::format("{}: no film is written with this ending. Use .mov, .mp4, .mkv or "
                              ".webm.",
                              goal.string()));
    out_.reset(raw);
    add_streams(keeps_sound);
    if (avio_open(&out_->pb, ("file:" + part.string()).c_str(), AVIO_FLAG_WRITE) < 0)
      throw cannot_write(goal_, errno);
    av_dict_copy(&out_->metadata, film_.format->metadata, 0);
    copy_chapters();
  }
  ~Copy() {
    if (out_ && out_->pb) avio_closep(&out_->pb);
  }
  Copy(const Copy&) = delete;
  Copy& operator=(const Copy&) = delete;

  AVFormatContext& out() { return *out_; }
  /// The new one; still without a codec.
  AVStream& sound() { return *sound_; }
  void begin() {
    if (avformat_write_header(out_.get(), nullptr) < 0)
      throw Error(Error::Kind::call,
                  fmt::format("{}: this container cannot hold the film's picture or subtitles. Use "
                              "another one: .mov, .mp4 or .mkv.",
                              goal_.string()));
  }
  /// The next packet of the film, if it goes anywhere; false at its end.
  bool next(AVPacket& packet) {
    while (true) {
      const int code = av_read_frame(film_.format.get(), &packet);
      if (code == AVERROR_EOF) return false;
      if (code < 0)
        throw Error(
            Error::Kind::input,
            fmt::format("{} cannot be read on. Copy it from its source again.", film_.format->url));
      // Streams that come later have no place in what was begun.
      const auto stream = static_cast<size_t>(packet.stream_index);
      if (stream < to_.size() && to_[stream] >= 0) return true;
      av_packet_unref(&packet);
    }
  }
  double seconds(const AVPacket& packet) const {
    const AVStream& s = *film_.format->streams[packet.stream_index];
    return seconds_of(packet.dts == AV_NOPTS_VALUE ? packet.pts : packet.dts, s.time_base);
  }
  /// Of the film.
  void put(AVPacket& packet) {
    const AVStream& from = *film_.format->streams[packet.stream_index];
    const AVStream& into = *out_->streams[to_[static_cast<size_t>(packet.stream_index)]];
    if (kind_of(from) == AVMEDIA_TYPE_SUBTITLE &&
        from.codecpar->codec_id != into.codecpar->codec_id)
      libav::rewrite_subtitle(packet, from.codecpar->codec_id, into.codecpar->codec_id);
    packet.stream_index = to_[static_cast<size_t>(packet.stream_index)];
    av_packet_rescale_ts(&packet, from.time_base, into.time_base);
    packet.pos = -1;
    const int code = av_interleaved_write_frame(out_.get(), &packet);
    if (code == AVERROR(EINVAL))
      throw Error(Error::Kind::input,
                  fmt::format("{}: its pictures' times jump, or are missing, so they cannot stand "
                              "in this container. Use .mkv, or write the film anew where it came "
                              "from.",
                              film_.format->url));
    if (code < 0) throw cannot_write(goal_, AVUNERROR(code));
  }
  void put_ready(AVPacket& packet) {
    if (const int code = av_interleaved_write_frame(out_.get(), &packet); code < 0)
      throw cannot_write(goal_, AVUNERROR(code));
  }
  void end() {
    if (const int code = av_write_trailer(out_.get()); code < 0)
      throw cannot_write(goal_, AVUNERROR(code));
    if (const int code = avio_closep(&out_->pb); code < 0)
      throw cannot_write(goal_, AVUNERROR(code));
  }

 private:
  struct FreeOutput {
    void operator()(AVFormatContext* p) const { avformat_free_context(p); }
  };
  void add_streams(bool keeps_sound) {
    // The picture, the new sound, then all else.
    add(film_.picture);
    sound_ = avformat_new_stream(out_.get(), nullptr);
    for (int i = 0; i < static_cast<int>(film_.format->nb_streams); ++i) {
      const AVMediaType kind = kind_of(*film_.format->streams[i]);
      if (i == film_.picture) continue;
      if (kind == AVMEDIA_TYPE_VIDEO || kind == AVMEDIA_TYPE_SUBTITLE ||
          kind == AVMEDIA_TYPE_ATTACHMENT || (kind == AVMEDIA_TYPE_AUDIO && keeps_sound))
        add(i);
    }
  }
  void add(int i) {
    const AVStream& from = *film_.format->streams[i];
    AVStream* to = avformat_new_stream(out_.get(), nullptr);
    if (!to || avcodec_parameters_copy(to->codecpar, from.codecpar) < 0) throw std::bad_alloc();
    const auto words = libav::subtitle_in(*out_->oformat, from.codecpar->codec_id);
    if (words && *words != from.codecpar->codec_id) libav::become_subtitle(*to->codecpar, *words);
    // Another container writes its own mark for the same codec.
    if (film_.format->iformat->name != std::string_view(out_->oformat->name))
      to->codecpar->codec_tag = 0;
    to->time_base = from.time_base;
    to->avg_frame_rate = from.avg_frame_rate;
    to->r_frame_rate = from.r_frame_rate;
    to->sample_aspect_ratio = from.sample_aspect_ratio;
    to->disposition = from.disposition;
    if (kind_of(from) == AVMEDIA_TYPE_AUDIO) to->disposition &= ~AV_DISPOSITION_DEFAULT;
    av_dict_copy(&to->metadata, from.metadata, 0);
    // How the picture is turned, among others.
    for (int k = 0; k < from.nb_side_data; ++k) {
      const AVPacketSideData& side = from.side_data[k];
      if (std::uint8_t* data = av_stream_new_side_data(to, side.type, side.size))
        std::copy_n(side.data, side.size, data);
    }
    to_[static_cast<size_t>(i)] = to->index;
  }
  void copy_chapters() {
    const auto count = film_.format->nb_chapters;
    if (count == 0) return;
    out_->chapters = static_cast<AVChapter**>(av_calloc(count, sizeof(AVChapter*)));
    if (!out_->chapters) throw std::bad_alloc();
    for (unsigned i = 0; i < count; ++i) {
      const AVChapter& from = *film_.format->chapters[i];
      auto* to = static_cast<AVChapter*>(av_mallocz(sizeof(AVChapter)));
      if (!to) throw std::bad_alloc();
      to->id = from.id;
      to->time_base = from.time_base;
      to->start = from.start;
      to->end = from.end;
      av_dict_copy(&to->metadata, from.metadata, 0);
      out_->chapters[out_->nb_chapters++] = to;
    }
  }

  libav::Film& film_;
  fs::path goal_;
  std::vector<int> to_;  // by the film's streams; -1: nowhere
  std::unique_ptr<AVFormatContext, FreeOutput> out_;
  AVStream* sound_ = nullptr;
};

}  // namespace

FilmInfo read_film_info(const fs::path& file) { return info_of(open_film(file)); }

FilmSound usual_film_sound(const fs::path& film) {
  const std::string ending = folded(film.extension().string());
  if (ending == ".mp4" || ending == ".m4v") return FilmSound::aac;
  if (ending == ".mov" || ending == ".mkv") return FilmSound::pcm;
  if (ending == ".webm") return FilmSound::opus;
  throw Error(Error::Kind::call,
              fmt::format("{}: no film is written with this ending. Use .mov, .mp4, .mkv or .webm.",
                          film.string()));
}

WrittenFilm write_film(const fs::path& film_file, const fs::path& mix, const fs::path& goal,
                       const FilmExport& how, const CancelToken& cancel, const Progress& progress) {
  WrittenFilm out{.sound = how.sound.value_or(usual_film_sound(goal))};
  libav::Film film = libav::open_film(film_file);
  std::error_code error;
  if (fs::equivalent(film_file, goal, error) || fs::equivalent(mix, goal, error))
    throw Error(
        Error::Kind::call,
        fmt::format("{} would be written over itself. Choose another name.", goal.string()));
  // What has no times of its own, as pictures in AVI, gets them from their order.
  film.format->flags |= AVFMT_FLAG_GENPTS;
  const double begins_s = film.begins_s(), lasts_s = film.lasts_s();
  ReplacementFile replacement(goal);
  Copy copy(film, goal, replacement.part(), how.keeps_sound);
  // Declared behind the file it goes into: it ends first.
  FilmSoundEncoder sound(mix, out.sound, copy.out(), copy.sound(), begins_s, lasts_s,
                         how.mix_begins_s);
  copy.begin();
  const auto put = [&](AVPacket& packet) { copy.put_ready(packet); };
  libav::Owned<AVPacket> packet(av_packet_alloc());
  if (!packet) throw std::bad_alloc();
  while (copy.next(*packet)) {
    cancel.check();
    const double now = copy.seconds(*packet);
    // Half a second ahead, so that both lie close to each other in the file.
    sound.encode(now + 0.5, put);
    copy.put(*packet);
    if (progress && lasts_s > 0) progress(std::clamp((now - begins_s) / lasts_s, 0.0, 1.0));
  }
  sound.finish(put);
  copy.end();
  out.cut_off_s = sound.cut_off_s();
  replacement.commit();
  return out;
}

}  // namespace drevan
