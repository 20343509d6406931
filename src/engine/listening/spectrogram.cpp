// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/spectrogram.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "audio/decibel.h"
#include "audio/denormals.h"
#include "dsp/fft.h"

namespace drevan {

namespace {

using Clock = std::chrono::steady_clock;
constexpr auto telling_ms = std::chrono::milliseconds(120);
// What a place costs at least: the chain has to be run in before it.
constexpr double place_cost_s = 1.2;

// The last samples of a channel mix and their spectrum on the rows.
class Ear {
 public:
  Ear(int size, const std::vector<double>& edges_hz, double rate)
      : fft_(size),
        window_(hann_window(size)),
        past_(static_cast<size_t>(size)),
        time_(past_.size()),
        bins_(static_cast<size_t>(fft_.bins())),
        power_(bins_.size()) {
    for (const double hz : edges_hz)
      edges_.push_back(std::clamp(hz * size / rate, 0.0, static_cast<double>(fft_.bins() - 1)));
  }
  int size() const { return fft_.size(); }
  void hear(std::span<const float> x) {
    const auto n = static_cast<std::ptrdiff_t>(std::min(x.size(), past_.size()));
    std::copy(past_.begin() + n, past_.end(), past_.begin());
    std::copy(x.end() - n, x.end(), past_.end() - n);
  }
  /// Adds the power of each row, row 0 the highest. A full-scale sine is 1.
  void look(std::span<float> rows) {
    for (size_t i = 0; i < past_.size(); ++i) time_[i] = past_[i] * window_[i];
    fft_.forward(time_, bins_);
    const auto scale = 16.0F / static_cast<float>(size() * size());
    for (size_t k = 0; k < bins_.size(); ++k) power_[k] = std::norm(bins_[k]) * scale;
    for (size_t r = 0; r < rows.size(); ++r) rows[r] += row(edges_[r + 1], edges_[r]);
  }

 private:
  // The strongest bin of a row that covers several, in between bins where they lie wide apart.
  float row(double from, double to) const {
    const auto first = static_cast<size_t>(from),
               last = std::min(power_.size() - 1, static_cast<size_t>(std::ceil(to)));
    if (to - from > 1)
      return *std::max_element(power_.begin() + static_cast<std::ptrdiff_t>(first),
                               power_.begin() + static_cast<std::ptrdiff_t>(last) + 1);
    const double at = (from + to) / 2;
    const auto k = std::min(static_cast<size_t>(at), power_.size() - 2);
    const auto f = static_cast<float>(at - static_cast<double>(k));
    return power_[k] + f * (power_[k + 1] - power_[k]);
  }

  RealFft fft_;
  FloatVector window_;
  std::vector<float> past_;
  FloatVector time_;
  ComplexVector bins_;
  std::vector<float> power_;
  std::vector<double> edges_;
};

class Drawing {
 public:
  Drawing(const std::shared_ptr<const PlayPlan>& plan, const SpectrogramView& view,
          const CancelToken& cancel, const std::function<void(const Spectrogram&)>& told)
      : plan_(plan),
        cancel_(cancel),
        told_(told),
        run_(plan),
        rate_(plan->clip.sound.rate),
        like_(static_cast<float>(view.matched ? plan->fitted_gain : 1)) {
    image_.columns = view.columns;
    image_.rows = view.rows;
    image_.begin_s = view.begin_s;
    image_.length_s = view.length_s;
    image_.high_hz = std::min(image_.high_hz, 0.49 * rate_);
    std::vector<double> edges;
    for (int r = 0; r <= view.rows; ++r) edges.push_back(image_.hz_of_row(r));
    // Short windows where time is spread wide, long ones where it is not.
    const int size = view.length_s / view.columns < 0.012 ? 2048 : 4096;
    for (int i = 0; i < 3; ++i) ears_.emplace_back(size, edges, rate_);
    const auto cells = static_cast<size_t>(view.columns) * static_cast<size_t>(view.rows);
    for (auto& s : sums_) s.resize(cells);
    looks_.resize(static_cast<size_t>(view.columns));
    before_ = AudioBuffer(run_.channels(), PlayRun::block);
    after_ = before_;
    last_told_ = Clock::now();
  }

  void draw() {
    if (!plan_->from_clip.identity()) return draw_places();
    const double all_s = image_.length_s;
    // Places first, from coarse to fine, as long as they cost less than going through all of it.
    if (all_s > 30)
      for (int step = largest_step(); step >= 1 && image_.columns / step * place_cost_s < all_s;
           step /= 2) {
        for (int c = step / 2; c < image_.columns; c += step)
          if (looks_[static_cast<size_t>(c)] == 0) place(c);
        tell();
      }
    for (auto& s : sums_) std::ranges::fill(s, 0.0F);
    const auto coarse = image_;
    std::ranges::fill(looks_, 0);
    through(coarse);
    tell();
  }

