#include "audio/error.h"
#include "audio/replace_file.h"
#include "batch/film.h"
#include "cli/commands.h"
#include "engine/events.h"
#include "engine/film_cuts.h"
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
  const bool failed = tell_clips(result.mix.clips);
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

int events(const std::filesystem::path& film_file, const std::filesystem::path& out) {
  const std::string ending = out.extension().string();
  if (!out.empty() && ending != ".csv" && ending != ".vtt")
    throw Error(Error::Kind::call,
                fmt::format("{}: events are written as .csv or .vtt.", out.string()));
  const FilmInfo info = read_film_info(film_file);
  std::vector<Event> events;
  for (const double s : find_film_cuts(film_file, interrupted()))
    events.push_back({s, fmt::format("Cut {}", events.size() + 1)});
  const std::string text =
      ending == ".vtt"
          ? events_as_webvtt(events)
          : events_as_csv(events, timecode_rate(info.frames_per_s, info.timecode), info.timecode);
  if (out.empty()) {
    fmt::print("{}", text);
    return ok;
  }
  ReplacementFile file(out);
  file.write(text);
  file.commit();
  say("{}: {} cut{}\n", out.string(), events.size(), events.size() == 1 ? "" : "s");
  return ok;
}

}  // namespace drevan::cli
