// SPDX-License-Identifier: GPL-3.0-or-later
// One story from an empty start to a reel that opens again, by mouse and keys alone: twelve raw
// files of two speakers, told apart by nothing but their voices, one of twenty minutes.
#include <gtest/gtest.h>

#include <QListWidget>
#include <QLineEdit>
#include <QMimeData>
#include <QDropEvent>
#include <QPushButton>
#include <QSettings>
#include <QToolButton>
#include <cmath>
#include <random>
#include <set>

#include "dialogs/cut_sheet.h"
#include "dialogs/who_sheet.h"
#include "driver.h"
#include "pages/bench/recipe_drawer.h"
#include "pages/start/start_page.h"
#include "reel/edits/takes.h"
#include "support/sounds.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

constexpr double rate = 16000;  // what the voices speak at
constexpr double snr_db = 15;

// Sentences of our own, spoken by flite's voices.
constexpr const char* sentences[] = {
    "The keeper climbs the stairs one by one and counts them as he goes.",
    "Nobody has seen the boat since the fog came down last night.",
    "Turn the lamp by hand if the clockwork stops before the morning.",
    "There are forty three steps, and the last one is broken.",
    "Write it down in the book before you forget the hour.",
    "The wind has turned to the north and the sea is rising.",
    "I heard the horn twice and then nothing for a long while.",
    "Bring more oil from the store under the kitchen floor.",
    "She sang to the birds until the rain was over.",
    "We should have left on the evening boat with the others.",
    "The glass of the lantern must be cleaned again today.",
    "Somebody is knocking at the lower door, go and look."};

class OwnStory : public testing::Test {
 protected:
  void SetUp() override {
    if (test::run("command -v flite").code != 0) GTEST_SKIP() << "no flite here";
    fs::create_directories(raw());
    const auto hers = voice("slt"), his = voice("rms");
    make_take(hers);
    for (int i = 0; i < 5; ++i)
      write(hers[static_cast<size_t>(i)], "recorder one, " + std::to_string(i + 2),
            11U + static_cast<unsigned>(i), false);
    for (int i = 0; i < 6; ++i)
      write(his[static_cast<size_t>(i == 5 ? 4 : i)], "recorder two, " + std::to_string(i + 1),
            31U + static_cast<unsigned>(i), true);
  }
  fs::path raw() const { return folder / "second evening"; }

  // Each sentence from its first sound to its last.
  std::vector<std::vector<float>> voice(const std::string& name) {
    std::vector<std::vector<float>> out;
    for (const char* sentence : sentences) {
      const auto file = folder / "said.wav";
      test::run("flite -voice " + name + " -t '" + sentence + "' -o '" + file.string() + "'");
      const AudioBuffer x = test::read_all(file);
      const auto all = x.channel(0);
      const double speech = test::rms_db(all);
      constexpr size_t voiced = 640;  // 40 ms
      const auto loud = [&](size_t i) {
        return test::rms_db(all.subspan(i, voiced)) > speech - 16;
      };
      size_t begin = 0, end = all.size();
      while (begin + voiced < end && !loud(begin)) begin += 16;
      while (end > begin + 2 * voiced && !loud(end - voiced)) end -= 16;
      out.emplace_back(all.begin() + static_cast<std::ptrdiff_t>(begin),
                       all.begin() + static_cast<std::ptrdiff_t>(end));
      const float gain = static_cast<float>(std::pow(10, (-26 - test::rms_db(out.back())) / 20));
      for (float& v : out.back()) v *= gain;
    }
    return out;
  }
  // White for the one microphone, low as of a road for the other; 15 dB below speech.
  static void add_noise(AudioBuffer& x, unsigned seed, bool low) {
    AudioBuffer n = test::noise(1, static_cast<double>(x.frames()) / rate, seed, rate);
    float y = 0;
    if (low)
      for (float& v : n.channel(0)) v = y = 0.98F * y + v;
    const double gain = std::pow(10, (-26 - snr_db - test::rms_db(n.channel(0))) / 20);
    for (size_t i = 0; i < std::min(x.channel(0).size(), n.channel(0).size()); ++i)
      x.channel(0)[i] += static_cast<float>(gain) * n.channel(0)[i];
  }
  void write(const std::vector<float>& said, const std::string& name, unsigned seed, bool low) {
    AudioBuffer x(1, static_cast<Samples>(said.size()) + static_cast<Samples>(1.2 * rate));
    std::ranges::copy(said, x.channel(0).begin() + static_cast<std::ptrdiff_t>(0.8 * rate));
    add_noise(x, seed, low);
    test::write_wav(raw() / (name + ".wav"), x, rate, SampleType::int16);
  }
  // Twenty minutes with pauses of 0.8 to 2.5 s, which are known.
  void make_take(const std::vector<std::vector<float>>& hers) {
    AudioBuffer take(1, static_cast<Samples>(20 * 60 * rate));
    std::mt19937 random(5);
    std::uniform_real_distribution<> pause(0.8, 2.5);
    double at = pause(random);
    for (size_t i = 0;; ++i) {
      const auto& said = hers[i % hers.size()];
      const double length = static_cast<double>(said.size()) / rate;
      if (at + length > 20 * 60 - 1) break;
      std::ranges::copy(said, take.channel(0).begin() + static_cast<std::ptrdiff_t>(at * rate));
      words.push_back({at, at + length});
      at += length + pause(random);
    }
    add_noise(take, 3, false);
    test::write_wav(raw() / "recorder one, 1.wav", take, rate, SampleType::int16);
  }
  static std::string voice_of(const Clip& c) {
    return c.name.starts_with("recorder one") ? "hers" : "his";
  }
  // At least 98 % of the cuts within 50 ms of the pause's middle, none within words.
  void expect_cuts(const std::vector<edits::Piece>& pieces) {
    size_t right = 0, k = 0;
    for (size_t i = 0; i + 1 < words.size(); ++i) {
      const double middle = (words[i].end.s + words[i + 1].begin.s) / 2;
      while (k + 1 < pieces.size() && pieces[k + 1].range.begin.s < words[i].end.s) ++k;
      for (size_t j = k > 0 ? k - 1 : 0; j + 1 < pieces.size() && j < k + 3; ++j) {
        // The pause as it was heard: the air taken off again.
        const double end = pieces[j].range.end.s - 0.25, begin = pieces[j + 1].range.begin.s + 0.15;
        if (std::abs((end + begin) / 2 - middle) < 0.05) {
          ++right;
          break;
        }
      }
    }
    EXPECT_GE(static_cast<double>(right), std::floor(0.98 * static_cast<double>(words.size() - 1)))
        << "of " << words.size() - 1;
    for (const auto& p : pieces)
      for (const double edge : {p.range.begin.s, p.range.end.s})
        for (const auto& w : words)
          EXPECT_FALSE(edge > w.begin.s + 0.02 && edge < w.end.s - 0.02) << edge;
  }
  static QAction* entry(QMenu* menu, const QString& text) {
    for (QAction* a : menu->actions())
      if (a->text() == text) return a;
    return nullptr;
  }

