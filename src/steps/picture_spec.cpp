// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/picture_spec.h"

namespace drevan {

namespace {

struct ParametersOf {
  std::vector<int> operator()(const LevelsSpec& s) const { return {s.line}; }
  std::vector<int> operator()(const ResponseSpec& s) const {
    std::vector<int> all;
    for (const auto& band : s.bands) all.insert(all.end(), {band.hz, band.gain, band.q});
    return all;
  }
  std::vector<int> operator()(const TransferSpec& s) const {
    return {s.threshold, s.ceiling, s.ratio, s.drive, s.make_up, s.hold};
  }
  std::vector<int> operator()(const ReductionSpec& s) const { return {s.depth}; }
  std::vector<int> operator()(const CourseSpec& s) const { return {s.line, s.up, s.down, s.most}; }
  std::vector<int> operator()(const BandsSpec& s) const {
    std::vector<int> all = s.corners;
    for (const auto& band : s.bands) all.insert(all.end(), {band.threshold, band.ratio});
    return all;
  }
  std::vector<int> operator()(const ClockSpec& s) const { return {s.length}; }
  std::vector<int> operator()(const FieldSpec& s) const { return {s.place, s.middle_below}; }
  std::vector<int> operator()(const MotionSpec& s) const {
    return {s.rate, s.depth, s.bottom, s.top, s.phase, s.moved_by, s.shape};
  }
  std::vector<int> operator()(const TapsSpec& s) const {
    std::vector<int> all;
    for (const auto& tap : s.taps) all.insert(all.end(), {tap.time, tap.level, tap.feedback});
    return all;
  }
  std::vector<int> operator()(const DecaySpec& s) const {
    return {s.decays[0], s.decays[1], s.decays[2], s.begins, s.early, s.late};
  }
  std::vector<int> operator()(const CopiesSpec& s) const {
    std::vector<int> all{s.dry};
    for (const auto& c : s.copies) all.insert(all.end(), {c.shift, c.pan, c.level, c.delay});
    return all;
  }
  std::vector<int> operator()(const NotesSpec& s) const { return {s.shift, s.fine, s.formant}; }
  std::vector<int> operator()(const VocoderSpec& s) const {
    return {s.lowest, s.highest, s.bands, s.shift, s.carrier_hz};
  }
  std::vector<int> operator()(const WallSpec& s) const { return {s.thickness, s.opening}; }
  std::vector<int> operator()(const LoudspeakerSpec& s) const {
    return {s.low, s.high, s.drive, s.angle};
  }
  std::vector<int> operator()(const EchogramSpec& s) const {
    return {s.start, s.length, s.decay, s.begins, s.mix};
  }
  std::vector<int> operator()(const PlanSpec& s) const {
    return {s.azimuth, s.elevation, s.distance, s.x,         s.y,      s.z,
            s.placed,  s.stand_x,   s.stand_y,  s.width,     s.length, s.height,
            s.turn,    s.faces,     s.path,     s.path_size, s.decay};
  }
};

}  // namespace

std::vector<int> parameters_of(const PictureSpec& picture) {
  return std::visit(ParametersOf{}, picture);
}

}  // namespace drevan
