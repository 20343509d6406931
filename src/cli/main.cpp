// drevan-cli: renders, measures and checks without a screen.
#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <csignal>
#include <cstdio>
#include <new>
#include <sstream>
#include <system_error>

#include "audio/error.h"
#include "cli/commands.h"

namespace {

volatile std::sig_atomic_t signalled = 0;
void on_signal(int which) {
  signalled = which;
  drevan::cli::interrupted().cancel();
}

}  // namespace

drevan::CancelToken& drevan::cli::interrupted() {
  static CancelToken token;
  return token;
}
int drevan::cli::interrupted_code() { return signalled == SIGTERM ? ended_by_system : interrupted_by_user; }

int main(int argc, char** argv) {
  using namespace drevan;
  CLI::App app{"Cleans and shapes sound for picture, without a screen."};
  app.name("drevan-cli");
  app.require_subcommand(1);
  app.set_version_flag("--version", "drevan-cli 0.1.0");

  cli::RenderCall r;
  auto* render = app.add_subcommand("render", "Render files through a recipe, or a reel's clips");
  auto* recipe = render->add_option("--recipe", r.recipe, "The chain, a .recipe file");
  auto* reel = render->add_option("--reel", r.reel, "A .reel file, all of its clips")->excludes(recipe);
  render->add_option("--room-tone", r.room_tone,
                     "START-END in seconds, auto (the quietest stretch without speech) or none");
  render->add_option("--out", r.out, "Output folder, made when it is not there");
  render->add_option("--name", r.name, "File name: {clip} {group} {reel} {number}");
  render->add_option("--format", r.format, "wav or flac")->check(CLI::IsMember({"wav", "flac"}));
  render->add_option("--bits", r.bits, "16, 24 or 32f")->check(CLI::IsMember({"16", "24", "32f"}));
  render->add_option("--rate", r.rate, "Working and output rate in Hz, 48000 or the reel's")
      ->check(CLI::Range(8000.0, 384000.0));
  render
      ->add_option(
          "--length", r.length,
          "ring (what rings on after the clip is kept) or same (exactly as long as the clip)")
      ->check(CLI::IsMember({"ring", "same"}));
  render->add_option("--jobs", r.jobs, "Clips at a time, one per core")->check(CLI::Range(1, 1024));
  render->add_option("--report", r.report, "Write what was done to FILE.html, FILE.json or FILE.csv");
  render->add_option("--target", r.target, "Judge every result: podcast, broadcast-r128, ... or a .target file");
  render->add_flag("--resume", r.resume, "Leave what was rendered into this folder before and has not changed since");
  render->add_option("--share", r.share, "Do part K of N of the batch, as K/N, to spread it over machines");
  // One value each time: what follows may be an input.
  render->add_option("--also", r.also, "The same in another format at once, as FORMAT:BITS, flac:16; may be given again")
      ->allow_extra_args(false);
  render->add_flag("--overwrite", r.overwrite, "Replace files in the way that no batch of Drevan made; sources are never replaced");
  render->add_option("--rules", r.rules, "Which recipe each clip gets by its group and name, a rules file");
  render->add_flag("--mix", r.mix, "The whole reel as one file; instead of clips")->needs(reel);
  render
      ->add_flag("--stems", r.stems,
                 "A file per group and space that sum to the mix; instead of clips")
      ->needs(reel);
  render
      ->add_flag("--kinds", r.kinds,
                 "A file for dialogue, effects and music each, and per space; instead of clips")
      ->needs(reel);
  render->add_flag("--no-mix-chain", r.no_mix_chain,
                   "With --mix: the sum as it is, not through the reel's mix chain");
  render->add_flag("--clips", r.clips, "With --mix, --stems or --kinds: each clip too");
  render->add_option("INPUT", r.inputs, "Sound or video files, or folders, whose subfolders are kept")->excludes(reel);

  std::vector<std::filesystem::path> inputs;
  bool json = false;
  auto* measure = app.add_subcommand("measure", "Peak, loudness and noise floor of files");
  measure->add_flag("--json", json, "As JSON");
  measure->add_option("INPUT", inputs, "Sound or video files")->required();

  std::string target;
  auto* judge = app.add_subcommand("check", "Say whether files meet a target");
  judge->add_option("--target", target, "podcast, podcast-mono, broadcast-r128, broadcast-a85, audiobook, cinema-dialogue, "
                    "peak-3, or a .target file")->required();
  judge->add_option("INPUT", inputs, "Sound or video files")->required();

  std::filesystem::path chain;
  auto* advice = app.add_subcommand("advise", "Say what a recipe does wrong, in itself or to files");
  advice->add_option("--recipe", chain, "The chain, a .recipe file")->required();
  advice->add_option("--room-tone", r.room_tone, "START-END in seconds, auto or none");
  advice->add_option("INPUT", inputs, "Sound or video files; none: the recipe alone");

  auto* steps = app.add_subcommand("steps", "Every step with its settings and starting points");
  steps->add_flag("--json", json, "As JSON");

  auto* recipes = app.add_subcommand("recipe", "Work with recipe files");
  recipes->require_subcommand(1);
  auto* check = recipes->add_subcommand("check", "Say whether recipes can be used");
  check->add_option("FILE", inputs, ".recipe files")->required();

  cli::FilmCall f;
  auto* film = app.add_subcommand("film", "Write a film with the reel's mix as its sound");
  film->add_option("--reel", f.reel, "A .reel file")->required();
  film->add_option("--film", f.film, "The film whose picture is taken, as it is; the reel's own");
  film->add_option("--out", f.out, "The new film: .mov, .mp4, .mkv or .webm")->required();
  film->add_option("--sound", f.sound, "pcm, aac or opus; as is usual for the container")
      ->check(CLI::IsMember({"pcm", "aac", "opus"}));
  film->add_flag("--keep-sound", f.keeps_sound, "The film's own sounds stay, behind the new one");
  film->add_flag("--overwrite", f.overwrite, "Replace a file of this name");
  film->add_flag("--no-mix-chain", f.no_mix_chain, "The sum as it is, not through the mix chain");

  std::filesystem::path event_reel, cut_film, events_out;
  bool list_clips = false, replace = false;
  auto* events =
      app.add_subcommand("events", "The events or clips of a reel, or the cuts of a film");
  events->add_option("--reel", event_reel, "A .reel file");
  events->add_flag("--clips", list_clips,
                   "Its clips: where they are heard, whose they are, what is said");
  events->add_option("--film", cut_film, "A film, whose cuts are found");
  events->add_option("--out", events_out,
                     "A .csv or .vtt file; printed as CSV where there is none");
  events->add_flag("--overwrite", replace, "Replace a file of this name");

  cli::SweepCall w;
  auto* sweep =
      app.add_subcommand("sweep", "Write a sweep, to be played in a room or through a device");
  sweep->add_option("--out", w.out, "The WAV file")->required();
  sweep->add_option("--from", w.from_hz, "Where it begins, Hz");
  sweep->add_option("--to", w.to_hz, "Where it ends, Hz");
  sweep->add_option("--seconds", w.seconds, "How long it takes");
  sweep->add_option("--rate", w.rate, "Hz");
  sweep->add_flag("--overwrite", w.overwrite, "Replace a file of this name");

  std::filesystem::path played, came_back, response_out;
  auto* response =
      app.add_subcommand("response", "Make a response, for convolution, of a recorded sweep");
  response->add_option("--sweep", played, "The file that was played")->required();
  response->add_option("--out", response_out, "The WAV file; beside the recording");
  response->add_flag("--overwrite", replace, "Replace a file of this name");
  response->add_option("RECORDING", came_back, "What came back")->required();

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    std::ostringstream out, wrong;
    const int code = app.exit(e, out, wrong);
    fmt::print("{}", out.str());
    fmt::print(stderr, "{}", printable(wrong.str(), true));
    return code == 0 ? cli::ok : cli::wrong_call;
  }
  std::signal(SIGINT, on_signal);
  std::signal(SIGTERM, on_signal);
  std::signal(SIGPIPE, SIG_IGN);
  // Whatever is thrown, a sentence and the right code; what was begun is taken back on the way here.
  try {
    if (*render) return cli::render(r);
    if (*measure) return cli::measure(inputs, json);
    if (*advice) return cli::advise(chain, inputs, r.room_tone);
    if (*judge) return cli::check(target, inputs);
    if (*steps) return cli::list_steps(json);
    if (*check) return cli::check_recipes(inputs);
    if (*film) return cli::film(f);
    if (*events) return cli::events(event_reel, cut_film, events_out, list_clips, replace);
    if (*sweep) return cli::sweep(w);
    if (*response) return cli::response(played, came_back, response_out, replace);
  } catch (const Error& e) {
    cli::complain("{}\n", e.what());
    return e.kind() == Error::Kind::call ? cli::wrong_call : cli::some_failed;
  } catch (const Cancelled&) {
    cli::complain("Stopped; nothing was left half-written.\n");
    return cli::interrupted_code();
  } catch (const std::bad_alloc&) {
    cli::complain("The memory is not enough for this; close other programs, or render fewer clips at a time with --jobs 1.\n");
    return cli::some_failed;
  } catch (const std::exception& e) {
    // Who reads what is printed has read enough, as `head` does: that is no fault to be told.
    const auto* system = dynamic_cast<const std::system_error*>(&e);
    if (system && system->code() == std::errc::broken_pipe) return cli::reader_gone;
    cli::complain("It could not be done ({}). Please tell Drevan's makers how you came here.\n", e.what());
    return cli::some_failed;
  }
  return cli::wrong_call;
}
