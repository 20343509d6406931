// SPDX-License-Identifier: GPL-3.0-or-later
// The library of recipes by mouse and keys.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QTreeWidget>
#include <QMimeData>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTimer>
#include <fstream>

#include "desktop/driver.h"
#include "dialogs/import_sheet.h"
#include "dialogs/keep_sheet.h"
#include "pages/bench/recipe_drawer.h"
#include "pages/bench/recipe_picture.h"
#include "steps/catalogue.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class RecipesTest : public testing::Test {
 protected:
  RecipesTest() {
    qputenv("XDG_DATA_HOME", temp.path().toUtf8());
    EXPECT_TRUE(d.open_demo());
    QTest::keyClick(&d.window, Qt::Key_R, Qt::ControlModifier);
    EXPECT_TRUE(dialog().isVisible());
  }
  ~RecipesTest() override { qputenv("XDG_DATA_HOME", qgetenv("XDG_CACHE_HOME")); }
  RecipeDrawer& dialog() { return d.window.recipes(); }
  QListWidget& list() { return dialog().list(); }
  void search(const QString& words) {
    dialog().findChild<QLineEdit*>("search_recipes")->setText(words);
  }
  QLineEdit* line(const QString& name) {
    for (auto* l : dialog().findChildren<QLineEdit*>())
      if (l->accessibleName() == name) return l;
    return nullptr;
  }
  QPushButton* button(const QString& text) {
    for (auto* b : dialog().findChildren<QPushButton*>())
      if (b->text() == text) return b;
    return nullptr;
  }
  QComboBox* box(const QString& name) {
    for (auto* b : dialog().findChildren<QComboBox*>())
      if (b->accessibleName() == name) return b;
    return nullptr;
  }
  template <class Sheet>
  void answer(const std::function<void(Sheet&)>& how) {
    answered_ = answer_sheet<Sheet>(dialog(), how);
  }
  bool answered() {
    return d.wait_for([this] { return *answered_; });
  }
  fs::path library() const { return fs::path(temp.path().toStdString()) / "drevan" / "recipes"; }
  int files() const {
    std::error_code error;
    return static_cast<int>(
        std::distance(fs::directory_iterator(library(), error), fs::directory_iterator{}));
  }

  QTemporaryDir temp;
  Driver d;
  std::shared_ptr<bool> answered_;
};

TEST_F(RecipesTest, EveryOwnOneIsListedFoundByAnyOfItsWordsAndHasAPicture) {
  ASSERT_EQ(list().count(), static_cast<int>(own_recipes().size()));
  for (const auto& r : own_recipes()) {
    search(QString::fromStdString(r.name));
    ASSERT_GE(list().count(), 1) << r.name;
    EXPECT_TRUE(list().currentItem()->text().startsWith(QString::fromStdString(r.name)) ||
                list().count() > 1)
        << r.name;
  }
  search("no such thing");
  EXPECT_EQ(list().count(), 0);
  EXPECT_FALSE(button("Use")->isEnabled());
  search("");
  list().setCurrentRow(3);
  EXPECT_TRUE(d.wait_for([&] { return dialog().picture().shown(); }, 5000));
  // Drevan's own stay as they are.
  EXPECT_FALSE(button("Remove")->isEnabled());
  EXPECT_TRUE(line("Note")->isReadOnly());
}

TEST_F(RecipesTest, IsUsedInPlaceOrAfterForClipGroupOrReel) {
  const auto& recipe = own_recipes()[2];
  search(QString::fromStdString(recipe.name));
  const Chain before = d.work().selection.clip()->chain;
  box("How the recipe is used")->setCurrentIndex(1);
  QTest::mouseClick(button("Use"), Qt::LeftButton);
  EXPECT_EQ(d.steps().size(), before.steps.size() + recipe.chain.steps.size());
  d.work().document.undo();
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  box("How the recipe is used")->setCurrentIndex(0);
  QTest::mouseClick(button("Use"), Qt::LeftButton);
  EXPECT_EQ(d.steps().size(), recipe.chain.steps.size());
  d.work().document.undo();
  box("Where the recipe is used")->setCurrentIndex(1);
  QTest::mouseClick(button("Use"), Qt::LeftButton);
  EXPECT_EQ(d.work().selection.clip()->chain, before);
  EXPECT_EQ(d.work().document.reel().at(d.work().selection.clip()->group).chain, recipe.chain);
  box("Where the recipe is used")->setCurrentIndex(2);
  QTest::mouseClick(button("Use"), Qt::LeftButton);
  EXPECT_EQ(d.work().document.reel().chain, recipe.chain);
}

