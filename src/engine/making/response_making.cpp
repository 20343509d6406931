// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/making/response_making.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/error.h"
#include "dsp/response_shape.h"
#include "media/reader.h"
#include "media/response_file.h"
#include "media/writer.h"

namespace drevan {

namespace {

// More than three minutes at 48 kHz are no sweep and its answer.
constexpr Samples most_frames = 10'000'000;

AudioBuffer whole(AudioReader& reader, const std::filesystem::path& file,
                  const CancelToken& cancel) {
  AudioBuffer out(reader.info().channels, std::min(reader.info().frames, most_frames));
  Samples at = 0;
  while (at < out.frames()) {
    cancel.check();
    const int n =
        reader.read(out.block(at, static_cast<int>(std::min<Samples>(65536, out.frames() - at))));
    if (n == 0) break;
    at += n;
  }
  if (reader.info().frames > most_frames)
    throw Error(Error::Kind::input,
                fmt::format("{} is too long: cut it to the sweep and what rings on after it.",
                            file.string()));
  out.shorten(at);
  return out;
}

void write(const std::filesystem::path& file, AudioBuffer& sound, double rate, SampleType samples,
           const std::string& description) {
  AudioWriter writer(file, {.samples = samples, .rate = rate, .channels = sound.channels()},
                     sound.frames(), {.description = description, .time_reference = {}});
  for (Samples at = 0; at < sound.frames(); at += 65536)
    writer.write(sound.block(at, static_cast<int>(std::min<Samples>(65536, sound.frames() - at))));
  writer.commit();
}

}  // namespace

void write_sweep(const std::filesystem::path& file, const SweepShape& shape, double rate) {
  if (!(rate >= 8000 && rate <= 384000))
    throw Error(Error::Kind::call, "A sweep's rate lies between 8000 and 384000 Hz.");
  if (!(shape.from_hz >= 5 && shape.from_hz * 2 <= std::min(shape.to_hz, 0.46 * rate)))
    throw Error(
        Error::Kind::call,
        "A sweep rises from at least 5 Hz, by an octave or more, to below 0.46 of the rate.");
  if (!(shape.seconds >= 1 && shape.seconds <= 60 && shape.silence_s >= 0 && shape.silence_s <= 30))
    throw Error(Error::Kind::call,
                "A sweep takes 1 to 60 seconds and has at most 30 of silence after it.");
  AudioBuffer sweep = make_sweep(shape, rate);
  write(file, sweep, rate, SampleType::int24,
        fmt::format("Sweep from {:g} to {:g} Hz in {:g} s", shape.from_hz, shape.to_hz,
                    shape.seconds));
}

MadeResponse make_response(const std::filesystem::path& sweep_file,
                           const std::filesystem::path& recording_file,
                           const std::filesystem::path& out, const CancelToken& cancel) {
  const auto reader = open_audio(recording_file);
  const double rate = reader->info().rate;
  const AudioBuffer recording = whole(*reader, recording_file, cancel);
  const AudioBuffer sweep = whole(*open_audio(sweep_file, rate), sweep_file, cancel);
  auto response = response_of_sweep(sweep, recording, rate, longest_response_s, cancel);
  if (!response)
    throw Error(Error::Kind::input,
                fmt::format("{} does not hold the sweep of {}: choose the file that was played.",
                            recording_file.string(), sweep_file.filename().string()));
  write(out, *response, rate, SampleType::float32,
        fmt::format("Response of {}", recording_file.filename().string()));
  return {.channels = response->channels(),
          .rate = rate,
          .seconds = static_cast<double>(response->frames()) / rate,
          .t60_s = response_decay(*response, rate).t60_s};
}

}  // namespace drevan
