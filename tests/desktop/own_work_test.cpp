// SPDX-License-Identifier: GPL-3.0-or-later
// From a folder of raw files to an ordered reel, by mouse and keys: files that are not the demo's.
#include <gtest/gtest.h>

#include <QAction>
#include <QDropEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QTableView>
#include <cmath>
#include <fstream>

#include "audio/error.h"
#include "dialogs/cut_sheet.h"
#include "dialogs/who_sheet.h"
#include "driver.h"
#include "pages/start/start_page.h"
#include "steps/catalogue.h"
#include "reel/edits/takes.h"
#include "support/sounds.h"
#include "work/shelf_measurements.h"
#include "work/jobs.h"
#include "work/recent_reels.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class OwnWork : public testing::Test {
 protected:
  void SetUp() override {
    fs::create_directories(folder / "Keeper");
    fs::create_directories(folder / "Buoy, a very long name of a folder that has to be shortened");
    for (int i = 1; i <= 3; ++i) {
      AudioBuffer x = test::noise(0.02, 1.5, static_cast<unsigned>(i));
      const std::string long_name = "raw recording of the second day, microphone B, take ";
      test::write_wav(folder / ("Keeper/" + long_name + std::to_string(i) + ".wav"), x, 44100);
      test::write_wav(folder / ("Buoy, a very long name of a folder that has to be shortened/" +
                                std::to_string(i) + ".wav"),
                      x);
    }
    make_take();
  }
  // Eight sentences of a real voice over noise, with pauses between them that are known.
  void make_take() {
    const AudioBuffer talk = test::continuous_speech(test::voices[0], 20);
    AudioBuffer take(1, 40 * 48000);
    for (int i = 0; i < 8; ++i) {
      const double at = 1 + i * 4.5;
      words.push_back({at, at + 2.5});
      for (size_t k = 0; k < static_cast<size_t>(2.5 * 48000); ++k)
        take.channel(0)[static_cast<size_t>(at * 48000) + k] =
            talk.channel(0)[static_cast<size_t>(i) * 120000 + k];
    }
    test::add(take, test::noise(0.002, 40, 77), 0);
    test::write_wav(folder / "long take.wav", take, 48000, SampleType::int16);
  }
  void drop(Driver& d, QWidget* on, QPoint at, const fs::path& path) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString(path.string()))});
    QDragEnterEvent enter(at, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(on, &enter);
    QDragMoveEvent move(at, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(on, &move);
    QDropEvent drop(at, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(on, &drop);
    d.settle();
  }
  static std::vector<std::string> groups(Driver& d) {
    std::vector<std::string> out;
    for (const auto& g : d.work().document.reel().groups) out.push_back(g.name);
    return out;
  }
  static GroupId group_called(Driver& d, const std::string& name) {
    return std::ranges::find(d.work().document.reel().groups, name, &Group::name)->id;
  }
  static int count_in(Driver& d, const std::string& group) {
    const auto& reel = d.work().document.reel();
    return static_cast<int>(std::ranges::count_if(
        reel.clips, [&](const Clip& c) { return reel.at(c.group).name == group; }));
  }
  // Types into the field that is open over a name.
  static void type_name(Driver& d, const QString& name) {
    auto* field = d.bench().shelf().findChild<QLineEdit*>("name");
    ASSERT_NE(field, nullptr);
    field->selectAll();
    QTest::keyClicks(field, name);
    QTest::keyClick(field, Qt::Key_Return);
  }

  test::TempFolder folder;
  std::vector<ClipRange> words;
};

TEST_F(OwnWork, FromAFolderToAnOrderedReel) {
  QSettings().remove("recent");
  Driver d;
  EXPECT_TRUE(d.window.start().isVisible());
  EXPECT_FALSE(d.bench().isVisible());

  // A folder is dropped: its folders are groups, and all of the first clip is to be seen.
  drop(d, &d.window, d.window.rect().center(), folder.path());
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 7; }));
  ASSERT_TRUE(d.settle());
  EXPECT_TRUE(d.bench().isVisible());
  EXPECT_EQ(groups(d).size(), 3U);
  EXPECT_EQ(count_in(d, "Keeper"), 3);
  EXPECT_NEAR(d.bench().scope().view_length(), d.work().selection.clip_seconds(), 1e-6);
  EXPECT_EQ(d.bench().scope().view_begin(), 0);

  // The take is found by searching and cut at its pauses.
  QTest::keyClick(&d.window, Qt::Key_F, Qt::ControlModifier);
  auto* search = d.bench().findChild<QLineEdit*>("search");
  ASSERT_TRUE(search->hasFocus());
  QTest::keyClicks(search, "LONG take");
  const ClipId take = d.clip_named("long take");
  EXPECT_FALSE(d.bench().shelf().clip_rect(take).isEmpty());
  EXPECT_TRUE(d.bench().shelf().clip_rect(d.clip_named("1")).isEmpty());
  d.click_clip("long take");
  ASSERT_TRUE(d.settle());
  QTest::keyClick(search, Qt::Key_A, Qt::ControlModifier);
  QTest::keyClick(search, Qt::Key_Delete);
  QTest::keyClick(&d.window, Qt::Key_K, Qt::ControlModifier);
  auto* sheet = d.window.findChild<CutSheet*>();
  ASSERT_NE(sheet, nullptr);
  ASSERT_TRUE(d.wait_for([&] { return !sheet->hearing() && !sheet->view().pieces().empty(); }));
  ASSERT_EQ(sheet->view().pieces().size(), words.size());
  for (size_t i = 0; i < words.size(); ++i) {
    // The voice begins and ends somewhere within what was pasted.
    EXPECT_LE(sheet->view().pieces()[i].range.begin.s, words[i].begin.s + 0.2) << i;
    EXPECT_GE(sheet->view().pieces()[i].range.end.s, words[i].end.s - 0.2) << i;
  }
  // A longer least pause makes one piece of it; back again.
  auto* pause = sheet->limit("least_pause_s");
  Q_EMIT pause->changed(4.9);
  EXPECT_EQ(sheet->view().pieces().size(), 1U);
  Q_EMIT pause->changed(0.5);
  ASSERT_EQ(sheet->view().pieces().size(), 8U);
  // One end is dragged, the last piece is dropped.
  CutView& view = sheet->view();
  const QRectF first = view.piece_rect(0);
  d.drag(&view, {first.left(), 40}, {first.left() - 12, 40});
  EXPECT_NEAR(view.piece_rect(0).left(), first.left() - 12, 1.5);
  d.click(&view, view.piece_rect(7).center());
  QTest::keyClick(&view, Qt::Key_Delete);
  ASSERT_EQ(view.pieces().size(), 7U);
  QTest::mouseClick(sheet->findChild<QPushButton*>("cut"), Qt::LeftButton);
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 13; }));
  ASSERT_TRUE(d.take_keys());
  ASSERT_NE(d.clip_named("long take 7").number(), 0);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.work().document.reel().clips.size(), 7U);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(d.work().document.reel().clips.size(), 13U);

  // Three of the pieces become a group with a name of its own.
  Shelf& shelf = d.bench().shelf();
  d.click_clip("long take 2");
  d.click(shelf.viewport(), shelf.clip_rect(d.clip_named("long take 4")).center(),
          Qt::ShiftModifier);
  EXPECT_EQ(shelf.marked().size(), 3U);
  QTest::keyClick(&d.window, Qt::Key_G, Qt::ControlModifier);
  type_name(d, "Night watch");
  EXPECT_EQ(groups(d).back(), "Night watch");
  EXPECT_EQ(count_in(d, "Night watch"), 3);
  QTest::keyClick(&shelf, Qt::Key_Escape);

  // One is dragged to another group, a heading above all others.
  const GroupId keeper = group_called(d, "Keeper");
  d.click_clip("long take 5");
  shelf.verticalScrollBar()->setValue(0);
  const QRectF from = shelf.clip_rect(d.clip_named("long take 5"));
  const QRectF to = shelf.group_rect(keeper);
  ASSERT_FALSE(from.isEmpty());
  d.drag(shelf.viewport(), from.center(), to.center());
  EXPECT_EQ(count_in(d, "Keeper"), 4);
  const auto order = groups(d);
  d.drag(shelf.viewport(), shelf.group_rect(group_called(d, order[1])).center(),
         shelf.group_rect(group_called(d, order[0])).center());
  EXPECT_EQ(groups(d)[0], order[1]);
  EXPECT_EQ(groups(d)[1], order[0]);

  // A heading is folded by its triangle and unfolded by a key.
  const ClipId visible = d.work().document.reel().clips.front().id;
  d.click_clip(d.work().document.reel().find(visible)->name);
  const GroupId group = d.work().selection.clip()->group;
  d.click(shelf.viewport(), shelf.group_rect(group).topLeft() + QPointF(12, 18));
  EXPECT_TRUE(shelf.clip_rect(visible).isEmpty());
  QTest::keyClick(&shelf, Qt::Key_Right);
  EXPECT_FALSE(shelf.clip_rect(visible).isEmpty());

  // Saved, closed, and opened again from what was open last: all equal.
  const fs::path file = folder / "night.reel";
  ASSERT_TRUE(d.work().document.save(file));
  const Reel before = d.work().document.reel();
  d.window.close();
  Driver again;
  ASSERT_TRUE(again.window.start().isVisible());
  QListWidget& recent = again.window.start().recent();
  ASSERT_GE(recent.count(), 1);
  EXPECT_TRUE(recent.item(0)->text().startsWith("night"));
  EXPECT_FALSE(recent_picture(QString::fromStdString(file.string())).isNull());
  recent.setFocus();
  QTest::keyClick(&recent, Qt::Key_Return);
  ASSERT_TRUE(again.settle());
  EXPECT_EQ(again.work().document.reel(), before);
}

