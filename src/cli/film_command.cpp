// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/error.h"
#include "audio/replace_file.h"
#include "batch/film.h"
#include "cli/commands.h"
#include "engine/scene/events.h"
#include "engine/scene/film_cuts.h"
#include "reel/files/json_file.h"
#include "reel/library/source_files.h"

namespace drevan::cli {

int film(const FilmCall& call) {
  FilmExport how{.keeps_sound = call.keeps_sound};
  if (call.sound == "pcm") how.sound = FilmSound::pcm;
  if (call.sound == "aac") how.sound = FilmSound::aac;
  if (call.sound == "opus") how.sound = FilmSound::opus;
  MixOptions what;
  what.mix_chain = !call.no_mix_chain;
  FindingStore store;
  const Reel reel = load_reel(call.reel);
  const auto film = film_of(reel, call.film, how);
  auto reads = source_files(reel);
  reads.insert(reads.end(), {film, call.reel});
  require_output(call.out, {std::move(reads), call.overwrite});
  const auto result = render_film(reel, film, call.out, how, what, store, interrupted());
  const bool failed = tell_clips(result.mix.clips);
  const MixFile& mix = result.mix.files.front();
  for (const auto& w : mix.warnings) complain("{}\n", w);
  if (result.film.cut_off_s > 0.05)
    complain("The mix goes on for {:.1f} s after the last picture; that is left out.\n",
             result.film.cut_off_s);
  say("{}: {}, peak {:.1f} dBFS, loudness {:.1f} LUFS{}\n", call.out.string(),
      result.film.sound == FilmSound::pcm   ? "PCM, 24 bit"
      : result.film.sound == FilmSound::aac ? "AAC"
                                            : "Opus",
      mix.levels.sample_peak_dbfs.value_or(-200), mix.levels.loudness_lufs.value_or(-200),
      mix.clipped > 0 ? fmt::format(", {} samples clipped", mix.clipped) : "");
  return failed ? some_failed : ok;
}

namespace {

// The reel's events, counted as its first film does.
struct Counted {
  std::vector<FilmEvent> events;
  std::optional<TimecodeRate> rate{};
  std::string first_code{};
};

Counted cuts_of(const std::filesystem::path& film) {
  const FilmInfo info = read_film_info(film);
  Counted out{{}, timecode_rate(info.frames_per_s, info.timecode), info.timecode};
  for (const double s : find_film_cuts(film, interrupted()))
    out.events.push_back({{s}, fmt::format("Cut {}", out.events.size() + 1)});
  return out;
}

Counted events_of(const Reel& reel) {
  Counted out{events_of_film(reel)};
  if (reel.films.empty()) return out;
  const FilmInfo info = read_film_info(reel.films.front().path);
  out.rate = timecode_rate(info.frames_per_s, info.timecode);
  out.first_code = info.timecode;
  return out;
}

}  // namespace

int events(const std::filesystem::path& reel, const std::filesystem::path& film_file,
           const std::filesystem::path& out, bool clips, bool overwrite) {
  if (reel.empty() == film_file.empty() || (clips && reel.empty()))
    throw Error(Error::Kind::call,
                "Give --reel for a reel's events or clips, or --film to find a film's cuts.");
  const std::string ending = out.extension().string();
  if (!out.empty() && ending != ".csv" && ending != ".vtt")
    throw Error(Error::Kind::call,
                fmt::format("{}: events are written as .csv or .vtt.", out.string()));
  if (!out.empty() && reel.empty()) require_output(out, {{film_file}, overwrite});
  const Reel listed = reel.empty() ? Reel{} : load_reel(reel);
  if (!out.empty() && !reel.empty()) {
    auto reads = source_files(listed);
    reads.push_back(reel);
    require_output(out, {std::move(reads), overwrite});
  }
  const Counted all = reel.empty() ? cuts_of(film_file) : events_of(listed);
  const auto heard = clips ? clips_of_film(listed) : std::vector<ListedClip>();
  const bool vtt = ending == ".vtt";
  const std::string text =
      clips ? vtt ? clips_as_webvtt(heard) : clips_as_csv(heard, all.rate, all.first_code)
      : vtt ? events_as_webvtt(all.events)
            : events_as_csv(all.events, all.rate, all.first_code);
  if (out.empty()) {
    fmt::print("{}", text);
    return ok;
  }
  ReplacementFile file(out);
  file.write(text);
  file.commit();
  const size_t n = clips ? heard.size() : all.events.size();
  say("{}: {} {}{}\n", out.string(), n, clips ? "clip" : "event", n == 1 ? "" : "s");
  return ok;
}

}  // namespace drevan::cli
