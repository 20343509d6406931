#include "media/writer.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sndfile.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <cstring>
#include <vector>

#include "audio/error.h"
#include "media/interleave.h"

namespace drevan {

namespace fs = std::filesystem;

std::string_view extension(Container container) {
  return container == Container::wav ? ".wav" : ".flac";
}

Samples quantise(std::span<const float> in, std::span<std::int32_t> out, int bits,
                 std::uint64_t& state) {
  const auto scale = static_cast<double>(1LL << (bits - 1));
  const double highest = scale - 1;
  const int shift = 32 - bits;
  Samples clipped = 0;
  for (size_t i = 0; i < in.size(); ++i) {
    // xorshift64* (Marsaglia 2003, Vigna 2016): two 32-bit numbers a step, their difference is
    // triangular over +-1 LSB.
    state ^= state >> 12;
    state ^= state << 25;
    state ^= state >> 27;
    const std::uint64_t r = state * 0x2545f4914f6cdd1dULL;
    const double dither =
        (static_cast<double>(r >> 32) - static_cast<double>(r & 0xffffffffU)) * 0x1p-32;
    const double x = static_cast<double>(in[i]) * scale;
    if (x > highest || x < -scale) ++clipped;
    const double y = std::min(std::max(std::nearbyint(x + dither), -scale), highest);
    out[i] = static_cast<std::int32_t>(static_cast<std::int64_t>(y) * (1LL << shift));
  }
  return clipped;
}

struct AudioWriter::Impl {
  fs::path goal, part;
  WriteFormat format;
  SNDFILE* file = nullptr;
  Samples written = 0, clipped = 0;
  std::uint64_t random = 0x9e3779b97f4a7c15ULL;
  std::vector<float> interleaved;
  std::vector<std::int32_t> integers;

  Error failed(const std::string& why) const {
    return {Error::Kind::output, fmt::format("{} cannot be written: {}", goal.string(), why)};
  }
  Error failed_with(int error) const {
    if (error == ENOSPC || error == EDQUOT)
      return failed("the disk is full. Free some space or choose another folder; nothing was left "
                    "half-written.");
    if (error == EACCES || error == EROFS || error == EPERM)
      return failed("this folder is read-only for you. Choose another folder.");
    return failed(fmt::format("{}.", std::strerror(error)));
  }
  void open(Samples frames, const SourceMarks& marks);
  void add_marks(const SourceMarks& marks);
  ~Impl() {
    if (file) sf_close(file);
    std::error_code ignored;
    if (!part.empty()) fs::remove(part, ignored);
  }
};

void AudioWriter::Impl::open(Samples frames, const SourceMarks& marks) {
  SF_INFO info{};
  info.channels = format.channels;
  info.samplerate = static_cast<int>(std::lround(format.rate));
  const int bytes = format.samples == SampleType::int16 ? 2 : format.samples == SampleType::int24 ? 3 : 4;
  // Leave room for the header and a tail beyond the promise.
  const bool large = static_cast<double>(frames) * bytes * format.channels > 4.2e9;
  info.format = format.container == Container::flac ? SF_FORMAT_FLAC
                : large                             ? SF_FORMAT_RF64
                                                    : SF_FORMAT_WAV;
  info.format |= format.samples == SampleType::int16   ? SF_FORMAT_PCM_16
                 : format.samples == SampleType::int24 ? SF_FORMAT_PCM_24
                                                       : SF_FORMAT_FLOAT;
  // Hidden, beside the goal, and ours alone: two renders to one name cannot mix.
  part = goal.parent_path() / fmt::format(".{}.{}.part", goal.filename().string(), ::getpid());
  errno = 0;
  const int fd = ::open(part.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (fd < 0) {
    const int error = errno;
    part.clear();
    throw failed_with(error);
  }
  file = sf_open_fd(fd, SFM_WRITE, &info, SF_TRUE);
  if (!file) throw failed(fmt::format("{}.", sf_strerror(nullptr)));
  sf_command(file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
  add_marks(marks);
}

void AudioWriter::Impl::add_marks(const SourceMarks& marks) {
  if (!marks.description.empty())
    sf_set_string(file, SF_STR_COMMENT, marks.description.c_str());
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
                         const SourceMarks& marks)
    : impl_(std::make_unique<Impl>()) {
  impl_->goal = std::move(goal);
  impl_->format = format;
  if (format.container == Container::flac && format.samples == SampleType::float32)
    throw Error(Error::Kind::call, "FLAC cannot hold 32-bit float; choose 16 or 24 bits, or WAV.");
  if (format.container == Container::flac && format.channels > 8)
    throw Error(Error::Kind::call,
                fmt::format("FLAC holds up to 8 channels, this sound has {}; choose WAV.",
                            format.channels));
  impl_->open(frames, marks);
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
    w.clipped += quantise(w.interleaved, w.integers, w.format.samples == SampleType::int16 ? 16 : 24,
                          w.random);
    done = sf_writef_int(w.file, w.integers.data(), block.frames());
  }
  if (done != block.frames()) throw w.failed_with(errno != 0 ? errno : ENOSPC);
  w.written += block.frames();
}

void AudioWriter::commit() {
  Impl& w = *impl_;
  errno = 0;
  sf_write_sync(w.file);
  const int error = sf_close(w.file);
  w.file = nullptr;
  if (error != 0) throw w.failed_with(errno != 0 ? errno : ENOSPC);
  // libsndfile does not tell of every short write at the end: look whether all of it is there.
  SF_INFO info{};
  SNDFILE* check = sf_open(w.part.c_str(), SFM_READ, &info);
  const bool whole = check && info.frames == w.written;
  if (check) sf_close(check);
  if (!whole) throw w.failed_with(ENOSPC);
  std::error_code renamed;
  fs::rename(w.part, w.goal, renamed);
  if (renamed) throw w.failed_with(renamed.value());
  w.part.clear();
}

Samples AudioWriter::clipped() const { return impl_->clipped; }

}  // namespace drevan
