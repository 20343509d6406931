// SPDX-License-Identifier: GPL-3.0-or-later
// The whole job as a person does it: open, mark room tone, build the chain, listen, undo, render.
#include <gtest/gtest.h>

#include <QTemporaryDir>

#include "pictures/pictures.h"
#include "desktop/driver.h"
#include "dsp/hum_track.h"
#include "dsp/fft.h"
#include "reel/files/json_file.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

// What was heard against a rendering of the same place: correlation and level.
struct Match {
  double correlation, level_db;
};

// By the cross-correlation theorem, at every shift at once.
Match best_match(const std::vector<float>& heard, const AudioBuffer& sound) {
  const auto x = sound.channel(0);
  int size = 1 << 10;
  while (size < static_cast<int>(x.size() + heard.size())) size *= 2;
  const RealFft fft(size);
  const auto transformed = [&](std::span<const float> in) {
    FloatVector time(static_cast<size_t>(size));
    std::ranges::copy(in, time.begin());
    ComplexVector bins(static_cast<size_t>(size / 2 + 1));
    fft.forward(time, bins);
    return bins;
  };
  ComplexVector product = transformed(x);
  const ComplexVector other = transformed(heard);
  for (size_t k = 0; k < product.size(); ++k)
    product[k] *= std::conj(other[k]) / static_cast<float>(size);
  FloatVector cross(static_cast<size_t>(size));
  fft.inverse(product, cross);
  std::vector<double> power(x.size() + 1);
  for (size_t i = 0; i < x.size(); ++i) power[i + 1] = power[i] + static_cast<double>(x[i] * x[i]);
  const double own = std::pow(test::rms(heard), 2) * static_cast<double>(heard.size());
  Match best{-1, 0};
  for (size_t at = 0; at + heard.size() < x.size(); ++at) {
    const double there = power[at + heard.size()] - power[at];
    const double c = static_cast<double>(cross[at]) / std::sqrt(std::max(own * there, 1e-30));
    if (c > best.correlation) best = {c, 10 * std::log10(own / std::max(there, 1e-30))};
  }
  return best;
}

