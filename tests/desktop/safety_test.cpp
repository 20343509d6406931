// SPDX-License-Identifier: GPL-3.0-or-later
// Work is never lost: crashes, second windows, disks that are full, read-only or gone.
#include <gtest/gtest.h>
#include <signal.h>
#include <unistd.h>

#include <QListWidget>
#include <QMessageBox>
#include <QProcess>

#include "desktop/driver.h"
#include "dialogs/history_dialog.h"
#include "reel/files/json_file.h"
#include "steps/catalogue.h"
#include "reel/library/version_files.h"
#include "support/full_disk.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/printing.h"
#include "work/selection.h"

namespace drevan::desktop {
namespace {

// A reel in a folder of its own, worked on by a Drevan that is never closed.
class SafetyTest : public testing::Test {
 protected:
  SafetyTest() {
    AudioBuffer x = test::words(0.3, 3);
    test::write_wav(folder / "voice.wav", x);
    Reel reel;
    reel.name = "Safe";
    add_clip(reel, examine_source(folder / "voice.wav"), "Voices");
    save_reel(reel, file);
  }
  test::TempFolder folder;
  std::filesystem::path file = folder / "safe.reel";
};

TEST_F(SafetyTest, EditsOfAnApplicationThatWasKilledComeBack) {
  {
    // What the dead one left: its journal.
    Reel reel = load_reel(file);
    Journal journal(file, read_text(file));
    reel.clips[0].name = "renamed";
    journal.tell(std::make_shared<const Reel>(reel), "Rename clip");
  }
  Driver d;
  QString told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told = text; });
  ASSERT_TRUE(d.work().document.open(file));
  EXPECT_EQ(d.work().selection.clip()->name, "renamed");
  EXPECT_TRUE(told.contains("1 edit")) << told.toStdString();
  EXPECT_TRUE(d.work().document.history().changed());
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.work().selection.clip()->name, "voice");
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(d.work().document.save(file));
  EXPECT_FALSE(recover(file));
}

TEST_F(SafetyTest, EveryEditIsOnTheDiskSoon) {
  Driver d;
  ASSERT_TRUE(d.work().document.open(file));
  d.edit(edits::rename_clip, "kept");
  ASSERT_TRUE(d.wait_for(
      [&] {
        const auto found = recover(file);
        return found && found->reel.clips[0].name == "kept";
      },
      1000));
  // Left on purpose it is gone.
  d.work().document.leave();
  EXPECT_FALSE(recover(file));
}

TEST_F(SafetyTest, TheSecondDrevanOnAReelReadsOnly) {
  Driver first;
  ASSERT_TRUE(first.work().document.open(file));
  Driver second;
  QString told;
  QObject::connect(&second.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told = text; });
  ASSERT_TRUE(second.work().document.open(file));
  EXPECT_TRUE(told.contains("another Drevan")) << told.toStdString();
  second.edit_reel(edits::rename_clip, second.work().selection.clip_id(), "mine");
  EXPECT_FALSE(second.work().document.save(file));
  EXPECT_EQ(load_reel(file).clips[0].name, "voice");
  EXPECT_TRUE(second.work().document.save(folder / "copy.reel"));
  EXPECT_TRUE(second.work().document.read_only().isEmpty());
  EXPECT_EQ(load_reel(folder / "copy.reel").clips[0].name, "mine");
}

TEST_F(SafetyTest, ASourceThatChangedIsTold) {
  AudioBuffer other = test::words(0.2, 3);
  test::write_wav(folder / "voice.wav", other);
  Driver d;
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told << text; });
  ASSERT_TRUE(d.work().document.open(file));
  EXPECT_TRUE(d.wait_for(
      [&] {
        return told.join(' ').contains("Changed on the disk since the reel was saved: voice.wav");
      },
      5000));
}

TEST_F(SafetyTest, TheListOfEditsOutlivesClosing) {
  {
    Driver d;
    ASSERT_TRUE(d.work().document.open(file));
    for (const char* name : {"one", "two", "three"}) d.edit(edits::rename_clip, name);
    d.work().document.undo();
    ASSERT_TRUE(d.work().document.save(file));
    d.work().document.leave();
  }
  Driver d;
  ASSERT_TRUE(d.work().document.open(file));
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.history().can_undo(); }, 3000));
  EXPECT_FALSE(d.work().document.history().changed());
  EXPECT_EQ(d.work().selection.clip()->name, "two");
  EXPECT_EQ(d.work().document.history().undo_label(), "Rename clip");
  d.work().document.undo();
  EXPECT_EQ(d.work().selection.clip()->name, "one");
  d.work().document.redo();
  d.work().document.redo();  // what was undone before saving
  EXPECT_EQ(d.work().selection.clip()->name, "three");
}

