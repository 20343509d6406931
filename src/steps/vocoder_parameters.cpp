#include "steps/vocoder_parameters.h"

#include "dsp/band_bank.h"
#include "steps/common_parameters.h"

namespace drevan::vocoder {

namespace {

Parameter level_of(std::string_view id, std::string_view label, std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = "dB",
          .least = off_db,
          .most = 6,
          .standard = off_db,
          .help = help,
          .off_at = off_db};
}

}  // namespace

std::vector<Parameter> parameters() {
  Parameter carriers = choice_parameter("carrier", "Carrier",
                                        {{"noise", "noise"},
                                         {"saw", "saw"},
                                         {"pulse", "pulses"},
                                         {"chord", "chord"},
                                         {"own_pitch", "own pitch, steady"},
                                         {"sound", "another sound"}},
                                        noise, "What speaks with the voice's words.");
  carriers.paces = true;
  return {std::move(carriers),
          {.id = "carrier_hz",
           .label = "Pitch",
           .unit = "Hz",
           .least = 30,
           .most = 1000,
           .standard = 110,
           .scale = Scale::logarithmic,
           .help = "Of saw and pulses.",
           .paces = true},
          {.id = "bands",
           .label = "Bands",
           .least = 4,
           .most = BandBank::most,
           .standard = 24,
           .help = "How finely the voice is heard: few are a machine, many are clear.",
           .fixed = true,
           .whole = true},
          {.id = "low_hz",
           .label = "From",
           .unit = "Hz",
           .least = 50,
           .most = 500,
           .standard = 100,
           .scale = Scale::logarithmic,
           .help = "Where the lowest band begins.",
           .fixed = true},
          {.id = "high_hz",
           .label = "To",
           .unit = "Hz",
           .least = 2000,
           .most = 16000,
           .standard = 8000,
           .scale = Scale::logarithmic,
           .help = "Where the highest band ends.",
           .fixed = true},
          {.id = "attack_ms",
           .label = "Attack",
           .unit = "ms",
           .least = 0.5,
           .most = 100,
           .standard = 3,
           .scale = Scale::logarithmic,
           .help = "How soon a band grows louder with the voice."},
          {.id = "release_ms",
           .label = "Release",
           .unit = "ms",
           .least = 5,
           .most = 1000,
           .standard = 15,
           .scale = Scale::logarithmic,
           .help = "How soon a band fades with the voice; long ones smear the words."},
          {.id = "shift_st",
           .label = "Band shift",
           .unit = "st",
           .least = -12,
           .most = 12,
           .standard = 0,
           .help = "The carrier's bands against the voice's: up is smaller, down is larger."},
          {.id = "flatten_pct",
           .label = "Even carrier",
           .unit = "%",
           .least = 0,
           .most = 100,
           .standard = 100,
           .help = "How much of the carrier's own ups and downs is taken from it, so that all "
                   "bands speak."},
          level_of("sharp_db", "S sounds", "The voice's own s and t, let through."),
          level_of("carrier_db", "Carrier level", "The carrier itself beside the result."),
          choice_parameter("hear", "Hear", {{"result", "result"}, {"carrier", "carrier alone"}},
                           result, "The carrier alone, to tune it."),
          mix_parameter(100),
          level_parameter()};
}

}  // namespace drevan::vocoder
