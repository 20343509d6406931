// SPDX-License-Identifier: GPL-3.0-or-later
// The Batch by mouse and keys: what is ticked, named, said beforehand, paused, cancelled and judged.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QTableView>
#include <QTemporaryDir>
#include <QToolButton>
#include <QUrl>

#include "batch/estimate.h"
#include "pages/batch/batch_model.h"
#include "desktop/driver.h"
#include "reel/files/json_file.h"
#include "steps/catalogue.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class BatchPageTest : public testing::Test {
 protected:
  BatchPageTest() {
    QSettings().remove("batch");
    EXPECT_TRUE(d.open_demo());
    d.window.show_place(MainWindow::Place::batch);
    page().set_folder(QString::fromStdString(out().string()));
  }
  ~BatchPageTest() override { QSettings().remove("batch"); }
  BatchPage& page() { return d.window.batch(); }
  QAbstractItemModel& model() { return *page().table().model(); }
  QString cell(int row, int column) {
    return model().data(model().index(row, column), Qt::DisplayRole).toString();
  }
  void tick(int row, bool on) {
    model().setData(model().index(row, BatchModel::clip), on ? Qt::Checked : Qt::Unchecked,
                    Qt::CheckStateRole);
  }
  QPushButton* button(const QString& text) {
    for (auto* b : page().findChildren<QPushButton*>())
      if (b->text() == text) return b;
    return nullptr;
  }
  QString said() {
    QString all;
    for (auto* l : page().findChildren<QLabel*>()) all += l->text() + "\n";
    return all;
  }
  void pattern(const char* text) { page().findChild<QLineEdit*>("pattern")->setText(text); }
  bool done() {
    return d.wait_for([&] { return !page().rendering(); }, 90000);
  }
  fs::path out() const { return fs::path(temp.path().toStdString()) / "out"; }
  int files() const {
    int n = 0;
    std::error_code error;
    for (const auto& entry : fs::recursive_directory_iterator(out(), error))
      n += entry.is_regular_file() && !entry.path().filename().string().starts_with(".") ? 1 : 0;
    return n;
  }

  QTemporaryDir temp;
  Driver d;
};

TEST_F(BatchPageTest, HasARowForEveryClipWithNameGroupChainAndFile) {
  ASSERT_EQ(model().rowCount(), static_cast<int>(d.work().document.reel().clips.size()));
  for (int row = 0; row < model().rowCount(); ++row) {
    const Clip& c = d.work().document.reel().clips[static_cast<size_t>(row)];
    EXPECT_EQ(cell(row, BatchModel::clip).toStdString(), c.name);
    EXPECT_EQ(cell(row, BatchModel::group).toStdString(),
              d.work().document.reel().at(c.group).name);
    EXPECT_EQ(cell(row, BatchModel::output).toStdString(), c.name + ".wav");
  }
  for (int column = 0; column < model().columnCount(); ++column)
    EXPECT_FALSE(model().headerData(column, Qt::Horizontal, Qt::DisplayRole).toString().isEmpty())
        << column;
}

TEST_F(BatchPageTest, NamesAreShownAsTheyAreTypedAndClashesAreSaid) {
  pattern("{number} {group}, {clip}");
  EXPECT_EQ(cell(0, BatchModel::output).toStdString(), "001 Ines dialogue, lamp-room-04.wav");
  EXPECT_FALSE(said().contains("taken already"));
  pattern("{group}");
  EXPECT_TRUE(said().contains("names are taken already and get a number")) << said().toStdString();
  EXPECT_EQ(cell(1, BatchModel::output).toStdString(), "Ines dialogue-2.wav");
  // Without the first the second has the name to itself.
  tick(0, false);
  EXPECT_EQ(cell(1, BatchModel::output).toStdString(), "Ines dialogue.wav");
  pattern("{clop}");
  EXPECT_TRUE(said().contains("{clop}")) << said().toStdString();
}

