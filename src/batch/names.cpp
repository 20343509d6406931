#include <fmt/format.h>

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
    const auto base = safe(fill(options.pattern, jobs[i], i + 1));
    std::string name = base;
    const auto file = [&] { return name + std::string(extension(options.container)); };
    for (int n = 2; taken.contains(name) || sources.contains(folder / file()); ++n)
      name = fmt::format("{}-{}", base, n);
    taken.insert(name);
    out.push_back(options.folder / file());
  }
  return out;
}

}  // namespace drevan
