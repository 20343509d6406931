#include "audio/error.h"
#include "batch/film.h"
#include "cli/commands.h"
#include "reel/json_file.h"

namespace drevan::cli {

int film(const FilmCall& call) {
  FilmExport how{.keeps_sound = call.keeps_sound};
  if (call.sound == "pcm") how.sound = FilmSound::pcm;
  if (call.sound == "aac") how.sound = FilmSound::aac;
  if (call.sound == "opus") how.sound = FilmSound::opus;
  MixOptions what;
  what.mix_chain = !call.no_mix_chain;
  FindingStore store;
  const auto result =
      render_film(load_reel(call.reel), call.film, call.out, how, what, store, interrupted());
  bool failed = false;
  for (const auto& clip : result.mix.clips) {
    failed = failed || clip.state != JobState::done || !clip.whole;
    for (const auto& w : clip.render.warnings) complain("{}\n", w);
    if (clip.state == JobState::failed) complain("{} It is left out of the mix.\n", clip.problem);
  }
  const MixFile& mix = result.mix.files.front();
  for (const auto& w : mix.warnings) complain("{}\n", w);
  if (result.film.cut_off_s > 0.05)
    complain("The mix goes on for {:.1f} s after the last picture; that is left out.\n",
             result.film.cut_off_s);
  say("{}: {}, peak {:.1f} dBFS, loudness {:.1f} LUFS\n", call.out.string(),
      result.film.sound == FilmSound::pcm   ? "PCM, 24 bit"
      : result.film.sound == FilmSound::aac ? "AAC"
                                            : "Opus",
      mix.levels.sample_peak_dbfs.value_or(-200), mix.levels.loudness_lufs.value_or(-200));
  return failed ? some_failed : ok;
}

}  // namespace drevan::cli
