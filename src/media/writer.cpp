// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/writer.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sndfile.h>

#include <array>
#include <cerrno>
#include <cmath>
#include <vector>

#include "audio/error.h"
#include "dsp/clones.h"
#include "media/interleave.h"

namespace drevan {

namespace fs = std::filesystem;

std::string_view extension(Container container) {
  return container == Container::wav ? ".wav" : ".flac";
}

namespace {

// Triangular over +-1 LSB. xorshift64* (Marsaglia 2003, Vigna 2016): the difference of two 32-bit
// numbers a step.
void fill_dither(std::span<double> out, std::uint64_t& state) {
  std::uint64_t s = state;
  for (double& d : out) {
    s ^= s >> 12;
    s ^= s << 25;
    s ^= s >> 27;
    const std::uint64_t r = s * 0x2545f4914f6cdd1dULL;
    d = static_cast<double>(static_cast<std::int64_t>(r >> 32) -
                            static_cast<std::int64_t>(r & 0xffffffffU)) *
        0x1p-32;
  }
  state = s;
}

// Returns how many had to be clipped.
DREVAN_CLONES Samples round_with(const double* __restrict dither, const float* __restrict in,
                                 std::int32_t* __restrict out, size_t n, int bits) {
  const auto scale = static_cast<double>(1LL << (bits - 1));
  const double highest = scale - 1;
  const std::int32_t left = 1 << (32 - bits);
  // Added and taken off, it leaves a whole number, the nearest or the even one, as nearbyint()
  // does.
  constexpr double whole = 0x1.8p52;
  std::int32_t clipped = 0;
  for (size_t i = 0; i < n; ++i) {
    const double x = static_cast<double>(in[i]) * scale;
    clipped += static_cast<std::int32_t>(x > highest) + static_cast<std::int32_t>(x < -scale);
    double y = x + dither[i];
    y = y < -scale ? -scale : y;
    y = y > highest ? highest : y;
    out[i] = static_cast<std::int32_t>(y + whole - whole) * left;
  }
  return clipped;
}

}  // namespace

Samples quantise(std::span<const float> in, std::span<std::int32_t> out, int bits,
                 std::uint64_t& state) {
  Samples clipped = 0;
  std::array<double, 512> dither{};
  for (size_t done = 0; done < in.size();) {
    const size_t n = std::min(dither.size(), in.size() - done);
    fill_dither(std::span(dither).first(n), state);
    clipped += round_with(dither.data(), in.data() + done, out.data() + done, n, bits);
    done += n;
  }
  return clipped;
}

namespace {

// What the channels are when nothing tells: the usual order of WAVE files (Microsoft, "Multiple Channel Audio Data
// and WAVE Files"); 0 for counts that have none.
std::uint32_t usual_mask(int channels) {
  constexpr std::array<std::uint32_t, 9> masks{0, 0, 0, 0x7, 0x33, 0x37, 0x3f, 0x13f, 0x63f};
  return channels < static_cast<int>(masks.size()) ? masks[static_cast<size_t>(channels)] : 0;
}

std::vector<int> channel_map(std::uint32_t mask) {
  constexpr int places[] = {SF_CHANNEL_MAP_LEFT,
                            SF_CHANNEL_MAP_RIGHT,
                            SF_CHANNEL_MAP_CENTER,
                            SF_CHANNEL_MAP_LFE,
                            SF_CHANNEL_MAP_REAR_LEFT,
                            SF_CHANNEL_MAP_REAR_RIGHT,
                            SF_CHANNEL_MAP_FRONT_LEFT_OF_CENTER,
                            SF_CHANNEL_MAP_FRONT_RIGHT_OF_CENTER,
                            SF_CHANNEL_MAP_REAR_CENTER,
                            SF_CHANNEL_MAP_SIDE_LEFT,
                            SF_CHANNEL_MAP_SIDE_RIGHT};
  std::vector<int> out;
  for (size_t bit = 0; bit < std::size(places); ++bit)
    if ((mask >> bit) & 1U) out.push_back(places[bit]);
  return out;
}

}  // namespace

struct AudioWriter::Impl {
  fs::path goal;
  WriteFormat format;
  std::optional<ReplacementFile> place;
  SNDFILE* file = nullptr;
  Samples written = 0, clipped = 0;
  size_t unsent = 0;  // samples
  std::uint64_t random = 0x9e3779b97f4a7c15ULL;
  std::vector<float> interleaved;
  std::vector<std::int32_t> integers;

