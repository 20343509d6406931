// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "dsp/smoothed.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { pan_pct, law_db };
enum Law : int { minus_3, minus_4_5, minus_6 };

// Gains left and right at 0 (left) to 1 (right). -3 dB: constant power, sine and cosine (D. Griesinger, "Stereo and
// surround panning in practice", AES 112, 2002, after A. Blumlein); -6 dB: constant sum; -4.5 dB: their geometric mean.
std::pair<double, double> gains(double t, int law) {
  const double angle = t * std::numbers::pi / 2;
  const double power_left = std::cos(angle), power_right = std::sin(angle);
  if (law == minus_3) return {std::max(0.0, power_left), power_right};
  if (law == minus_6) return {1 - t, t};
  return {std::sqrt(std::max(0.0, power_left) * (1 - t)), std::sqrt(power_right * t)};
}

// A mono sound gets its place between two loudspeakers; of a stereo sound one side becomes quieter. Others pass.
class Pan final : public Processor {
 public:
  Pan(const Settings& s, StreamFormat format)
      : channels_(format.channels), position_(s[pan_pct]), law_(static_cast<int>(s[law_db])) {
    const auto [left, right] = goals();
    left_.prepare(format.rate, 4, left);
    right_.prepare(format.rate, 4, right);
  }
  void process(const AudioBlock& block) noexcept override {
    if (channels_ > 2) return;
    const auto l = block.channel(0), r = block.channel(1);
    for (size_t i = 0; i < l.size(); ++i) {
      const float in_left = l[i], in_right = channels_ == 1 ? in_left : r[i];
      l[i] = static_cast<float>(left_.next()) * in_left;
      r[i] = static_cast<float>(right_.next()) * in_right;
    }
  }
  void reset() noexcept override {
    left_.jump(left_.goal());
    right_.jump(right_.goal());
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == pan_pct)
      position_ = value;
    else
      law_ = static_cast<int>(value);
    const auto [left, right] = goals();
    left_.set(left);
    right_.set(right);
  }

 private:
  std::pair<double, double> goals() const {
    const auto [left, right] = gains((position_ + 100) / 200, law_);
    if (channels_ == 1) return {left, right};
    // A balance leaves the side that it goes to as it is.
    const double middle = gains(0.5, law_).first;
    return {std::min(1.0, left / middle), std::min(1.0, right / middle)};
  }

  int channels_;
  double position_;
  int law_;
  Smoothed left_, right_;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Pan>(s, format);
}

std::string brief(const Settings& s) {
  if (s[pan_pct] == 0) return "middle";
  return fmt::format("{:.0f} % {}", std::abs(s[pan_pct]), s[pan_pct] < 0 ? "left" : "right");
}

}  // namespace

const StepType& pan_step() {
  static const StepType type{
      .id = "pan",
      .label = "Pan",
      .summary = "places a sound between left and right",
      .family = Family::space,
      .parameters =
          {{.id = "pan_pct",
            .label = "Position",
            .unit = "%",
            .least = -100,
            .most = 100,
            .standard = 0,
            .help = "-100 % is all left, 100 % all right. A mono sound becomes stereo; of a stereo "
                    "sound the other side becomes quieter."},
           choice_parameter(
               "law_db", "Law",
               {{"-3", "-3 dB, constant power"},
                {"-4.5", "-4.5 dB, between"},
                {"-6", "-6 dB, constant sum"}},
               minus_3,
               "How much quieter each loudspeaker is when a mono sound stands in the middle.")},
      .starting_points = {{"A little left", "one of two who talk", {{"pan_pct", -30}}},
                          {"A little right", "the other", {{"pan_pct", 30}}},
                          {"At the edge", "from beyond the picture", {{"pan_pct", 90}}}},
      .make = make,
      .channels_out = [](const Settings&, int in) { return in == 1 ? 2 : in; },
      .traits = {.role = Role::pan},
      .brief = brief,
      .picture = FieldSpec{.place = pan_pct},
  };
  return type;
}

}  // namespace drevan
