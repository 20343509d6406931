// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/response_file.h"

#include <fmt/format.h>
#include <mysofa.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>
#include <vector>

#include "audio/error.h"
#include "audio/utf8.h"
#include "dsp/sofa_shape.h"
#include "media/resampled_reader.h"

namespace drevan {

namespace {

namespace fs = std::filesystem;

struct Fault {
  std::string what;
};
struct Free {
  void operator()(MYSOFA_HRTF* h) const { mysofa_free(h); }
};

// A sound that is already in memory.
class HeldReader final : public AudioReader {
 public:
  HeldReader(AudioBuffer sound, double rate) : sound_(std::move(sound)) {
    info_.channels = sound_.channels();
    info_.rate = rate;
    info_.frames = sound_.frames();
  }
  const MediaInfo& info() const override { return info_; }
  void seek(Samples frame) override { at_ = std::min(frame, sound_.frames()); }
  int read(const AudioBlock& block) override {
    const int n = static_cast<int>(std::min<Samples>(block.frames(), sound_.frames() - at_));
    block.part(0, n).copy_from(sound_.block(at_, n));
    at_ += n;
    return n;
  }

 private:
  AudioBuffer sound_;
  MediaInfo info_;
  Samples at_ = 0;
};

AudioBuffer all_of(AudioReader& reader) {
  const MediaInfo& info = reader.info();
  const auto most = static_cast<Samples>(longest_response_s * info.rate) + 1;
  const Samples promised = std::clamp<Samples>(info.frames, 1, most);
  AudioBuffer out(info.channels, promised);
  Samples at = 0;
  while (at < promised) {
    const int n =
        reader.read(out.block(at, static_cast<int>(std::min<Samples>(16384, promised - at))));
    if (n == 0) break;
    at += n;
  }
  if (at >= most)
    throw Fault{fmt::format("is longer than {:g} s, too long for a response", longest_response_s)};
  if (at == 0) throw Fault{"holds no sound"};
  out.shorten(at);
  return out;
}

std::unique_ptr<AudioReader> open_sofa(const fs::path& file, int measurement) {
  int error = MYSOFA_OK;
  const std::unique_ptr<MYSOFA_HRTF, Free> sofa(mysofa_load(file.c_str(), &error));
  if (!sofa || error != MYSOFA_OK) throw Fault{"is no SOFA file that can be read"};
  const auto ears = static_cast<size_t>(sofa->R), n = static_cast<size_t>(sofa->N);
  if (sofa->M < 1 || ears < 1 || n < 1) throw Fault{"holds no responses"};
  if (ears > max_channels)
    throw Fault{fmt::format("has {} receivers, at most {} are possible", ears, max_channels)};
  if (!sofa->DataIR.values || !holds_responses(sofa->DataIR.elements, sofa->M, ears, n))
    throw Fault{"holds fewer responses than it says"};
  if (n > static_cast<size_t>(longest_response_s * 384000))
    throw Fault{fmt::format("is longer than {:g} s, too long for a response", longest_response_s)};
  const double rate = sofa->DataSamplingRate.elements > 0
                          ? static_cast<double>(sofa->DataSamplingRate.values[0])
                          : 0;
  if (!(rate >= 8000 && rate <= 384000)) throw Fault{fmt::format("has a rate of {:g} Hz", rate)};
  const auto m = static_cast<size_t>(
      std::clamp(measurement, 1, static_cast<int>(std::min(sofa->M, 1U << 30))) - 1);
  // Each receiver's own delay, in frames; one for all measurements, or each its own.
  const auto delay = [&](size_t ear) -> size_t {
    const size_t at =
        sofa->DataDelay.elements >= static_cast<size_t>(sofa->M) * ears ? m * ears + ear : ear;
    if (at >= sofa->DataDelay.elements) return 0;
    const float frames = sofa->DataDelay.values[at];
    return frames > 0 ? static_cast<size_t>(std::min(frames, 1e6F)) : 0;
  };
  size_t longest = 0;
  for (size_t ear = 0; ear < ears; ++ear) longest = std::max(longest, delay(ear));
  AudioBuffer sound(static_cast<int>(ears), static_cast<Samples>(n + longest));
  for (size_t ear = 0; ear < ears; ++ear)
    for (size_t i = 0; i < n; ++i) {
      const float v = sofa->DataIR.values[(m * ears + ear) * n + i];
      sound.channel(static_cast<int>(ear))[i + delay(ear)] = std::isfinite(v) ? v : 0.0F;
    }
  return std::make_unique<HeldReader>(std::move(sound), rate);
}

std::unique_ptr<AudioReader> open_response(const fs::path& file, int measurement) {
  const std::string ending = folded(file.extension().string());
  return ending == ".sofa" ? open_sofa(file, measurement) : open_audio(file);
}

// At its own rate. Throws Fault, and Error(input) with a whole sentence.
AudioBuffer measured(const fs::path& file, int measurement, double& rate) {
  const auto reader = open_response(file, measurement);
  rate = reader->info().rate;
  AudioBuffer out = all_of(*reader);
  bool silent = true;
  for (int c = 0; c < out.channels(); ++c)
    silent = silent && std::ranges::all_of(out.channel(c), [](float v) { return v == 0; });
  if (silent) throw Fault{"is silent"};
  return out;
}

AudioBuffer read_response(const fs::path& file, int measurement, double rate) {
  double own = 0;
  AudioBuffer sound = measured(file, measurement, own);
  if (own == rate) return sound;
  // With room for the filter on both sides.
  const auto margin = static_cast<Samples>(0.005 * own);
  AudioBuffer wide(sound.channels(), sound.frames() + margin);
  for (int c = 0; c < sound.channels(); ++c)
    std::ranges::copy(sound.channel(c), wide.channel(c).begin());
  ResampledReader reader(std::make_unique<HeldReader>(std::move(wide), own), rate);
  AudioBuffer out = all_of(reader);
  // As many more samples mean as much less each.
  const auto gain = static_cast<float>(own / rate);
  for (int c = 0; c < out.channels(); ++c)
    for (float& v : out.channel(c)) v *= gain;
  return out;
}

using FileState = std::tuple<fs::path, fs::file_time_type, std::uintmax_t>;
FileState state_of(const fs::path& file) {
  std::error_code error;
  return {file, fs::last_write_time(file, error), fs::file_size(file, error)};
}

}  // namespace

std::shared_ptr<const AudioBuffer> load_response(const fs::path& file, int measurement,
                                                 double rate) {
  using Key = std::tuple<FileState, int, double>;
  static std::mutex mutex;
  static std::map<Key, std::shared_ptr<const AudioBuffer>> all;
  const Key key{state_of(file), measurement, rate};
  {
    const std::lock_guard lock(mutex);
    if (const auto at = all.find(key); at != all.end()) return at->second;
  }
  try {
    auto out = std::make_shared<const AudioBuffer>(read_response(file, measurement, rate));
    const std::lock_guard lock(mutex);
    if (all.size() >= 8) all.clear();
    return all[key] = std::move(out);
  } catch (const Fault& fault) {
    throw Error(Error::Kind::input,
                fmt::format("{} {}. Choose another response.", file.string(), fault.what), file);
  }
}

std::string response_fault(std::string_view name) {
  static std::mutex mutex;
  static std::map<FileState, std::string> all;
  const FileState state = state_of(name);
  {
    const std::lock_guard lock(mutex);
    if (const auto at = all.find(state); at != all.end()) return at->second;
  }
  std::string out;
  try {
    double rate = 0;
    measured(name, 1, rate);
  } catch (const Fault& fault) {
    out = fault.what;
  } catch (const Error&) {
    out = "cannot be read as sound";
  }
  const std::lock_guard lock(mutex);
  if (all.size() >= 64) all.clear();
  return all[state] = out;
}

}  // namespace drevan
