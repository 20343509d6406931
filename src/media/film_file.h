// SPDX-License-Identifier: GPL-3.0-or-later
// A film with another sound: its picture stays as it is.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "audio/buffer.h"
#include "audio/progress.h"

namespace drevan {

/// What a film holds. Its moments are counted from its first picture.
struct FilmInfo {
  int width = 0, height = 0;  ///< as it is seen: the stored pixels need not be square
  double frames_per_s = 0;    ///< the mean; 0: not known
  double seconds = 0;         ///< of the picture
  int sounds = 0, subtitles = 0, chapters = 0;
  std::string timecode{};  ///< of its first picture, as the file says: "10:00:00:00"; or empty
};
/// Throws Error(input): not there, not a film, no picture in it.
FilmInfo read_film_info(const std::filesystem::path& file);

enum class FilmSound { pcm, aac, opus };
/// What a container takes by custom: AAC in MP4, PCM in MOV and MKV, Opus in WebM. Throws
/// Error(call) for another ending.
FilmSound usual_film_sound(const std::filesystem::path& film);

struct FilmExport {
  std::optional<FilmSound> sound{};  ///< nullopt: the usual one; PCM has 24 bit
  bool keeps_sound = false;          ///< the film's own sounds stay, behind the new one
  double mix_begins_s = 0;  ///< so much of the mix comes before the first picture and is left out
};
struct WrittenFilm {
  FilmSound sound = FilmSound::pcm;
  double cut_off_s = 0;  ///< of the mix, which would have gone on after the last picture
};

/// Writes `film` with `mix` (a sound file) as its sound, which begins with the first picture.
/// Packets of pictures and subtitles are copied as they are (subtitles in text become the
/// container's own), chapters and titles kept. PCM is exact to the sample; AAC and Opus tell their
/// encoders' delay, so that players take it out. The file takes its name when it is whole. Throws
/// Error(input), Error(call): the container holds no such sound or picture; Error(output),
/// Cancelled.
WrittenFilm write_film(const std::filesystem::path& film, const std::filesystem::path& mix,
                       const std::filesystem::path& out, const FilmExport& how,
                       const CancelToken& cancel, const Progress& progress = {});

}  // namespace drevan