TEST_F(OwnWork, ClipsAreCutInTheScope) {
  Driver d;
  d.window.open_files({QString::fromStdString((folder / "long take.wav").string())});
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 1; }));
  ASSERT_TRUE(d.settle());
  const Reel whole = d.work().document.reel();
  Scope& scope = d.bench().scope();
  const auto clips = [&]() -> const SharedList<Clip>& { return d.work().document.reel().clips; };
  // Split at the playhead, in a pause: where the sound crosses zero, within 5 ms.
  d.click(&scope, {scope.x_of(10), 40});
  QTest::keyClick(&d.window, Qt::Key_K);
  ASSERT_TRUE(d.wait_for([&] { return clips().size() == 2; }));
  EXPECT_NEAR(static_cast<double>(clips()[1].begin) / 48000, 10, 0.05);
  // Joined again: as it was.
  QTest::keyClick(&d.window, Qt::Key_A, Qt::ControlModifier);
  QTest::keyClick(&d.window, Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_EQ(clips().size(), 1U);
  EXPECT_EQ(clips()[0], whole.clips[0]);
  QTest::keyClick(&d.bench().shelf(), Qt::Key_Escape);
  ASSERT_TRUE(d.settle());
  // A selection is taken out, and kept alone.
  d.drag(&scope, {scope.x_of(4), 40}, {scope.x_of(9), 40});
  QTest::keyClick(&d.window, Qt::Key_X);
  ASSERT_TRUE(d.wait_for([&] { return clips().size() == 2; }));
  EXPECT_NEAR(clips()[1].place.s - clips()[0].place.s, 9, 0.1);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  ASSERT_TRUE(d.settle());
  d.drag(&scope, {scope.x_of(4), 40}, {scope.x_of(9), 40});
  QTest::keyClick(&d.window, Qt::Key_K, Qt::ShiftModifier);
  ASSERT_TRUE(d.wait_for([&] { return clips()[0].begin > 0; }));
  EXPECT_NEAR(d.work().selection.clip_seconds(), 5, 0.1);
  EXPECT_GT(clips()[0].fade_in.seconds, 0);
  // The bracket trims, outwards too; the corner fades, a double click makes it smooth.
  ASSERT_TRUE(d.settle());
  scope.zoom(0.8, 2.5);
  const double length = d.work().selection.clip_seconds();
  d.drag(&scope, scope.trim_grip(true), {scope.x_of(length + 0.5), scope.trim_grip(true).y()});
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip_seconds() > length + 0.3; }));
  ASSERT_TRUE(d.settle());
  d.drag(&scope, scope.fade_grip(false), {scope.x_of(1), scope.fade_grip(false).y()});
  EXPECT_NEAR(clips()[0].fade_in.seconds, 1, 0.1);
  EXPECT_EQ(clips()[0].fade_in.shape, CurveShape::line);
  QTest::mouseDClick(&scope, Qt::LeftButton, {}, scope.fade_grip(false).toPoint());
  EXPECT_EQ(clips()[0].fade_in.shape, CurveShape::smooth);
  // Without a selection it says what to do.
  d.window.bench().scope().select(std::nullopt);
  QTest::keyClick(&d.window, Qt::Key_X);
  EXPECT_EQ(clips().size(), 1U);
}