TEST_F(RecipesTest, ThePointerLetsTheClipBeHeardThroughOneAndLeavesNoTrace) {
  const Reel before = d.work().document.reel();
  const QRect at = list().visualItemRect(list().item(1));
  QMouseEvent move(QEvent::MouseMove, at.center(), list().viewport()->mapToGlobal(at.center()),
                   Qt::NoButton, Qt::NoButton, {});
  QApplication::sendEvent(list().viewport(), &move);
  EXPECT_TRUE(d.work().document.previewing());
  ASSERT_TRUE(d.settle());
  QEvent leave(QEvent::Leave);
  QApplication::sendEvent(list().viewport(), &leave);
  EXPECT_FALSE(d.work().document.previewing());
  EXPECT_TRUE(d.work().document.reel() == before);
  // Closing while the pointer is over one ends it, too.
  QApplication::sendEvent(list().viewport(), &move);
  ASSERT_TRUE(d.work().document.previewing());
  dialog().close();
  EXPECT_FALSE(d.work().document.previewing());
}

TEST_F(RecipesTest, SomeStepsOfAllThreeChainsAreKeptUnderAName) {
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("de-ess"));
  d.edit(edits::add_step, StepPlace{ChainOwner::reel, 0}, *find_step("limiter"));
  d.work().selection.select_step(0);
  const auto own = d.steps();
  ASSERT_GE(own.size(), 3U);
  answer<KeepSheet>([&](KeepSheet& sheet) {
    auto* steps = sheet.findChild<QTreeWidget*>();
    ASSERT_EQ(steps->topLevelItemCount(), static_cast<int>(own.size()) + 2);
    EXPECT_EQ(sheet.recipe().chain.steps.size(), own.size());  // the clip's own at first
    for (int i = 0; i < steps->topLevelItemCount(); ++i)
      steps->topLevelItem(i)->setCheckState(
          0, i == 0 || i + 1 == steps->topLevelItemCount() ? Qt::Checked : Qt::Unchecked);
    auto* name = sheet.findChild<QLineEdit*>("name");
    name->clear();
    bool can = true;
    for (auto* b : sheet.findChildren<QPushButton*>())
      if (b->text() == "Keep") can = b->isEnabled();
    EXPECT_FALSE(can);
    name->setText("Ines, first and last");
    sheet.accept();
  });
  QTest::mouseClick(dialog().findChild<QPushButton*>("keep"), Qt::LeftButton);
  const auto all = read_library(library());
  const auto kept = std::ranges::find_if(
      all, [](const LibraryEntry& e) { return e.recipe.name == "Ines, first and last"; });
  ASSERT_NE(kept, all.end());
  ASSERT_EQ(kept->recipe.chain.steps.size(), 2U);
  EXPECT_EQ(kept->recipe.chain.steps[0].type, own[0].type);
  EXPECT_EQ(kept->recipe.chain.steps[1].type->id, "limiter");
  // The same name again gets a number; nothing is written over.
  answer<KeepSheet>([](KeepSheet& sheet) {
    sheet.findChild<QLineEdit*>("name")->setText("Ines, first and last");
    sheet.accept();
  });
  QTest::mouseClick(dialog().findChild<QPushButton*>("keep"), Qt::LeftButton);
  EXPECT_EQ(files(), 2);
}

