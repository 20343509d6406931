// SPDX-License-Identifier: GPL-3.0-or-later
// The pictures of a film, one after the other or from any moment on.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <vector>

#include "media/film_file.h"

namespace drevan {

/// Moments of pictures nearer than this are the same: containers round them to their own clocks.
constexpr double same_moment_s = 1e-4;

/// What of a picture is wanted.
enum class PixelForm {
  rgb,   ///< 3 bytes a pixel
  grey,  ///< 1 byte a pixel, its brightness
};

struct FilmPicture {
  int width = 0, height = 0;
  double at_s = 0;  ///< when it begins to be seen, counted from the film's first picture
  std::vector<std::uint8_t> pixels{};  ///< row by row from the top, without gaps
};

/// A film's picture stream. Not turned as a rotated film wants; see rotation_deg(). One thread at a
/// time.
class FilmPictures {
 public:
  /// Pictures are brought to `width` x `height` (by area); 0, 0: as they are. Throws Error(input).
  explicit FilmPictures(const std::filesystem::path& file, PixelForm form = PixelForm::rgb,
                        int width = 0, int height = 0);
  ~FilmPictures();
  FilmPictures(const FilmPictures&) = delete;
  FilmPictures& operator=(const FilmPictures&) = delete;

  const FilmInfo& info() const;
  /// By how much they must be turned to the right to stand upright: 0, 90, 180 or 270.
  int rotation_deg() const;
  /// The next picture will be the one that is seen at `s`: the last that begins no later, exactly.
  /// Before the first: the first. Behind the end: the last.
  void seek(double s);
  /// Nullopt at the end. What is broken is passed by, as far as the decoder can go on.
  std::optional<FilmPicture> next();

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace drevan
