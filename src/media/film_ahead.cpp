// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_ahead.h"

#include <algorithm>
#include <utility>

#include "audio/guarded_thread.h"

namespace drevan {

namespace {
// Pictures that wait, and seconds that are decoded through rather than jumped over.
constexpr std::ptrdiff_t most_ahead = 10;
constexpr double near_s = 1.0;
}  // namespace

FilmAhead::FilmAhead(std::filesystem::path file, int width, int height)
    : file_(std::move(file)), width_(width), height_(height) {
  thread_ = guarded_thread([this](const std::stop_token& stop) { work(stop); },
                           [this](Problem why) {
                             const std::lock_guard lock(mutex_);
                             error_ = std::move(why);
                             failed_ = true;
                           });
}

FilmAhead::~FilmAhead() {
  thread_.request_stop();
  wake_.notify_all();
}

std::ptrdiff_t FilmAhead::seen() const {
  std::ptrdiff_t at = -1;
  while (at + 1 < std::ssize(ready_) &&
         ready_[static_cast<size_t>(at + 1)]->at_s <= wanted_ + same_moment_s)
    ++at;
  return at;
}

void FilmAhead::look_at(double s) {
  const std::lock_guard lock(mutex_);
  if (std::max(0.0, s) == wanted_) return;
  wanted_ = std::max(0.0, s);
  const bool before = !ready_.empty() && seen() < 0 && ready_.front()->at_s > same_moment_s;
  const bool far_behind = !ended_ && !ready_.empty() && wanted_ > ready_.back()->at_s + near_s;
  if (before || far_behind || (ended_ && ready_.empty())) jump_ = true;
  wake_.notify_all();
}

std::shared_ptr<const FilmPicture> FilmAhead::picture() const {
  const std::lock_guard lock(mutex_);
  if (ready_.empty()) return nullptr;
  return ready_[static_cast<size_t>(std::max<std::ptrdiff_t>(0, seen()))];
}

bool FilmAhead::exact() const {
  const std::lock_guard lock(mutex_);
  if (jump_ || jumping_ || ready_.empty()) return false;
  return ended_ || failed_ || seen() + 1 < std::ssize(ready_);
}

int FilmAhead::rotation_deg() const {
  const std::lock_guard lock(mutex_);
  return rotation_deg_;
}

Problem FilmAhead::take_error() {
  const std::lock_guard lock(mutex_);
  return std::exchange(error_, {});
}

void FilmAhead::work(const std::stop_token& stop) {
  FilmPictures film(file_, PixelForm::rgb, width_, height_);
  std::unique_lock lock(mutex_);
  rotation_deg_ = film.rotation_deg();
  while (!stop.stop_requested()) {
    // What is behind is not looked at any more.
    if (!jump_)
      for (auto at = seen(); at > 0; --at) ready_.pop_front();
    const auto busy = [&] {
      return jump_ || (!ended_ && std::ssize(ready_) - 1 - seen() < most_ahead);
    };
    if (!busy()) {
      wake_.wait(lock, stop, busy);
      continue;
    }
    const bool jumps = jumping_ = std::exchange(jump_, false);
    const double to = wanted_;
    lock.unlock();
    if (jumps) film.seek(to);
    auto next = film.next();
    lock.lock();
    // Meanwhile something else was wanted: this picture is shown nevertheless until that is
    // there.
    if (jumps) ready_.clear();
    jumping_ = false;
    ended_ = !next;
    if (next) ready_.push_back(std::make_shared<const FilmPicture>(std::move(*next)));
  }
}

}  // namespace drevan