TEST_F(SafetyTest, AReelThatWasNeverSavedComesBack) {
  qputenv("XDG_DATA_HOME", (folder / "data").c_str());
  {
    // What a dead Drevan leaves: the stand-in and its journal.
    const auto stand_in = folder / "data" / "drevan" / "unsaved" / "1-1.reel";
    std::filesystem::create_directories(stand_in.parent_path());
    save_reel({}, stand_in);
    Journal journal(stand_in, read_text(stand_in));
    Reel reel = load_reel(file);
    journal.tell(std::make_shared<const Reel>(reel), "Add voice");
  }
  Driver d;
  ASSERT_TRUE(d.work().document.bring_back_unsaved());
  EXPECT_EQ(d.work().selection.clip()->name, "voice");
  EXPECT_TRUE(d.work().document.file().empty());
  EXPECT_FALSE(d.work().document.bring_back_unsaved());  // the one that is open now is held
  ASSERT_TRUE(d.work().document.save(folder / "kept.reel"));
  EXPECT_TRUE(std::filesystem::is_empty(folder / "data" / "drevan" / "unsaved"));
  EXPECT_EQ(load_reel(folder / "kept.reel").clips.size(), 1U);
  qputenv("XDG_DATA_HOME", qgetenv("XDG_CACHE_HOME"));
}

TEST_F(SafetyTest, TheListOfEditsNamesThemAndLeadsToAny) {
  Driver d;
  ASSERT_TRUE(d.work().document.open(file));
  for (const char* name : {"one", "two", "three"}) d.edit(edits::rename_clip, name);
  QTest::keyClick(&d.window, Qt::Key_H, Qt::ControlModifier);
  ASSERT_NE(d.window.edits(), nullptr);
  QListWidget& list = d.window.edits()->list();
  ASSERT_EQ(list.count(), 4);
  EXPECT_EQ(list.item(1)->text(), "Rename clip");
  EXPECT_EQ(list.currentRow(), 3);
  list.setCurrentRow(1);
  EXPECT_EQ(d.work().selection.clip()->name, "one");
  EXPECT_EQ(list.count(), 4);  // what was undone is still there
  list.setCurrentRow(3);
  EXPECT_EQ(d.work().selection.clip()->name, "three");
}

// Root may write everywhere, so for these it becomes nobody for a while.
class Nobody {
 public:
  Nobody() : root_(::geteuid() == 0) {
    if (root_) EXPECT_EQ(::seteuid(65534), 0);
  }
  ~Nobody() {
    if (root_) EXPECT_EQ(::seteuid(0), 0);
  }
  Nobody(const Nobody&) = delete;
  Nobody& operator=(const Nobody&) = delete;

 private:
  bool root_;
};

TEST_F(SafetyTest, AReelOnAReadOnlyDiskIsOpenedSavedElsewhereAndPrintedNever) {
  namespace fs = std::filesystem;
  const auto open_to_all = fs::perms::owner_all | fs::perms::group_all | fs::perms::others_all;
  fs::permissions(folder.path(), open_to_all);
  for (const auto& entry : fs::directory_iterator(folder.path()))
    fs::permissions(entry.path(),
                    fs::perms::owner_read | fs::perms::group_read | fs::perms::others_read);
  const test::TempFolder elsewhere;
  fs::permissions(elsewhere.path(), open_to_all);
  fs::permissions(folder.path(), fs::perms::owner_read | fs::perms::owner_exec |
                                     fs::perms::group_read | fs::perms::group_exec |
                                     fs::perms::others_read | fs::perms::others_exec);
  {
    const Nobody nobody;
    Driver d;
    QStringList told;
    QObject::connect(&d.work().notices, &Notices::message,
                     [&](const QString& text, bool) { told << text; });
    ASSERT_TRUE(d.work().document.open(file)) << told.join(' ').toStdString();
    EXPECT_TRUE(told.join(' ').contains("opened for reading")) << told.join(' ').toStdString();
    ASSERT_TRUE(d.settle());  // heard and measured like any other
    d.edit(edits::rename_clip, "mine");
    EXPECT_FALSE(d.work().document.save(file));
    EXPECT_TRUE(told.last().contains("Save it under another name")) << told.last().toStdString();
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
    d.work().printing.print(ClipRange{1, 2});
    EXPECT_FALSE(d.work().printing.busy());
    EXPECT_TRUE(told.last().contains("Save the reel first")) << told.last().toStdString();
    EXPECT_TRUE(d.work().document.save(elsewhere / "mine.reel"));
    EXPECT_EQ(load_reel(elsewhere / "mine.reel").clips[0].name, "mine");
    EXPECT_TRUE(d.work().document.read_only().isEmpty());
    d.work().document.leave();
  }
  fs::permissions(folder.path(), open_to_all);
  EXPECT_EQ(load_reel(file).clips[0].name, "voice");
}