 private:
  // Where the chain changes the clock every column is looked up by itself.
  void draw_places() {
    for (int step = largest_step(); step >= 1; step /= 2) {
      for (int c = step / 2; c < image_.columns; c += step)
        if (looks_[static_cast<size_t>(c)] == 0) place(c);
      tell();
    }
  }
  double column_s() const { return image_.length_s / image_.columns; }
  Samples frame(double seconds) const {
    return static_cast<Samples>(std::llround(seconds * rate_));
  }
  int largest_step() const {
    int step = 1;
    while (image_.columns / step * place_cost_s > 60) step *= 2;
    return step;
  }
  void next() {
    cancel_.check();
    auto b = before_.block(), a = after_.block();
    run_.next(b, a, -1);
    const float share = 1.0F / static_cast<float>(before_.channels());
    for (size_t i = 0; i < PlayRun::block; ++i) {
      float x = 0, y = 0;
      for (int c = 0; c < before_.channels(); ++c)
        x += share * before_.channel(c)[i], y += share * after_.channel(c)[i];
      mono_[0][i] = x;
      mono_[1][i] = y;
      mono_[2][i] = y - like_ * x;
    }
    for (size_t k = 0; k < 3; ++k) ears_[k].hear(mono_[k]);
  }
  void look(int column) {
    const auto rows = static_cast<size_t>(image_.rows);
    for (size_t k = 0; k < 3; ++k)
      ears_[k].look(std::span(sums_[k]).subspan(static_cast<size_t>(column) * rows, rows));
    ++looks_[static_cast<size_t>(column)];
  }
  void place(int column) {
    const Samples middle =
        frame(plan_->from_clip.out_of(image_.begin_s + (column + 0.5) * column_s()));
    run_.seek(std::max<Samples>(0, middle - ears_[0].size() / 2));
    for (int heard = 0; heard < ears_[0].size(); heard += PlayRun::block) next();
    look(column);
  }
  // From end to end; every column sees a window at least once in its span.
  void through(const Spectrogram& coarse) {
    const int half = ears_[0].size() / 2;
    run_.seek(std::max<Samples>(0, frame(image_.begin_s) - half));
    const double apart = std::min(column_s(), ears_[0].size() / rate_ / 2);
    double next_look = image_.begin_s;
    const double end =
        std::min(image_.begin_s + image_.length_s, static_cast<double>(run_.end()) / rate_);
    while (next_look < end) {
      next();
      const double middle = static_cast<double>(run_.position() - half) / rate_;
      if (middle < next_look) continue;
      const int column = std::clamp(static_cast<int>((middle - image_.begin_s) / column_s()), 0,
                                    image_.columns - 1);
      look(column);
      next_look = std::max(next_look + apart, middle);
      if (Clock::now() - last_told_ > telling_ms) {
        show(coarse, column);
        told_(image_);
        last_told_ = Clock::now();
      }
    }
  }
  // Columns that were not looked at take what the nearest before them has.
  void tell() {
    show(image_, image_.columns);
    told_(image_);
    last_told_ = Clock::now();
  }
  void show(const Spectrogram& behind, int until) {
    const auto rows = static_cast<size_t>(image_.rows),
               columns = static_cast<size_t>(image_.columns);
    std::array<std::vector<std::uint8_t>*, 3> out{&image_.before, &image_.after, &image_.removed};
    const std::array<const std::vector<std::uint8_t>*, 3> old{&behind.before, &behind.after,
                                                              &behind.removed};
    const auto first = std::ranges::find_if(looks_, [](int n) { return n > 0; }) - looks_.begin();
    for (size_t k = 0; k < 3; ++k) {
      std::vector<std::uint8_t> cells(rows * columns);
      auto last = static_cast<size_t>(first);
      for (size_t c = 0; c < columns; ++c) {
        if (looks_[c] > 0) last = c;
        const bool keep = static_cast<int>(c) > until && old[k]->size() == cells.size();
        for (size_t r = 0; r < rows; ++r)
          cells[r * columns + c] =
              keep ? (*old[k])[r * columns + c]
              : last < columns && looks_[last] > 0
                  ? Spectrogram::cell(static_cast<double>(sums_[k][last * rows + r]) / looks_[last])
                  : 0;
      }
      *out[k] = std::move(cells);
    }
  }

  std::shared_ptr<const PlayPlan> plan_;
  const CancelToken& cancel_;
  const std::function<void(const Spectrogram&)>& told_;
  PlayRun run_;
  double rate_;
  float like_;
  Spectrogram image_;
  std::vector<Ear> ears_;                   // before, after, removed
  std::array<std::vector<float>, 3> sums_;  // columns x rows
  std::vector<int> looks_;                  // per column
  AudioBuffer before_, after_;
  std::array<std::array<float, PlayRun::block>, 3> mono_{};
  Clock::time_point last_told_;
};

}  // namespace

std::uint8_t Spectrogram::cell(double power) {
  return static_cast<std::uint8_t>(std::clamp(255 + 2 * power_to_db(power), 0.0, 255.0));
}

double Spectrogram::hz_of_row(double row) const {
  return high_hz * std::pow(low_hz / high_hz, row / rows);
}

void draw_spectrogram(const std::shared_ptr<const PlayPlan>& plan, const SpectrogramView& view,
                      const CancelToken& cancel,
                      const std::function<void(const Spectrogram&)>& told) {
  const FlushDenormals flush;
  Drawing(plan, view, cancel, told).draw();
}

}  // namespace drevan