TEST_F(BatchPageTest, OnlyWhatIsTickedIsRendered) {
  auto* all = page().findChild<QCheckBox*>("all_clips");
  ASSERT_NE(all, nullptr);
  QTest::mouseClick(all, Qt::LeftButton, {}, {8, all->height() / 2});
  ASSERT_FALSE(all->isChecked());
  QString told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told = text; });
  page().render();
  EXPECT_FALSE(page().rendering());
  EXPECT_TRUE(told.contains("No clip is ticked"));
  tick(2, true);
  tick(10, true);
  page().render();
  ASSERT_TRUE(done());
  ASSERT_EQ(page().results().size(), 2U);
  EXPECT_EQ(files(), 2);
  EXPECT_TRUE(fs::exists(out() / (d.work().document.reel().clips[2].name + ".wav")));
  EXPECT_EQ(cell(2, BatchModel::result), "done");
  EXPECT_NE(cell(3, BatchModel::result), "done");
}

TEST_F(BatchPageTest, PausedItStandsStillAndGoesOn) {
  page().render();
  ASSERT_TRUE(d.wait_for([&] { return files() > 0; }, 30000));
  QTest::mouseClick(page().findChild<QPushButton*>("pause"), Qt::LeftButton);
  QTest::qWait(400);
  const int then = files();
  std::vector<double> progress;
  for (const auto& r : page().results()) progress.push_back(r.progress);
  QTest::qWait(500);
  EXPECT_EQ(files(), then);
  for (size_t i = 0; i < progress.size(); ++i) EXPECT_EQ(page().results()[i].progress, progress[i]);
  EXPECT_TRUE(page().rendering());
  EXPECT_TRUE(said().contains("Paused"));
  QTest::mouseClick(page().findChild<QPushButton*>("pause"), Qt::LeftButton);
  ASSERT_TRUE(done());
  for (const auto& r : page().results()) EXPECT_EQ(r.state, JobState::done) << r.problem;
}

TEST_F(BatchPageTest, CancelledItEndsWithinASecondWithWholeFilesOnly) {
  page().render();
  ASSERT_TRUE(d.wait_for([&] { return files() > 0; }, 30000));
  QElapsedTimer since;
  since.start();
  QTest::mouseClick(button("Cancel"), Qt::LeftButton);
  ASSERT_TRUE(done());
  EXPECT_LT(since.elapsed(), 1000);
  int whole = 0;
  for (const auto& r : page().results()) whole += r.state == JobState::done ? 1 : 0;
  EXPECT_EQ(files(), whole);
  // Run again, what was done stays.
  page().render();
  ASSERT_TRUE(done());
  EXPECT_EQ(std::ranges::count(page().results(), true, &JobResult::kept), whole);
}

// Paused, too.
TEST_F(BatchPageTest, CancelEndsAPausedOne) {
  page().render();
  page().pause(true);
  QTest::qWait(200);
  QTest::mouseClick(button("Cancel"), Qt::LeftButton);
  EXPECT_TRUE(d.wait_for([&] { return !page().rendering(); }, 2000));
}

TEST_F(BatchPageTest, OtherFormatsAreWrittenBesideAndWhatAFormatCannotHoldIsNotOffered) {
  auto* also = page().findChild<QToolButton*>("also");
  for (auto* a : also->menu()->actions())
    if (a->text() == "FLAC, 16 bit" || a->text() == "WAV, 16 bit") a->setChecked(true);
  EXPECT_EQ(also->text(), "Also 2 more");
  for (int row = 1; row < model().rowCount(); ++row) tick(row, false);
  page().render();
  ASSERT_TRUE(done());
  EXPECT_TRUE(fs::exists(out() / "lamp-room-04.wav"));
  EXPECT_TRUE(fs::exists(out() / "lamp-room-04.flac"));
  EXPECT_TRUE(fs::exists(out() / "16-bit" / "lamp-room-04.wav"));
  // 32-bit float and FLAC exclude each other, from either side.
  QComboBox *format = nullptr, *bits = nullptr;
  for (auto* box : page().findChildren<QComboBox*>()) {
    if (box->accessibleName() == "File format") format = box;
    if (box->accessibleName() == "Bits") bits = box;
  }
  ASSERT_TRUE(format && bits);
  bits->setCurrentIndex(2);
  EXPECT_EQ(format->currentText(), "WAV");
  format->setCurrentIndex(1);
  EXPECT_NE(bits->currentText(), "32 bit float");
  EXPECT_TRUE(cell(3, BatchModel::output).endsWith(".flac"));
}

