// SPDX-License-Identifier: GPL-3.0-or-later
// Recording by mouse and keys, from the simulated device's microphone.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QTemporaryDir>
#include <QToolButton>
#include <QDoubleSpinBox>
#include <algorithm>
#include <cstdlib>
#include <fstream>

#include "desktop/driver.h"
#include "dialogs/recording_sheet.h"
#include "engine/rendering/render.h"
#include "pages/record/record_strip.h"
#include "pages/start/start_page.h"
#include "reel/scene/scene_curves.h"
#include "reel/edits/takes.h"
#include "widgets/input_meter.h"
#include "widgets/words.h"
#include "work/recording_desk.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {
namespace {

class RecordingDeskTest : public testing::Test {
 protected:
  ~RecordingDeskTest() override {
    d.work().listening.player().pause();
    strip().open(false);
    ::unsetenv("DREVAN_MICROPHONE");
  }
  // What the microphone hears, from when the inputs are opened on.
  void speak(double seconds = 30) {
    voice = test::continuous_speech(test::voices[2], seconds);
    const auto file = folder / "microphone.wav";
    test::write_wav(file, voice);
    ::setenv("DREVAN_MICROPHONE", file.c_str(), 1);
  }
  void open_scene() {
    const auto file = folder / "scene.reel";
    save_reel(load_reel(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel"), file);
    ASSERT_TRUE(d.work().document.open(file));
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    ASSERT_TRUE(d.wait_for(
        [&] { return !d.work().scene.busy() && d.work().scene.share_ready() >= 1; }, 60000));
    QTest::qWait(60);
  }
  RecordStrip& strip() { return d.window.record_strip(); }
  RecordingDesk& desk() { return d.work().recording; }
  const Reel& reel() { return d.work().document.reel(); }
  void press_record() { QTest::keyClick(&d.window, Qt::Key_Space, Qt::ShiftModifier); }
  void open_strip() {
    press_record();
    ASSERT_TRUE(strip().isVisible());
    ASSERT_TRUE(d.wait_for([&] { return strip().meter(0) != nullptr; }));
  }
  // Records so long and waits for the clips.
  void record(int ms) {
    const auto before = reel().clips.size();
    press_record();
    ASSERT_TRUE(d.wait_for([&] { return desk().recording(); }, 3000));
    QTest::qWait(ms);
    press_record();
    ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() > before; }));
  }
  AudioBuffer sound_of(const Clip& clip) {
    const AudioBuffer all = test::read_all(reel().source_of(clip).path);
    AudioBuffer out(1, clip.frames);
    std::copy_n(all.channel(0).begin() + clip.begin, clip.frames, out.channel(0).begin());
    return out;
  }
  // Where in `in` this sound lies to the bit; -1: nowhere.
  static Samples found(const AudioBuffer& sound, const AudioBuffer& in) {
    const auto one = sound.channel(0).subspan(4800, 4800);
    const auto all = in.channel(0);
    const auto same = [](float a, float b) { return std::abs(a - b) < 1e-6F; };
    const auto at = std::search(all.begin(), all.end(), one.begin(), one.end(), same);
    return at == all.end() ? -1 : at - all.begin() - 4800;
  }

  test::TempFolder folder;
  AudioBuffer voice;
  Driver d;
};

TEST_F(RecordingDeskTest, AtAnotherRateTheReelWorksAndIsRecorded) {
  speak();
  open_scene();
  d.work().listening.seek(ReelTime{5});
  open_strip();
  RecordingSheet sheet(d.work(), &d.window);
  auto* rate = sheet.findChild<QComboBox*>("rate");
  ASSERT_TRUE(rate);
  EXPECT_EQ(rate->currentText(), "48 kHz");
  rate->setCurrentIndex(rate->findText("96 kHz"));
  Q_EMIT rate->activated(rate->currentIndex());
  EXPECT_EQ(reel().rate, 96000);
  EXPECT_NEAR(d.work().listening.reel_position().s, 5, 0.05);
  ASSERT_TRUE(d.wait_for([&] { return strip().meter(0) != nullptr && desk().armed(); }));
  ASSERT_TRUE(d.wait_for(
      [&] { return !d.work().scene.busy() && d.work().scene.share_ready() >= 1; }, 60000));
  record(700);
  const Clip& take = reel().clips.back();
  EXPECT_EQ(reel().source_of(take).rate, 96000);
  EXPECT_NEAR(clip_seconds(reel(), take), 0.75, 0.4) << "the device runs at that rate, too";
  while (reel().rate != 48000 && d.work().document.history().can_undo()) d.work().document.undo();
  EXPECT_EQ(reel().rate, 48000);
  EXPECT_NEAR(d.work().listening.reel_position().s, 5, 3);
}

