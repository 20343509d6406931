// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_open.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"

namespace drevan::libav {

Film open_film(const std::filesystem::path& file) {
  av_log_set_level(AV_LOG_QUIET);
  std::error_code missing;
  if (!std::filesystem::exists(file, missing))
    throw Error(Error::Kind::input, Cause::missing,
                fmt::format("{} is not there. Choose the film again.", file.string()), file);
  AVFormatContext* raw = nullptr;
  // "file:" keeps names like "concat:x" or "http:x" from being anything but a name.
  const bool opened =
      avformat_open_input(&raw, ("file:" + file.string()).c_str(), nullptr, nullptr) >= 0;
  Film film{Owned<AVFormatContext>(raw)};
  if (!opened || film.format->probe_score < AVPROBE_SCORE_RETRY ||
      (film.format->iformat->flags & AVFMT_NOFILE) != 0 ||
      avformat_find_stream_info(film.format.get(), nullptr) < 0)
    throw Error(Error::Kind::input,
                fmt::format("{} is no film that can be read. Choose another one.", file.string()),
                file);
  film.picture = av_find_best_stream(film.format.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
  // A cover is no picture of a film.
  if (film.picture < 0 || (film.stream().disposition & AV_DISPOSITION_ATTACHED_PIC) != 0)
    throw Error(Error::Kind::input,
                fmt::format("{} has no picture in it. Choose a film.", file.string()), file);
  return film;
}

double seconds_of(std::int64_t ts, AVRational base) {
  return ts == AV_NOPTS_VALUE ? 0 : static_cast<double>(ts) * av_q2d(base);
}

double Film::begins_s() const { return seconds_of(stream().start_time, stream().time_base); }

double Film::lasts_s() const {
  if (stream().duration > 0) return seconds_of(stream().duration, stream().time_base);
  return format->duration > 0 ? static_cast<double>(format->duration) / AV_TIME_BASE : 0;
}

AVMediaType kind_of(const AVStream& s) { return s.codecpar->codec_type; }

FilmInfo info_of(const Film& film) {
  AVStream& s = *film.format->streams[film.picture];
  const AVRational pixel = av_guess_sample_aspect_ratio(film.format.get(), &s, nullptr);
  const double wide = pixel.num > 0 && pixel.den > 0 ? std::clamp(av_q2d(pixel), 0.1, 10.0) : 1;
  FilmInfo out{.width = static_cast<int>(std::lround(s.codecpar->width * wide)),
               .height = s.codecpar->height,
               .frames_per_s = s.avg_frame_rate.den > 0 ? av_q2d(s.avg_frame_rate) : 0,
               .seconds = film.lasts_s(),
               .chapters = static_cast<int>(film.format->nb_chapters)};
  for (unsigned i = 0; i < film.format->nb_streams; ++i) {
    out.sounds += kind_of(*film.format->streams[i]) == AVMEDIA_TYPE_AUDIO;
    out.subtitles += kind_of(*film.format->streams[i]) == AVMEDIA_TYPE_SUBTITLE;
  }
  for (const AVDictionary* words : {s.metadata, film.format->metadata})
    if (const auto* code = av_dict_get(words, "timecode", nullptr, 0); code && out.timecode.empty())
      out.timecode = code->value;
  return out;
}

}  // namespace drevan::libav
