#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <set>

#include "audio/error.h"
#include "batch/batch.h"

namespace drevan {

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

std::string safe(std::string name) {
  for (char& c : name)
    if (c == '/' || c == '\\' || c == ':' || static_cast<unsigned char>(c) < 32) c = '-';
  while (!name.empty() && name.front() == '.') name.erase(0, 1);
  return name.empty() ? "clip" : name;
}

}  // namespace

std::vector<std::filesystem::path> output_names(std::span<const BatchJob> jobs,
                                                const BatchOptions& options) {
  std::vector<std::filesystem::path> out;
  std::set<std::string> taken;
  // A render must never write over any of the sources it reads.
  std::set<std::filesystem::path> sources;
  std::error_code error;
  for (const auto& job : jobs) sources.insert(std::filesystem::weakly_canonical(job.sound.file, error));
  const auto folder = std::filesystem::weakly_canonical(options.folder, error);
  for (size_t i = 0; i < jobs.size(); ++i) {
    if (!jobs[i].output.empty()) {
      out.push_back(jobs[i].output);
      continue;
    }
    const auto base = safe(fill(options.pattern, jobs[i], i + 1));
    std::string name = base;
    const auto file = [&] { return jobs[i].subfolder / (name + std::string(extension(options.container))); };
    for (int n = 2; taken.contains(file().generic_string()) || sources.contains(folder / file()); ++n)
      name = fmt::format("{}-{}", base, n);
    taken.insert(file().generic_string());
    out.push_back(options.folder / file());
  }
  return out;
}

int name_clashes(std::span<const BatchJob> jobs, const BatchOptions& options) {
  const auto names = output_names(jobs, options);
  int clashes = 0;
  for (size_t i = 0; i < jobs.size(); ++i)
    if (jobs[i].output.empty() && names[i].stem().string() != safe(fill(options.pattern, jobs[i], i + 1))) ++clashes;
  return clashes;
}

std::filesystem::path also_name(const std::filesystem::path& output, const BatchOptions& options, size_t format) {
  const auto& f = options.also.at(format);
  auto file = output;
  file.replace_extension(extension(f.container));
  bool taken = f.container == options.container;
  for (size_t i = 0; i < format; ++i) taken = taken || options.also[i].container == f.container;
  if (!taken) return file;
  const char* bits = f.samples == SampleType::int16 ? "16-bit" : f.samples == SampleType::int24 ? "24-bit" : "32-bit-float";
  return file.parent_path() / bits / file.filename();
}

std::vector<BatchJob> share_of(std::span<const BatchJob> jobs, const BatchOptions& options, int share, int shares) {
  const auto names = output_names(jobs, options);
  std::vector<BatchJob> out;
  for (size_t i = static_cast<size_t>(share - 1); i < jobs.size(); i += static_cast<size_t>(shares)) {
    out.push_back(jobs[i]);
    out.back().output = names[i];
  }
  return out;
}

std::vector<std::filesystem::path> media_files(const std::filesystem::path& folder) {
  static const std::set<std::string> known{".wav", ".flac", ".ogg", ".opus", ".mp3", ".aif", ".aiff", ".rf64", ".w64", ".m4a",
                                           ".aac", ".mp4", ".mov", ".mkv", ".webm", ".avi", ".mxf"};
  namespace fs = std::filesystem;
  std::vector<fs::path> out;
  std::error_code error;
  for (auto at = fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, error); at != fs::recursive_directory_iterator(); at.increment(error)) {
    if (at->path().filename().string().starts_with(".")) {
      if (at->is_directory(error)) at.disable_recursion_pending();
      continue;
    }
    std::string ending = at->path().extension().string();
    for (char& c : ending) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    if (at->is_regular_file(error) && known.contains(ending)) out.push_back(at->path().lexically_relative(folder));
  }
  std::ranges::sort(out);
  return out;
}

}  // namespace drevan
