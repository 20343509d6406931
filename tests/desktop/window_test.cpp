// SPDX-License-Identifier: GPL-3.0-or-later
// The window as a whole: what is dropped on it, what is missing, what everything is called.
#include <gtest/gtest.h>

#include <QFontInfo>
#include <QListWidget>
#include <QMimeData>
#include <QTemporaryDir>
#include <fstream>

#include "desktop/driver.h"
#include "pages/bench/recipe_drawer.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {
namespace {

TEST(WindowTest, DropAddsFilesAndTellsWhatCannotBeRead) {
  Driver d;
  const QTemporaryDir temp;
  std::ofstream(temp.filePath("letter.wav").toStdString()) << "not sound";
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  QMimeData mime;
  mime.setUrls({QUrl::fromLocalFile(DREVAN_SOURCE_DIR "/demo/foghorn.flac"),
                QUrl::fromLocalFile(temp.filePath("letter.wav"))});
  QDragEnterEvent enter({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &drop);
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip() != nullptr; }));
  EXPECT_EQ(d.work().selection.clip()->name, "foghorn");
  EXPECT_TRUE(d.wait_for([&] { return told.contains("letter.wav"); }, 3000));
  EXPECT_EQ(d.work().document.reel().clips.size(), 1U);
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
}

TEST(WindowTest, AReelWithAMissingSourceOpensAndIsMended) {
  const QTemporaryDir temp;
  const auto path = [&](const char* name) {
    return std::filesystem::path(temp.filePath(name).toStdString());
  };
  std::filesystem::copy_file(DREVAN_SOURCE_DIR "/demo/door-slam.flac", path("door.flac"));
  Reel reel;
  reel.name = "Lost";
  add_clip(reel, examine_source(path("door.flac")), "G");
  save_reel(reel, path("lost.reel"));
  std::filesystem::create_directory(path("away"));
  std::filesystem::rename(path("door.flac"), path("away/door.flac"));
  Driver d;
  ASSERT_TRUE(d.work().document.open(path("lost.reel")));
  ASSERT_NE(d.work().selection.clip(), nullptr);
  EXPECT_TRUE(d.work().document.missing(*d.work().selection.clip()));
  d.window.grab();
  EXPECT_TRUE(d.edit(edits::relink, path("away/door.flac")));
  EXPECT_FALSE(d.work().document.missing(*d.work().selection.clip()));
  EXPECT_TRUE(d.settle());
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
}

// Pages and dialogs have threads that read the work; the window may go at any moment of theirs.
TEST(WindowTest, MayBeClosedWhileEverythingIsAtWork) {
  const QTemporaryDir temp;
  for (int round = 0; round < 6; ++round) {
    Driver d;
    ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel"));
    d.window.recipes().show();
    d.window.recipes().list().setCurrentRow(round);
    QTest::keyClick(&d.window, Qt::Key_D, Qt::ControlModifier);
    d.window.batch().set_folder(temp.filePath("out"));
    d.window.batch().render();
    d.work().listening.player().play();
    QTest::qWait(40 * round);
  }
}

TEST(WindowTest, TheTypefaceAndTheMarksAreThere) {
  EXPECT_EQ(QFontInfo(QApplication::font()).family(), "Lato");
  EXPECT_TRUE(QFile::exists(":/marks/check.png"));
}

TEST(WindowTest, EverythingThatCanBeReachedHasANameOrText) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  for (auto* w : d.window.findChildren<QWidget*>()) {
    if (w->focusPolicy() == Qt::NoFocus || !w->isVisible() || w->objectName().startsWith("qt_"))
      continue;
    const auto* button = qobject_cast<QAbstractButton*>(w);
    const bool named = !w->accessibleName().isEmpty() || (button && !button->text().isEmpty());
    const bool container = qobject_cast<QScrollBar*>(w) || qobject_cast<QAbstractScrollArea*>(w) ||
                           qobject_cast<QMenuBar*>(w) || qobject_cast<QSplitter*>(w);
    EXPECT_TRUE(named || container)
        << w->metaObject()->className() << " " << w->objectName().toStdString();
  }
}

}  // namespace
}  // namespace drevan::desktop