TEST_F(RecipesTest, SingleValuesAndCurvesOfAStepAreKeptOrLeftOut) {
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.edit(edits::turn, d.step_at(0), 0, 6.0);
  d.edit(edits::set_curve, d.step_at(0), 0, std::optional<Curve>{{{{0, -6}, {2, 3}}}});
  d.edit(edits::set_curve, d.step_at(0), on_parameter,
         std::optional<Curve>{{{{1, 0, CurveShape::hold}}}});
  const ChainStep gain = d.steps()[0];
  ASSERT_EQ(gain.curves.size(), 2U);
  answer<KeepSheet>([&](KeepSheet& sheet) {
    QTreeWidgetItem* step = sheet.findChild<QTreeWidget*>()->topLevelItem(0);
    ASSERT_EQ(step->childCount(), 3);  // its value, its two curves
    EXPECT_EQ(sheet.recipe().chain.steps[0], gain);
    EXPECT_TRUE(step->child(1)->text(0).startsWith("On over time"))
        << step->child(1)->text(0).toStdString();
    step->child(0)->setCheckState(0, Qt::Unchecked);
    step->child(1)->setCheckState(0, Qt::Unchecked);
    const ChainStep kept = sheet.recipe().chain.steps[0];
    EXPECT_EQ(kept.settings, standard_settings(*gain.type));
    ASSERT_EQ(kept.curves.size(), 1U);
    EXPECT_EQ(kept.curves[0], gain.curves[1]);
    sheet.reject();
  });
  QTest::mouseClick(dialog().findChild<QPushButton*>("keep"), Qt::LeftButton);
}

TEST_F(RecipesTest, WordsOfOnesOwnAreChangedRemovedAndBroughtBack) {
  Recipe mine = own_recipes()[0];
  mine.name = "Mine";
  add_to_library(mine, library());
  dialog().read();
  search("Mine");
  ASSERT_EQ(list().count(), 1);
  EXPECT_TRUE(list().item(0)->text().contains("(yours)"));
  line("Tags")->setText("storm, ,  night ");
  QTest::keyClick(line("Tags"), Qt::Key_Return);
  search("storm");
  ASSERT_EQ(list().count(), 1);
  EXPECT_EQ(line("Tags")->text(), "storm, night");
  QTest::mouseClick(button("Remove"), Qt::LeftButton);
  EXPECT_EQ(list().count(), 0);
  EXPECT_EQ(files(), 0);
  QTest::mouseClick(button("Bring back"), Qt::LeftButton);
  EXPECT_EQ(list().count(), 1);
  EXPECT_EQ(files(), 1);
}

TEST_F(RecipesTest, WhatIsDroppedComesInByTheSheetAndBadFilesAreNamed) {
  const fs::path from = fs::path(temp.path().toStdString()) / "from";
  fs::create_directory(from);
  Recipe fresh = own_recipes()[1];
  fresh.name = "Fresh";
  save_recipe(fresh, from / "fresh.recipe");
  std::ofstream(from / "bad.recipe") << "{ not a recipe";
  answer<ImportSheet>([&](ImportSheet& sheet) {
    int fine = 0, bad = 0;
    for (const auto& [incoming, decision] : sheet.decisions()) {
      fine += incoming.state == Incoming::State::fresh ? 1 : 0;
      bad += incoming.state == Incoming::State::unreadable &&
                     incoming.problem.find("bad.recipe") != std::string::npos
                 ? 1
                 : 0;
    }
    EXPECT_EQ(fine, 1);
    EXPECT_EQ(bad, 1);
    sheet.accept();
  });
  QMimeData mime;
  mime.setUrls({QUrl::fromLocalFile(QString::fromStdString(from.string()))});
  // Qt gives a drop to whom was entered.
  QDragEnterEvent enter({50, 50}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&dialog(), &enter);
  QDropEvent drop({50, 50}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&dialog(), &drop);
  ASSERT_TRUE(answered());
  search("Fresh");
  EXPECT_EQ(list().count(), 1);
  EXPECT_EQ(files(), 1);
}

}  // namespace
}  // namespace drevan::desktop
