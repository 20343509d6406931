// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/sndfile_reader.h"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <cstring>

#include "audio/error.h"
#include "audio/time_text.h"
#include "media/interleave.h"

namespace drevan {

namespace {

struct SndfileDeleter {
  void operator()(SNDFILE* f) const { sf_close(f); }
};

// The channels' loudspeakers as WAVE counts them; 0 when the file does not tell, or in another order.
std::uint32_t mask_of(SNDFILE* handle, int channels) {
  constexpr std::pair<int, unsigned> known[] = {{SF_CHANNEL_MAP_LEFT, 0},
                                                {SF_CHANNEL_MAP_FRONT_LEFT, 0},
                                                {SF_CHANNEL_MAP_RIGHT, 1},
                                                {SF_CHANNEL_MAP_FRONT_RIGHT, 1},
                                                {SF_CHANNEL_MAP_CENTER, 2},
                                                {SF_CHANNEL_MAP_FRONT_CENTER, 2},
                                                {SF_CHANNEL_MAP_LFE, 3},
                                                {SF_CHANNEL_MAP_REAR_LEFT, 4},
                                                {SF_CHANNEL_MAP_REAR_RIGHT, 5},
                                                {SF_CHANNEL_MAP_FRONT_LEFT_OF_CENTER, 6},
                                                {SF_CHANNEL_MAP_FRONT_RIGHT_OF_CENTER, 7},
                                                {SF_CHANNEL_MAP_REAR_CENTER, 8},
                                                {SF_CHANNEL_MAP_SIDE_LEFT, 9},
                                                {SF_CHANNEL_MAP_SIDE_RIGHT, 10}};
  std::vector<int> map(static_cast<size_t>(channels));
  if (sf_command(handle, SFC_GET_CHANNEL_MAP_INFO, map.data(),
                 static_cast<int>(map.size() * sizeof(int))) != SF_TRUE)
    return 0;
  std::uint32_t mask = 0;
  for (const int place : map) {
    const auto at = std::ranges::find(known, place, &std::pair<int, unsigned>::first);
    if (at == std::end(known) || (mask >> at->second) != 0) return 0;
    mask |= 1U << at->second;
  }
  return mask;
}

class SndfileReader final : public AudioReader {
 public:
  SndfileReader(SNDFILE* handle, const SF_INFO& sf, const std::filesystem::path& file)
      : file_(handle), name_(file.string()) {
    info_.channels = sf.channels;
    info_.rate = sf.samplerate;
    info_.frames = sf.frames;
    SF_BROADCAST_INFO bext{};
    if (sf_command(handle, SFC_GET_BROADCAST_INFO, &bext, sizeof bext) == SF_TRUE) {
      info_.time_reference = static_cast<std::int64_t>(
          (static_cast<std::uint64_t>(bext.time_reference_high) << 32) | bext.time_reference_low);
      info_.description.assign(bext.description,
                               strnlen(bext.description, sizeof bext.description));
    }
    info_.channel_mask = mask_of(handle, sf.channels);
    const double missing = missing_seconds(file);
    info_.whole = missing <= 0;
    if (missing > 0)
      info_.warnings.push_back(fmt::format(
          "{} is cut off: its header promises {} more than the file holds; the {} that are there "
          "are used. Copy it again from where it came from.",
          file.string(), length_text(missing), length_text(info_.seconds())));
  }

  const MediaInfo& info() const override { return info_; }

  void seek(Samples frame) override {
    const auto goal = std::clamp<Samples>(frame, 0, info_.frames);
    if (sf_seek(file_.get(), goal, SEEK_SET) != goal) throw failed();
    at_ = goal;
  }

