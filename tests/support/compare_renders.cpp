// SPDX-License-Identifier: GPL-3.0-or-later
// What scripts/compare-renders needs beside two drevan-cli: recipes for everything a step can be, and a comparison
// of two folders of sound, sample by sample.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <set>

#include "audio/error.h"
#include "media/reader.h"
#include "reel/library/library.h"
#include "steps/catalogue.h"

namespace {

namespace fs = std::filesystem;
using namespace drevan;

std::string file_name(std::string name) {
  std::ranges::replace_if(
      name, [](unsigned char c) { return !std::isalnum(c) && c != '-'; }, '-');
  return name;
}

// Every step at its standard settings and starting points, and Drevan's own recipes.
void write_recipes(const fs::path& folder) {
  fs::create_directories(folder);
  const auto write = [&](const std::string& name, Chain chain) {
    save_recipe({name, "", std::move(chain), {}}, folder / (file_name(name) + ".recipe"));
  };
  for (const StepType* type : catalogue()) {
    const std::string id(type->id);
    ChainStep step = make_step(id);
    write("step-" + id, {{step}});
    for (const auto& point : type->starting_points) {
      step.settings = settings_of(*type, point);
      write(fmt::format("step-{}-{}", id, point.name), {{step}});
    }
  }
  for (const auto& recipe : own_recipes()) write("own-" + recipe.name, recipe.chain);
}

AudioBuffer read_all(const fs::path& file) {
  const auto reader = open_audio(file);
  AudioBuffer out(reader->info().channels, reader->info().frames);
  for (Samples at = 0; at < out.frames();) {
    const int n =
        reader->read(out.block(at, static_cast<int>(std::min<Samples>(4096, out.frames() - at))));
    if (n == 0) break;
    at += n;
  }
  return out;
}

// In what two sounds differ; empty: in nothing.
std::string difference(const fs::path& one, const fs::path& other) {
  const AudioBuffer a = read_all(one), b = read_all(other);
  if (a.channels() != b.channels())
    return fmt::format("{} channels, now {}", a.channels(), b.channels());
  if (a.frames() != b.frames()) return fmt::format("{} frames, now {}", a.frames(), b.frames());
  Samples differ = 0, first = -1;
  double most = 0, peak = 0;
  for (int c = 0; c < a.channels(); ++c)
    for (size_t i = 0; i < a.channel(c).size(); ++i) {
      const float x = a.channel(c)[i], y = b.channel(c)[i];
      peak = std::max(peak, static_cast<double>(std::abs(x)));
      if (x == y) continue;
      if (differ++ == 0 || static_cast<Samples>(i) < first) first = static_cast<Samples>(i);
      most = std::max(most, std::abs(static_cast<double>(x) - static_cast<double>(y)));
    }
  if (differ == 0) return {};
  return fmt::format(
      "{} samples of {} differ, first at frame {}, at most {:.1f} dB below the sound's peak",
      differ, a.frames() * a.channels(), first, 20 * std::log10(peak / most));
}

int compare(const fs::path& before, const fs::path& after) {
  std::set<fs::path> all;
  for (const auto& folder : {before, after})
    for (const auto& entry : fs::recursive_directory_iterator(folder))
      if (entry.path().extension() == ".wav") all.insert(entry.path().lexically_relative(folder));
  int same = 0, differ = 0, alone = 0;
  for (const auto& name : all) {
    if (!fs::exists(before / name) || !fs::exists(after / name)) {
      fmt::print("{}: only {}\n", name.string(), fs::exists(after / name) ? "now" : "before");
      ++alone;
      continue;
    }
    const auto told = difference(before / name, after / name);
    if (told.empty()) {
      ++same;
    } else {
      ++differ;
      fmt::print("{}: {}\n", name.string(), told);
    }
  }
  fmt::print("{} renders are the same bit for bit, {} differ, {} are there on one side only.\n",
             same, differ, alone);
  return differ > 0 ? 1 : 0;
}

}  // namespace

int main(int argc, char** argv) {
  const std::string what = argc > 1 ? argv[1] : "";
  try {
    if (what == "recipes" && argc == 3) return write_recipes(argv[2]), 0;
    if (what == "compare" && argc == 4) return compare(argv[2], argv[3]);
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
  }
  std::fprintf(stderr, "compare-renders recipes FOLDER | compare BEFORE AFTER\n");
  return 2;
}
