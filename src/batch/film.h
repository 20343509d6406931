// SPDX-License-Identifier: GPL-3.0-or-later
// A reel's mix in its film.
#pragma once

#include "batch/mix.h"
#include "media/film_file.h"

namespace drevan {

struct FilmResult {
  MixResult mix;  ///< no outputs: it stands in the film
  WrittenFilm film;
};

/// The film of a reel that a mix is written into: `named`, or, where that is empty, the reel's own.
/// `how.mix_begins_s` becomes its place in the reel; a film that is none of the reel's begins with
/// it. Throws Error(call): the reel has none, or several.
std::filesystem::path film_of(const Reel& reel, const std::filesystem::path& named,
                              FilmExport& how);

/// Renders the reel's mix and writes it into `film` as `out`; see `how.mix_begins_s` for where the
/// film stands in the reel. PCM has the bits of the mix that render_mix() writes with 24. Nothing
/// else is left behind. Throws as render_mix() and write_film().
FilmResult render_film(const Reel& reel, const std::filesystem::path& film,
                       const std::filesystem::path& out, const FilmExport& how,
                       const MixOptions& what, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress = {});

}  // namespace drevan