TEST_F(BatchPageTest, AFailureSaysWhyInItsRowAndTheRestIsDone) {
  Reel reel = d.work().document.reel();
  reel.at(std::as_const(reel).clips[1].source).path = out() / "gone.wav";
  d.work().document.change([&](const Reel&) { return edits::Edit{reel, "Lose a source"}; });
  page().render();
  ASSERT_TRUE(done());
  const auto& results = page().results();
  EXPECT_EQ(results[1].state, JobState::failed);
  EXPECT_NE(results[1].problem.find("gone.wav"), std::string::npos);
  EXPECT_EQ(cell(1, BatchModel::result), "source missing");
  EXPECT_EQ(std::ranges::count(results, JobState::done, &JobResult::state),
            std::ssize(results) - 1);
  EXPECT_TRUE(said().contains("1 failed"));
}

TEST_F(BatchPageTest, AReportIsSavedInEveryKindAndAWrongPlaceIsTold) {
  for (int row = 2; row < model().rowCount(); ++row) tick(row, false);
  d.work().document.set_target("podcast");
  page().render();
  ASSERT_TRUE(done());
  for (const char* name : {"r.html", "r.csv", "r.json"}) {
    page().save_report_to(out() / name);
    EXPECT_NE(read_text(out() / name).find("lamp-room-04"), std::string::npos) << name;
  }
  EXPECT_NE(read_text(out() / "r.html").find("on target"), std::string::npos);
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  page().save_report_to("/nowhere/at/all/r.html");
  EXPECT_TRUE(told.contains("/nowhere/at/all/r.html")) << told.toStdString();
}

TEST_F(BatchPageTest, WhatWasChosenIsThereNextTime) {
  pattern("{group}-{clip}");
  page().findChild<QCheckBox*>("only_changed")->setChecked(false);
  for (int row = 1; row < model().rowCount(); ++row) tick(row, false);
  page().render();
  ASSERT_TRUE(done());
  BatchPage next(d.work());
  EXPECT_EQ(next.findChild<QLineEdit*>("pattern")->text(), "{group}-{clip}");
  EXPECT_FALSE(next.findChild<QCheckBox*>("only_changed")->isChecked());
  EXPECT_EQ(next.findChild<QLineEdit*>("folder")->text().toStdString(), out().string());
}

TEST_F(BatchPageTest, SaysBeforehandWhatItTakesAndWhatNobodyHeard) {
  auto* estimate = page().findChild<QLabel*>("estimate");
  ASSERT_TRUE(d.wait_for([&] { return estimate->text().contains(" of sound: about "); }));
  EXPECT_TRUE(estimate->text().contains("free")) << estimate->text().toStdString();
  EXPECT_TRUE(estimate->text().contains("Nobody listened to them"))
      << estimate->text().toStdString();
  EXPECT_TRUE(d.wait_for([&] { return cell(0, BatchModel::heard) == "nothing"; }));
  // The space is what the files then have.
  for (int row = 2; row < model().rowCount(); ++row) tick(row, false);
  const auto ids = [&] {
    std::vector<ClipId> out;
    for (size_t i = 0; i < 2; ++i) out.push_back(d.work().document.reel().clips[i].id);
    return out;
  }();
  const auto told = estimate_batch(d.work().document.reel(), ids, {});
  page().render();
  ASSERT_TRUE(done());
  std::uintmax_t bytes = 0;
  for (const auto& r : page().results()) bytes += fs::file_size(r.output);
  EXPECT_NEAR(static_cast<double>(told.bytes), static_cast<double>(bytes),
              0.05 * static_cast<double>(bytes));
}

