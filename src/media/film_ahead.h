// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of a film, decoded ahead of where they are looked at.
#pragma once

#include <condition_variable>
#include <deque>
#include <memory>
#include <mutex>
#include <string>
#include <thread>

#include "audio/error.h"
#include "media/film_pictures.h"

namespace drevan {

/// Decodes on a thread of its own. All functions return at once; they may be called by any one
/// thread.
class FilmAhead {
 public:
  /// Pictures are brought to `width` x `height`.
  FilmAhead(std::filesystem::path file, int width, int height);
  ~FilmAhead();
  FilmAhead(const FilmAhead&) = delete;
  FilmAhead& operator=(const FilmAhead&) = delete;

  /// Where it is looked at from now on, seconds from the first picture. Going on little by little
  /// is what it is made for; anything else is looked for anew.
  void look_at(double s);
  /// The picture that is seen at look_at()'s moment, or, while that is not decoded yet, the last
  /// one before it that is; nullptr: none is.
  std::shared_ptr<const FilmPicture> picture() const;
  /// Whether picture() is exactly the one.
  bool exact() const;
  /// See FilmPictures; 0 until the film was opened.
  int rotation_deg() const;
  /// What went wrong, once, in a sentence; the film then stands still. Empty: nothing.
  Problem take_error();

 private:
  void work(const std::stop_token& stop);
  // The index of the picture that is seen at wanted_; -1: there is none.
  std::ptrdiff_t seen() const;

  const std::filesystem::path file_;
  const int width_, height_;
  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  double wanted_ = 0;
  bool jump_ = true;      // what is ready is not what is wanted
  bool jumping_ = false;  // it is being looked for
  bool ended_ = false;    // no picture follows those that are ready
  bool failed_ = false;
  int rotation_deg_ = 0;
  Problem error_;
  std::deque<std::shared_ptr<const FilmPicture>> ready_;  // rising
  std::jthread thread_;
};

}  // namespace drevan
