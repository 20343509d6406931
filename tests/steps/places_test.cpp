// Lines and walls where the stream is not what they were made for.
#include <gtest/gtest.h>

#include <cmath>

#include "support/steps.h"

namespace drevan {
namespace {

// Every entry of the list that settles how a step works, at the lowest and the highest rate of a
// reel and in an odd one without a common divisor, six channels, and with levels far over full
// scale.
TEST(Places, EveryKindWorksAtEveryRate) {
  for (const char* id : {"telephone", "radio-link", "wall"}) {
    const StepType& type = *find_step(id);
    for (size_t kind = 0; kind < type.parameters[0].choices.size(); ++kind)
      for (const double rate : {8000.0, 11025.0, 192000.0}) {
        ChainStep step = make_step(id);
        step.settings.values[0] = static_cast<double>(kind);
        const int channels = rate == 8000 ? 6 : 1;
        AudioBuffer x = test::sine(800, 3, 0.6, rate, channels);
        test::run_step(step, x, rate);
        for (int c = 0; c < channels; ++c) {
          for (const float v : x.channel(c))
            ASSERT_TRUE(std::isfinite(v)) << id << ' ' << kind << ' ' << rate;
          EXPECT_GT(test::rms(x.channel(c)), 1e-4) << id << ' ' << kind << " at " << rate;
        }
      }
  }
}

}  // namespace
}  // namespace drevan