TEST_F(RecordingDeskTest, FromTheStartPageALineAndAnotherTakeOfIt) {
  speak();
  auto* button = d.window.start().findChild<QPushButton*>("start_record");
  d.click(button, button->rect().center());
  ASSERT_TRUE(strip().isVisible());
  ASSERT_TRUE(d.wait_for([&] { return strip().meter(0) != nullptr; }));
  EXPECT_TRUE(d.wait_for([&] { return strip().meter(0)->held_db() > -40; }));
  EXPECT_LE(d.window.minimumSizeHint().width(), 853) << "a small screen at 150 %";
  auto* text = strip().findChild<QPlainTextEdit*>("line_text");
  text->setPlainText("The light is on.");
  record(900);
  ASSERT_EQ(reel().clips.size(), 1U);
  const Clip first = reel().clips[0];
  EXPECT_EQ(first.name, "Line 1, take 1");
  EXPECT_EQ(first.text, "The light is on.");
  EXPECT_EQ(reel().group_of(first).name, "Recordings");
  EXPECT_GT(first.frames, 38000);
  EXPECT_GE(found(sound_of(first), voice), 0) << "bit for bit what the microphone heard";
  EXPECT_FALSE(std::filesystem::exists(reel().source_of(first).path.string() + ".recording"));
  // The next is another take of it.
  record(700);
  ASSERT_EQ(reel().clips.size(), 2U);
  EXPECT_EQ(reel().clips[1].name, "Line 1, take 2");
  EXPECT_EQ(reel().clips[1].text, "The light is on.");
  EXPECT_TRUE(left_out(reel(), reel().clips[0]));
  EXPECT_NE(reel().source_of(reel().clips[1]).path, reel().source_of(first).path);
  // One edit each.
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(reel().clips.size(), 1U);
  EXPECT_FALSE(left_out(reel(), reel().clips[0]));
}

// Of a clip that is stretched more is heard than its file holds.
TEST_F(RecordingDeskTest, ANewLineStandsBehindAllThatIsHeard) {
  speak();
  open_strip();
  record(700);
  ASSERT_EQ(reel().clips.size(), 1U);
  const Clip first = reel().clips[0];
  d.work().document.change([&](const Reel& now) {
    return edits::stretch_to(now, first.id, HeardSpan{2}, edits::StretchWay::pitch);
  });
  strip().findChild<QComboBox*>("record_as")->setCurrentIndex(0);
  record(700);
  ASSERT_EQ(reel().clips.size(), 2U);
  EXPECT_NEAR((reel().clips[1].place - first.place).s, 2, 1e-3);
}

