// SPDX-License-Identifier: GPL-3.0-or-later
// What the step editor draws of a step, and what of the drawing can be held. A kind of picture is
// drawn by one class in desktop/pictures; what differs from step to step stands here. Numbers
// called after a setting are indices into StepType::parameters; -1: the step has no such setting.
#pragma once

#include <array>
#include <span>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "audio/sound.h"
#include "dsp/room.h"
#include "steps/picture.h"

namespace drevan {

struct Settings;
struct Findings;

/// Peak, loudness and noise floor before and after, and a line across them.
struct LevelsSpec {
  int line = -1;         ///< in dB
  bool is_gain = false;  ///< the line stands at the peak it leads to, not at its own value
};

/// A narrow line of the spectrum that a step found, and what it does to it.
struct FoundLine {
  double hz = 0, db = 0;
};

/// A dot of a response.
struct ResponseBand {
  int hz = -1, gain = -1, q = -1;
  double fixed_hz = 0;  ///< where it stands when no setting moves it sideways
  int page = 0;         ///< as Parameter::page
};

/// Gain over frequency, over the spectrum before and after.
struct ResponseSpec {
  double (*response_db)(const Settings&, double hz, double rate) = nullptr;
  std::vector<ResponseBand> bands{};
  double most_db = 6, least_db = -36;  ///< what the picture reaches
  bool gains_are_depths = false;       ///< the bands' gains count downwards
  std::vector<FoundLine> (*found_lines)(const Settings&, const Findings&) = nullptr;
  /// From and to where it looks for lines, in Hz.
  std::pair<double, double> (*looks_at_hz)(const Settings&) = nullptr;
};

/// Level out over level in. Readings: the level in dB, the reduction in dB.
struct TransferSpec {
  double (*transfer_db)(const Settings&, double in_db) = nullptr;
  int threshold = -1;  ///< an upright line where the curve bends
  int ceiling = -1;    ///< a level line that nothing passes
  int ratio = -1;      ///< how much it bends on its side of the threshold
  int drive = -1;      ///< how far all is lifted before the curve
  int make_up = -1;
  int hold = -1;             ///< an upright line below which the gain stays put
  bool bends_below = false;  ///< its side is below the threshold: an expander
};

/// The room tone and what is taken of it, per band. Readings: 64 gains in dB, see band_hz().
struct ReductionSpec {
  /// The learned mean power per bin of the first channel, within the finding.
  std::span<const float> (*learned_power)(const Findings&, StreamFormat) = nullptr;
  int depth = -1;
};

/// A level over time against a line. Readings: level, reduction and line in dB.
struct CourseSpec {
  int line = -1;
  int up = -1, down = -1;  ///< how far it lifts and lowers towards the line
  int most = -1;           ///< how much it takes at most
};

/// A band between two corners.
struct BandSpec {
  int threshold = -1, ratio = -1;
};

/// Thresholds of bands over frequency. Readings: level and reduction in dB for each band. Band n's
/// settings are on page n + 1.
struct BandsSpec {
  int (*count)(const Settings&) = nullptr;  ///< how many of the bands there are now
  std::vector<int> corners{};               ///< where band n ends and the next begins, in Hz
  std::vector<BandSpec> bands{};
};

/// When things happen before and after: of a rewriter.
struct ClockSpec {
  int length = -1;  ///< the setting that the length rises or falls with, in percent
};

/// Where sounds stand between left and right.
struct FieldSpec {
  int place = -1;         ///< in percent: from left to right, or how wide
  int middle_below = -1;  ///< in Hz: what is lower stands in the middle
};

/// What moves to and fro over two cycles: a gain, a delay, a frequency.
struct MotionSpec {
  /// The value of line `line` where so many cycles have gone.
  double (*at)(const Settings&, double cycles, int line) = nullptr;
  double least = 0, most = 1;  ///< what the picture reaches
  std::string_view unit{};
  bool logarithmic = false;
  int rate = -1;              ///< in Hz: a cycle's length, dragged sideways
  int depth = -1;             ///< how far it goes, dragged up and down at its far end
  int bottom = -1, top = -1;  ///< the values between which it goes, in the picture's unit
  int phase = -1;             ///< in degrees: how far the right side goes behind
  /// What moves it, where that can be the sound's loudness, and the oscillator's shape, see
  /// common_parameters.h.
  int moved_by = -1, shape = -1;
  int (*lines)(const Settings&) = nullptr;  ///< how many; nullptr: one
};

/// One repeat of an echo.
struct TapSpec {
  int time = -1, level = -1, feedback = -1;  ///< in ms, dB, percent
  int page = 0;                              ///< as Parameter::page
};

/// Repeats on a time line.
struct TapsSpec {
  std::vector<TapSpec> taps{};
  double most_s = 2;  ///< what the picture reaches at least
};

/// How the sound of a space dies away in three bands: low, middle, high.
struct DecaySpec {
  /// dB of a band so many seconds after a clap, the direct sound being 0 dB.
  double (*at_db)(const Settings&, int band, double s) = nullptr;
  std::array<int, 3> decays{-1, -1, -1};  ///< in s: when each has fallen by 60 dB
  int begins = -1;                        ///< in ms: when it begins
  int early = -1, late = -1;              ///< in dB
  /// When the early part, and when the late one begins, in s.
  double (*early_s)(const Settings&) = nullptr;
  double (*late_s)(const Settings&) = nullptr;
};

/// One copy of a voice.
struct CopySpec {
  int shift = -1, pan = -1, level = -1, delay = -1;  ///< in semitones, percent, dB, ms
  int page = 0;                                      ///< as Parameter::page
};

/// Copies of a voice by where they stand and how much higher they are.
struct CopiesSpec {
  std::vector<CopySpec> copies{};
  int dry = -1;         ///< level of the voice itself, in dB
  double most_st = 12;  ///< what the picture reaches
};

/// The pitch of a voice over time before and after, and both spectra. Its step tells pitches, see
/// Tells.
struct NotesSpec {
  int shift = -1, fine = -1;  ///< in semitones and cents; a note that is dragged writes a curve
  int formant = -1;           ///< in semitones
};

/// Bands of a voice and what they make of a carrier. Readings: of each band the voice's level in
/// dB, then of each the result's.
struct VocoderSpec {
  int lowest = -1, highest = -1;  ///< in Hz
  int bands = -1;                 ///< how many
  int shift = -1;                 ///< of the carrier's bands, in semitones
  int carrier_hz = -1;            ///< its pitch
  double (*centre_hz)(const Settings&, int band) = nullptr;
};

/// A wall cut open: one layer, or two with air between.
struct WallLayers {
  std::string_view label;
  std::vector<double> mm;
};

/// A wall cut open, and what comes through it over frequency.
struct WallSpec {
  double (*response_db)(const Settings&, double hz, double rate) = nullptr;
  WallLayers (*layers)(const Settings&) = nullptr;
  int thickness = -1;  ///< in mm
  int opening = -1;    ///< in square metres
};

/// What comes out of a device over frequency, how much it distorts over level, and where it
/// radiates to.
struct LoudspeakerSpec {
  std::vector<double> (*response_db)(const Settings&, std::span<const double> hz) = nullptr;
  /// Of a tone that enters at these levels, where its cone hardly moves or where it moves most.
  std::vector<double> (*distortion_pct)(const Settings&, std::span<const double> level_db,
                                        bool at_resonance) = nullptr;
  double (*directivity_db)(const Settings&, double hz, double angle_deg) = nullptr;
  std::pair<double, double> (*ends_hz)(const Settings&) = nullptr;
  /// The level of what enters at which its amplifier clips.
  double (*clips_at_db)(const Settings&) = nullptr;
  int low = -1, high = -1;  ///< how far its ends are moved, in semitones
  int drive = -1;           ///< in dB
  int angle = -1;           ///< in degrees
};

/// A place from above and from the side, to scale. Metres; sides in the order of RoomSide.
struct PlanView {
  Place size, listener, source;
  bool held_back = false;  ///< a wall keeps the source nearer than it was put
  bool outdoors = false;
  std::array<std::string_view, 6> sides{};
  std::array<double, 6> hardness{};  ///< what the sides send back at 500 Hz and 1 kHz, 0 to 1
  std::vector<Place> path{};         ///< that the source takes; none: it stands
  std::vector<Place> bounces{};      ///< where its first reflections meet the walls
  double critical_m = 0;             ///< where room and direct sound are as loud; 0: there is none
  std::array<double, octave_count> decay_s{};  ///< seconds to fall by 60 dB, by octave
};

/// Where a source is heard from. Readings: the source's x, y and z.
struct PlanSpec {
  PlanView (*view)(const Settings&, double seconds) = nullptr;
  int azimuth = -1, elevation = -1, distance = -1;  ///< of the source, degrees and metres
  int x = -1, y = -1, z = -1;                       ///< of the source, metres in the room
  int placed = -1;                                  ///< 0: by the former, 1: by the latter
  int stand_x = -1, stand_y = -1;                   ///< of the listener, percent of the room
  int width = -1, length = -1, height = -1;
  int turn = -1, faces = -1;  ///< degrees
  int path_size = -1;         ///< metres
  int path = -1;              ///< which way it goes
  int drawn_path = -1;        ///< the one that is drawn by hand, among the choices of `path`
  int drawn_text = -1;        ///< which of the step's texts holds its points, "x y, x y" in metres
  int decay = -1;             ///< percent
  /// What stands on the pages 1, 2 and so on of its settings.
  std::vector<std::string_view> parts{};
};

/// A response over time: level in dB against its strongest place, from its first sound on.
struct ResponseCourse {
  double step_s = 0.005;                         ///< from value to value
  std::vector<float> recorded_db{}, heard_db{};  ///< before and after all that is done to it
  double t60_s = 0;  ///< seconds in which what is heard falls by 60 dB; 0: too short to tell
};

/// A recorded response, and what is made of it.
struct EchogramSpec {
  ResponseCourse (*course)(const Settings&) = nullptr;
  int start = -1;   ///< in ms: what it begins with
  int length = -1;  ///< in percent
  int decay = -1;   ///< in percent
  int begins = -1;  ///< in ms: when it answers
  int mix = -1;     ///< in percent
};

using PictureSpec =
    std::variant<LevelsSpec, ResponseSpec, TransferSpec, ReductionSpec, CourseSpec, BandsSpec,
                 ClockSpec, FieldSpec, MotionSpec, TapsSpec, DecaySpec, CopiesSpec, NotesSpec,
                 VocoderSpec, WallSpec, LoudspeakerSpec, PlanSpec, EchogramSpec>;

/// What a Picture holds.
struct AnyPicture {
  PictureSpec spec;
  static const PictureSpec& of(const Picture& picture) {
    static const PictureSpec levels;
    return picture.any_ ? picture.any_->spec : levels;
  }
};

template <class Spec>
Picture::Picture(Spec spec)
    : any_(std::make_shared<const AnyPicture>(AnyPicture{std::move(spec)})) {}

inline const PictureSpec& spec_of(const Picture& picture) { return AnyPicture::of(picture); }

/// Every setting that a picture names, for checks; -1 among them where it has none.
std::vector<int> parameters_of(const PictureSpec& picture);

}  // namespace drevan
