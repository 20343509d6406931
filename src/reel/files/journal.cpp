// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/journal.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <utility>

#include "audio/guarded_thread.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "reel/files/json_file.h"
#include "reel/files/reel_json.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr auto apart = std::chrono::milliseconds(200);

std::string line_of(const json& content) {
  const std::string text = content.dump(-1, ' ', false, json::error_handler_t::replace);
  return hex_hash_of(text) + " " + text + "\n";
}

// The content of a whole line whose checksum is right.
std::optional<json> content_of(std::string_view line) {
  if (line.size() < 18 || line[16] != ' ') return std::nullopt;
  const std::string text(line.substr(17));
  if (hex_hash_of(text) != line.substr(0, 16)) return std::nullopt;
  try {
    auto content = parse_json(text, "journal");
    return content.is_object() ? std::optional(std::move(content)) : std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

// Of whatever went wrong while edits were to be kept.
Problem not_kept(Problem why) {
  why.text = fmt::format("Edits are not kept until the reel is saved; save it now. {}", why.text);
  return why;
}

}  // namespace

// --- writing ---

struct Journal::Writer {
  fs::path reel_file;
  std::string saved;                 // the text the journal starts from
  std::shared_ptr<const Reel> last;  // the newest state on the disk
  bool as_saved = false;             // `saved` is `last` as a file of today
  int fd = -1;

  ~Writer() {
    if (fd >= 0) ::close(fd);
  }
  // Errors by errno. Half a line is taken back: what follows it could not be read.
  bool append(const std::string& line) const {
    const off_t begin = ::lseek(fd, 0, SEEK_CUR);
    if (const int error = write_all(fd, line); error != 0) {
      errno = error;
      return take_back(begin);
    }
    return ::fdatasync(fd) == 0 || take_back(begin);
  }
  bool take_back(off_t begin) const {
    const int error = errno;
    if (::ftruncate(fd, begin) == 0) ::lseek(fd, begin, SEEK_SET);
    errno = error;
    return false;
  }
  // Header and first edit come at once, in the place of an older journal: what that one held is never
  // lost before this one holds it.
  bool begin(const std::string& first) {
    const fs::path part = file_of(reel_file).string() + ".part";
    fd = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (fd < 0) return false;
    int error = 0;
    if (!append(line_of({{"drevan_journal", 1}, {"saved", hex_hash_of(saved)}}) + first) ||
        std::rename(part.c_str(), file_of(reel_file).c_str()) != 0)
      error = errno;
    else if ((error = sync_folder(reel_file.parent_path())) == 0)
      return true;
    ::close(std::exchange(fd, -1));
    ::unlink(part.c_str());
    errno = error;
    return false;
  }
  // A file that an older Drevan wrote, or a hand, reads otherwise than it would be written today.
  void compare_with_saved() {
    try {
      if (!last)
        last = std::make_shared<const Reel>(
            reel_from_text(saved, reel_file.parent_path(), reel_file.string()));
      as_saved = reel_to_text(*last, reel_file.parent_path()) == saved;
    } catch (...) {
      as_saved = false;
    }
  }
  Problem write(const std::shared_ptr<const Reel>& now, const std::string& label) noexcept {
    try {
      return write_line(now, label);
    } catch (...) {
      return not_kept(caught_problem());
    }
  }
  json patch_to(const Reel& now) const {
    const auto folder = reel_file.parent_path();
    if (as_saved) return reel_patch(*last, now, folder);
    return json::diff(json::parse(saved), json(reel_to_json(now, folder)));
  }
  Problem cannot_keep(int error) const {
    const fs::path file = file_of(reel_file);
    return {fmt::format("{} cannot be written ({}), so edits are not kept until the reel is saved; "
                        "save it now, elsewhere if need be.",
                        file.string(), std::strerror(error)),
            cause_of_errno(error, true), file};
  }
  Problem write_line(const std::shared_ptr<const Reel>& now, const std::string& label) {
    const auto line = line_of({{"edit", label}, {"patch", patch_to(*now)}});
    errno = 0;
    if (fd < 0 ? !begin(line) : !append(line)) return cannot_keep(errno);
    last = now;
    as_saved = true;
    return {};
  }
};

Journal::Journal(fs::path reel_file, std::string saved, std::shared_ptr<const Reel> reel)
    : writer_(std::make_unique<Writer>()) {
  writer_->reel_file = std::move(reel_file);
  writer_->saved = std::move(saved);
  writer_->last = std::move(reel);
  thread_ = guarded_thread([this](const std::stop_token& stop) { work(stop); },
                           [this](Problem why) { give_up(std::move(why)); });
}

Journal::~Journal() {
  if (thread_.joinable()) flush();
}

fs::path Journal::file_of(const fs::path& reel_file) { return reel_file.string() + ".journal"; }

void Journal::tell(std::shared_ptr<const Reel> now, std::string label) {
  const std::lock_guard lock(mutex_);
  if (ended_) return;
  next_ = std::move(now);
  label_ = std::move(label);
  wake_.notify_all();
}

void Journal::flush() {
  std::unique_lock lock(mutex_);
  hurry_ = true;
  wake_.notify_all();
  done_.wait(lock, [&] { return !next_ && !busy_; });
  hurry_ = false;
}

void Journal::end() {
  {
    const std::lock_guard lock(mutex_);
    next_.reset();
  }
  thread_.request_stop();
  thread_.join();
  std::error_code error;
  if (writer_->fd >= 0) fs::remove(file_of(writer_->reel_file), error);
}

Problem Journal::take_problem() {
  const std::lock_guard lock(mutex_);
  return std::exchange(problem_, {});
}

// The thread has ended: nobody must wait for it.
void Journal::give_up(Problem why) {
  const std::lock_guard lock(mutex_);
  ended_ = true;
  next_.reset();
  busy_ = false;
  problem_ = not_kept(std::move(why));
  done_.notify_all();
}

void Journal::work(const std::stop_token& stop) {
  writer_->compare_with_saved();
  std::unique_lock lock(mutex_);
  while (true) {
    wake_.wait(lock, stop, [&] { return next_ != nullptr; });
    if (!next_) return;  // stopped
    const auto now = std::exchange(next_, nullptr);
    const auto label = std::move(label_);
    busy_ = true;
    lock.unlock();
    auto problem = writer_->write(now, label);
    lock.lock();
    busy_ = false;
    if (!problem.empty()) problem_ = std::move(problem);
    done_.notify_all();
    // A drag brings sixty states a second; the newest is enough.
    wake_.wait_for(lock, stop, apart, [&] { return hurry_; });
  }
}

// --- reading ---

namespace {

struct Line {
  json patch;
  std::string label;
};

// The lines of a journal that belongs to `saved`, up to the first that is broken.
std::vector<Line> lines_of(std::string_view all, const std::string& saved) {
  std::vector<Line> out;
  bool first = true;
  for (size_t at = 0; at < all.size();) {
    const auto end = all.find('\n', at);
    if (end == std::string_view::npos) break;
    auto content = content_of(all.substr(at, end - at));
    at = end + 1;
    if (!content) break;
    try {
      if (first && (content->value("drevan_journal", 0) != 1 ||
                    content->value("saved", "") != hex_hash_of(saved)))
        break;
      if (!first) out.push_back({std::move(content->at("patch")), content->value("edit", "")});
    } catch (const json::exception&) {
      break;
    }
    first = false;
  }
  return out;
}

// The state after the first `count` edits; empty when one of them does not fit, or what they make is no reel.
std::optional<Reel> replayed(const std::string& saved, std::span<const Line> lines,
                             const fs::path& reel_file) {
  try {
    json state = parse_json(saved, reel_file.string());
    for (const auto& line : lines) state.patch_inplace(line.patch);
    return reel_from_text(state.dump(), reel_file.parent_path(),
                          Journal::file_of(reel_file).string());
  } catch (const json::exception&) {
    return std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

// How many of the first edits make a reel each; only for a journal in which one does not.
size_t sound_edits(const std::string& saved, std::span<const Line> lines,
                   const fs::path& reel_file) {
  size_t good = 0;
  while (good < lines.size() && replayed(saved, lines.first(good + 1), reel_file)) ++good;
  return good;
}

}  // namespace

// Edits are put on one another and read once, so that the time grows with their number and not with its square.
std::optional<Recovered> recover(const fs::path& reel_file) {
  const std::string saved = read_text(reel_file);
  std::error_code error;
  if (!fs::exists(Journal::file_of(reel_file), error)) return std::nullopt;
  const auto lines = lines_of(read_text(Journal::file_of(reel_file)), saved);
  std::span<const Line> good(lines);
  auto reel = good.empty() ? std::nullopt : replayed(saved, good, reel_file);
  if (!reel && !good.empty()) {
    good = good.first(sound_edits(saved, good, reel_file));
    if (!good.empty()) reel = replayed(saved, good, reel_file);
  }
  if (!reel) return std::nullopt;
  return Recovered{std::move(*reel), static_cast<int>(good.size()), good.back().label};
}

}  // namespace drevan