TEST(VoiceCleanUp, FromTheDemoToTheBatch) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  d.click_clip("stairs-02");
  ASSERT_EQ(d.work().selection.clip()->name, "stairs-02");
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.steps().empty());

  // Room tone by mouse: the button, then a drag over the first second.
  Scope& scope = d.bench().scope();
  d.click(&d.bench().mark_button(), QPointF(10, 10));
  ASSERT_TRUE(scope.marking());
  const double y = scope.height() / 2.0;
  d.drag(&scope, {scope.x_of(0.2), y}, {scope.x_of(1.1), y});
  ASSERT_TRUE(d.work().selection.clip()->room_tone);
  EXPECT_NEAR(d.work().selection.clip()->room_tone->begin.s, 0.2, 0.05);
  EXPECT_NEAR(d.work().selection.clip()->room_tone->end.s, 1.1, 0.05);
  EXPECT_FALSE(scope.marking());

  // The five steps through the plus of the level path.
  for (const char* id : {"normalise", "noise-reduction", "cut", "compressor", "normalise"})
    ASSERT_TRUE(d.add_step(id)) << id;
  ASSERT_EQ(d.steps().size(), 5U);
  const LevelPath* levels = d.work().measurements.levels();
  ASSERT_EQ(levels->stages.size(), 6U);
  EXPECT_NEAR(*levels->stages[5].sample_peak_dbfs, -3, 0.05);
  EXPECT_LT(*levels->stages[2].noise_floor_dbfs, *levels->stages[1].noise_floor_dbfs - 8);

  // The compressor's threshold, dragged in its picture; the slider follows.
  LevelPathView& path = d.bench().level_path();
  d.click(&path, path.step_rect({ChainOwner::clip, 3}).center() + QPointF(0, 60));
  StepPicture* picture = d.bench().editor().picture();
  ASSERT_NE(picture, nullptr);
  const double before = d.setting(3, "threshold_db");
  const QPointF from = picture->grips().front().at;
  d.drag(picture, from, from - QPointF(60, 0));
  const double dragged = d.setting(3, "threshold_db");
  EXPECT_LT(dragged, before - 4);
  EXPECT_EQ(d.bench().editor().slider("threshold_db")->value(), dragged);
  ASSERT_TRUE(d.settle());
  EXPECT_NEAR(*d.work().measurements.levels()->stages[5].sample_peak_dbfs, -3,
              0.05);  // the last step followed

  // Listen: before, after and removed while playing; what was heard is what a render gives.
  const QTemporaryDir temp;
  const auto clip = *d.work().selection.clip();
  const CancelToken never{};
  FindingStore store;
  const std::filesystem::path file = temp.filePath("after.wav").toStdString();
  render_clip({plan_of(d.work().document.reel(), clip), file, Container::wav, SampleType::float32},
              store, never);
  const AudioBuffer after = test::read_all(file);
  const AudioBuffer source = test::read_all(d.work().document.reel().at(clip.source).path);
  // Round and round, so that a machine that stands still now and then can be listened to again.
  const auto listen = [&](Qt::Key key, const AudioBuffer& to, double least) {
    QTest::keyClick(&d.window, key);
    Match match{-1, 0};
    for (int tries = 0; tries < 8 && match.correlation < least; ++tries) {
      QTest::qWait(900);
      match = best_match(d.heard(400), to);
    }
    return match;
  };
  d.click(&scope, {scope.x_of(1.5), y});
  QTest::keyClick(&d.window, Qt::Key_L);
  QTest::keyClick(&d.window, Qt::Key_Space);
  const Match a = listen(Qt::Key_2, after, 0.9999);
  EXPECT_TRUE(d.work().listening.player().playing());
  EXPECT_GT(a.correlation, 0.9999);
  const Match b = listen(Qt::Key_1, source, 0.9999);
  EXPECT_GT(b.correlation, 0.9999);
  // Level matched: the source is heard at the loudness of the result, both lowered alike if need be.
  const double match = *d.work().measurements.levels()->stages[5].loudness_lufs -
                       *d.work().measurements.levels()->stages[0].loudness_lufs;
  EXPECT_NEAR(b.level_db - a.level_db, match, 0.1);
  // Removed is neither of the two.
  QTest::keyClick(&d.window, Qt::Key_3);
  QTest::qWait(900);
  const auto heard_removed = d.heard(400);
  EXPECT_EQ(d.bench().foot().compare().current(), 2);
  EXPECT_LT(best_match(heard_removed, after).correlation, 0.99);
  EXPECT_GT(test::rms(heard_removed), 1e-5);
  QTest::keyClick(&d.window, Qt::Key_2);
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }, 2000));

  // Undo twice: the drag, then the fifth step.
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.setting(3, "threshold_db"), before);
  EXPECT_EQ(d.bench().editor().slider("threshold_db")->value(), before);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.steps().size(), 4U);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(d.steps().size(), 5U);
  EXPECT_EQ(d.setting(3, "threshold_db"), dragged);

  // The batch: every clip, and the same bits as the command line makes from the saved reel.
  QTest::keyClick(&d.window, Qt::Key_3, Qt::ControlModifier);
  const QString window_out = temp.filePath("window");
  d.window.batch().set_folder(window_out);
  QTest::keyClick(&d.window, Qt::Key_Return, Qt::ControlModifier);
  ASSERT_TRUE(d.window.batch().rendering());
  ASSERT_TRUE(d.wait_for([&] { return !d.window.batch().rendering(); }, 90000));
  const auto& results = d.window.batch().results();
  ASSERT_EQ(results.size(), d.work().document.reel().clips.size());
  for (const auto& r : results) EXPECT_EQ(r.state, JobState::done) << r.problem;
  ASSERT_TRUE(d.work().document.save(temp.filePath("copy.reel").toStdString()));
  const std::string cli_out = temp.filePath("cli").toStdString();
  const auto ran = test::run(std::string(DREVAN_CLI) + " render --reel " +
                             temp.filePath("copy.reel").toStdString() + " --out " + cli_out);
  ASSERT_EQ(ran.code, 0) << ran.out;
  for (const auto& r : results) {
    const auto ours = test::bytes(r.output);
    EXPECT_FALSE(ours.empty());
    EXPECT_TRUE(ours == test::bytes(std::filesystem::path(cli_out) / r.output.filename()))
        << r.output;
  }
}