class LoopbackTest : public RecordingDeskTest {
 protected:
  // What is played comes back so many frames later.
  void a_take_stands_where_it_was_heard(Samples way);
};
TEST_F(LoopbackTest, InTheSceneATakeStandsToTheSampleWhereItWasHeard) {
  a_take_stands_where_it_was_heard(1777);
}
// Stopped on its last word, which has not come back yet.
TEST_F(LoopbackTest, ATakeEndsWithItsLastWordThroughALongWay) {
  a_take_stands_where_it_was_heard(9001);
}
void LoopbackTest::a_take_stands_where_it_was_heard(Samples way) {
  ::setenv("DREVAN_MICROPHONE", ("loopback:" + std::to_string(way)).c_str(), 1);
  open_scene();
  open_strip();
  // The latency is measured through the settings.
  auto* settings = strip().findChild<QToolButton*>("record_settings");
  d.click(settings, settings->rect().center());
  auto* sheet = d.window.findChild<RecordingSheet*>();
  ASSERT_NE(sheet, nullptr);
  auto* measure = sheet->findChild<QPushButton*>("measure_latency");
  d.click(measure, measure->rect().center());
  EXPECT_TRUE(desk().measures_latency());
  ASSERT_TRUE(d.wait_for([&] { return !desk().measures_latency(); }, 8000));
  EXPECT_TRUE(desk().latency().measured);
  EXPECT_EQ(desk().latency().frames, way);
  sheet->close();
  ASSERT_TRUE(d.take_keys());
  // The narrator alone, as it leaves its chains: what comes back is that, at its place.
  auto* pre_roll = strip().findChild<QDoubleSpinBox*>("pre_roll");
  pre_roll->setValue(0.5);
  const Clip opening = *reel().find(d.clip_named("opening"));
  Reel alone = reel();
  const std::vector<ClipId> others = [&] {
    std::vector<ClipId> ids;
    for (const auto& c : alone.clips)
      if (c.id != opening.id) ids.push_back(c.id);
    return ids;
  }();
  ASSERT_TRUE(d.work().document.change([&](const Reel& r) {
    auto edit = edits::remove_clips(r, others);
    edit.next.mix.chain.steps.clear();
    return edit;
  }));
  ASSERT_TRUE(d.wait_for([&] { return !d.work().scene.busy(); }));
  d.work().listening.seek(ReelTime{opening.place.s + 1});
  ASSERT_TRUE(d.wait_for(
      [&] { return std::abs(d.window.scene().rows().playhead() - opening.place.s - 1) < 0.01; }));
  d.device().forget();
  const auto before = reel().clips.size();
  press_record();
  ASSERT_TRUE(d.wait_for([&] { return desk().recording(); }, 3000));
  QTest::qWait(2600);
  const ReelTime stopped = d.work().listening.reel_position();
  press_record();
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() > before; }));
  const Clip& take = reel().clips.back();
  EXPECT_NEAR(take.place.s, opening.place.s + 1, 0.011);
  const AudioBuffer heard = sound_of(take);
  // All that was played until then, and little more.
  EXPECT_GT(take.place.s + clip_seconds(reel(), take), stopped.s - 0.03);
  EXPECT_LT(take.place.s + clip_seconds(reel(), take), stopped.s + 0.5);
  // Correlation with the rendered clip, from the take's place on.
  FindingStore store;
  const CancelToken never;
  const auto file = folder / "opening.wav";
  render_clip(
      {plan_of(reel(), *reel().find(opening.id)), file, Container::wav, SampleType::float32}, store,
      never);
  const AudioBuffer made = test::read_all(file);
  const auto from =
      static_cast<Samples>(std::llround((take.place.s - opening.place.s) * 48000)) + 4800;
  const auto likeness = [&](Samples lag, Samples begin, Samples end) {
    double xy = 0, xx = 0, yy = 0;
    for (Samples i = begin; i < end; ++i) {
      const double x = heard.channel(0)[static_cast<size_t>(i)],
                   y = made.channel(0)[static_cast<size_t>(from - 4800 + i + lag)];
      xy += x * y;
      xx += x * x;
      yy += y * y;
    }
    return xy / std::sqrt(xx * yy);
  };
  double best = -1;
  Samples at = 99;
  for (Samples lag = -40; lag <= 40; ++lag)
    if (const double l = likeness(lag, 4800, 76000); l > best) best = l, at = lag;
  EXPECT_EQ(at, 0);
  EXPECT_GT(best, 0.999);
  // Its last word, too, as far as it had been played.
  const auto last =
      std::min<Samples>(heard.frames(), std::llround((stopped.s - take.place.s - 0.02) * 48000));
  EXPECT_GT(likeness(0, last - way, last), 0.99);
}

TEST_F(RecordingDeskTest, TwoInputsBecomeTwoClipsOfTheirOwn) {
  AudioBuffer two = test::noise(0.1, 20, 9, 48000, 2);
  test::write_wav(folder / "two.wav", two);
  ::setenv("DREVAN_MICROPHONE", (folder / "two.wav").c_str(), 1);
  open_strip();
  ASSERT_EQ(desk().lanes().size(), 2U);
  auto* second = strip().findChild<QCheckBox*>("lane_on 1");
  d.click(second, {8, second->height() / 2.0});
  ASSERT_TRUE(desk().lane_on(1));
  record(600);
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == 2; }));
  EXPECT_EQ(reel().clips[0].name, "Line 1, take 1");
  EXPECT_EQ(reel().clips[1].name, "Line 1, input 2, take 1");
  for (const auto& c : reel().clips) EXPECT_FALSE(left_out(reel(), c));
  AudioBuffer right(1, two.frames());
  std::ranges::copy(two.channel(1), right.channel(0).begin());
  EXPECT_GE(found(sound_of(reel().clips[0]), two), 0);
  EXPECT_GE(found(sound_of(reel().clips[1]), right), 0);
}

