// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/peaks.h"

#include <fmt/format.h>
#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdlib>
#include <fstream>

#include "audio/hash.h"
#include "dsp/sums.h"
#include "media/reader.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {
constexpr float steps_per_unit = 8192;
constexpr std::array<char, 8> magic{'d', 'r', 'v', 'p', 'e', 'a', 'k', '1'};

std::int16_t pack(float x) {
  return static_cast<std::int16_t>(std::clamp(std::lround(x * steps_per_unit), -32767L, 32767L));
}
}  // namespace

void PeakPyramid::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(static_cast<int>(cell) - filled_, block.frames() - done);
    for (int c = 0; c < block.channels(); ++c) {
      const auto in = block.channel(c).subspan(static_cast<size_t>(done), static_cast<size_t>(n));
      const auto [low, high] = std::ranges::minmax(in);
      const bool first = filled_ == 0 && c == 0;
      low_ = first ? low : std::min(low_, low);
      high_ = first ? high : std::max(high_, high);
    }
    filled_ += n;
    done += n;
    if (filled_ == cell) push(low_, high_);
  }
  frames_ += block.frames();
}

void PeakPyramid::push(float low, float high) {
  levels_[0].push_back({pack(low), pack(high)});
  filled_ = 0;
}

void PeakPyramid::finish() {
  if (filled_ > 0) push(low_, high_);
  build_upper();
}

void PeakPyramid::build_upper() {
  levels_.resize(1);
  while (levels_.back().size() > 4) {
    const auto& below = levels_.back();
    std::vector<Cell> above((below.size() + 3) / 4);
    for (size_t i = 0; i < below.size(); ++i) {
      Cell& to = above[i / 4];
      if (i % 4 == 0) to = below[i];
      to.low = std::min(to.low, below[i].low);
      to.high = std::max(to.high, below[i].high);
    }
    levels_.push_back(std::move(above));
  }
}

PeakPair PeakPyramid::range(Samples begin, Samples end) const {
  begin = std::max<Samples>(begin, 0);
  end = std::min(end, frames_);
  if (begin >= end) return {};
  size_t level = 0;
  Samples width = cell;
  while (level + 1 < levels_.size() && width * 4 <= end - begin) {
    ++level;
    width *= 4;
  }
  const auto& cells = levels_[level];
  const auto first = static_cast<size_t>(begin / width);
  const auto last = std::min(static_cast<size_t>((end - 1) / width), cells.size() - 1);
  Cell out = cells[first];
  for (size_t i = first; i <= last; ++i) {
    out.low = std::min(out.low, cells[i].low);
    out.high = std::max(out.high, cells[i].high);
  }
  return {static_cast<float>(out.low) / steps_per_unit,
          static_cast<float>(out.high) / steps_per_unit};
}

void Outline::hear(const AudioBlock& block) {
  constexpr auto n = static_cast<Samples>(columns);
  for (int done = 0; done < block.frames();) {
    const Samples column = std::min(at_ * n / frames_, n - 1);
    // Frames up to the next column's first.
    const Samples next =
        column + 1 < n ? ((column + 1) * frames_ + n - 1) / n : at_ + block.frames();
    const auto take = static_cast<int>(std::min<Samples>(next - at_, block.frames() - done));
    PeakPair& cell = cells_[static_cast<size_t>(column)];
    for (int c = 0; c < block.channels(); ++c) {
      const auto [low, high] = least_and_most(
          block.channel(c).subspan(static_cast<size_t>(done), static_cast<size_t>(take)));
      cell.low = std::min(cell.low, low);
      cell.high = std::max(cell.high, high);
    }
    done += take;
    at_ += take;
  }
}

bool PeakPyramid::save(const fs::path& file) const {
  std::error_code error;
  fs::create_directories(file.parent_path(), error);
  fs::path part = file;
  part += fmt::format(".{}.part", ::getpid());
  {
    std::ofstream out(part, std::ios::binary);
    const auto count = static_cast<std::uint64_t>(levels_[0].size());
    out.write(magic.data(), magic.size());
    out.write(reinterpret_cast<const char*>(&frames_), sizeof frames_);
    out.write(reinterpret_cast<const char*>(&count), sizeof count);
    out.write(reinterpret_cast<const char*>(levels_[0].data()),
              static_cast<std::streamsize>(count * sizeof(Cell)));
    if (!out.flush()) {
      fs::remove(part, error);
      return false;
    }
  }
  fs::rename(part, file, error);
  return !error;
}

std::shared_ptr<const PeakPyramid> PeakPyramid::load(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::array<char, 8> head{};
  auto out = std::make_shared<PeakPyramid>();
  std::uint64_t count = 0;
  in.read(head.data(), head.size());
  in.read(reinterpret_cast<char*>(&out->frames_), sizeof out->frames_);
  in.read(reinterpret_cast<char*>(&count), sizeof count);
  if (!in || head != magic || out->frames_ < 0 ||
      count != static_cast<std::uint64_t>((out->frames_ + cell - 1) / cell))
    return nullptr;
  std::error_code error;
  if (fs::file_size(file, error) != 24 + count * sizeof(Cell) || count == 0) return nullptr;
  out->levels_[0].resize(count);
  in.read(reinterpret_cast<char*>(out->levels_[0].data()),
          static_cast<std::streamsize>(count * sizeof(Cell)));
  if (!in) return nullptr;
  out->build_upper();
  return out;
}

fs::path peak_cache_folder() {
  const char* xdg = std::getenv("XDG_CACHE_HOME");
  if (xdg && *xdg) return fs::path(xdg) / "drevan" / "peaks";
  const char* home = std::getenv("HOME");
  return fs::path(home && *home ? home : "/tmp") / ".cache" / "drevan" / "peaks";
}

std::shared_ptr<const PeakPyramid> source_peaks(const fs::path& source, std::uint64_t content_hash,
                                                double rate, const CancelToken& cancel,
                                                const Progress& progress) {
  // A file may have changed since its content was known: its size and time go with the hash.
  std::error_code error;
  const auto size = fs::file_size(source, error);
  const auto time = fs::last_write_time(source, error).time_since_epoch().count();
  const auto key = Hasher().add(content_hash).add(size).add(time).value();
  const auto cached = peak_cache_folder() / fmt::format("{}-{:.0f}.peaks", to_hex(key), rate);
  if (content_hash != 0)
    if (auto found = PeakPyramid::load(cached)) return found;
  const auto reader = open_audio(source, rate);
  AudioBuffer buffer(reader->info().channels, 1 << 16);
  auto made = std::make_shared<PeakPyramid>();
  for (int n = 0; (n = reader->read(buffer.block())) > 0;) {
    cancel.check();
    made->hear(buffer.block(0, n));
    if (progress)
      progress(static_cast<double>(made->frames()) / static_cast<double>(reader->info().frames));
  }
  made->finish();
  if (content_hash != 0) made->save(cached);  // a full cache disk costs time, not sound
  return made;
}

}  // namespace drevan
