// SPDX-License-Identifier: GPL-3.0-or-later
// One clip rendered on two threads: the same bits, the same errors.
#include <gtest/gtest.h>

#include "audio/error.h"
#include "engine/rendering/render.h"
#include "support/extent.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;

class SideThread : public testing::Test {
 protected:
  RenderResult render(const Chain& chain, bool side, const std::filesystem::path& out,
                      RenderLength length = RenderLength::ring, bool cancelled = false) {
    FindingStore store;
    CancelToken cancel;
    RenderRequest request{plan_of({t / "in.wav", 0, -1, 48000, ClipRange{0, 0.6}}, chain), out};
    request.length = length;
    request.side_thread = side;
    return render_clip(request, store, cancel, [&](double p) {
      if (cancelled && p > 0.3) cancel.cancel();
    });
  }
  TempFolder t;
};

TEST_F(SideThread, MakesTheSameBitsAndMeasuresTheSame) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  AudioBuffer x = test::words(0.3, 3);
  test::add(x, test::noise(0.002, 3, 3), 0);
  AudioBuffer two(2, x.frames());
  for (int c = 0; c < 2; ++c) std::ranges::copy(x.channel(0), two.channel(c).begin());
  const Chain chains[] = {
      {},
      {{make_step("gain")}},
      {{make_step("noise-reduction"), make_step("cut"), make_step("compressor"),
        make_step("normalise")}},
      {{make_step("pan"), make_step("limiter"), make_step("reverse"), make_step("equaliser"),
        make_step("normalise"), make_step("limiter")}},
      {{test::with("cut", {{"low_hz", 60}, {"high_hz", 300}}), make_step("compressor"),
        test::with("speed", {{"speed_pct", 130}}), make_step("gate"), make_step("saturation")}}};
  for (AudioBuffer* in : {&x, &two}) {
    test::write_wav(t / "in.wav", *in);
    for (const auto& chain : chains)
      for (const auto length : {RenderLength::ring, RenderLength::same}) {
        const auto a = render(chain, false, t / "a.wav", length);
        const auto b = render(chain, true, t / "b.wav", length);
        EXPECT_EQ(test::bytes(t / "a.wav"), test::bytes(t / "b.wav")) << chain.steps.size();
        EXPECT_EQ(a.after.loudness_lufs, b.after.loudness_lufs);
        EXPECT_EQ(a.before.sample_peak_dbfs, b.before.sample_peak_dbfs);
        EXPECT_EQ(a.lead, b.lead);
        ASSERT_EQ(a.after_outline.size(), b.after_outline.size());
        EXPECT_TRUE(std::ranges::equal(a.after_outline, b.after_outline,
                                       [](const PeakPair& p, const PeakPair& q) {
                                         return p.low == q.low && p.high == q.high;
                                       }));
      }
  }
}

TEST_F(SideThread, TellsWhatCannotBeWrittenAndIsCancelledLeavingNothing) {
  AudioBuffer x = test::words(0.3, 20);
  test::write_wav(t / "in.wav", x);
  const Chain chain{
      {make_step("noise-reduction"), make_step("compressor"), make_step("normalise")}};
  EXPECT_THROW(render(chain, true, t / "out.wav", RenderLength::ring, true), Cancelled);
  EXPECT_THROW(render(chain, true, t / "no folder" / "out.wav"), Error);
  EXPECT_TRUE(test::left_over(t.path()).empty());
}

}  // namespace
}  // namespace drevan