  void open(Samples frames, const SourceMarks& marks, ReplacementFile::Old old);
  void add_marks(const SourceMarks& marks);
  ~Impl() {
    if (file) sf_close(file);
  }
};

void AudioWriter::Impl::open(Samples frames, const SourceMarks& marks, ReplacementFile::Old old) {
  SF_INFO info{};
  info.channels = format.channels;
  info.samplerate = static_cast<int>(std::lround(format.rate));
  const int bytes = format.samples == SampleType::int16   ? 2
                    : format.samples == SampleType::int24 ? 3
                                                          : 4;
  // Leave room for the header and a tail beyond the promise.
  const bool large = static_cast<double>(frames) * bytes * format.channels > 4.2e9;
  info.format = format.container == Container::flac ? SF_FORMAT_FLAC
                : large                             ? SF_FORMAT_RF64
                                                    : SF_FORMAT_WAV;
  info.format |= format.samples == SampleType::int16   ? SF_FORMAT_PCM_16
                 : format.samples == SampleType::int24 ? SF_FORMAT_PCM_24
                                                       : SF_FORMAT_FLOAT;
  const auto map = format.container == Container::wav && format.channels > 2
                       ? channel_map(format.channel_mask != 0 ? format.channel_mask
                                                              : usual_mask(format.channels))
                       : std::vector<int>();
  const bool told = std::ssize(map) == format.channels;
  if (told && !large) info.format = SF_FORMAT_WAVEX | (info.format & SF_FORMAT_SUBMASK);
  place.emplace(goal, old);
  file = sf_open_fd(place->descriptor(), SFM_WRITE, &info, SF_FALSE);
  if (!file)
    throw Error(Error::Kind::output,
                fmt::format("{} cannot be written: {}.", goal.string(), sf_strerror(nullptr)));
  sf_command(file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
  // The PEAK chunk holds the time of day: the same sound would not give the same file.
  sf_command(file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
  if (told)
    sf_command(file, SFC_SET_CHANNEL_MAP_INFO, const_cast<int*>(map.data()),
               static_cast<int>(map.size() * sizeof(int)));
  add_marks(marks);
}

void AudioWriter::Impl::add_marks(const SourceMarks& marks) {
  if (!marks.description.empty()) sf_set_string(file, SF_STR_COMMENT, marks.description.c_str());
  if (format.container != Container::wav || (!marks.time_reference && marks.description.empty()))
    return;
  SF_BROADCAST_INFO bext{};
  marks.description.copy(bext.description, sizeof bext.description);
  std::string_view("Drevan").copy(bext.originator, sizeof bext.originator);
  const auto reference = static_cast<std::uint64_t>(marks.time_reference.value_or(0));
  bext.time_reference_low = static_cast<std::uint32_t>(reference);
  bext.time_reference_high = static_cast<std::uint32_t>(reference >> 32);
  bext.version = 1;
  sf_command(file, SFC_SET_BROADCAST_INFO, &bext, sizeof bext);
}

AudioWriter::AudioWriter(fs::path goal, const WriteFormat& format, Samples frames,
                         const SourceMarks& marks, ReplacementFile::Old old)
    : impl_(std::make_unique<Impl>()) {
  impl_->goal = std::move(goal);
  impl_->format = format;
  if (format.container == Container::flac && format.samples == SampleType::float32)
    throw Error(Error::Kind::call, "FLAC cannot hold 32-bit float; choose 16 or 24 bits, or WAV.");
  if (format.container == Container::flac && format.channels > 8)
    throw Error(Error::Kind::call,
                fmt::format("FLAC holds up to 8 channels, this sound has {}; choose WAV.",
                            format.channels));
  impl_->open(frames, marks, old);
}

AudioWriter::~AudioWriter() = default;

void AudioWriter::write(const AudioBlock& block) {
  Impl& w = *impl_;
  const auto count = static_cast<size_t>(block.frames()) * static_cast<size_t>(block.channels());
  w.interleaved.resize(count);
  interleave(block, w.interleaved);
  errno = 0;
  sf_count_t done = 0;
  if (w.format.samples == SampleType::float32) {
    done = sf_writef_float(w.file, w.interleaved.data(), block.frames());
  } else {
    w.integers.resize(count);
    w.clipped += quantise(w.interleaved, w.integers,
                          w.format.samples == SampleType::int16 ? 16 : 24, w.random);
    done = sf_writef_int(w.file, w.integers.data(), block.frames());
  }
  if (done != block.frames()) throw cannot_write(w.goal, errno != 0 ? errno : ENOSPC);
  w.written += block.frames();
  // The disk begins early, so that the end does not wait for all of it; it may refuse.
  if ((w.unsent += count) < (size_t{1} << 21)) return;
  w.unsent = 0;
  ::sync_file_range(w.place->descriptor(), 0, 0, SYNC_FILE_RANGE_WRITE);
}

void AudioWriter::commit() {
  Impl& w = *impl_;
  errno = 0;
  const int error = sf_close(w.file);
  w.file = nullptr;
  if (error != 0) throw cannot_write(w.goal, errno != 0 ? errno : ENOSPC);
  // libsndfile does not tell of every short write at the end: look whether all of it is there.
  SF_INFO info{};
  SNDFILE* check = sf_open(w.place->part().c_str(), SFM_READ, &info);
  const bool whole = check && info.frames == w.written;
  if (check) sf_close(check);
  if (!whole) throw cannot_write(w.goal, ENOSPC);
  w.place->commit();
}

Samples AudioWriter::clipped() const { return impl_->clipped; }

}  // namespace drevan
