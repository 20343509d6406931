// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/error.h"

#include <fmt/format.h>

#include <cerrno>
#include <new>
#include <system_error>

namespace drevan {

namespace {

Cause commonest(Error::Kind kind) {
  switch (kind) {
    case Error::Kind::call:
      return Cause::request;
    case Error::Kind::input:
      return Cause::unreadable;
    case Error::Kind::output:
      return Cause::unwritable;
    case Error::Kind::device:
      return Cause::device;
  }
  return Cause::other;
}

}  // namespace

Error::Error(Kind kind, const std::string& what, std::filesystem::path concerns)
    : Error(kind, commonest(kind), what, std::move(concerns)) {}

Problem problem_of(const std::exception& e) {
  if (const auto* error = dynamic_cast<const Error*>(&e))
    return {error->what(), error->cause(), error->concerns()};
  if (dynamic_cast<const std::bad_alloc*>(&e) != nullptr)
    return {"The memory is not enough for this; close other programs, or work on shorter clips.",
            Cause::memory,
            {}};
  if (const auto* files = dynamic_cast<const std::filesystem::filesystem_error*>(&e))
    return {fmt::format("It could not be done ({}).", e.what()),
            cause_of_errno(files->code().value(), false), files->path1()};
  return {fmt::format("It could not be done ({}). Please tell Drevan's makers how you came here.",
                      e.what()),
          Cause::other,
          {}};
}

Problem caught_problem() noexcept {
  try {
    try {
      throw;
    } catch (const Cancelled&) {
      return {};
    } catch (const std::exception& e) {
      return problem_of(e);
    } catch (...) {
      return {
          "It could not be done. Please tell Drevan's makers how you came here.", Cause::other, {}};
    }
  } catch (...) {
    // Not even the sentence had room: this one is short enough to need none of its own.
    return {"Out of memory.", Cause::memory, {}};
  }
}

Error cannot_open(const std::filesystem::path& file, int error) {
  return {Error::Kind::input, cause_of_errno(error, false),
          fmt::format("{} cannot be opened; check that it exists and that you may read it.",
                      file.string()),
          file};
}

Error not_to_its_end(const std::filesystem::path& file) {
  return {Error::Kind::input, Cause::damaged,
          fmt::format("{} could not be read to its end; try again, or get it from a copy.",
                      file.string()),
          file};
}

Cause cause_of_errno(int error, bool writing) {
  switch (error) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG:
      return Cause::disk_full;
    case EACCES:
    case EROFS:
    case EPERM:
      return Cause::not_allowed;
    case ENOENT:
    case ENOTDIR:
      return Cause::missing;
    case ENOMEM:
      return Cause::memory;
    default:
      return writing ? Cause::unwritable : Cause::unreadable;
  }
}

}  // namespace drevan
