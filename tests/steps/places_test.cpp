// SPDX-License-Identifier: GPL-3.0-or-later
// Lines and walls where the stream is not what they were made for.
#include <gtest/gtest.h>

#include <cmath>

#include "support/extent.h"
#include "support/steps.h"

namespace drevan {
namespace {

// Every entry of the list that settles how a step works, at the lowest and the highest rate of a
// reel and in an odd one without a common divisor, six channels, and with levels far over full
// scale.
TEST(Places, EveryKindWorksAtEveryRate) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const char* id : {"telephone", "radio-link", "wall", "loudspeaker", "acoustics"}) {
    const StepType& type = *find_step(id);
    for (size_t kind = 0; kind < std::max<size_t>(1, type.parameters[0].choices.size()); ++kind)
      for (const double rate : {8000.0, 11025.0, 192000.0}) {
        ChainStep step = make_step(id);
        if (!type.parameters[0].choices.empty())
          step.settings.values[0] = static_cast<double>(kind);
        const int leave = channels_out(type, step.settings, 1);
        const int channels = rate == 8000 ? 6 : leave;
        AudioBuffer x = test::sine(800, 3, 0.6, rate, channels);
        test::run_step(step, x, rate);
        for (int c = 0; c < (channels == 6 && leave == 2 ? 2 : channels); ++c) {
          for (const float v : x.channel(c))
            ASSERT_TRUE(std::isfinite(v)) << id << ' ' << kind << ' ' << rate;
          EXPECT_GT(test::rms(x.channel(c)), 1e-4) << id << ' ' << kind << " at " << rate;
        }
      }
  }
}

// The smallest room there is, with the source where the ears are, and the largest; walls that take
// nothing, and nothing but openings; every listener.
TEST(Places, RoomsAtTheirBoundsAreFinite) {
  for (const double size : {0.5, 400.0})
    for (const double material : {2.0, 28.0})
      for (const double listener : {0.0, 1.0, 2.0, 3.0}) {
        const auto step = test::with("acoustics", {{"width_m", size},
                                                   {"length_m", size},
                                                   {"height_m", std::min(size, 100.0)},
                                                   {"floor", material},
                                                   {"ceiling", material},
                                                   {"front", material},
                                                   {"back", material},
                                                   {"left", material},
                                                   {"right", material},
                                                   {"decay_pct", 400},
                                                   {"distance_m", 0.2},
                                                   {"stand_x_pct", 0},
                                                   {"listener", listener}});
        AudioBuffer x = test::sine(300, 0.2, 0.5, 48000, 2);
        test::run_step(step, x);
        for (const float v : x.channel(0)) ASSERT_TRUE(std::isfinite(v)) << size << ' ' << listener;
        EXPECT_GT(test::rms(x.channel(0)), 1e-4) << size << ' ' << material << ' ' << listener;
        EXPECT_LT(test::rms(x.channel(0)), 100) << size << ' ' << material << ' ' << listener;
      }
}

}  // namespace
}  // namespace drevan
