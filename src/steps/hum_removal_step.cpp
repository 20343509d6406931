#include <fmt/format.h>

#include <cmath>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/hum.h"
#include "dsp/smoothed.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { mains, depth_db, harmonics };
enum Mains : int { either, fifty, sixty };

// The finding: the fundamental, then each harmonic's height above its surroundings.
Findings from_hum(const Hum& hum) {
  Findings f{{static_cast<float>(hum.hz)}};
  f.values.insert(f.values.end(), hum.above_db.begin(), hum.above_db.end());
  return f;
}
Hum to_hum(const Findings& f) {
  Hum hum;
  if (f.values.size() != 1 + hum.above_db.size()) return hum;
  hum.hz = static_cast<double>(f.values[0]);
  std::copy_n(f.values.begin() + 1, hum.above_db.size(), hum.above_db.begin());
  return hum;
}

class Learn final : public Learner {
 public:
  Learn(int which, StreamFormat format) {
    if (which != sixty) finders_.emplace_back(format, 49.0, 51.0);
    if (which != fifty) finders_.emplace_back(format, 59.0, 61.0);
  }
  void hear(const AudioBlock& block) override {
    for (auto& f : finders_) f.hear(block);
  }
  Findings findings() const override {
    Findings best;
    double most = 0;
    for (const auto& f : finders_)
      if (const auto hum = f.find()) {
        double sum = 0;
        for (const float v : hum->above_db) sum += static_cast<double>(v);
        if (sum > most) most = sum, best = from_hum(*hum);
      }
    return best;
  }

 private:
  std::vector<HumFinder> finders_;
};

class HumRemoval final : public Processor {
 public:
  HumRemoval(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s), known_(!found.empty()), followers_(static_cast<size_t>(format.channels), HumFollower(format.rate, to_hum(found))),
        delay_(format.channels, followers_[0].latency()), hum_(static_cast<size_t>(format.channels)) {
    for (auto& f : followers_) f.set_harmonics(static_cast<int>(s[harmonics]));
    amount_.prepare(format.rate, 5, amount());
  }

  void process(const AudioBlock& block) noexcept override {
    if (!known_) return delay_.process(block);
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk);
      take(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return delay_.frames(); }
  void reset() noexcept override {
    for (auto& f : followers_) f.reset();
    delay_.reset();
    amount_.jump(amount_.goal());
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    amount_.set(amount());
    for (auto& f : followers_) f.set_harmonics(static_cast<int>(settings_[harmonics]));
  }
  void set_findings(const Findings& found) noexcept override {
    known_ = !found.empty();
    if (known_)
      for (auto& f : followers_) f.set_hum(to_hum(found));
  }

 private:
  static constexpr int chunk = 256;
  double amount() const { return 1 - from_db(-settings_[depth_db]); }

  void take(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    for (size_t c = 0; c < followers_.size(); ++c) followers_[c].process(block.channel(static_cast<int>(c)), std::span(hum_[c]).first(n));
    delay_.process(block);
    for (size_t i = 0; i < n; ++i) {
      const auto amount = static_cast<float>(amount_.next());
      for (size_t c = 0; c < followers_.size(); ++c) block.channel(static_cast<int>(c))[i] -= amount * hum_[c][i];
    }
  }

  Settings settings_;
  bool known_;
  std::vector<HumFollower> followers_;
  Delay delay_;
  std::vector<std::array<float, chunk>> hum_;
  Smoothed amount_;
};

std::unique_ptr<Learner> learn(const Settings& s, StreamFormat format) {
  return std::make_unique<Learn>(static_cast<int>(s[mains]), format);
}
std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<HumRemoval>(s, found, format);
}
// What a line that stands out is cut to, in the picture.
double response_db(const Settings&, double, double) { return 0; }
std::vector<FoundLine> found_lines(const Settings& s, const Findings& found) {
  std::vector<FoundLine> out;
  if (found.empty()) return out;
  const Hum hum = to_hum(found);
  for (int h = 0; h < std::min(most_hum_harmonics, static_cast<int>(s[harmonics])); ++h)
    if (hum.above_db[static_cast<size_t>(h)] > 0) out.push_back({(h + 1) * hum.hz, -s[depth_db]});
  return out;
}
std::string brief(const Settings& s) { return fmt::format("down {:.0f} dB", s[depth_db]); }

}  // namespace

const StepType& hum_removal_step() {
  static const StepType type{
      .id = "hum-removal",
      .label = "Hum removal",
      .summary = "takes mains hum and its harmonics out",
      .family = Family::clean,
      .parameters = {[] {
                       auto p = choice_parameter("mains", "Mains", {{"either", "Found by itself"}, {"50", "50 Hz"}, {"60", "60 Hz"}},
                                                 either, "Which hum is looked for; where exactly it lies is always found.");
                       p.learned_from = true;
                       return p;
                     }(),
                     {.id = "depth_db", .label = "Depth", .unit = "dB", .least = 0, .most = 60, .standard = 40,
                      .help = "How far the hum is turned down, in dB."},
                     {.id = "harmonics", .label = "Harmonics", .unit = "", .least = 1, .most = most_hum_harmonics,
                      .standard = most_hum_harmonics,
                      .help = "The highest multiple of the mains frequency that is looked at; only those that hum are taken.", .whole = true}},
      .starting_points = {{"Ground loop", "a buzz with many harmonics, all of it", {{"depth_db", 60}}},
                          {"Transformer near by", "the lowest few only, for a soft hum", {{"harmonics", 6}}},
                          {"A room that hums", "turned down, not out: the place stays", {{"depth_db", 14}}}},
      .hears = Hears::whole_clip,
      .learn = learn,
      .make = make,
      .brief = brief,
      .picture = Picture::response,
      .response_db = response_db,
      .handles = {{.y = depth_db, .hz = 1000, .down = true}},
      .found_lines = found_lines,
  };
  return type;
}

}  // namespace drevan
