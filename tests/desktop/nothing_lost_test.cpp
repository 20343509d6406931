// SPDX-License-Identifier: GPL-3.0-or-later
// What once lost work or ended the application in the window: queues, previews, another reel while things run,
// saving under another name, waveforms of files that changed.
#include <gtest/gtest.h>

#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <fstream>
#include <thread>

#include "desktop/driver.h"
#include "reel/files/json_file.h"
#include "reel/library/library.h"
#include "reel/library/version_files.h"
#include "support/reels.h"
#include "support/steps.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/printing.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class NothingLost : public testing::Test {
 protected:
  NothingLost() {
    for (const char* key : {"batch/pattern", "batch/what", "batch/also", "batch/overwrite"})
      QSettings().remove(key);
    QObject::connect(&d.work().notices, &Notices::message,
                     [this](const QString& text, bool) { told << text; });
  }
  // A reel of clips with a step each, saved and open.
  void open(std::initializer_list<test::MadeClip> clips, double seconds = 2) {
    Reel reel = test::reel_of(folder, clips, seconds);
    reel.name = "work";
    for (auto& c : reel.clips.each())
      c.chain.steps.push_back(test::with("gain", {{"gain_db", -3}}));
    save_reel(reel, file);
    ASSERT_TRUE(d.work().document.open(file));
    ASSERT_TRUE(d.settle());
  }
  bool was_told(const QString& part) {
    return std::ranges::any_of(told, [&](const QString& t) { return t.contains(part); });
  }
  QString path(const char* name) { return QString::fromStdString((folder / name).string()); }

  test::TempFolder folder;
  fs::path file = folder / "work.reel";
  Driver d;
  QStringList told;
};

TEST_F(NothingLost, ASecondDropIsReadAfterTheFirst) {
  QStringList first, second;
  for (int i = 0; i < 12; ++i) {
    AudioBuffer x = test::noise(0.1, 1, static_cast<unsigned>(i));
    const auto name = "drop" + std::to_string(i);
    test::write_wav(folder / (name + ".wav"), x);
    (i < 6 ? first : second) << path((name + ".wav").c_str());
  }
  d.window.open_files(first);
  d.window.open_files(second);
  d.window.open_files({path("gone.wav")});
  EXPECT_TRUE(was_told("will be read after"));
  ASSERT_TRUE(d.wait_for(
      [&] { return d.work().document.reel().clips.size() == 12 && was_told("gone.wav"); }));
}

TEST_F(NothingLost, ASecondPrintWaitsForTheFirst) {
  open({{"a", "A"}, {"b", "A"}, {"c", "A"}}, 6);
  for (const char* name : {"a", "b", "c"}) {
    d.work().selection.select_clip(d.clip_named(name));
    d.work().printing.print(std::nullopt);
  }
  ASSERT_TRUE(d.wait_for([&] {
    return !d.work().printing.busy() &&
           std::ranges::all_of(d.work().document.reel().clips,
                               [](const Clip& c) { return c.version == 1; });
  }));
  // Twice the same clip: the second would be of a sound that is no more, and says so.
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.work().printing.print(std::nullopt);
  d.work().printing.print(std::nullopt);
  ASSERT_TRUE(d.wait_for(
      [&] { return !d.work().printing.busy() && d.work().selection.clip()->version == 2; }));
  ASSERT_TRUE(d.wait_for([&] { return was_told("was changed while it was printed"); }));
  const auto printed = test::names_in(versions_folder(file));
  EXPECT_EQ(printed.size(), 4U);
}

TEST_F(NothingLost, RemovingAClipAndOpeningAnotherReelWhileABatchRenders) {
  open({{"a", "A"}, {"b", "A"}, {"c", "A"}, {"d", "A"}}, 40);
  d.window.show_place(MainWindow::Place::batch);
  d.window.batch().set_folder(path("out"));
  d.window.batch().render();
  ASSERT_TRUE(d.wait_for([&] { return d.window.batch().rendering(); }));
  d.edit_reel(edits::remove_clips, std::vector{d.clip_named("b"), d.clip_named("d")});
  QTest::qWait(150);
  EXPECT_EQ(d.window.batch().table().model()->rowCount(), 2);
  d.work().document.new_reel();
  QTest::qWait(150);
  EXPECT_EQ(d.window.batch().table().model()->rowCount(), 0);
  ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel"));
  QTest::qWait(100);
  ASSERT_TRUE(d.wait_for([&] { return !d.window.batch().rendering(); }, 60000));
  // What was begun is done; the rows of the other reel show nothing of it.
  EXPECT_EQ(test::names_in(folder / "out").size(), 4U);
  const auto* model = d.window.batch().table().model();
  for (int row = 0; row < model->rowCount(); ++row)
    EXPECT_FALSE(model->index(row, 6).data().toString().contains("done"));
}

