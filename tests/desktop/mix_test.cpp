// SPDX-License-Identifier: GPL-3.0-or-later
// The mix on the Bench: opened from the Batch, brought to a target, followed when clips change.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QMessageBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QToolButton>

#include "desktop/driver.h"
#include "reel/scene/scene_edits.h"
#include "pages/batch/batch_page.h"
#include "steps/catalogue.h"
#include "support/steps.h"
#include "work/mix_sum.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class MixTest : public testing::Test {
 protected:
  MixTest() {
    const fs::path folder = temp.path().toStdString();
    std::vector<edits::NewClip> clips;
    for (int i = 0; i < 3; ++i) {
      AudioBuffer x = test::words(0.2, 4);
      const fs::path file = folder / ("voice-" + std::to_string(i) + ".wav");
      test::write_wav(file, x);
      clips.push_back({examine_source(file), "Voices"});
    }
    d.work().document.new_reel();
    EXPECT_TRUE(d.edit_reel(edits::add_clips, clips));
    EXPECT_TRUE(d.settle());
  }
  ~MixTest() override { d.work().listening.player().pause(); }
  const Reel& reel() { return d.work().document.reel(); }
  bool open() {
    d.window.show_place(MainWindow::Place::batch);
    QTest::mouseClick(d.window.batch().findChild<QPushButton*>("open_mix"), Qt::LeftButton);
    // On a slow machine its progress was shown, and had the keys.
    return d.wait_for([&] { return d.work().selection.clip_id() == mix_clip_id; }) && d.settle() &&
           d.take_keys();
  }
  double loudness() {
    return d.work().measurements.levels()->stages.back().loudness_lufs.value_or(-99);
  }

  QTemporaryDir temp;
  Driver d;
};

TEST_F(MixTest, IsOpenedFromTheBatchBroughtToATargetAndRendered) {
  d.work().document.set_target("podcast");
  ASSERT_TRUE(open());
  EXPECT_TRUE(d.bench().isVisible());
  EXPECT_NEAR(d.work().selection.clip_seconds(), 12, 0.05);
  const double before = loudness();
  EXPECT_LT(before, -18);
  QTest::keyClick(&d.window, Qt::Key_T, Qt::ControlModifier);
  ASSERT_TRUE(d.wait_for([&] { return !reel().mix.chain.steps.empty(); }));
  ASSERT_TRUE(d.settle());
  EXPECT_NEAR(loudness(), -16, 1);
  // No clip's own chain was touched.
  for (const auto& c : reel().clips) EXPECT_TRUE(c.chain.steps.empty());

  d.window.show_place(MainWindow::Place::batch);
  BatchPage& batch = d.window.batch();
  batch.set_folder(temp.filePath("out"));
  batch.set_what(2);
  batch.render();
  ASSERT_TRUE(d.wait_for([&] { return !batch.rendering() && !batch.mixes().empty(); }, 60000));
  const MixFile& mix = batch.mixes().front();
  EXPECT_TRUE(mix.missed.empty());
  EXPECT_FALSE(mix.chain.empty());
  EXPECT_NEAR(mix.levels.loudness_lufs.value_or(0), loudness(), 0.1);
  // Without it, the sum as it is.
  batch.findChild<QCheckBox*>("mix_chain")->setChecked(false);
  batch.set_folder(temp.filePath("plain"));
  batch.render();
  ASSERT_TRUE(d.wait_for([&] { return !batch.rendering() && !batch.mixes().empty(); }, 60000));
  EXPECT_NEAR(batch.mixes().front().levels.loudness_lufs.value_or(0), before, 0.1);
  batch.findChild<QCheckBox*>("mix_chain")->setChecked(true);
}

// A sum of half an hour takes hundreds of MB of the temporary disk: those that are no longer heard go.
TEST_F(MixTest, EarlierSumsGoFromTheDisk) {
  ASSERT_TRUE(open());
  const fs::path folder = reel().mix_source.path.parent_path();
  const auto files = [&] {
    return std::distance(fs::recursive_directory_iterator(folder),
                         fs::recursive_directory_iterator());
  };
  const auto sums = [&] {
    return std::ranges::count_if(fs::directory_iterator(folder), [](const auto& entry) {
      return entry.path().filename().string().starts_with("sum-");
    });
  };
  std::ptrdiff_t after_three = 0;
  for (int nudge = 1; nudge <= 12; ++nudge) {
    const auto sum = reel().mix_source.path;
    d.edit_reel(edits::set_chain, reel().clips[0].id,
                Chain{{test::with("gain", {{"gain_db", -nudge}})}}, std::string("quieter"));
    ASSERT_TRUE(d.wait_for([&] { return reel().mix_source.path != sum; }));
    EXPECT_TRUE(fs::exists(reel().mix_source.path));
    if (nudge == 3) after_three = files();
  }
  EXPECT_LE(files(), after_three);
  EXPECT_LE(sums(), 2) << "what is heard, and what was until then";
}