TEST_F(RecordingDeskTest, ALoopGivesATakeForEachPass) {
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, &d.window,
                   [&](const QString& text) { told += text; });
  speak();
  open_scene();
  open_strip();
  const Clip door = *reel().find(d.clip_named("door"));
  d.work().selection.select_clip(door.id);
  strip().findChild<QDoubleSpinBox*>("pre_roll")->setValue(0.2);
  strip().findChild<QComboBox*>("record_as")->setCurrentIndex(1);
  QTest::keyClick(&d.window, Qt::Key_L);
  ASSERT_TRUE(d.window.scene().looped());
  const double pass_s = clip_seconds(reel(), door) + 0.2;
  const auto before = reel().clips.size();
  record(static_cast<int>(2400 * pass_s));
  ASSERT_GE(reel().clips.size(), before + 2);
  for (size_t i = before; i < before + 2; ++i) {
    EXPECT_NEAR(reel().clips[i].place.s, door.place.s, 1e-4);
    // Where the machine stood still while it played, the take is longer by that, and it is told.
    const double longer = clip_seconds(reel(), reel().clips[i]) - clip_seconds(reel(), door);
    EXPECT_GT(longer, -0.001);
    EXPECT_LT(longer, told.contains("stood still") ? 2 : 0.001) << told.toStdString();
  }
  EXPECT_EQ(takes_of(reel(), *reel().find(door.id)).size(), 1 + reel().clips.size() - before);
  QTest::keyClick(&d.window, Qt::Key_L);
}

// What was looped before is looped afterwards, and what was not is not; the button says which.
TEST_F(RecordingDeskTest, TheLoopIsAfterwardsAsItWasBefore) {
  speak();
  open_scene();
  open_strip();
  strip().findChild<QDoubleSpinBox*>("pre_roll")->setValue(0.1);
  const auto lit = [&] { return d.window.scene().looped().has_value(); };
  for (const bool loops : {false, true, false}) {
    if (lit() != loops) QTest::keyClick(&d.window, Qt::Key_L);
    ASSERT_EQ(lit(), loops);
    const auto before = d.work().listening.scene_loop();
    EXPECT_EQ(before.has_value(), loops);
    record(500);
    EXPECT_EQ(lit(), loops);
    const auto after = d.work().listening.scene_loop();
    ASSERT_EQ(after.has_value(), loops);
    if (!loops) continue;
    EXPECT_EQ(after->begin, before->begin);
    EXPECT_EQ(after->end, before->end);
    // And it is played round; it is as long as the take before, half a second or less.
    d.work().listening.seek(after->end - ReelSpan{0.1});
    d.work().listening.player().play();
    EXPECT_TRUE(d.wait_for(
        [&] { return d.work().listening.reel_position() < after->end - ReelSpan{0.2}; }, 5000));
    d.work().listening.player().pause();
  }
}

// The reel's rate is changed (or that undone) while a line is spoken against the picture: the take
// stands where it was spoken, its run-up is none of it.
TEST_F(RecordingDeskTest, ARateThatChangesMeanwhileLeavesTheTakeInItsPlace) {
  speak();
  open_scene();
  open_strip();
  strip().findChild<QDoubleSpinBox*>("pre_roll")->setValue(0.4);
  for (const double rate : {96000.0, 44100.0}) {
    ASSERT_TRUE(
        d.wait_for([&] { return desk().armed() && strip().meter(0) && !d.work().scene.busy(); }));
    strip().findChild<QComboBox*>("record_as")->setCurrentIndex(0);
    d.work().listening.seek(ReelTime{5});
    ASSERT_TRUE(
        d.wait_for([&] { return std::abs(d.window.scene().rows().playhead() - 5) < 0.01; }));
    const auto before = reel().clips.size();
    press_record();
    ASSERT_TRUE(d.wait_for([&] { return desk().recording(); }, 3000)) << rate;
    ASSERT_TRUE(d.wait_for([&] { return desk().seconds() > 1.2; }));
    const double spoken = desk().seconds() - 0.4;
    ASSERT_TRUE(d.work().document.change([&](const Reel& r) { return edits::set_rate(r, rate); }));
    ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() > before; }));
    const Clip& take = reel().clips.back();
    EXPECT_EQ(reel().rate, rate);
    EXPECT_NEAR(take.place.s, 5, 0.01) << rate;
    EXPECT_NEAR(clip_seconds(reel(), take), spoken, 0.4) << rate;
    EXPECT_FALSE(desk().recording());
    while (reel().clips.size() > before && d.work().document.history().can_undo())
      d.work().document.undo();
    while (reel().rate != 48000 && d.work().document.history().can_undo()) d.work().document.undo();
  }
}

