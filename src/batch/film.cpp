#include "batch/film.h"

#include "batch/temporary_folder.h"

namespace drevan {

FilmResult render_film(const Reel& reel, const std::filesystem::path& film,
                       const std::filesystem::path& out, const FilmExport& how,
                       const MixOptions& what, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress) {
  // What cannot be is told before long work.
  read_film_info(film);
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