  test::TempFolder folder;
  std::vector<ClipRange> words;
};

TEST_F(OwnStory, FromTwelveRawFilesToAReelThatOpensAgain) {
  QSettings().remove("recent");
  QSettings().remove("batch");
  Driver d;
  ASSERT_TRUE(d.window.start().isVisible());
  const auto& reel = [&]() -> const Reel& { return d.work().document.reel(); };

  // The folder is dropped on the start.
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(QString::fromStdString(raw().string()))});
  const QPoint middle = d.window.rect().center();
  QDragEnterEvent enter(middle, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &enter);
  QDropEvent dropped(middle, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &dropped);
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == 12; }));
  ASSERT_TRUE(d.settle());

  // The take is cut at its pauses.
  d.click_clip("recorder one, 1");
  ASSERT_TRUE(d.settle());
  QTest::keyClick(&d.window, Qt::Key_K, Qt::ControlModifier);
  auto* cuts = d.window.findChild<CutSheet*>();
  ASSERT_NE(cuts, nullptr);
  ASSERT_TRUE(
      d.wait_for([&] { return !cuts->hearing() && !cuts->view().pieces().empty(); }, 60000));
  expect_cuts(cuts->view().pieces());
  const size_t pieces = cuts->view().pieces().size();
  QTest::mouseClick(cuts->findChild<QPushButton*>("cut"), Qt::LeftButton);
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == 11 + pieces; }));
  ASSERT_TRUE(d.take_keys());

  // Who speaks groups all of it.
  QTest::keyClick(&d.window, Qt::Key_A, Qt::ControlModifier);
  QTest::keyClick(&d.window, Qt::Key_W, Qt::ControlModifier | Qt::ShiftModifier);
  auto* who = d.window.findChild<WhoSheet*>();
  ASSERT_NE(who, nullptr);
  ASSERT_TRUE(d.wait_for([&] { return !who->hearing() && who->guess().speakers > 0; }, 60000));
  ASSERT_EQ(who->guess().speakers, 2);
  QTest::mouseClick(who->findChild<QPushButton*>("group_so"), Qt::LeftButton);
  ASSERT_TRUE(d.wait_for([&] { return reel().groups.size() >= 2; }));
  ASSERT_TRUE(d.take_keys());
  QTest::keyClick(&d.bench().shelf(), Qt::Key_Escape);
  int right = 0;
  std::map<GroupId, std::map<std::string, int>> speakers;
  for (const auto& c : reel().clips) ++speakers[c.group][voice_of(c)];
  for (const auto& [group, of] : speakers)
    right += std::ranges::max_element(of, {}, [](const auto& e) { return e.second; })->second;
  EXPECT_GE(right, 0.95 * static_cast<double>(reel().clips.size()));

  // A chain for each group: a recipe out of the drawer, a step by the plus.
  d.click_clip("recorder one, 2");
  ASSERT_TRUE(d.settle());
  const GroupId her_group = d.work().selection.clip()->group;
  QTest::keyClick(&d.window, Qt::Key_R, Qt::ControlModifier);
  RecipeDrawer& drawer = d.window.recipes();
  ASSERT_TRUE(drawer.isVisible());
  QTest::keyClicks(drawer.findChild<QLineEdit*>("search_recipes"), "Hum and buzz");
  ASSERT_EQ(drawer.list().count(), 1);
  for (auto* b : drawer.findChildren<QComboBox*>())
    if (b->accessibleName() == "Where the recipe is used") {
      b->setFocus();
      QTest::keyClick(b, Qt::Key_Down);
    }
  for (auto* b : drawer.findChildren<QPushButton*>())
    if (b->text() == "Use") QTest::mouseClick(b, Qt::LeftButton);
  QTest::keyClick(&drawer, Qt::Key_Escape);
  EXPECT_FALSE(drawer.isVisible());
  ASSERT_FALSE(reel().at(her_group).chain.steps.empty());
  ASSERT_TRUE(d.settle());
  d.click_clip("recorder two, 1");
  ASSERT_TRUE(d.settle());
  const GroupId his_group = d.work().selection.clip()->group;
  ASSERT_NE(his_group, her_group);
  ASSERT_TRUE(d.add_step("cut", ChainOwner::group));
  EXPECT_EQ(reel().at(his_group).chain.steps.size(), 1U);

  // The line that was spoken twice: the second is chosen.
  d.click_clip("recorder two, 5");
  d.click(d.bench().shelf().viewport(),
          d.bench().shelf().clip_rect(d.clip_named("recorder two, 6")).center(),
          Qt::ControlModifier);
  ASSERT_EQ(d.bench().shelf().marked().size(), 2U);
  QTest::keyClick(&d.window, Qt::Key_T);
  QTest::keyClick(&d.bench().shelf(), Qt::Key_Escape);
  d.click_clip("recorder two, 6");
  QTest::keyClick(&d.window, Qt::Key_T, Qt::ShiftModifier);
  const auto rendered = rendered_clips(reel());
  EXPECT_EQ(std::ranges::count(rendered, d.clip_named("recorder two, 5")), 0);
  EXPECT_EQ(std::ranges::count(rendered, d.clip_named("recorder two, 6")), 1);

  // A curve, drawn under the waveform.
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.add_step("gain"));
  ValueSlider& gain = *d.bench().editor().slider("gain_db");
  d.click(&gain, {gain.width() - 30.0, gain.height() / 2.0});
  auto* over_time = gain.findChild<QToolButton*>("over_time");
  ASSERT_NE(over_time, nullptr);
  QTest::mouseClick(over_time, Qt::LeftButton);
  CurveLane& lane = d.bench().lane();
  ASSERT_TRUE(lane.isVisible());
  QTest::qWait(30);
  d.click(&lane, {lane.width() * 0.3, lane.height() * 0.5});
  d.click(&lane, {lane.width() * 0.7, lane.height() * 0.3});
  ASSERT_EQ(d.steps().back().curves.size(), 1U);
  EXPECT_EQ(d.steps().back().curves[0].curve->points.size(), 2U);

  // The target is chosen by its menu and met.
  auto* target = d.bench().findChild<QToolButton*>("target");
  entry(target->menu(), "Podcast")->trigger();
  ASSERT_TRUE(d.settle());
  QTest::keyClick(&d.window, Qt::Key_T, Qt::ControlModifier);
  ASSERT_TRUE(d.wait_for([&] { return d.steps().size() >= 2; }));
  ASSERT_TRUE(d.settle());

  // All is rendered; what met its target is on it.
  BatchPage& batch = d.window.batch();
  d.window.show_place(MainWindow::Place::batch);
  auto* out = batch.findChild<QLineEdit*>("folder");
  out->selectAll();
  QTest::keyClicks(out, QString::fromStdString((folder / "out").string()));
  const ClipId met = d.work().selection.clip_id();
  QTest::keyClick(&d.window, Qt::Key_Return, Qt::ControlModifier);
  ASSERT_TRUE(batch.rendering());
  ASSERT_TRUE(d.wait_for([&] { return !batch.rendering(); }, 240000));
  ASSERT_EQ(batch.results().size(), 10 + pieces);
  for (const auto& r : batch.results()) EXPECT_EQ(r.state, JobState::done) << r.problem;
  const auto ids = rendered_clips(reel());
  const auto at = std::ranges::find(ids, met) - ids.begin();
  EXPECT_TRUE(batch.results()[static_cast<size_t>(at)].missed.empty());

  // Saved, closed, opened again from what was open last.
  const fs::path file = folder / "second evening.reel";
  ASSERT_TRUE(d.work().document.save(file));
  const Reel before = reel();
  d.window.close();
  Driver again;
  QListWidget& recent = again.window.start().recent();
  ASSERT_GE(recent.count(), 1);
  recent.setFocus();
  QTest::keyClick(&recent, Qt::Key_Return);
  ASSERT_TRUE(again.settle());
  EXPECT_EQ(again.work().document.reel(), before);
}

}  // namespace
}  // namespace drevan::desktop
