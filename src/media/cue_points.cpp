// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/cue_points.h"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <memory>

#include "audio/error.h"
#include "audio/utf8.h"

namespace drevan {

std::vector<CuePoint> read_cue_points(const std::filesystem::path& file) {
  SF_INFO info{};
  const std::unique_ptr<SNDFILE, int (*)(SNDFILE*)> opened(sf_open(file.c_str(), SFM_READ, &info),
                                                           sf_close);
  if (!opened) {
    std::error_code error;
    if (std::filesystem::is_regular_file(file, error)) return {};
    throw Error(Error::Kind::input, fmt::format("{} cannot be read.", file.string()));
  }
  std::uint32_t count = 0;
  sf_command(opened.get(), SFC_GET_CUE_COUNT, &count, sizeof count);
  // The type of libsndfile has room for a hundred; a file may have more.
  count = std::min<std::uint32_t>(count, 100000);
  const size_t bytes = sizeof(std::uint32_t) + count * sizeof(SF_CUE_POINT);
  std::vector<std::uint32_t> space(bytes / sizeof(std::uint32_t) + 1);
  if (count == 0 ||
      sf_command(opened.get(), SFC_GET_CUE, space.data(), static_cast<int>(bytes)) != SF_TRUE)
    return {};
  const auto* points = reinterpret_cast<const SF_CUE_POINT*>(space.data() + 1);
  std::vector<CuePoint> out;
  for (std::uint32_t i = 0; i < std::min(count, space[0]); ++i) {
    const std::string name(points[i].name, ::strnlen(points[i].name, sizeof points[i].name));
    out.push_back({static_cast<Samples>(points[i].sample_offset), to_utf8(name)});
  }
  std::ranges::stable_sort(out, {}, &CuePoint::frame);
  return out;
}

}  // namespace drevan
