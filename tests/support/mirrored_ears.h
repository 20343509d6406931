// SPDX-License-Identifier: GPL-3.0-or-later
// A set of ears other than the standard one, made of it.
#pragma once

#include <zlib.h>

#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <stdexcept>
#include <vector>

#include "support/sounds.h"

namespace drevan::test {

/// The standard head of libmysofa with its directions mirrored: what stands in the file for the
/// right is what was measured on the left. A SOFA file is HDF5 inside; its directions are one piece
/// of degrees, degrees and metres, its bytes sorted by their place in a number, then deflated.
inline void write_mirrored_ears(const std::filesystem::path& to) {
  std::vector<char> file = bytes("/usr/share/libmysofa/default.sofa");
  constexpr size_t directions = 710, numbers = 3 * directions, size = 8 * numbers;
  for (size_t at = 0; at + 2 < file.size(); ++at) {
    if (file[at] != '\x78') continue;
    std::vector<unsigned char> sorted(size + 1);
    z_stream z{};
    inflateInit(&z);
    z.next_in = reinterpret_cast<unsigned char*>(file.data() + at);
    z.avail_in = static_cast<unsigned>(file.size() - at);
    z.next_out = sorted.data();
    z.avail_out = static_cast<unsigned>(sorted.size());
    const bool whole = inflate(&z, Z_FINISH) == Z_STREAM_END && z.total_out == size;
    const size_t room = z.total_in;
    inflateEnd(&z);
    if (!whole) continue;
    for (size_t i = 0; i < numbers; i += 3) {
      unsigned char raw[8];  // NOLINT
      for (size_t b = 0; b < 8; ++b) raw[b] = sorted[b * numbers + i];
      double azimuth = 0;
      std::memcpy(&azimuth, raw, 8);
      azimuth = std::fmod(360 - azimuth, 360);
      std::memcpy(raw, &azimuth, 8);
      for (size_t b = 0; b < 8; ++b) sorted[b * numbers + i] = raw[b];
    }
    std::vector<unsigned char> packed(compressBound(size));
    uLongf used = packed.size();
    compress2(packed.data(), &used, sorted.data(), size, 9);
    if (used > room) throw std::runtime_error("mirrored directions need more room");
    std::memcpy(file.data() + at, packed.data(), used);
    std::ofstream(to, std::ios::binary)
        .write(file.data(), static_cast<std::streamsize>(file.size()));
    return;
  }
  throw std::runtime_error("the standard head has no directions");
}

}  // namespace drevan::test
