// SPDX-License-Identifier: GPL-3.0-or-later
// One exception for everything a user can mend. The text is a whole sentence that names the file
// and the remedy; programs show it as it is. What more can be said of it goes by its cause.
#pragma once

#include <exception>
#include <filesystem>
#include <stdexcept>
#include <string>

namespace drevan {

/// Why something was not done. What a user is advised to do goes by it, never by the words of a
/// message, which come from the system in any language.
enum class Cause {
  other,         ///< what nobody foresaw
  request,       ///< what was asked for cannot be, as it was asked
  wrong_text,    ///< a reel, recipe, target ... does not say what Drevan expects
  off_target,    ///< no target, or what it cannot be met with
  no_room_tone,  ///< nothing, or the wrong place, to learn the noise from
  missing,       ///< a file or folder is not there
  damaged,       ///< a file is broken or ends too soon
  unreadable,    ///< a file cannot be read, or is of no kind that can
  unwritable,    ///< something cannot be written, by none of the three reasons that follow
  disk_full,
  not_allowed,  ///< the system does not let this user read or write it
  open_elsewhere,
  device,  ///< no sound device, or one that does not work
  memory,  ///< there is not enough of it
};
constexpr int cause_count = static_cast<int>(Cause::memory) + 1;

class Error : public std::runtime_error {
 public:
  /// The coarse kind of a cause: the command line's exit codes go by it.
  enum class Kind {
    call,    ///< the request itself is wrong (a setting, a recipe, an option)
    input,   ///< something could not be read
    output,  ///< something could not be written
    device,  ///< no sound device
  };
  /// `concerns`: the file or folder it is about; empty: none.
  Error(Kind kind, Cause cause, const std::string& what, std::filesystem::path concerns = {})
      : std::runtime_error(what), kind_(kind), cause_(cause), concerns_(std::move(concerns)) {}
  /// With the commonest cause of the kind: request, unreadable, unwritable, device.
  Error(Kind kind, const std::string& what, std::filesystem::path concerns = {});
  Kind kind() const { return kind_; }
  Cause cause() const { return cause_; }
  const std::filesystem::path& concerns() const { return concerns_; }

 private:
  Kind kind_;
  Cause cause_;
  std::filesystem::path concerns_;
};

/// Thrown out of long work when its CancelToken was set. Not an Error: nothing went wrong.
struct Cancelled {};

/// What went wrong, kept to be shown later or by another thread.
struct Problem {
  std::string text;  ///< a whole sentence; empty: nothing went wrong
  Cause cause = Cause::other;
  std::filesystem::path concerns;  ///< see Error
  bool empty() const { return text.empty(); }
};

/// What an exception tells a user: an Error's own sentence; what to do where memory is short; of
/// anything else that nobody foresaw it.
Problem problem_of(const std::exception& e);
/// The same of whatever was just thrown; nothing of Cancelled. To be called where it is caught.
Problem caught_problem() noexcept;

/// A file that cannot be opened, by the errno of the attempt.
Error cannot_open(const std::filesystem::path& file, int error);
/// A file that was opened, but ends or fails before its end.
Error not_to_its_end(const std::filesystem::path& file);

/// The cause that an errno tells: of something that was to be read, or written.
Cause cause_of_errno(int error, bool writing);

}  // namespace drevan
