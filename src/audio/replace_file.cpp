// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/replace_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <utility>

namespace drevan {

namespace fs = std::filesystem;

namespace {

fs::path folder_of(const fs::path& file) {
  return file.has_parent_path() ? file.parent_path() : fs::path(".");
}

// What a chain of symbolic links leads to, also where nothing is there yet.
fs::path link_target(fs::path file) {
  std::error_code error;
  for (int links = 0; links < 40 && fs::is_symlink(fs::symlink_status(file, error)); ++links) {
    const fs::path to = fs::read_symlink(file, error);
    if (error) break;
    file = to.is_absolute() ? to : folder_of(file) / to;
  }
  return file;
}

}  // namespace

Error cannot_write(const fs::path& file, int error) {
  const char* untouched = "An older file of this name is untouched.";
  const auto told = [&](const std::string& why) {
    return Error(Error::Kind::output, cause_of_errno(error, true),
                 fmt::format("{} cannot be written: {}", file.string(), why), file);
  };
  switch (error) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG:
      return told(
          fmt::format("the disk is full. Free some space or choose another folder; nothing was "
                      "left half-written. {}",
                      untouched));
    case EACCES:
    case EROFS:
    case EPERM:
      return told("this folder is read-only for you. Choose another folder.");
    case ENOENT:
    case ENOTDIR:
      return told("its folder is not there. Make it, or choose another folder.");
    case ENAMETOOLONG:
      return told("its name is too long. Choose a shorter one.");
    case EEXIST:
      return told("a file of this name is there already. Choose another name.");
    default:
      return told(fmt::format("{}. {}", std::strerror(error), untouched));
  }
}

int write_all(int descriptor, std::string_view text) {
  while (!text.empty()) {
    const auto n = ::write(descriptor, text.data(), text.size());
    if (n < 0 && errno != EINTR) return errno;
    if (n > 0) text.remove_prefix(static_cast<size_t>(n));
  }
  return 0;
}

int sync_folder(const fs::path& folder) {
  const int fd = ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  // A folder that may be written to but not read cannot be synced; what is in it is safe a little later.
  if (fd < 0) return errno == EACCES ? 0 : errno;
  int error = ::fsync(fd) == 0 ? 0 : errno;
  ::close(fd);
  return error == EINVAL || error == ENOTSUP || error == ENOSYS ? 0 : error;
}

void make_folder(const fs::path& folder) {
  std::error_code error;
  if (folder.empty() || fs::is_directory(folder, error)) return;
  const fs::path above = folder_of(folder.has_filename() ? folder : folder.parent_path());
  if (above != folder) make_folder(above);
  if (::mkdir(folder.c_str(), 0777) != 0 && !(errno == EEXIST && fs::is_directory(folder, error))) {
    if (errno == EEXIST)
      throw Error(Error::Kind::output,
                  fmt::format("The folder {} cannot be made: a file of this name is in its place. "
                              "Choose another folder.",
                              folder.string()),
                  folder);
    throw Error(Error::Kind::output, cause_of_errno(errno, true),
                fmt::format("The folder {} cannot be made ({}); choose one that you may write to.",
                            folder.string(), std::strerror(errno)),
                folder);
  }
  if (const int failed = sync_folder(above); failed != 0) throw cannot_write(folder, failed);
}

ReplacementFile::ReplacementFile(fs::path goal, Old old)
    : goal_(std::move(goal)), target_(link_target(goal_)), old_(old) {
  static std::atomic<unsigned> count{0};
  do {
    part_ = folder_of(target_) / fmt::format(".drevan-{}-{}.part", ::getpid(), ++count);
    fd_ = ::open(part_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
  } while (fd_ < 0 && errno == EEXIST);
  if (fd_ < 0) {
    part_.clear();
    fail(errno);
  }
  struct stat before {};
  if (::stat(target_.c_str(), &before) != 0 || !S_ISREG(before.st_mode)) return;
  // The owner first: giving a file away may clear bits of its mode.
  if (::fchown(fd_, before.st_uid, before.st_gid) != 0 &&
      ::fchown(fd_, static_cast<uid_t>(-1), before.st_gid) != 0)
    errno = 0;
  ::fchmod(fd_, before.st_mode & 07777);
}

ReplacementFile::~ReplacementFile() {
  if (fd_ >= 0) ::close(fd_);
  if (!part_.empty()) ::unlink(part_.c_str());
}

void ReplacementFile::fail(int error) const { throw cannot_write(goal_, error); }

void ReplacementFile::write(std::string_view text) {
  if (const int error = write_all(fd_, text); error != 0) fail(error);
}

void ReplacementFile::commit() {
  if (::fsync(fd_) != 0) fail(errno);
  if (::close(std::exchange(fd_, -1)) != 0) fail(errno);
  if (old_ == Old::replaced) {
    if (std::rename(part_.c_str(), target_.c_str()) != 0) fail(errno);
  } else if (::renameat2(AT_FDCWD, part_.c_str(), AT_FDCWD, target_.c_str(), RENAME_NOREPLACE) !=
             0) {
    // Where the file system cannot do it at once, a link can: it never replaces either.
    if (errno != EINVAL && errno != ENOSYS) fail(errno);
    if (::link(part_.c_str(), target_.c_str()) != 0) fail(errno);
    ::unlink(part_.c_str());
  }
  part_.clear();
  if (const int error = sync_folder(folder_of(target_)); error != 0) fail(error);
}

}  // namespace drevan
