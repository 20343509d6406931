#include "reel/json_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <memory>

#include "audio/error.h"

namespace drevan {

namespace fs = std::filesystem;

std::string read_text(const fs::path& file) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> in(std::fopen(file.c_str(), "rb"), std::fclose);
  std::error_code error;
  if (!in || fs::is_directory(file, error))
    throw Error(Error::Kind::input,
                fmt::format("{} cannot be opened; check that it exists and that you may read it.",
                            file.string()));
  std::string text;
  char buffer[65536];
  for (size_t n = 0; (n = std::fread(buffer, 1, sizeof buffer, in.get())) > 0;)
    text.append(buffer, n);
  return text;
}

void write_text(const fs::path& file, const std::string& text) {
  const fs::path part =
      file.parent_path() / fmt::format(".{}.{}.part", file.filename().string(), ::getpid());
  const auto fail = [&](int error) {
    ::unlink(part.c_str());
    const char* remedy = error == ENOSPC || error == EDQUOT
                             ? "Free some space or save it elsewhere; the old file is untouched."
                             : "Save it in another folder; the old file, if any, is untouched.";
    throw Error(Error::Kind::output, fmt::format("{} cannot be saved: {}. {}", file.string(),
                                                 std::strerror(error), remedy));
  };
  const int fd = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (fd < 0) fail(errno);
  size_t done = 0;
  int error = 0;
  while (done < text.size() && error == 0) {
    const auto n = ::write(fd, text.data() + done, text.size() - done);
    if (n < 0 && errno != EINTR) error = errno;
    if (n > 0) done += static_cast<size_t>(n);
  }
  if (error == 0 && ::fsync(fd) != 0) error = errno;
  if (::close(fd) != 0 && error == 0) error = errno;
  if (error == 0 && std::rename(part.c_str(), file.c_str()) != 0) error = errno;
  if (error != 0) fail(error);
}

nlohmann::json parse_json(const std::string& text, const std::string& where) {
  try {
    return nlohmann::json::parse(text);
  } catch (const nlohmann::json::parse_error& e) {
    const auto at = std::min(e.byte, text.size());
    const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n');
    const bool ends = at >= text.size();
    throw Error(Error::Kind::call,
                fmt::format("{}, line {}: {}", where, line,
                            ends ? "the file ends in the middle; it was cut off. Get it again from "
                                   "where it came from."
                                 : "this is not JSON as Drevan writes it; correct it there or get "
                                   "the file again."));
  } catch (const nlohmann::json::exception&) {
    throw Error(Error::Kind::call, fmt::format("{}: a number in it is too large; correct it there or get the file again.", where));
  }
}

std::string dump_json(const nlohmann::ordered_json& json, int indent) {
  return json.dump(indent, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
}

void check_version(const nlohmann::json& json, const char* key, int newest,
                   const std::string& where) {
  const bool there = json.is_object() && json.contains(key) && json.at(key).is_number_integer();
  if (!there)
    throw Error(Error::Kind::call,
                fmt::format("{}: \"{}\" is missing, so this is not such a file.", where, key));
  const int version = json.at(key).get<int>();
  if (version < 1 || version > newest)
    throw Error(Error::Kind::call,
                fmt::format("{}: it is of version {}, this Drevan reads up to version {}; update "
                            "Drevan to open it.",
                            where, version, newest));
}

template <class T>
T member(const nlohmann::json& json, const char* key, T standard, const std::string& where) {
  const auto at = json.find(key);
  if (at == json.end()) return standard;
  try {
    return at->template get<T>();
  } catch (const nlohmann::json::exception&) {
    throw Error(Error::Kind::call,
                fmt::format("{}: \"{}\" has a value of the wrong kind ({}).", where, key, at->dump()));
  }
}
template std::string member(const nlohmann::json&, const char*, std::string, const std::string&);
template double member(const nlohmann::json&, const char*, double, const std::string&);
template int member(const nlohmann::json&, const char*, int, const std::string&);
template std::int64_t member(const nlohmann::json&, const char*, std::int64_t, const std::string&);
template bool member(const nlohmann::json&, const char*, bool, const std::string&);

}  // namespace drevan
