// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/measure_file.h"

#include "audio/denormals.h"

namespace drevan {

FileLevels measure_file(const std::filesystem::path& file, const CancelToken& cancel,
                        const Progress& progress) {
  // What dies away into silence would take a hundred times as long.
  const FlushDenormals flush;
  const auto reader = open_audio(file);
  FileLevels out{reader->info(), {}};
  const StreamFormat format{out.info.rate, out.info.channels, 16384};
  LevelMeter meter(format, Detail::full);
  AudioBuffer buffer(format.channels, format.max_block);
  Samples done = 0;
  for (int n = 0; (n = reader->read(buffer.block())) > 0;) {
    cancel.check();
    meter.hear(buffer.block(0, n));
    done += n;
    if (progress) progress(static_cast<double>(done) / static_cast<double>(out.info.frames));
  }
  out.levels = meter.levels();
  out.info.frames = done;
  for (const auto& told : reader->damage()) {
    out.info.warnings.push_back(told);
    out.info.whole = false;
  }
  return out;
}

}  // namespace drevan
