// SPDX-License-Identifier: GPL-3.0-or-later
// What drevan-cli does.
#pragma once

#include <fmt/format.h>

#include <cstdio>
#include <filesystem>
#include <string>
#include <vector>

#include "audio/utf8.h"
#include "batch/batch.h"

namespace drevan::cli {

/// Exit codes.
enum Exit : int {
  ok = 0,
  misses_target = 1,
  wrong_call = 2,
  some_failed = 3,
  interrupted_by_user = 130,
  reader_gone = 141,  // of what is printed
  ended_by_system = 143
};

/// To standard output and error, as fmt::print(): what comes from files and names cannot steer the terminal.
template <class... Args>
void say(fmt::format_string<Args...> format, Args&&... args) {
  fmt::print("{}", printable(fmt::format(format, std::forward<Args>(args)...), true));
}
template <class... Args>
void complain(fmt::format_string<Args...> format, Args&&... args) {
  fmt::print(stderr, "{}", printable(fmt::format(format, std::forward<Args>(args)...), true));
}

/// Set by Ctrl-C and when the system ends the program.
CancelToken& interrupted();
/// The exit code that belongs to it.
int interrupted_code();

struct RenderCall {
  std::filesystem::path recipe, reel;
  std::string room_tone = "auto";
  std::filesystem::path out = "rendered";
  std::string name = "{clip}";
  std::string format = "wav";
  std::string bits = "24";
  double rate = 0;  ///< 0: 48000, or the reel's
  std::string length = "ring";
  int jobs = 0;
  std::filesystem::path report;
  std::string target;
  std::string share;  ///< "3/8"
  bool resume = false, overwrite = false;
  bool mix = false, stems = false, kinds = false, clips = false, no_mix_chain = false;
  std::filesystem::path rules;
  std::vector<std::string> also;  ///< "flac:16"
  std::vector<std::filesystem::path> inputs;
};

struct FilmCall {
  std::filesystem::path reel, film, out;
  std::string sound;  ///< "pcm", "aac", "opus"; empty: as is usual
  bool keeps_sound = false, no_mix_chain = false, overwrite = false;
};

/// What became of the clips of a mix, told; whether one failed or is not whole.
bool tell_clips(const std::vector<JobResult>& clips);
int film(const FilmCall& call);
/// The events of a reel (`clips`: its clips) or, where that is empty, the cuts of a film; `out`
/// .csv or .vtt, empty:
/// printed as CSV.
int events(const std::filesystem::path& reel, const std::filesystem::path& film,
           const std::filesystem::path& out, bool clips = false, bool overwrite = false);

struct SweepCall {
  std::filesystem::path out;
  double from_hz = 20, to_hz = 20000, seconds = 10, rate = 48000;
  bool overwrite = false;
};

int sweep(const SweepCall& call);
/// `out` empty: beside the recording.
int response(const std::filesystem::path& sweep, const std::filesystem::path& recording,
             std::filesystem::path out, bool overwrite = false);
int render(const RenderCall& call);
int measure(const std::vector<std::filesystem::path>& inputs, bool json);
int check(const std::string& target, const std::vector<std::filesystem::path>& inputs);
int advise(const std::filesystem::path& recipe, const std::vector<std::filesystem::path>& inputs,
           const std::string& room_tone);
/// START-END in seconds; empty for "auto" and "none". Throws Error(call).
std::optional<ClipRange> parse_room_tone(const std::string& text);
int list_steps(bool json);
int check_recipes(const std::vector<std::filesystem::path>& files);

}  // namespace drevan::cli