TEST_F(OwnWork, TakesAreHeardInTurnAndOneIsChosen) {
  Driver d;
  QStringList files;
  for (int i = 0; i < 3; ++i) {
    AudioBuffer x = test::words(0.05 * std::pow(2, i), 3);
    const auto file = folder / ("line " + std::to_string(i + 1) + ".wav");
    test::write_wav(file, x);
    files << QString::fromStdString(file.string());
  }
  d.window.open_files(files);
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 3; }));
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] {
    return std::ranges::all_of(d.work().document.reel().clips, [&](const Clip& c) {
      return d.work().shelf.clip_loudness(c.id).has_value();
    });
  }));
  QTest::keyClick(&d.window, Qt::Key_A, Qt::ControlModifier);
  QTest::keyClick(&d.window, Qt::Key_T);
  QTest::keyClick(&d.bench().shelf(), Qt::Key_Escape);
  const auto rendered = [&] { return rendered_clips(d.work().document.reel()); };
  EXPECT_EQ(rendered(), std::vector<ClipId>{1});
  // The next one is twice as loud; it is heard as loud as the quietest.
  QTest::keyClick(&d.window, Qt::Key_N);
  EXPECT_EQ(d.work().selection.clip_id().number(), 2);
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.plan() != nullptr; }));
  EXPECT_TRUE(d.wait_for(
      [&] { return std::abs(d.work().listening.plan()->take_db + 20 * std::log10(2)) < 0.2; }));
  EXPECT_TRUE(d.work().listening.player().playing());
  QTest::keyClick(&d.window, Qt::Key_T, Qt::ShiftModifier);
  EXPECT_EQ(rendered(), std::vector<ClipId>{2});
  // The batch has that one alone.
  d.window.show_place(MainWindow::Place::batch);
  auto* table = d.window.batch().findChild<QTableView*>();
  ASSERT_NE(table, nullptr);
  EXPECT_EQ(table->model()->rowCount(), 1);
}