TEST_F(SafetyTest, ASourceThatVanishesWhilePlayingIsToldAndFoundAgain) {
  Driver d;
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told << text;
  });
  ASSERT_TRUE(d.work().document.open(file) && d.settle());
  d.work().listening.player().play();
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.player().position() > 4800; }, 3000));
  std::filesystem::create_directory(folder / "away");
  std::filesystem::rename(folder / "voice.wav", folder / "away" / "voice.wav");
  // The next thing that must read it says so; nothing of the work is lost.
  d.work().listening.player().pause();
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("noise-reduction"));
  d.work().listening.player().seek(0);
  d.work().listening.player().play();
  EXPECT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }, 5000));
  EXPECT_TRUE(d.work().document.missing(*d.work().selection.clip()));
  d.window.grab();
  ASSERT_TRUE(d.edit(edits::relink, folder / "away" / "voice.wav"));
  EXPECT_TRUE(d.settle());
  EXPECT_EQ(d.steps().size(), 1U);
  d.work().listening.player().play();
  EXPECT_TRUE(d.wait_for([&] { return test::rms_db(d.heard(100)) > -60; }, 3000));
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
}

TEST_F(SafetyTest, ADiskThatFillsWhilePrintingIsToldAndNothingChanges) {
  Driver d;
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told << text;
  });
  ASSERT_TRUE(d.work().document.open(file) && d.settle());
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("compressor"));
  ASSERT_TRUE(d.settle());
  const Reel before = d.work().document.reel();
  {
    const test::FullDisk full(20000);
    d.work().printing.print(ClipRange{1, 2});
    ASSERT_TRUE(d.wait_for([&] { return !d.work().printing.busy() && !told.isEmpty(); }, 10000));
  }
  EXPECT_TRUE(told.last().contains("voice, version 1.wav")) << told.last().toStdString();
  EXPECT_TRUE(d.work().document.reel() == before);
  EXPECT_TRUE(std::filesystem::is_empty(versions_folder(file)));
  d.work().printing.print(ClipRange{1, 2});
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip()->version == 1; }, 10000));
}

// The system shuts down while the real program is open: it ends by itself, soon, and leaves nothing on
// the temporary disk.
TEST_F(SafetyTest, AProgramThatTheSystemEndsLeavesNoTemporaryFolders) {
  const auto own = folder / "temporary";
  std::filesystem::create_directories(own);
  QProcess program;
  QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
  environment.insert("TMPDIR", own.c_str());
  environment.insert("QT_QPA_PLATFORM", "offscreen");
  environment.insert("DREVAN_AUDIO", "simulated");
  program.setProcessEnvironment(environment);
  // Apart, or a Drevan that is at work here would be handed the reel.
  program.start(DREVAN_APPLICATION, {"--apart", QString::fromStdString(file.string())});
  ASSERT_TRUE(program.waitForStarted());
  const auto folders = [&] { return test::names_in(own).size(); };
  const auto until = [](const std::function<bool()>& what) {
    for (int i = 0; i < 600 && !what(); ++i) QTest::qWait(50);
    return what();
  };
  // Its folders are there, and it watches for the end.
  ASSERT_TRUE(until([&] { return folders() > 0; }));
  QTest::qWait(1500);
  ::kill(static_cast<pid_t>(program.processId()), SIGTERM);
  ASSERT_TRUE(program.waitForFinished(20000));
  EXPECT_EQ(program.exitStatus(), QProcess::NormalExit);
  EXPECT_EQ(program.exitCode(), 0);
  EXPECT_EQ(test::names_in(own), std::vector<std::string>{});
}

}  // namespace
}  // namespace drevan::desktop
