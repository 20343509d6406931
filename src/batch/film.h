// A reel's mix in its film.
#pragma once

#include "batch/mix.h"
#include "media/film_file.h"

namespace drevan {

struct FilmResult {
  MixResult mix;  ///< no outputs: it stands in the film
  WrittenFilm film;
};

/// Renders the reel's mix and writes it into `film` as `out`; the reel begins with the film's first
/// picture. PCM has the bits of the mix that render_mix() writes with 24. Nothing else is left
/// behind. Throws as render_mix() and write_film().
FilmResult render_film(const Reel& reel, const std::filesystem::path& film,
                       const std::filesystem::path& out, const FilmExport& how,
                       const MixOptions& what, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress = {});

}  // namespace drevan