TEST_F(OwnWork, ClipsAreGroupedByWhoSpeaks) {
  Driver d;
  QStringList files;
  for (int v = 0; v < 2; ++v) {
    AudioBuffer talk = test::continuous_speech(test::voices[v == 0 ? 0 : 2], 24);
    for (int i = 0; i < 6; ++i) {
      AudioBuffer part(1, 4 * 48000);
      for (size_t k = 0; k < 4 * 48000; ++k)
        part.channel(0)[k] = talk.channel(0)[static_cast<size_t>(i) * 4 * 48000 + k];
      const auto file = folder / (std::to_string(i) + (v == 0 ? " she.wav" : " he.wav"));
      test::write_wav(file, part);
      files << QString::fromStdString(file.string());
    }
  }
  d.window.open_files(files);
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 12; }));
  ASSERT_TRUE(d.settle());
  QTest::keyClick(&d.window, Qt::Key_W, Qt::ControlModifier | Qt::ShiftModifier);
  auto* sheet = d.window.findChild<WhoSheet*>();
  ASSERT_NE(sheet, nullptr);
  ASSERT_TRUE(d.wait_for([&] { return !sheet->hearing() && sheet->guess().speakers > 0; }));
  ASSERT_EQ(sheet->guess().speakers, 2);
  // A proposal: nothing is grouped yet.
  EXPECT_EQ(groups(d).size(), 1U);
  QLineEdit* name = sheet->name_of(0);
  name->selectAll();
  QTest::keyClicks(name, "The keeper");
  QTest::mouseClick(sheet->findChild<QPushButton*>("group_so"), Qt::LeftButton);
  EXPECT_EQ(count_in(d, "The keeper"), 6);
  EXPECT_EQ(count_in(d, "Speaker 2"), 6);
  const auto& reel = d.work().document.reel();
  for (const auto& c : reel.clips)
    EXPECT_EQ(reel.at(c.group).name == "The keeper", c.name.ends_with(" she")) << c.name;
}

