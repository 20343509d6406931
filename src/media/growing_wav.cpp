// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/growing_wav.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sndfile.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <cstdint>
#include <vector>

#include "audio/replace_file.h"

namespace drevan {

namespace {
constexpr double full_24 = 8388608;  // 2^23
constexpr int left_24 = 256;         // 24 bits stand at the top of 32
}  // namespace

struct GrowingWav::Impl {
  std::filesystem::path path;
  Format format;
  SNDFILE* file = nullptr;
  int descriptor = -1;
  Samples frames = 0;
  std::vector<std::int32_t> integers;

  ~Impl() {
    if (file) sf_close(file);
    if (descriptor >= 0) ::close(descriptor);
  }
  [[noreturn]] void fail() const { throw cannot_write(path, errno != 0 ? errno : EIO); }
};

GrowingWav::GrowingWav(std::filesystem::path file, const Format& format)
    : impl_(std::make_unique<Impl>()) {
  Impl& w = *impl_;
  w.path = std::move(file);
  w.format = format;
  w.descriptor = ::open(w.path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  if (w.descriptor < 0) throw cannot_write(w.path, errno);
  SF_INFO info{};
  info.samplerate = static_cast<int>(std::lround(format.rate));
  info.channels = format.channels;
  info.format = SF_FORMAT_RF64 | (format.floating ? SF_FORMAT_FLOAT : SF_FORMAT_PCM_24);
  errno = 0;
  w.file = sf_open_fd(w.descriptor, SFM_WRITE, &info, SF_FALSE);
  if (!w.file) w.fail();
  // Below 4 GB it is a plain WAV.
  sf_command(w.file, SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
  sf_command(w.file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
  settle(false);
}

GrowingWav::~GrowingWav() = default;

void GrowingWav::write(std::span<const float> interleaved) {
  Impl& w = *impl_;
  const auto wanted = static_cast<sf_count_t>(interleaved.size());
  errno = 0;
  sf_count_t done = 0;
  if (w.format.floating) {
    done = sf_write_float(w.file, interleaved.data(), wanted);
  } else {
    w.integers.resize(interleaved.size());
    for (size_t i = 0; i < interleaved.size(); ++i) {
      const double x = std::clamp(std::nearbyint(static_cast<double>(interleaved[i]) * full_24),
                                  -full_24, full_24 - 1);
      w.integers[i] = static_cast<std::int32_t>(x) * left_24;
    }
    done = sf_write_int(w.file, w.integers.data(), wanted);
  }
  w.frames += done / w.format.channels;
  if (done != wanted) w.fail();
}

void GrowingWav::settle(bool to_disk) {
  errno = 0;
  sf_command(impl_->file, SFC_UPDATE_HEADER_NOW, nullptr, 0);
  if (sf_error(impl_->file) != SF_ERR_NO_ERROR) impl_->fail();
  if (to_disk && ::fdatasync(impl_->descriptor) != 0) impl_->fail();
}

Samples GrowingWav::frames() const { return impl_->frames; }
const std::filesystem::path& GrowingWav::file() const { return impl_->path; }

}  // namespace drevan
