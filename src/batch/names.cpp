// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

#include "audio/error.h"
#include "audio/utf8.h"
#include "batch/batch.h"
#include "batch/record.h"
#include "media/sound_files.h"
#include "reel/library/source_files.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

std::string fill(const std::string& pattern, const BatchJob& job, size_t number) {
  std::string out;
  for (size_t at = 0; at < pattern.size();) {
    if (pattern[at] != '{') {
      out += pattern[at++];
      continue;
    }
    const auto end = pattern.find('}', at);
    const auto word = pattern.substr(at + 1, end == std::string::npos ? end : end - at - 1);
    if (end != std::string::npos && word == "clip")
      out += job.clip;
    else if (end != std::string::npos && word == "group")
      out += job.group;
    else if (end != std::string::npos && word == "reel")
      out += job.reel;
    else if (end != std::string::npos && word == "number")
      out += fmt::format("{:03}", number);
    else
      throw Error(Error::Kind::call,
                  fmt::format("The name pattern \"{}\" holds \"{{{}\", which is not known; use "
                              "{{clip}}, {{group}}, {{reel}} and {{number}}.",
                              pattern, word));
    at = end + 1;
  }
  return out;
}

// Leaves room for a number, an extension, and what a file is called while it is written.
std::string safe(const std::string& name) { return file_name_of(name, "clip"); }

}  // namespace

std::string name_of(const BatchJob& job, const std::string& pattern, size_t number) {
  return safe(fill(pattern, job, number));
}

namespace {

// What the plan's steps read: responses, devices, carriers.
void add_files(SourceFiles& files, const ClipPlan& plan) {
  files.add(plan.sound.file);
  for (const PlannedStep& step : plan.steps) {
    for (size_t i = 0; i < step.settings.texts.size(); ++i)
      if (step.type->texts[i].is_file()) files.add(step.settings.texts[i]);
    for (const PlannedSide& side : step.sides)
      if (side.plan) add_files(files, *side.plan);
  }
}

}  // namespace

OutputNames settle_names(std::span<const BatchJob> jobs, const BatchOptions& options) {
  OutputNames out;
  SourceFiles sources;
  for (const auto& job : jobs) {
    sources.add(job.plan.sound.file);
    if (job.protects)
      for (const auto& file : *job.protects) sources.add(file);
    add_files(sources, job.plan);
  }
  const BatchRecord record(options.folder, options.part, BatchRecord::Use::reading);
  std::set<std::string> taken;
  const auto foreign = [&](const fs::path& file) {
    std::error_code error;
    if (!fs::exists(fs::symlink_status(file, error))) return false;
    return fs::is_directory(file, error) || (!options.overwrite && !record.made(file));
  };
  for (size_t i = 0; i < jobs.size(); ++i) {
    if (!jobs[i].output.empty()) {
      out.files.push_back(jobs[i].output);
      out.numbered.push_back(false);
      continue;
    }
    const auto base = name_of(jobs[i], options.pattern, i + 1);
    std::string name = base;
    // All formats of a clip have one name, so it must be free for each of them.
    const auto free = [&] {
      auto file = jobs[i].subfolder / (name + std::string(extension(options.container)));
      for (size_t f = 0; f <= options.also.size(); ++f) {
        const auto one = f == 0 ? file : also_name(file, options, f - 1);
        if (taken.contains(one.generic_string()) || sources.contains(options.folder / one))
          return false;
        if (!foreign(options.folder / one)) continue;
        out.foreign.push_back(options.folder / one);
        return false;
      }
      for (size_t f = 0; f <= options.also.size(); ++f)
        taken.insert((f == 0 ? file : also_name(file, options, f - 1)).generic_string());
      return true;
    };
    for (int n = 2; !free(); ++n) name = fmt::format("{}-{}", base, n);
    out.numbered.push_back(name != base);
    out.files.push_back(options.folder / jobs[i].subfolder /
                        (name + std::string(extension(options.container))));
  }
  return out;
}

std::vector<fs::path> output_names(std::span<const BatchJob> jobs, const BatchOptions& options) {
  return settle_names(jobs, options).files;
}

fs::path also_name(const fs::path& output, const BatchOptions& options, size_t format) {
  const auto& f = options.also.at(format);
  auto file = output;
  // Not replace_extension(): a name may hold dots of its own.
  file.replace_filename(output.stem().string() + std::string(extension(f.container)));
  bool taken = f.container == options.container;
  for (size_t i = 0; i < format; ++i) taken = taken || options.also[i].container == f.container;
  if (!taken) return file;
  const char* bits = f.samples == SampleType::int16   ? "16-bit"
                     : f.samples == SampleType::int24 ? "24-bit"
                                                      : "32-bit-float";
  return file.parent_path() / bits / file.filename();
}

std::vector<BatchJob> share_of(std::span<const BatchJob> jobs, const BatchOptions& options,
                               int share, int shares) {
  const auto names = output_names(jobs, options);
  std::vector<BatchJob> out;
  for (size_t i = static_cast<size_t>(share - 1); i < jobs.size();
       i += static_cast<size_t>(shares)) {
    out.push_back(jobs[i]);
    out.back().output = names[i];
  }
  return out;
}

std::vector<fs::path> media_files(const fs::path& folder, const fs::path& output) {
  std::error_code error;
  // What a batch made is not what a batch is made of.
  std::map<fs::path, BatchRecord> records;
  const auto record_of = [&](const fs::path& in) -> const BatchRecord& {
    return records.try_emplace(in, in, "", BatchRecord::Use::reading).first->second;
  };
  const bool within = !output.empty() && !fs::equivalent(folder, output, error);
  const auto own = [&](const fs::path& inner) {
    return within && fs::equivalent(inner, output, error);
  };
  const CancelToken never{};
  std::vector<fs::path> out;
  for (const auto& found :
       find_sound_files(folder, never, own, std::numeric_limits<size_t>::max()).files) {
    const auto in = found.path.parent_path();
    if (!record_of(in).made(found.path) && (in == folder || !record_of(folder).made(found.path)))
      out.push_back(found.path.lexically_relative(folder));
  }
  std::ranges::sort(out);
  return out;
}

}  // namespace drevan
