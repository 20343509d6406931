// SPDX-License-Identifier: GPL-3.0-or-later
// The mix beside the picture: in mono, and against a reference.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QToolButton>
#include <cmath>

#include "desktop/driver.h"
#include "pages/scene/scene_page.h"
#include "reel/scene/scene_edits.h"
#include "work/mix_watch.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {
namespace {

class MixPanelTest : public testing::Test {
 protected:
  ~MixPanelTest() override { d.work().listening.player().pause(); }
  void SetUp() override {
    // A tone left, another one right, turned over: in mono they cancel.
    AudioBuffer x(2, 480000);
    const auto tone = test::sine(440, 0.1, 10);
    for (size_t i = 0; i < 480000; ++i) {
      x.channel(0)[i] = tone.channel(0)[i];
      x.channel(1)[i] = -tone.channel(0)[i];
    }
    test::write_wav(folder / "tones.wav", x);
    AudioBuffer reference = test::sine(1000, 0.4, 10, 48000, 2);
    test::write_wav(folder / "reference.wav", reference);
    Reel reel;
    reel.name = "Mix";
    add_clip(reel, examine_source(folder / "tones.wav"), "Tones");
    save_reel(reel, folder / "mix.reel");
    ASSERT_TRUE(d.work().document.open(folder / "mix.reel"));
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    page().show_beside(ScenePage::Beside::mix);
    ASSERT_TRUE(d.wait_for([&] { return d.work().mix_watch.fresh(); }, 30000));
  }
  ScenePage& page() { return d.window.scene(); }
  void play(int ms) {
    QTest::keyClick(&d.window, Qt::Key_Space);
    ASSERT_TRUE(d.wait_for([&] { return d.work().listening.player().playing(); }, 3000));
    QTest::qWait(ms);
  }
  double heard_db(int ms) { return test::rms_db(d.heard(ms)); }
  // Share of the power of what was heard that is at this frequency.
  double share_at(double hz) {
    const auto x = d.heard(200);
    double re = 0, im = 0, all = 0;
    for (size_t i = 0; i < x.size(); ++i) {
      const double a = 2 * 3.14159265358979 * hz * static_cast<double>(i) / 48000;
      re += static_cast<double>(x[i]) * std::cos(a);
      im += static_cast<double>(x[i]) * std::sin(a);
      all += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    }
    return 2 * (re * re + im * im) / static_cast<double>(x.size()) / std::max(all, 1e-12);
  }

  test::TempFolder folder;
  Driver d;
};

TEST_F(MixPanelTest, WhatCancelsInMonoIsHeardAndShown) {
  auto* mono = page().mix().findChild<QCheckBox*>("hear_mono");
  ASSERT_TRUE(mono);
  play(900);
  EXPECT_NEAR(heard_db(300), -23.01, 0.3);
  EXPECT_TRUE(d.wait_for([&] { return page().mix().heard().correlation() < -0.95; }));
  d.click(mono, {8, mono->height() / 2.0});
  QTest::qWait(500);
  EXPECT_LT(heard_db(200), -100);
  d.click(mono, {8, mono->height() / 2.0});
  QTest::qWait(500);
  EXPECT_NEAR(heard_db(200), -23.01, 0.3);
}

TEST_F(MixPanelTest, AReferenceIsHeardAsLoudAtTheSameMoment) {
  auto* hear = page().mix().findChild<QToolButton*>("hear_reference");
  ASSERT_TRUE(hear);
  EXPECT_FALSE(hear->isVisible());
  d.edit_reel(edits::set_reference, folder / "reference.wav");
  ASSERT_TRUE(d.wait_for([&] { return d.work().mix_watch.reference() != nullptr; }));
  EXPECT_TRUE(hear->isVisible());
  d.work().listening.seek(ReelTime{2});
  play(700);
  EXPECT_GT(share_at(440), 0.95);
  d.click(hear, hear->rect().center());
  QTest::qWait(700);
  EXPECT_TRUE(d.work().listening.player().playing());
  EXPECT_GT(share_at(1000), 0.95);
  const double at = page().rows().playhead();
  EXPECT_GT(at, 3);
  EXPECT_LT(at, 5.5);
  // As loud as the mix: K-weighting makes 1 kHz and 440 Hz differ by less than a decibel.
  EXPECT_NEAR(heard_db(300), -23.01, 1);
  d.click(hear, hear->rect().center());
  QTest::qWait(600);
  EXPECT_GT(share_at(440), 0.95);
}

TEST_F(MixPanelTest, IsMeasuredAnewWhenTheMixChangedAlone) {
  const auto key = d.work().mix_watch.mix()->key;
  const double before = *d.work().mix_watch.mix()->levels.loudness_lufs;
  ChainStep louder = make_step("gain");
  louder.settings.values[0] = 6;
  ASSERT_TRUE(d.work().document.change(
      [&](const Reel& reel) { return edits::set_chain(reel, mix_clip_id, {{louder}}, "Louder"); }));
  ASSERT_TRUE(d.wait_for([&] { return d.work().mix_watch.mix()->key != key; }, 20000));
  EXPECT_NEAR(*d.work().mix_watch.mix()->levels.loudness_lufs, before + 6, 0.05);
  // A click on its row sets the playhead.
  MixRow& row = page().mix_row();
  d.click(&row, {page().rows().x_of(4), row.height() / 2.0});
  EXPECT_TRUE(d.wait_for([&] { return std::abs(page().rows().playhead() - 4) < 0.05; }));
}

}  // namespace
}  // namespace drevan::desktop