// Measuring gives way: not a frame of what is spoken is lost to it.
TEST_F(RecordingDeskTest, WhileTheLatencyIsMeasuredRecordingBeginsAtOnce) {
  speak();
  open_strip();
  desk().measure_latency();
  ASSERT_TRUE(desk().measures_latency());
  QTest::qWait(150);
  press_record();
  ASSERT_TRUE(d.wait_for([&] { return desk().recording(); }, 3000));
  EXPECT_FALSE(desk().measures_latency());
  QTest::qWait(900);
  press_record();
  ASSERT_TRUE(d.wait_for([&] { return !reel().clips.empty(); }));
  EXPECT_GT(clip_seconds(reel(), reel().clips[0]), 0.8);
  EXPECT_GE(found(sound_of(reel().clips[0]), voice), 0);
}

TEST_F(RecordingDeskTest, WhatHindersItIsToldAndWhatIsRecordedIsKept) {
  speak();
  QTemporaryDir locked;
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, &d.window,
                   [&](const QString& text, bool failure) {
                     if (failure) told = text;
                   });
  open_strip();
  // A folder that is a file.
  std::filesystem::path file = folder / "no-folder";
  std::ofstream(file) << "x";
  d.edit_reel(edits::set_recording_format, RecordingFormat{false, false, file});
  press_record();
  EXPECT_FALSE(desk().recording());
  EXPECT_TRUE(told.contains("no-folder")) << told.toStdString();
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
  ASSERT_TRUE(d.take_keys());
  d.edit_reel(edits::set_recording_format, RecordingFormat{true, false, folder.path()});
  // The device goes while it records.
  press_record();
  ASSERT_TRUE(d.wait_for([&] { return desk().seconds() > 0.6; }));
  d.device().unplug(true);
  ASSERT_TRUE(d.wait_for([&] { return !desk().recording(); }, 6000));
  ASSERT_TRUE(d.wait_for([&] { return !reel().clips.empty(); }));
  EXPECT_TRUE(told.contains("kept") || told.contains("gone")) << told.toStdString();
  EXPECT_GE(found(sound_of(reel().clips[0]), voice), 0);
}

// Both hear the same voice, the second by a clock of its own.
TEST_F(RecordingDeskTest, TwoMicrophonesAtOnceAreTwoClipsAtOnePlace) {
  speak();
  open_strip();
  const RecordingHabits before = recording_habits();
  RecordingSheet sheet(d.work(), &d.window);
  sheet.show();
  auto* more = sheet.findChild<QListWidget*>("more_inputs");
  ASSERT_TRUE(d.wait_for([&] { return more->isVisible() && more->count() == 1; }));
  more->setCurrentRow(0);
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, &sheet,
                   [&](const QString& text) { told += text; });
  QTest::keyClick(more, Qt::Key_Space);
  QTest::qWait(300);
  EXPECT_EQ(told, "") << "all is there";
  sheet.close();
  ASSERT_TRUE(d.take_keys());
  ASSERT_TRUE(d.wait_for([&] { return strip().meter(1) != nullptr; }));
  auto* on = strip().findChild<QCheckBox*>("lane_on 1");
  EXPECT_TRUE(on->toolTip().contains("second simulated")) << on->toolTip().toStdString();
  d.click(on, QPoint(8, on->height() / 2));
  EXPECT_TRUE(d.wait_for([&] { return strip().meter(1)->held_db() > -40; }));
  QTest::qWait(2500);
  record(1500);
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == 2; }));
  const Clip &first = reel().clips[0], &second = reel().clips[1];
  EXPECT_EQ(first.place.s, second.place.s);
  EXPECT_NE(reel().source_of(first).path, reel().source_of(second).path);
  EXPECT_TRUE(text(second.name).contains("input 2")) << second.name;
  EXPECT_FALSE(left_out(reel(), first) || left_out(reel(), second)) << "no takes of each other";
  const AudioBuffer a = sound_of(first), b = sound_of(second);
  EXPECT_GE(found(a, voice), 0);
  // The second device began some milliseconds beside the first; what it gave is the voice, too. Over
  // a tenth of a second, in which clocks so far apart differ by less than half a frame.
  Samples loudest = 9600;
  const auto level = [&](Samples at) {
    return test::rms_db(a.channel(0).subspan(static_cast<size_t>(at), 4800));
  };
  for (Samples at = 9600; at < 48000; at += 2400)
    if (level(at) > level(loudest)) loudest = at;
  double best = 0;
  for (Samples lag = -4000; lag <= 4000; ++lag) {
    double ab = 0, aa = 1e-12, bb = 1e-12;
    for (Samples i = loudest; i < loudest + 4800; ++i) {
      const double x = a.channel(0)[static_cast<size_t>(i)];
      const double y = b.channel(0)[static_cast<size_t>(i + lag)];
      ab += x * y, aa += x * x, bb += y * y;
    }
    best = std::max(best, ab / std::sqrt(aa * bb));
  }
  EXPECT_GT(best, 0.99);
  desk().set_habits(before);
}

