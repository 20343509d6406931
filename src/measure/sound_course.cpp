// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/sound_course.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "measure/loudness.h"

namespace drevan {

namespace {

constexpr std::string_view mark = "drevan course 1\n";

float floored(double db) {
  return static_cast<float>(std::max(db, static_cast<double>(SoundCourse::nothing_db)));
}

}  // namespace

SoundCourse::Levels SoundCourse::over(double begin_s, double end_s) const {
  Levels out;
  const auto hear = [&out](float peak, float loudness) {
    out.peak_db = std::max(out.peak_db, peak);
    out.loudness_lufs = std::max(out.loudness_lufs, loudness);
  };
  const auto first = static_cast<std::ptrdiff_t>(std::floor(std::max(begin_s, 0.0) / cell_s));
  const auto last = std::min<std::ptrdiff_t>(
      std::ssize(peak_db), static_cast<std::ptrdiff_t>(std::ceil(end_s / cell_s)));
  for (auto i = first; i < last;) {
    if (i % many == 0 && i + many <= last && i / many < std::ssize(coarse)) {
      const Levels& all = coarse[static_cast<size_t>(i / many)];
      hear(all.peak_db, all.loudness_lufs);
      i += many;
    } else {
      hear(peak_db[static_cast<size_t>(i)], loudness_lufs[static_cast<size_t>(i)]);
      ++i;
    }
  }
  return out;
}

void SoundCourse::sum_up() {
  coarse.clear();
  std::vector<Levels> made;
  for (std::ptrdiff_t i = 0; i + many <= std::ssize(peak_db); i += many)
    made.push_back(over(static_cast<double>(i) * cell_s + 1e-9,
                        static_cast<double>(i + many) * cell_s - 1e-9));
  coarse = std::move(made);
}

SoundCourseMeter::SoundCourseMeter(StreamFormat format)
    : power_(format.rate),
      states_(static_cast<size_t>(format.channels)),
      weights_(channel_weights(format.channels)),
      cell_frames_(std::max(1, static_cast<int>(std::lround(format.rate * SoundCourse::cell_s)))) {}

void SoundCourseMeter::end_cell() {
  peaks_.push_back(floored(20 * std::log10(static_cast<double>(peak_) + 1e-12)));
  powers_.push_back(sum_ / filled_);
  sum_ = 0;
  peak_ = 0;
  filled_ = 0;
}

void SoundCourseMeter::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(cell_frames_ - filled_, block.frames() - done);
    for (size_t c = 0; c < states_.size(); ++c) {
      const auto x = block.part(done, n).channel(static_cast<int>(c));
      sum_ += weights_[c] * power_.of(x, states_[c]);
      for (const float s : x) peak_ = std::max(peak_, std::abs(s));
    }
    filled_ += n;
    done += n;
    if (filled_ == cell_frames_) end_cell();
  }
}

SoundCourse SoundCourseMeter::course() const {
  SoundCourseMeter whole = *this;
  if (whole.filled_ > 0) whole.end_cell();
  SoundCourse out;
  out.peak_db = whole.peaks_;
  constexpr std::ptrdiff_t around = 10;  // cells on either side: 400 ms
  const auto n = std::ssize(whole.powers_);
  std::vector<double> sums(static_cast<size_t>(n) + 1);
  for (size_t i = 0; i < whole.powers_.size(); ++i) sums[i + 1] = sums[i] + whole.powers_[i];
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const auto from = static_cast<size_t>(std::max<std::ptrdiff_t>(0, i - around)),
               to = static_cast<size_t>(std::min(n, i + around));
    const double mean = std::max(0.0, sums[to] - sums[from]) / static_cast<double>(2 * around);
    out.loudness_lufs.push_back(floored(-0.691 + 10 * std::log10(mean + 1e-15)));
  }
  out.sum_up();
  return out;
}

std::string to_bytes(const SoundCourse& course) {
  std::string out(mark);
  for (const auto* row : {&course.peak_db, &course.loudness_lufs})
    for (const float db : *row) {
      const auto value =
          static_cast<std::int16_t>(std::lround(std::clamp(db, -300.0F, 300.0F) * 100));
      out.append(reinterpret_cast<const char*>(&value), sizeof value);
    }
  return out;
}

std::shared_ptr<const SoundCourse> course_from_bytes(const std::string& bytes) {
  if (!bytes.starts_with(mark) || (bytes.size() - mark.size()) % 4 != 0) return nullptr;
  const size_t cells = (bytes.size() - mark.size()) / 4;
  auto out = std::make_shared<SoundCourse>();
  const char* at = bytes.data() + mark.size();
  for (auto* row : {&out->peak_db, &out->loudness_lufs})
    for (size_t i = 0; i < cells; ++i, at += 2) {
      std::int16_t value = 0;
      std::memcpy(&value, at, sizeof value);
      row->push_back(static_cast<float>(value) / 100);
    }
  out->sum_up();
  return out;
}

}  // namespace drevan
