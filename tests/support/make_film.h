// SPDX-License-Identifier: GPL-3.0-or-later
// A small film for tests, by libav: pictures in MPEG-4 that differ from each other.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "audio/buffer.h"
#include "media/film_pictures.h"

namespace drevan::test {

struct FilmOptions {
  int frames = 50;
  int frames_per_s = 25;
  double begins_s = 0;     ///< of the first picture, in the file's clock
  double sound_s = 0;      ///< of a tone as its sound; 0: none
  bool subtitles = false;  ///< two lines, in MKV
  bool chapters = false;   ///< two
  std::string timecode{};
  int width = 64, height = 48;
  int pixel_wide = 1, pixel_high = 1;  ///< how a pixel is shown
  /// Brightness of a place of a picture, 0 to 255; empty: slanted stripes that move.
  std::function<double(int frame, int x, int y)> paint{};
  int turned_right_deg = 0;  ///< how far it must be turned to stand upright
  int pause_after = -1;      ///< behind this picture the next one comes ten later
};
void make_film(const std::filesystem::path& file, const FilmOptions& options);

/// FilmOptions::paint: eight stripes that tell the number of a picture, 0 to 255.
double numbered(int frame, int x, int y);
/// That number, read in a picture of any size; `bytes`: of a pixel.
int number_of(const FilmPicture& picture, int bytes = 1);

/// One packet of a stream, as it stands in a file.
struct FilmPacket {
  double pts_s = 0;
  bool key = false;
  std::vector<unsigned char> data;
  friend bool operator==(const FilmPacket& a, const FilmPacket& b) {
    return a.key == b.key && a.data == b.data;
  }
};
enum class FilmStream { picture, sound, subtitle };
/// All packets of the `which`-th stream of a kind.
std::vector<FilmPacket> film_packets(const std::filesystem::path& file, FilmStream kind,
                                     int which = 0);
/// When the first one of a kind begins, seconds of the file's clock.
double film_stream_begins_s(const std::filesystem::path& file, FilmStream kind);

}  // namespace drevan::test