TEST_F(RecordingDeskTest, OfMoreInputsThanThereIsRoomForEachCanBeRecorded) {
  AudioBuffer six(6, 10 * 48000);
  for (int c = 0; c < 6; ++c)
    std::ranges::copy(test::noise(0.02 * (c + 1), 10, static_cast<unsigned>(c) + 1).channel(0),
                      six.channel(c).begin());
  test::write_wav(folder / "six.wav", six);
  ::setenv("DREVAN_MICROPHONE", (folder / "six.wav").c_str(), 1);
  open_strip();
  const int height = strip().height();
  ASSERT_TRUE(d.wait_for([&] { return strip().meter(5) != nullptr; }));
  QTest::qWait(50);
  EXPECT_LE(strip().height(), height);
  auto* last = strip().findChild<QCheckBox*>("lane_on 5");
  strip().findChild<QScrollArea*>("inputs")->ensureWidgetVisible(last);
  EXPECT_FALSE(last->visibleRegion().isEmpty());
  d.click(last, QPoint(8, last->height() / 2));
  record(600);
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == 2; }));
  EXPECT_GE(found(sound_of(reel().clips[0]), six), 0);
  AudioBuffer sixth(1, six.frames());
  std::ranges::copy(six.channel(5), sixth.channel(0).begin());
  EXPECT_GE(found(sound_of(reel().clips[1]), sixth), 0);
}

TEST_F(RecordingDeskTest, DigitalSilenceIsTold) {
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, &d.window, [&](const QString& text) {
    if (text.contains("Input")) told = text;
  });
  open_strip();
  EXPECT_TRUE(d.wait_for([&] { return strip().meter(0)->word() == "nothing"; }));
  record(1600);
  EXPECT_TRUE(told.contains("digital silence")) << told.toStdString();
}

TEST_F(RecordingDeskTest, ARecordingOfAKilledDrevanComesBackWithItsReel) {
  speak(3);
  open_scene();
  const auto where = folder / "scene.recordings";
  std::filesystem::create_directory(where);
  test::write_wav(where / "Line 9.wav", voice);
  {
    const RecordingNote left(where / "Line 9.wav", folder / "scene.reel",
                             {"Line 9", "Ines dialogue", "Still there"}, {{7.25}});
  }
  ASSERT_TRUE(d.work().document.open(folder / "scene.reel"));
  ASSERT_TRUE(d.wait_for([&] { return d.clip_named("Line 9, take 1") != 0; }));
  const Clip& back = *reel().find(d.clip_named("Line 9, take 1"));
  EXPECT_EQ(back.place.s, 7.25);
  EXPECT_EQ(back.text, "Still there");
  EXPECT_EQ(reel().group_of(back).name, "Ines dialogue");
  EXPECT_FALSE(std::filesystem::exists(where / "Line 9.wav.recording"));
  // Once only.
  ASSERT_TRUE(d.work().document.save(folder / "scene.reel"));
  const auto clips = reel().clips.size();
  ASSERT_TRUE(d.work().document.open(folder / "scene.reel"));
  QTest::qWait(200);
  EXPECT_EQ(reel().clips.size(), clips);
}

}  // namespace
}  // namespace drevan::desktop
