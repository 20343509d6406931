// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/command_line.h"

#include "audio/version.h"

namespace drevan::cli {

std::unique_ptr<CLI::App> command_line(Calls& c) {
  auto app = std::make_unique<CLI::App>("Cleans and shapes sound for picture, without a screen.");
  app->name("drevan-cli");
  app->require_subcommand(1);
  app->set_version_flag("--version", std::string("drevan-cli ") + version);

  auto* render = app->add_subcommand("render", "Render files through a recipe, or a reel's clips");
  auto* recipe = render->add_option("--recipe", c.render.recipe, "The chain, a .recipe file");
  auto* reel = render->add_option("--reel", c.render.reel, "A .reel file, all of its clips")
                   ->excludes(recipe);
  render->add_option("--room-tone", c.render.room_tone,
                     "START-END in seconds, auto (the quietest stretch without speech) or none");
  render->add_option("--out", c.render.out, "Output folder, made when it is not there");
  render->add_option("--name", c.render.name, "File name: {clip} {group} {reel} {number}");
  render->add_option("--format", c.render.format, "wav or flac")
      ->check(CLI::IsMember({"wav", "flac"}));
  render->add_option("--bits", c.render.bits, "16, 24 or 32f")
      ->check(CLI::IsMember({"16", "24", "32f"}));
  render->add_option("--rate", c.render.rate, "Working and output rate in Hz, 48000 or the reel's")
      ->check(CLI::Range(8000.0, 384000.0));
  render
      ->add_option(
          "--length", c.render.length,
          "ring (what rings on after the clip is kept) or same (exactly as long as the clip)")
      ->check(CLI::IsMember({"ring", "same"}));
  render->add_option("--jobs", c.render.jobs, "Clips at a time, one per core")
      ->check(CLI::Range(1, 1024));
  render->add_option("--report", c.render.report,
                     "Write what was done to FILE.html, FILE.json or FILE.csv");
  render->add_option("--target", c.render.target,
                     "Judge every result: podcast, broadcast-r128, ... or a .target file");
  render->add_flag("--resume", c.render.resume,
                   "Leave what was rendered into this folder before and has not changed since");
  render->add_option("--share", c.render.share,
                     "Do part K of N of the batch, as K/N, to spread it over machines");
  // One value each time: what follows may be an input.
  render
      ->add_option(
          "--also", c.render.also,
          "The same in another format at once, as FORMAT:BITS, flac:16; may be given again")
      ->allow_extra_args(false);
  render->add_flag(
      "--overwrite", c.render.overwrite,
      "Replace files in the way that no batch of Drevan made; sources are never replaced");
  render->add_option("--rules", c.render.rules,
                     "Which recipe each clip gets by its group and name, a rules file");
  render->add_flag("--mix", c.render.mix, "The whole reel as one file; instead of clips")
      ->needs(reel);
  render
      ->add_flag("--stems", c.render.stems,
                 "A file per group and space that sum to the mix; instead of clips")
      ->needs(reel);
  render
      ->add_flag("--kinds", c.render.kinds,
                 "A file for dialogue, effects and music each, and per space; instead of clips")
      ->needs(reel);
  render->add_flag("--no-mix-chain", c.render.no_mix_chain,
                   "With --mix: the sum as it is, not through the reel's mix chain");
  render->add_flag("--clips", c.render.clips, "With --mix, --stems or --kinds: each clip too");
  render
      ->add_option("INPUT", c.render.inputs,
                   "Sound or video files, or folders, whose subfolders are kept")
      ->excludes(reel);

  auto* measure = app->add_subcommand("measure", "Peak, loudness and noise floor of files");
  measure->add_flag("--json", c.json, "As JSON");
  measure->add_option("INPUT", c.inputs, "Sound or video files")->required();

  auto* judge = app->add_subcommand("check", "Say whether files meet a target");
  judge
      ->add_option(
          "--target", c.target,
          "podcast, podcast-mono, broadcast-r128, broadcast-a85, audiobook, cinema-dialogue, "
          "peak-3, or a .target file")
      ->required();
  judge->add_option("INPUT", c.inputs, "Sound or video files")->required();

  auto* advice =
      app->add_subcommand("advise", "Say what a recipe does wrong, in itself or to files");
  advice->add_option("--recipe", c.chain, "The chain, a .recipe file")->required();
  advice->add_option("--room-tone", c.render.room_tone, "START-END in seconds, auto or none");
  advice->add_option("INPUT", c.inputs, "Sound or video files; none: the recipe alone");

  auto* steps = app->add_subcommand("steps", "Every step with its settings and starting points");
  steps->add_flag("--json", c.json, "As JSON");

  auto* recipes = app->add_subcommand("recipe", "Work with recipe files");
  recipes->require_subcommand(1);
  auto* check = recipes->add_subcommand("check", "Say whether recipes can be used");
  check->add_option("FILE", c.inputs, ".recipe files")->required();

  auto* film = app->add_subcommand("film", "Write a film with the reel's mix as its sound");
  film->add_option("--reel", c.film.reel, "A .reel file")->required();
  film->add_option("--film", c.film.film,
                   "The film whose picture is taken, as it is; the reel's own");
  film->add_option("--out", c.film.out, "The new film: .mov, .mp4, .mkv or .webm")->required();
  film->add_option("--sound", c.film.sound, "pcm, aac or opus; as is usual for the container")
      ->check(CLI::IsMember({"pcm", "aac", "opus"}));
  film->add_flag("--keep-sound", c.film.keeps_sound,
                 "The film's own sounds stay, behind the new one");
  film->add_flag("--overwrite", c.film.overwrite, "Replace a file of this name");
  film->add_flag("--no-mix-chain", c.film.no_mix_chain,
                 "The sum as it is, not through the mix chain");

  auto* events =
      app->add_subcommand("events", "The events or clips of a reel, or the cuts of a film");
  events->add_option("--reel", c.event_reel, "A .reel file");
  events->add_flag("--clips", c.list_clips,
                   "Its clips: where they are heard, whose they are, what is said");
  events->add_option("--film", c.cut_film, "A film, whose cuts are found");
  events->add_option("--out", c.events_out,
                     "A .csv or .vtt file; printed as CSV where there is none");
  events->add_flag("--overwrite", c.replace, "Replace a file of this name");

  auto* sweep =
      app->add_subcommand("sweep", "Write a sweep, to be played in a room or through a device");
  sweep->add_option("--out", c.sweep.out, "The WAV file")->required();
  sweep->add_option("--from", c.sweep.from_hz, "Where it begins, Hz");
  sweep->add_option("--to", c.sweep.to_hz, "Where it ends, Hz");
  sweep->add_option("--seconds", c.sweep.seconds, "How long it takes");
  sweep->add_option("--rate", c.sweep.rate, "Hz");
  sweep->add_flag("--overwrite", c.sweep.overwrite, "Replace a file of this name");

  auto* response =
      app->add_subcommand("response", "Make a response, for convolution, of a recorded sweep");
  response->add_option("--sweep", c.played, "The file that was played")->required();
  response->add_option("--out", c.response_out, "The WAV file; beside the recording");
  response->add_flag("--overwrite", c.replace, "Replace a file of this name");
  response->add_option("RECORDING", c.came_back, "What came back")->required();
  return app;
}

}  // namespace drevan::cli