TEST_F(MixTest, FollowsItsClipsAndIsHeard) {
  ASSERT_TRUE(open());
  const double before = loudness();
  const auto key = reel().mix_source.path;
  const ClipId first = reel().clips[0].id, second = reel().clips[1].id, third = reel().clips[2].id;
  for (const ClipId id : {first, second, third})
    d.edit_reel(edits::set_chain, id, Chain{{test::with("gain", {{"gain_db", -12}})}},
                std::string("quieter"));
  ASSERT_TRUE(d.wait_for([&] { return reel().mix_source.path != key; }));
  ASSERT_TRUE(d.settle());
  EXPECT_NEAR(loudness(), before - 12, 0.2);
  EXPECT_EQ(d.work().selection.clip_id(), mix_clip_id);
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.plan() != nullptr; }));
  d.work().listening.seek(ClipTime{4.5});
  d.work().listening.player().play();
  EXPECT_TRUE(d.wait_for([&] { return test::rms_db(d.heard(300)) > -60; }, 4000));
  // A step added here is the mix's.
  const LevelPathView& path = d.bench().level_path();
  EXPECT_TRUE(path.add_rect(ChainOwner::group).isEmpty());
  ASSERT_TRUE(d.add_step("limiter"));
  EXPECT_EQ(reel().mix.chain.steps.size(), 1U);
  d.work().document.undo();
  EXPECT_TRUE(reel().mix.chain.steps.empty());
  // Another clip leaves it.
  d.work().selection.select_clip(first);
  ASSERT_TRUE(d.settle());
  EXPECT_FALSE(path.add_rect(ChainOwner::group).isEmpty());
}

TEST_F(MixTest, ALimiterThatIsMissingIsAdvisedAndAddedByOneClick) {
  d.work().document.set_target("podcast");
  for (const auto& c : reel().clips)
    d.edit_reel(edits::set_chain, c.id, Chain{{test::with("gain", {{"gain_db", 14}})}},
                std::string("louder"));
  ASSERT_TRUE(open());
  auto* mend = d.bench().advice().findChild<QToolButton*>("advice_action");
  ASSERT_TRUE(d.wait_for([&] { return mend->isVisible(); }));
  EXPECT_TRUE(mend->text().contains("limiter at -1.0 dB")) << mend->text().toStdString();
  QTest::mouseClick(mend, Qt::LeftButton);
  ASSERT_EQ(reel().mix.chain.steps.size(), 1U);
  EXPECT_EQ(reel().mix.chain.steps[0].type->id, "limiter");
  ASSERT_TRUE(d.settle());
  EXPECT_FALSE(mend->isVisible() && mend->text().contains("limiter at"));
}

TEST_F(MixTest, IsNotPrintedNorGivenToAGroup) {
  ASSERT_TRUE(open());
  ASSERT_TRUE(d.add_step("limiter"));
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told << text; });
  const Reel before = reel();
  d.work().printing.print(std::nullopt);
  d.work().printing.print_again({0, 1});
  d.work().printing.print_group();
  EXPECT_EQ(told.size(), 3);
  EXPECT_TRUE(told.filter("not printed").size() == 3) << told.join("; ").toStdString();
  EXPECT_FALSE(d.edit(edits::use_recipe, ChainOwner::group, Recipe{"R", "", {}, {}}, false));
  EXPECT_EQ(reel(), before);
}

TEST_F(MixTest, ASpaceIsOpenedOnTheBenchAndWorkedOn) {
  const ClipId first = reel().clips[0].id;
  d.edit_reel(edits::add_space, std::string("Hall"), Chain{{make_step("reverb")}});
  const SpaceId hall = reel().spaces[0].id();
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told << text; });
  d.work().mix_sum.open(clip_of(hall));
  ASSERT_TRUE(d.wait_for([&] { return !told.isEmpty(); }));
  EXPECT_TRUE(told[0].contains("Nothing is fed into Hall")) << told[0].toStdString();
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
  ASSERT_TRUE(d.take_keys());
  d.edit_reel(edits::set_send, edits::Feeder{first}, hall, -6.0);
  d.work().mix_sum.open(clip_of(hall));
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip_id() == clip_of(hall); }) &&
              d.settle());
  EXPECT_NEAR(d.work().selection.clip_seconds(), 4, 0.05);
  const double before = loudness();
  EXPECT_LT(before, -15);
  ASSERT_TRUE(d.add_step("gain"));
  EXPECT_EQ(reel().spaces[0].clip.chain.steps.size(), 2U);
  d.edit(edits::turn, reel().spaces[0].clip.chain.steps[1].id, 0, -10.0);
  ASSERT_TRUE(d.settle());
  EXPECT_NEAR(loudness(), before - 10, 0.3);
  // What is fed changes, and so does what is looked at.
  d.edit_reel(edits::set_send, edits::Feeder{first}, hall, -12.0);
  ASSERT_TRUE(d.wait_for([&] { return d.settle() && std::abs(loudness() - (before - 16)) < 0.5; }));
  d.work().document.undo();
  d.work().document.undo();
  d.work().document.undo();
  EXPECT_EQ(reel().spaces[0].clip.chain.steps.size(), 1U);
}

TEST_F(MixTest, AnEmptyReelHasNone) {
  d.work().document.new_reel();
  QString told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told = text; });
  d.work().mix_sum.open();
  EXPECT_TRUE(told.contains("nothing to mix")) << told.toStdString();
  EXPECT_NE(d.work().selection.clip_id(), mix_clip_id);
}

}  // namespace
}  // namespace drevan::desktop
