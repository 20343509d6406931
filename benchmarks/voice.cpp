// SPDX-License-Identifier: GPL-3.0-or-later
#include "voice.h"

#include <algorithm>
#include <vector>

#include "libav_graph.h"
#include "media/reader.h"
#include "support/sounds.h"

namespace drevan::bench {

void write_voice(const std::filesystem::path& file, double seconds, int channels, SampleType type) {
  std::vector<AudioBuffer> prompts;
  for (const char* name : {"demo-congrats", "demo-instruct", "demo-moreinfo"})
    prompts.push_back(test::speech(name));
  std::vector<AudioBuffer> parts{test::silence(1)};
  for (const auto& p : prompts) {
    parts.push_back(p);
    parts.push_back(test::silence(0.8));
  }
  AudioBuffer mono = test::join(parts);
  test::add(mono, test::noise(0.003, static_cast<double>(mono.frames()) / 48000, 7), 0);
  AudioBuffer loop(channels, mono.frames());
  for (int c = 0; c < channels; ++c) std::ranges::copy(mono.channel(0), loop.channel(c).begin());
  const auto frames = static_cast<Samples>(seconds * 48000);
  AudioWriter writer(file, {Container::wav, type, 48000, channels}, frames, {});
  for (Samples done = 0; done < frames; done += loop.frames())
    writer.write(loop.block(0, static_cast<int>(std::min(loop.frames(), frames - done))));
  writer.commit();
}

void run_graph(const std::filesystem::path& file, const char* filters) {
  const auto reader = open_audio(file);
  AudioBuffer buffer(1, 4096);
  LibavGraph graph(filters, 48000, [](std::span<const float>) {});
  for (int n = 0; (n = reader->read(buffer.block())) > 0;)
    graph.feed(buffer.channel(0).first(static_cast<size_t>(n)));
  graph.finish();
}

}  // namespace drevan::bench