// A recipe on one file by the window and by the command line: the same samples.
void expect_alike(const QString& recipe) {
  Driver d;
  const QTemporaryDir temp;
  const std::string source = DREVAN_SOURCE_DIR "/demo/stairs-03.flac";
  d.window.open_files({QString::fromStdString(source)});
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip() != nullptr; }));
  d.window.open_files({recipe});
  ASSERT_GE(d.steps().size(), 4U);
  ASSERT_TRUE(d.settle());
  d.window.batch().set_folder(temp.filePath("window"));
  d.window.batch().render();
  ASSERT_TRUE(d.wait_for([&] { return !d.window.batch().rendering(); }, 60000));
  const auto ran = test::run(std::string(DREVAN_CLI) + " render --recipe " + recipe.toStdString() +
                             " --out " + temp.filePath("cli").toStdString() + " " + source);
  ASSERT_EQ(ran.code, 0) << ran.out;
  // The sound; a clip of a reel carries its place there besides.
  const AudioBuffer a = test::read_all(temp.filePath("window/stairs-03.wav").toStdString());
  const AudioBuffer b = test::read_all(temp.filePath("cli/stairs-03.wav").toStdString());
  EXPECT_GT(a.frames(), 1000);
  ASSERT_EQ(a.channels(), b.channels());
  for (int c = 0; c < a.channels(); ++c)
    EXPECT_TRUE(std::ranges::equal(a.channel(c), b.channel(c))) << c;
}

TEST(VoiceCleanUp, ARecipeRendersToTheSameBitsByWindowAndByCommandLine) {
  expect_alike(DREVAN_SOURCE_DIR "/demo/five.recipe");
}

// Down a line, out of a device, in a room, behind a wall, walking meanwhile.
TEST(VoiceCleanUp, TheWholeWayToTheListenerRendersToTheSameBits) {
  const QTemporaryDir temp;
  const QString recipe = temp.filePath("whole-way.recipe");
  QFile file(recipe);
  ASSERT_TRUE(file.open(QIODevice::WriteOnly));
  file.write(R"({"drevan_recipe":1,"name":"The whole way","steps":[
      {"step":"telephone","settings":{"network":"mobile_7","loss_pct":5}},
      {"step":"loudspeaker","settings":{"device":"galley_wireless","drive_db":6,"age_pct":60}},
      {"step":"acoustics","settings":{"path":"to_and_fro","path_m":2,"travel":"on"}},
      {"step":"wall","settings":{"opening_m2":0.3}}]})");
  file.close();
  expect_alike(recipe);
}

// The manual's chapter "A clean voice in five minutes", step by step.
TEST(VoiceCleanUp, TheManualsFiveMinutes) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  d.click_clip("stairs-02");
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.steps().empty());
  QTest::keyClick(&d.window, Qt::Key_R, Qt::ShiftModifier);
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip()->room_tone.has_value(); }));
  ASSERT_TRUE(d.settle());
  const auto levels = [&] { return d.work().measurements.levels()->stages.back(); };
  ASSERT_TRUE(d.add_step("normalise"));
  EXPECT_NEAR(*levels().sample_peak_dbfs, -3, 0.01);
  const double noisy = *levels().noise_floor_dbfs;
  ASSERT_TRUE(d.add_step("hum-removal"));
  const Findings& hum = d.work().measurements.levels()->findings[1];
  ASSERT_FALSE(hum.empty());
  EXPECT_NEAR(hum_track_from(hum.values)->hum.hz, 50, 0.1);
  const double without_hum = *levels().noise_floor_dbfs;
  EXPECT_LT(without_hum, noisy - 10);
  ASSERT_TRUE(d.add_step("noise-reduction"));
  EXPECT_LT(*levels().noise_floor_dbfs, without_hum - 6);
  ASSERT_TRUE(d.add_step("cut"));
  ASSERT_TRUE(d.add_step("de-ess"));
  ASSERT_TRUE(d.add_step("compressor"));
  ASSERT_TRUE(d.wait_for([&] {
    return d.work().measurements.course() && !d.work().measurements.course()->reduction_db.empty();
  }));
  // The advice line may name a threshold from this clip's quiet words: it is taken.
  if (d.bench().advice().rule() == "threshold-off") {
    d.click(&d.bench().advice().action(), QPointF(8, 8));
    ASSERT_TRUE(d.settle());
  }
  d.work().document.set_target("podcast");
  ASSERT_TRUE(d.settle());
  d.click(&d.bench().meet_button(), QPointF(8, 8));
  ASSERT_TRUE(d.wait_for([&] {
    const Levels* l = d.work().shelf.clip_levels(d.work().selection.clip_id());
    return l && d.work().measurements.levels_fresh() &&
           verdict(misses(*d.work().document.target(), *l)) == Verdict::right;
  }));
  EXPECT_NEAR(*levels().loudness_lufs, -16, 1);
}

}  // namespace
}  // namespace drevan::desktop