// On 1280 x 800 with a title bar, and at 150 %: no part asks for more.
TEST(WindowSize, FitsASmallScreen) {
  Driver d;
  const auto least = [&] { return d.window.minimumSizeHint().expandedTo(d.window.minimumSize()); };
  EXPECT_LE(least().width(), 1280 * 2 / 3);
  EXPECT_LE(least().height(), 800 * 2 / 3 - 32);
  ASSERT_TRUE(d.open_demo());
  for (const StepType* type : catalogue()) {
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *type);
    ASSERT_TRUE(d.settle());
    EXPECT_LE(least().height(), 800 * 2 / 3 - 32) << type->id;
    EXPECT_LE(least().width(), 1280 * 2 / 3) << type->id;
    d.work().document.undo();
  }
  d.window.show_place(MainWindow::Place::batch);
  EXPECT_LE(least().height(), 800 * 2 / 3 - 32);
}

TEST(Keys, NoTwoEntriesOfTheMenusShareOne) {
  Driver d;
  std::map<QString, QString> seen;
  for (const QAction* a : d.window.actions())
    for (const auto& key : a->shortcuts())
      EXPECT_TRUE(seen.emplace(key.toString(), a->text()).second)
          << key.toString().toStdString() << ": " << a->text().toStdString() << " and "
          << seen[key.toString()].toStdString();
}

TEST_F(OwnWork, FoldersOfAllKindsAreTaken) {
  fs::create_directory_symlink(folder.path(), folder / "circle");
  fs::create_directories(folder / "empty");
  std::ofstream(folder / "Keeper" / "notes.wav") << "no sound at all";
  std::ofstream(folder / "Keeper" / "read me.txt") << "text";
  Driver d;
  drop(d, &d.window, d.window.rect().center(), folder.path());
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 7; }));
  EXPECT_EQ(count_in(d, "Keeper"), 3);
  drop(d, &d.window, d.window.rect().center(), folder / "empty");
  EXPECT_EQ(d.work().document.reel().clips.size(), 7U);
  // A recipe that is dropped on the shelf is the window's.
  drop(d, d.bench().shelf().viewport(), {60, 60}, DREVAN_SOURCE_DIR "/demo/five.recipe");
  EXPECT_EQ(d.steps().size(), 5U);
  // Onto a heading: into that group.
  Shelf& shelf = d.bench().shelf();
  const GroupId keeper = group_called(d, "Keeper");
  drop(d, shelf.viewport(), shelf.group_rect(keeper).center().toPoint(), folder / "long take.wav");
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.reel().clips.size() == 8; }));
  EXPECT_EQ(count_in(d, "Keeper"), 4);
}

}  // namespace
}  // namespace drevan::desktop
