// SPDX-License-Identifier: GPL-3.0-or-later
// How good a cleaned voice is, against the clean one it was made from. All mono at 48 kHz.
#pragma once

#include <span>
#include <vector>

namespace drevan::test {

/// Scale-invariant signal-to-distortion ratio, dB: J. Le Roux and others, "SDR - half-baked or well
/// done?", ICASSP 2019.
double si_sdr_db(std::span<const float> clean, std::span<const float> heard);

/// Short-time objective intelligibility, 0 to 1: C. Taal and others, "An algorithm for
/// intelligibility prediction of time-frequency weighted noisy speech", IEEE Trans. ASLP 19(7),
/// 2011. At 10 kHz, 15 third-octave bands from 150 Hz, 384 ms segments.
double stoi(std::span<const float> clean, std::span<const float> heard);

/// Log-spectral distance, dB, over 90 Hz to 7 kHz (what a G.722 recording holds), 2048-point
/// spectra, those within 40 dB of the loudest; levels below 60 dB under the loudest bin count as
/// that.
double log_spectral_distance(std::span<const float> clean, std::span<const float> heard);

/// Frames of 20 ms of the clean voice: speech within 30 dB of the loud level (95th percentile),
/// pauses 45 dB below it and at least 80 ms away from anything louder.
struct SpeechMap {
  static constexpr size_t frame = 960;
  std::vector<bool> speech, pause;
};
SpeechMap map_speech(std::span<const float> clean);

/// Level of the clean voice that is left in `heard` while there is speech, dB (by projection).
double speech_level_db(std::span<const float> clean, std::span<const float> heard,
                       const SpeechMap& map);
/// Power in the pauses against `noisy`, dB.
double pause_cut_db(std::span<const float> noisy, std::span<const float> heard,
                    const SpeechMap& map);
/// Natural logarithm of the ratio of kurtoses (fourth over squared second moment of bin powers, each
/// bin over its mean) in the pauses: how much the noise that is left twitters. After Y. Uemura and
/// others, "Automatic optimization scheme of spectral subtraction based on musical noise assessment
/// via higher-order statistics", IWAENC 2008.
double warble(std::span<const float> noisy, std::span<const float> heard, const SpeechMap& map);

/// Harmonics-to-noise ratio, dB, the median over the frames that have a pitch: P. Boersma,
/// "Accurate short-term analysis of the fundamental frequency and the harmonics-to-noise ratio of a
/// sampled sound", Proc. Institute of Phonetic Sciences Amsterdam 17, 1993. Windows of 60 ms, 65 to
/// 700 Hz.
double harmonicity_db(std::span<const float> x);

/// Pitch by the same autocorrelation every 10 ms, Hz; 0 where it is below 0.6 or all is quiet.
std::vector<double> pitches(std::span<const float> x);

/// Distance of two spectral envelopes, dB: the mean over speech frames of the rms difference of
/// their spectra between 200 Hz and 5 kHz, smoothed by keeping the cepstrum below 1.6 ms (what a
/// pitch below 600 Hz leaves alone), each brought to the same mean level.
double envelope_distance_db(std::span<const float> a, std::span<const float> b);

}  // namespace drevan::test