TEST_F(NothingLost, AnEditEndsAPreviewAndNeverFallsOnAnotherStep) {
  open({{"a", "A"}});
  const Chain before = d.work().selection.clip()->chain;
  const Recipe& recipe = own_recipes()[5];
  ASSERT_GT(recipe.chain.steps.size(), 3U);
  // Delete, settings, switching and moving of steps that are only there in the preview.
  d.preview(recipe.chain, false);
  d.edit(edits::remove_step, d.step_at(2));
  EXPECT_FALSE(d.work().document.previewing());
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  d.preview(recipe.chain, false);
  d.edit(edits::set_settings, d.step_at(0), recipe.chain.steps[0].settings, "Set");
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  d.preview(recipe.chain, false);
  d.edit(edits::switch_step, d.step_at(3), false);
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  d.preview(recipe.chain, false);
  d.edit(edits::move_step, d.step_at(3), StepPlace{ChainOwner::reel, 0});
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  EXPECT_TRUE(was_told("only a recipe's preview"));
  // By the key, as one would: the level path has the keys.
  d.preview(recipe.chain, false);
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 4));
  d.bench().level_path().setFocus();
  QTest::keyClick(&d.bench().level_path(), Qt::Key_Delete);
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  // A step that is the same in both may be edited; edits without a place go ahead.
  d.preview(recipe.chain, true);
  d.edit(edits::switch_step, d.step_at(0), false);
  EXPECT_FALSE(d.work().selection.clip()->chain.steps[0].on);
  EXPECT_EQ(d.work().selection.clip()->chain.steps.size(), 1U);
  d.preview(recipe.chain, false);
  d.edit(edits::rename_clip, "renamed");
  EXPECT_EQ(d.work().selection.clip()->name, "renamed");
  EXPECT_EQ(d.work().selection.clip()->chain.steps.size(), 1U);
  for (const auto& act : std::initializer_list<std::function<void()>>{
           [&] { d.work().document.undo(); }, [&] { d.work().document.redo(); },
           [&] { d.work().document.go_to(0); }}) {
    d.preview(recipe.chain, false);
    act();
    EXPECT_FALSE(d.work().document.previewing());
  }
}

TEST_F(NothingLost, AFailedOpenLeavesTheOpenReelWithLockAndJournal) {
  open({{"a", "A"}});
  std::ofstream(folder / "bad.reel") << "{ not a reel";
  EXPECT_FALSE(d.work().document.open(folder / "bad.reel"));
  EXPECT_FALSE(d.work().document.open(folder / "gone.reel"));
  EXPECT_EQ(d.work().document.file(), file);
  std::string why;
  EXPECT_FALSE(ReelLock::take(file, why));  // still ours
  EXPECT_TRUE(ReelLock::take(folder / "bad.reel", why));
  d.edit(edits::rename_clip, "kept");
  EXPECT_TRUE(d.wait_for([&] {
    const auto found = recover(file);
    return found && found->reel.clips[0].name == "kept";
  }));
  // Opened again by hand, its edits given up, it is ours and journalled as before.
  ASSERT_TRUE(d.work().document.open(file));
  EXPECT_EQ(d.work().selection.clip()->name, "a");
  EXPECT_FALSE(ReelLock::take(file, why));
  d.edit(edits::rename_clip, "again");
  EXPECT_TRUE(d.wait_for([&] {
    const auto found = recover(file);
    return found && found->reel.clips[0].name == "again";
  }));
}

TEST_F(NothingLost, SavedUnderAnotherNameItHasItsOwnVersions) {
  open({{"a", "A"}});
  d.work().printing.print(std::nullopt);
  ASSERT_TRUE(d.wait_for(
      [&] { return !d.work().printing.busy() && d.work().selection.clip()->version == 1; }));
  ASSERT_TRUE(d.work().document.save(file));
  ASSERT_TRUE(d.work().document.save(folder / "second.reel"));
  const auto own = d.work().document.reel().at(d.work().selection.clip()->source).path;
  EXPECT_EQ(own.parent_path(), fs::absolute(versions_folder(folder / "second.reel")));
  ASSERT_TRUE(d.settle());
  // The first is opened, goes back, clears, closes.
  ASSERT_TRUE(d.work().document.open(file));
  d.edit(edits::go_to_version, 0);
  d.work().document.clear_unused_versions();
  ASSERT_TRUE(d.work().document.save(file));
  d.work().document.new_reel();
  EXPECT_TRUE(fs::is_empty(versions_folder(file)));
  ASSERT_TRUE(d.work().document.open(folder / "second.reel"));
  EXPECT_FALSE(d.work().document.missing(*d.work().selection.clip()));
  EXPECT_EQ(check_source(d.work().document.reel().at(d.work().selection.clip()->source), true),
            SourceState::fine);
  EXPECT_TRUE(d.settle());
}

TEST_F(NothingLost, AReelIsNeverSavedOverARecording) {
  open({{"a", "A"}});
  const auto before = test::bytes(folder / "a.wav");
  EXPECT_FALSE(d.work().document.save(folder / "a.wav"));
  save_recipe_file(d.work(), folder / "a.wav");
  d.window.batch().save_report_to(folder / "a.wav");
  EXPECT_EQ(test::bytes(folder / "a.wav"), before);
  EXPECT_TRUE(was_told("is a recording of this reel"));
}

