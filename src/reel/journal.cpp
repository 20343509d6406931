#include "reel/journal.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <utility>

#include "audio/error.h"
#include "audio/hash.h"
#include "reel/json_file.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr auto apart = std::chrono::milliseconds(200);

std::string hash_of(const std::string& text) { return to_hex(Hasher().add(text).value()); }
std::string line_of(const json& content) {
  const std::string text = content.dump();
  return hash_of(text) + " " + text + "\n";
}

// The content of a whole line whose checksum is right.
std::optional<json> content_of(std::string_view line) {
  if (line.size() < 18 || line[16] != ' ') return std::nullopt;
  const std::string text(line.substr(17));
  if (hash_of(text) != line.substr(0, 16)) return std::nullopt;
  auto content = json::parse(text, nullptr, false);
  return content.is_object() ? std::optional(std::move(content)) : std::nullopt;
}

}  // namespace

// --- writing ---

struct Journal::Writer {
  fs::path reel_file;
  std::string saved;  // the text the journal starts from
  json last;          // the newest state on the disk
  int fd = -1;

  ~Writer() {
    if (fd >= 0) ::close(fd);
  }
  // Errors by errno. Half a line is taken back: what follows it could not be read.
  bool append(const std::string& line) const {
    const off_t begin = ::lseek(fd, 0, SEEK_CUR);
    for (size_t done = 0; done < line.size();) {
      const auto n = ::write(fd, line.data() + done, line.size() - done);
      if (n < 0 && errno != EINTR) return take_back(begin);
      if (n > 0) done += static_cast<size_t>(n);
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
    if (append(line_of({{"drevan_journal", 1}, {"saved", hash_of(saved)}}) + first) && std::rename(part.c_str(), file_of(reel_file).c_str()) == 0)
      return true;
    const int error = errno;
    ::close(std::exchange(fd, -1));
    ::unlink(part.c_str());
    errno = error;
    return false;
  }
  std::string write(const Reel& now, const std::string& label) {
    errno = 0;
    if (last.is_null()) last = json::parse(saved);
    auto next = json::parse(reel_to_text(now, reel_file.parent_path()));
    const auto line = line_of({{"edit", label}, {"patch", json::diff(last, next)}});
    if (fd < 0 ? !begin(line) : !append(line))
      return fmt::format("{} cannot be written ({}), so edits are not kept until the reel is saved; save it now, elsewhere if need be.",
                         file_of(reel_file).string(), std::strerror(errno));
    last = std::move(next);
    return {};
  }
};

Journal::Journal(fs::path reel_file, const std::string& saved) : writer_(std::make_unique<Writer>()) {
  writer_->reel_file = std::move(reel_file);
  writer_->saved = saved;
  thread_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
}

Journal::~Journal() {
  if (thread_.joinable()) flush();
}

fs::path Journal::file_of(const fs::path& reel_file) { return reel_file.string() + ".journal"; }

void Journal::tell(std::shared_ptr<const Reel> now, std::string label) {
  const std::lock_guard lock(mutex_);
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

std::string Journal::take_problem() {
  const std::lock_guard lock(mutex_);
  return std::exchange(problem_, {});
}

void Journal::work(const std::stop_token& stop) {
  std::unique_lock lock(mutex_);
  while (true) {
    wake_.wait(lock, stop, [&] { return next_ != nullptr; });
    if (!next_) return;  // stopped
    const auto now = std::exchange(next_, nullptr);
    const auto label = label_;
    busy_ = true;
    lock.unlock();
    const auto problem = writer_->write(*now, label);
    lock.lock();
    busy_ = false;
    if (!problem.empty()) problem_ = problem;
    done_.notify_all();
    // A drag brings sixty states a second; the newest is enough.
    wake_.wait_for(lock, stop, apart, [&] { return hurry_; });
  }
}

// --- reading ---

std::optional<Recovered> recover(const fs::path& reel_file) {
  const std::string saved = read_text(reel_file);
  std::error_code error;
  if (!fs::exists(Journal::file_of(reel_file), error)) return std::nullopt;
  const std::string all = read_text(Journal::file_of(reel_file));
  Recovered out;
  json state;
  bool first = true;
  for (size_t at = 0; at < all.size();) {
    const auto end = all.find('\n', at);
    if (end == std::string::npos) break;
    const auto content = content_of(std::string_view(all).substr(at, end - at));
    at = end + 1;
    if (!content) break;
    try {
      if (first) {
        if (content->value("drevan_journal", 0) != 1 || content->value("saved", "") != hash_of(saved)) return std::nullopt;
        state = json::parse(saved);
        first = false;
        continue;
      }
      auto next = state.patch(content->at("patch"));
      // Only what can be a reel counts.
      out.reel = reel_from_text(next.dump(), reel_file.parent_path(), Journal::file_of(reel_file).string());
      state = std::move(next);
      out.last_label = content->value("edit", "");
      ++out.edits;
    } catch (const json::exception&) {
      break;
    } catch (const Error&) {
      break;
    }
  }
  return out.edits > 0 ? std::optional(std::move(out)) : std::nullopt;
}

}  // namespace drevan
