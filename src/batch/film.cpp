// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/film.h"

#include <fmt/format.h>

#include "audio/error.h"
#include "batch/temporary_folder.h"
#include "reel/library/source_files.h"

namespace drevan {

std::filesystem::path film_of(const Reel& reel, const std::filesystem::path& named,
                              FilmExport& how) {
  std::error_code error;
  for (const Film& film : reel.films) {
    const bool same = named.empty() ? reel.films.size() == 1
                                    : std::filesystem::equivalent(named, film.path, error);
    if (!same) continue;
    how.mix_begins_s = film.place.s;
    return film.path;
  }
  if (!named.empty()) return named;
  throw Error(Error::Kind::call,
              reel.films.empty()
                  ? "The reel has no film. Add one in the Scene, or name one."
                  : "The reel has several films. Name the one whose sound is to be written.");
}

FilmResult render_film(const Reel& reel, const std::filesystem::path& film,
                       const std::filesystem::path& out, const FilmExport& how,
                       const MixOptions& what, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress) {
  // What cannot be is told before long work.
  read_film_info(film);
  if (is_source(out, source_files(reel)))
    throw Error(Error::Kind::call,
                fmt::format("{} is a film or a source of the reel, and those are never written to. "
                            "Choose another name.",
                            out.string()));
  FilmExport sound = how;
  sound.sound = how.sound.value_or(usual_film_sound(out));
  const TemporaryFolder temporary(std::filesystem::absolute(out).parent_path(), "film");
  BatchOptions options;
  options.folder = temporary.path();
  options.samples = sound.sound == FilmSound::pcm ? SampleType::int24 : SampleType::float32;
  MixOptions mix = what;
  mix.mix = true;
  mix.stems = false;
  FilmResult result;
  result.mix = render_mix(reel, options, mix, store, cancel, [&](double share) {
    if (progress) progress(0.8 * share);
  });
  result.film =
      write_film(film, result.mix.files.front().output, out, sound, cancel, [&](double share) {
        if (progress) progress(0.8 + 0.2 * share);
      });
  for (auto& file : result.mix.files) file.output = out;
  return result;
}

}  // namespace drevan