TEST_F(NothingLost, AChangedFileIsDrawnAsItIs) {
  open({{"a", "A"}});
  ASSERT_TRUE(d.wait_for(
      [&] { return d.work().shelf.source_peaks(*d.work().selection.clip()) != nullptr; }));
  const auto loudest = [&] {
    const auto peaks = d.work().shelf.source_peaks(*d.work().selection.clip());
    return peaks ? peaks->range(0, peaks->frames()).high : 0;
  };
  EXPECT_LT(loudest(), 0.5F);
  QTest::qWait(1100);
  AudioBuffer x = test::sine(300, 0.9, 2);
  test::write_wav(folder / "a.wav", x);
  QTest::qWait(1100);
  d.edit(edits::rename_clip, "changed");
  EXPECT_TRUE(d.wait_for([&] { return loudest() > 0.85F; }));
}

TEST_F(NothingLost, FilesInTheWayGetANumberUnlessTicked) {
  open({{"a", "A"}});
  fs::create_directory(folder / "out");
  write_text(folder / "out" / fs::path("a.wav"), "mine");
  d.window.show_place(MainWindow::Place::batch);
  d.window.batch().set_folder(path("out"));
  d.window.batch().render();
  ASSERT_TRUE(d.wait_for([&] { return !d.window.batch().rendering(); }));
  EXPECT_EQ(read_text(folder / "out" / fs::path("a.wav")), "mine");
  EXPECT_EQ(test::names_in(folder / "out"), (std::vector<std::string>{"a-2.wav", "a.wav"}));
  auto* overwrite = d.window.batch().findChild<QAbstractButton*>("overwrite");
  ASSERT_NE(overwrite, nullptr);
  overwrite->click();
  d.window.batch().render();
  ASSERT_TRUE(d.wait_for([&] { return !d.window.batch().rendering(); }));
  EXPECT_NE(read_text(folder / "out" / fs::path("a.wav")), "mine");
  QSettings().remove("batch/overwrite");
}

TEST(TaskLaneTest, NothingIsToldAfterACancelAndEverythingThatIsThrownIs) {
  TaskLane lane;
  QStringList failed;
  QObject::connect(&lane, &TaskLane::failed,
                   [&](const Problem& why) { failed << QString::fromStdString(why.text); });
  int delivered = 0, posted = 0;
  for (int i = 0; i < 50; ++i) {
    lane.start([&](const CancelToken& token) -> TaskLane::Finish {
      for (int k = 0; k < 5; ++k) lane.post(token, [&] { ++posted; });
      return [&] { ++delivered; };
    });
    std::this_thread::sleep_for(std::chrono::microseconds(300));
    lane.cancel();
  }
  QTest::qWait(50);
  EXPECT_EQ(delivered, 0);
  EXPECT_EQ(posted, 0);
  // Nor are the results of several that ended one after the other while nobody listened.
  for (int i = 0; i < 5; ++i)
    lane.enqueue([&](const CancelToken&) -> TaskLane::Finish { return [&] { ++delivered; }; });
  while (lane.busy()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
  lane.cancel();
  QTest::qWait(50);
  EXPECT_EQ(delivered, 0);
  lane.enqueue([](const CancelToken&) -> TaskLane::Finish { throw std::bad_alloc(); });
  lane.enqueue(
      [](const CancelToken&) -> TaskLane::Finish { throw std::runtime_error("a reason"); });
  lane.enqueue([&](const CancelToken&) -> TaskLane::Finish { return [&] { ++delivered; }; });
  EXPECT_TRUE(QTest::qWaitFor([&] { return delivered == 1; }, 5000));
  ASSERT_EQ(failed.size(), 2);
  EXPECT_TRUE(failed[0].contains("memory"));
  EXPECT_TRUE(failed[1].contains("a reason"));
}

// A task that takes long holds no other lane up; threads are kept, not started for each task.
TEST(TaskLaneTest, LanesShareThreadsAndNoneWaitsForAnother) {
  std::atomic<bool> go = false;
  int done = 0;
  std::vector<std::unique_ptr<TaskLane>> slow;
  for (int i = 0; i < 6; ++i) {
    slow.push_back(std::make_unique<TaskLane>());
    slow.back()->start([&](const CancelToken&) -> TaskLane::Finish {
      while (!go) std::this_thread::sleep_for(std::chrono::milliseconds(1));
      return [&] { ++done; };
    });
  }
  TaskLane quick;
  const auto one_after_the_other = [&](int tasks) {
    for (int i = 0; i < tasks; ++i) {
      int answer = 0;
      quick.start([&](const CancelToken&) -> TaskLane::Finish { return [&] { answer = 1; }; });
      ASSERT_TRUE(QTest::qWaitFor([&] { return answer == 1; }, 5000));
    }
  };
  one_after_the_other(3);
  const size_t threads = TaskPool::shared().threads();
  one_after_the_other(50);
  EXPECT_EQ(TaskPool::shared().threads(), threads);
  EXPECT_EQ(done, 0);
  go = true;
  EXPECT_TRUE(QTest::qWaitFor([&] { return done == 6; }, 5000));
}

}  // namespace
}  // namespace drevan::desktop