TEST_F(BatchPageTest, ItsFormIsKeptForEveryReel) {
  const auto mine = fs::path(temp.path().toStdString()) / "mine.reel";
  ASSERT_TRUE(d.work().document.save(mine));
  pattern("{reel}-{number}");
  page().set_what(4);
  page().set_folder("/tmp/of-mine");
  ASSERT_TRUE(d.open_demo());
  d.window.show_place(MainWindow::Place::batch);
  pattern("{clip}");
  page().set_what(0);
  page().set_folder("/tmp/of-the-demo");
  ASSERT_TRUE(d.work().document.open(mine));
  EXPECT_EQ(page().findChild<QLineEdit*>("pattern")->text(), "{reel}-{number}");
  EXPECT_EQ(page().findChild<QLineEdit*>("folder")->text(), "/tmp/of-mine");
  EXPECT_EQ(page().findChild<QComboBox*>("what")->currentIndex(), 4);
}

TEST_F(BatchPageTest, WordsComeFromAMenuWithTheNamesShownAtOnce) {
  auto* field = page().findChild<QLineEdit*>("pattern");
  field->setText("x-");
  auto* words = page().findChild<QToolButton*>("words");
  ASSERT_EQ(words->menu()->actions().size(), 4);
  words->menu()->actions()[3]->trigger();
  EXPECT_EQ(field->text(), "x-{number}");
  EXPECT_EQ(cell(0, BatchModel::output), "x-001.wav");
}

TEST_F(BatchPageTest, AFinishedRowIsPlayedAndDraggedOut) {
  for (int row = 1; row < model().rowCount(); ++row) tick(row, false);
  EXPECT_FALSE(model().flags(model().index(0, 0)) & Qt::ItemIsDragEnabled);
  page().render();
  ASSERT_TRUE(done());
  const auto file = page().results()[0].output;
  EXPECT_TRUE(model().flags(model().index(0, 0)) & Qt::ItemIsDragEnabled);
  std::unique_ptr<QMimeData> dragged(
      model().mimeData({model().index(0, BatchModel::clip), model().index(1, BatchModel::clip)}));
  ASSERT_NE(dragged, nullptr);
  ASSERT_EQ(dragged->urls().size(), 1);
  EXPECT_EQ(dragged->urls()[0].toLocalFile().toStdString(), file.string());

  page().table().setCurrentIndex(model().index(0, BatchModel::result));
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_NE(d.work().listening.file_played(), nullptr);
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.player().position() > 24000; }));
  // What is heard is the file.
  const AudioBuffer wanted = test::read_all(file);
  const auto heard = d.heard(300);
  double most = 0;
  for (size_t at = 0; at + heard.size() < wanted.channel(0).size(); at += 240)
    most = std::max(most, std::abs(test::rms_db(wanted.channel(0).subspan(at, heard.size())) -
                                   test::rms_db(heard)) < 0.5
                              ? 1.0
                              : 0.0);
  EXPECT_EQ(most, 1.0);
  QTest::keyClick(&d.window, Qt::Key_Space);
  EXPECT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }));
  // The Bench plays its clip.
  d.window.show_place(MainWindow::Place::bench);
  EXPECT_EQ(d.work().listening.file_played(), nullptr);
}

TEST_F(BatchPageTest, AnEditMeanwhileBelongsToTheNextBatchAndSaysSo) {
  QStringList told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told << text; });
  page().render();
  page().pause(true);
  d.window.show_place(MainWindow::Place::bench);
  const ClipId last = d.work().document.reel().clips.back().id;
  d.work().selection.select_clip(last);
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.edit(edits::turn, d.step_at(0), 0, -20.0);
  EXPECT_EQ(told.filter("belongs to the next one").size(), 1);
  page().pause(false);
  ASSERT_TRUE(done());
  EXPECT_TRUE(said().contains("1 changed meanwhile for the next batch")) << said().toStdString();
  EXPECT_EQ(told.filter("The batch has ended").size(), 1);
  EXPECT_EQ(page().results().back().render.after.sample_peak_dbfs.has_value(), true);
  const double before = *page().results().back().render.after.sample_peak_dbfs;
  // The next one renders that clip alone.
  d.window.show_place(MainWindow::Place::batch);
  page().render();
  ASSERT_TRUE(done());
  EXPECT_EQ(std::ranges::count(page().results(), false, &JobResult::kept), 1);
  EXPECT_NEAR(*page().results().back().render.after.sample_peak_dbfs, before - 20, 0.5);
}

}  // namespace
}  // namespace drevan::desktop
