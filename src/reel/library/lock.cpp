// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/lock.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <utility>

namespace drevan {

namespace fs = std::filesystem;

std::optional<ReelLock> ReelLock::take(const fs::path& reel_file, std::string& why) {
  fs::path file = reel_file.string() + ".lock";
  // A lock that is taken away while it is waited for is no lock: then the file of that name is another.
  for (int tries = 0; tries < 3; ++tries) {
    const int fd = ::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (fd < 0) {
      why = fmt::format("{} cannot be written beside ({}).", reel_file.string(),
                        std::strerror(errno));
      return std::nullopt;
    }
    // Some network folders know no locks at all. Working there is as it would be without Drevan's lock: better
    // than not at all.
    const int refused = ::flock(fd, LOCK_EX | LOCK_NB) == 0 ? 0 : errno;
    if (refused != 0 && refused != EWOULDBLOCK) {
      ::unlink(file.c_str());
      return ReelLock({}, fd);
    }
    if (refused != 0) {
      std::array<char, 200> text{};
      const auto n = ::read(fd, text.data(), text.size() - 1);
      ::close(fd);
      why = fmt::format("{} is open in another Drevan{}.", reel_file.string(),
                        n > 0 ? fmt::format(" ({})", text.data()) : "");
      return std::nullopt;
    }
    struct stat held {
    }, named{};
    if (::fstat(fd, &held) != 0 || ::stat(file.c_str(), &named) != 0 ||
        held.st_ino != named.st_ino || held.st_dev != named.st_dev) {
      ::close(fd);
      continue;
    }
    std::array<char, 100> host{};
    ::gethostname(host.data(), host.size() - 1);
    const auto who = fmt::format("process {} on {}", ::getpid(), host.data());
    if (::ftruncate(fd, 0) != 0 || ::write(fd, who.data(), who.size()) < 0)
      why.clear();  // it is locked all the same
    return ReelLock(std::move(file), fd);
  }
  why = fmt::format("{} cannot be locked; try again.", reel_file.string());
  return std::nullopt;
}

ReelLock::~ReelLock() {
  if (fd_ < 0) return;
  if (!file_.empty()) ::unlink(file_.c_str());
  ::close(fd_);
}

ReelLock::ReelLock(ReelLock&& other) noexcept
    : file_(std::move(other.file_)), fd_(std::exchange(other.fd_, -1)) {}
ReelLock& ReelLock::operator=(ReelLock&& other) noexcept {
  std::swap(file_, other.file_);
  std::swap(fd_, other.fd_);
  return *this;
}

}  // namespace drevan
