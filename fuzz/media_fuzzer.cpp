// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/buffer.h"
#include "fuzzing.h"
#include "media/reader.h"

// A media file of any content: either a sentence that says why not, or sound that is finite.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  static const auto file = fuzz::folder() / "x.wav";
  fuzz::write(file, fuzz::text(data, size));
  fuzz::must_only_throw_error([&] {
    const auto reader = open_audio(file);
    const auto& info = reader->info();
    fuzz::require(info.channels >= 1 && info.channels <= max_channels && info.frames >= 0 &&
                  info.rate > 0);
    AudioBuffer buffer(info.channels, 512);
    for (int blocks = 0; blocks < 40; ++blocks) {
      const int n = reader->read(buffer.block());
      fuzz::require(n >= 0 && n <= 512);
      for (int c = 0; c < info.channels; ++c)
        for (const float v : buffer.channel(c).first(static_cast<std::size_t>(n)))
          fuzz::require(v - v == 0);
      if (n == 0) break;
    }
    reader->seek(info.frames / 2);
    reader->read(buffer.block());
  });
  return 0;
}
