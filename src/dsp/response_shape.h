// SPDX-License-Identifier: GPL-3.0-or-later
// The answer of a room or a device to a clap, bent to what is wanted.
#pragma once

#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// What is done to a response, in this order.
struct ResponseShape {
  double start_s = 0;      ///< what comes earlier is left out; 0: its first sound, below: before it
  double length = 1;       ///< so many times as long, 0.25 to 4
  bool keeps_tone = true;  ///< or like a tape that runs slower: longer is darker
  double decay = 1;        ///< its sound takes so many times as long to die away
  double low_hz = 0;       ///< what is lower is taken away, 12 dB an octave; 0: nothing
  double high_hz = 0;      ///< what is higher; 0: nothing
};

/// Frames that stand before the first sound, so that it begins softly: half a millisecond.
int response_lead(double rate);

/// The first frame in which any channel reaches a tenth of the peak of all; 0 where all is silent.
Samples first_sound(const AudioBuffer& response);

/// Energy of all channels from a frame on, in slots of 5 ms.
std::vector<double> response_energy(const AudioBuffer& response, Samples from, double rate);

/// How a response dies away: from its first sound on, its slope, and where it is lost in noise.
struct ResponseDecay {
  double t60_s = 0;    ///< seconds to fall by 60 dB; 0: too short to tell
  double noise_s = 0;  ///< from here on there is only noise; the end where there is none
};
/// By M. R. Schroeder, "New method of measuring reverberation time", JASA 37, 1965: the energy that
/// is still to come, as far as the noise, from -5 to -35 dB or as far as it goes.
ResponseDecay response_decay(const AudioBuffer& response, double rate);

/// The response with its first sound (or what it is to start with) at the frame response_lead(),
/// at most `longest` frames. What is at its end below -100 dB of all is left off.
///
/// Lengthened with its tone: pieces of 4 to 40 ms that overlap, from places that stray a little, so
/// that no rhythm is heard; the direct sound stays one. Decay: an exponential, that lets what noise
/// there is fall as well.
AudioBuffer shape_response(const AudioBuffer& response, double rate, const ResponseShape& shape,
                           Samples longest);

/// What makes a response as loud as what enters, for sound with the spectrum of speech: the gain of
/// its channels' mean energy between 100 Hz and, falling by 6 dB an octave, 700 Hz. 1 where it is
/// silent.
double even_gain(const AudioBuffer& response, double rate);

}  // namespace drevan
