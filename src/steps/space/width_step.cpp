// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "dsp/smoothed.h"
#include "dsp/svf.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { width_pct, mono_below_hz };
constexpr double below_off = 20;

// What both channels have in common stays, what differs is made larger or smaller; below a corner it goes. Only
// stereo sounds are changed.
class Width final : public Processor {
 public:
  Width(const Settings& s, StreamFormat format)
      : stereo_(format.channels == 2), rate_(format.rate) {
    width_.prepare(rate_, 10, s[width_pct] / 100);
    hz_.prepare(rate_, 10, s[mono_below_hz]);
    filtered_.prepare(rate_, 10, s[mono_below_hz] > below_off ? 1 : 0);
    g_ = Svf::warped(hz_.value(), rate_);
  }
  void process(const AudioBlock& block) noexcept override {
    if (!stereo_) return;
    const auto l = block.channel(0), r = block.channel(1);
    for (size_t i = 0; i < l.size(); ++i) {
      const double width = width_.next(), filtered = filtered_.next();
      if (hz_.moving()) g_ = Svf::warped(hz_.next(), rate_);
      const double mid = 0.5 * (static_cast<double>(l[i]) + static_cast<double>(r[i]));
      const double side = 0.5 * (static_cast<double>(l[i]) - static_cast<double>(r[i]));
      // Middle and side stay in phase: the one passes the all-pass that belongs to the other's high-pass.
      const double turned = mid_.process(mid, g_).all;
      const double cut = second_.process(first_.process(side, g_).high, g_).high;
      if (width == 1 && filtered == 0) continue;
      const double m = mid + filtered * (turned - mid),
                   s = width * (side + filtered * (cut - side));
      l[i] = static_cast<float>(m + s);
      r[i] = static_cast<float>(m - s);
    }
  }
  // Until the ringing of a corner at the lowest has fallen by 80 dB: exp(-w t / sqrt 2).
  Samples tail() const noexcept override {
    return hz_.goal() > below_off ? static_cast<Samples>(rate_ * 2.6 / hz_.goal()) : 0;
  }
  void reset() noexcept override {
    for (Smoothed* s : {&width_, &hz_, &filtered_}) s->jump(s->goal());
    g_ = Svf::warped(hz_.value(), rate_);
    for (Svf* f : {&mid_, &first_, &second_}) f->reset();
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == width_pct) return width_.set(value / 100);
    hz_.set(value);
    filtered_.set(value > below_off ? 1 : 0);
  }

 private:
  bool stereo_;
  double rate_, g_ = 0;
  Smoothed width_, hz_, filtered_;
  Svf mid_, first_, second_;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Width>(s, format);
}

std::string brief(const Settings& s) {
  return s[width_pct] == 0 ? "mono" : fmt::format("{:.0f} %", s[width_pct]);
}

}  // namespace

const StepType& width_step() {
  static const StepType type{
      .id = "width",
      .label = "Width",
      .summary = "makes a stereo sound wider or narrower",
      .family = Family::space,
      .parameters = {{.id = "width_pct",
                      .label = "Width",
                      .unit = "%",
                      .least = 0,
                      .most = 200,
                      .standard = 100,
                      .help = "How much of what differs between left and right is left, in "
                              "percent: 0 % is mono, 100 % as it is."},
                     {.id = "mono_below_hz",
                      .label = "Mono below",
                      .unit = "Hz",
                      .least = below_off,
                      .most = 500,
                      .standard = below_off,
                      .scale = Scale::logarithmic,
                      .help = "Below this frequency (Hz) both sides are alike, so that deep sound "
                              "keeps its strength. The far left is off.",
                      .off_at = below_off}},
      .starting_points = {{"Solid ground", "deep sound in the middle", {{"mono_below_hz", 120}}},
                          {"Narrow", "an effect that stays behind a voice", {{"width_pct", 50}}},
                          {"Wide",
                           "wind and sea all round",
                           {{"width_pct", 150}, {"mono_below_hz", 150}}},
                          {"Mono", "both sides alike", {{"width_pct", 0}}}},
      .make = make,
      .brief = brief,
      .picture = FieldSpec{.place = width_pct, .middle_below = mono_below_hz},
  };
  return type;
}

}  // namespace drevan