  int read(const AudioBlock& block) override {
    interleaved_.resize(static_cast<size_t>(block.frames()) * static_cast<size_t>(info_.channels));
    const auto got = sf_readf_float(file_.get(), interleaved_.data(), block.frames());
    if (got < block.frames() && sf_error(file_.get()) != SF_ERR_NO_ERROR) throw failed();
    const auto n = static_cast<int>(got);
    at_ += n;
    if (n < block.frames() && at_ < info_.frames) ends_ = at_;
    deinterleave_finite(interleaved_, block.part(0, n));
    return n;
  }

  std::vector<std::string> damage() const override {
    if (!ends_) return {};
    return {
        fmt::format("{} ends after {}, though its header promises {}; the rest is missing. Copy it "
                    "again from where it came from.",
                    name_, length_text(static_cast<double>(*ends_) / info_.rate),
                    length_text(info_.seconds()))};
  }

 private:
  Error failed() const {
    return {Error::Kind::input, fmt::format("{} cannot be read on ({}); copy it again from where "
                                            "it came from.",
                                            name_, sf_strerror(file_.get()))};
  }

  std::unique_ptr<SNDFILE, SndfileDeleter> file_;
  Samples at_ = 0;
  std::optional<Samples> ends_{};  // where it ended before its header's length
  std::string name_;
  MediaInfo info_;
  std::vector<float> interleaved_;
};

std::uint32_t little_endian(const unsigned char* p) {
  return p[0] | (static_cast<std::uint32_t>(p[1]) << 8) | (static_cast<std::uint32_t>(p[2]) << 16) |
         (static_cast<std::uint32_t>(p[3]) << 24);
}

}  // namespace

double missing_seconds(const std::filesystem::path& file) {
  std::error_code error;
  const auto size = std::filesystem::file_size(file, error);
  if (error) return 0;
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> in(std::fopen(file.c_str(), "rb"), std::fclose);
  std::array<unsigned char, 28> h{};
  if (!in || std::fread(h.data(), 1, 12, in.get()) != 12) return 0;
  const bool rf64 = std::memcmp(h.data(), "RF64", 4) == 0;
  if ((!rf64 && std::memcmp(h.data(), "RIFF", 4) != 0) || std::memcmp(h.data() + 8, "WAVE", 4) != 0)
    return 0;
  std::uint64_t at = 12, data64 = 0;
  double bytes_per_second = 0;
  while (std::fseek(in.get(), static_cast<long>(at), SEEK_SET) == 0 &&
         std::fread(h.data(), 1, 8, in.get()) == 8) {
    std::uint64_t length = little_endian(h.data() + 4);
    if (std::memcmp(h.data(), "data", 4) == 0) {
      if (rf64 && length == 0xffffffffU) length = data64;
      if (length == 0xffffffffU || bytes_per_second <= 0) return 0;  // written as a stream
      const std::uint64_t there = size - (at + 8);
      return there < length ? static_cast<double>(length - there) / bytes_per_second : 0;
    }
    const bool format = std::memcmp(h.data(), "fmt ", 4) == 0;
    const bool sizes = std::memcmp(h.data(), "ds64", 4) == 0;
    if ((format || sizes) && std::fread(h.data() + 8, 1, 16, in.get()) != 16) return 0;
    if (format) bytes_per_second = little_endian(h.data() + 16);
    if (sizes)
      data64 = little_endian(h.data() + 16) |
               (static_cast<std::uint64_t>(little_endian(h.data() + 20)) << 32);
    at += 8 + length + (length & 1);
  }
  return 0;
}

std::unique_ptr<AudioReader> open_sndfile(const std::filesystem::path& file) {
  SF_INFO sf{};
  SNDFILE* handle = sf_open(file.c_str(), SFM_READ, &sf);
  if (!handle) return nullptr;
  // MP3 may not know its length, or lie about it, and a FLAC file written as a stream knows none; libav counts.
  if ((sf.format & SF_FORMAT_TYPEMASK) == SF_FORMAT_MPEG || sf.frames == SF_COUNT_MAX) {
    sf_close(handle);
    return nullptr;
  }
  return std::make_unique<SndfileReader>(handle, sf, file);
}

}  // namespace drevan
