// SPDX-License-Identifier: GPL-3.0-or-later
// One change reaches every cut: groups, versions, recipes and the batch, by mouse and keys.
#include <gtest/gtest.h>

#include <QAction>
#include <QLineEdit>
#include <QSettings>
#include <QListWidget>
#include <QTableWidget>
#include <QTemporaryDir>

#include "dialogs/rules_dialog.h"
#include "desktop/driver.h"
#include "dialogs/import_sheet.h"
#include "pages/bench/recipe_drawer.h"
#include "reel/files/json_file.h"
#include "steps/catalogue.h"
#include "dialogs/uneven_dialog.h"
#include "dialogs/versions_dialog.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/printing.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class EveryCut : public testing::Test {
 protected:
  EveryCut() {
    qputenv("XDG_DATA_HOME", temp.path().toUtf8());
    EXPECT_TRUE(d.open_demo());
    // Versions lie beside the reel: work on a copy.
    EXPECT_TRUE(d.work().document.save((folder() / "copy.reel").string()));
    QObject::connect(&d.work().notices, &Notices::message,
                     [this](const QString& text, bool) { told = text; });
  }
  ~EveryCut() override { qputenv("XDG_DATA_HOME", qgetenv("XDG_CACHE_HOME")); }
  fs::path folder() const { return temp.path().toStdString(); }
  QAction* action(const QString& text) {
    for (auto* a : d.window.findChildren<QAction*>())
      if (a->text() == text) return a;
    return nullptr;
  }
  bool printed() {
    QTest::qWait(20);
    // The sign of progress may have had the keys.
    return d.wait_for([&] { return !d.work().printing.busy(); }) && d.settle() && d.take_keys();
  }
  const Clip& clip(const std::string& name) {
    return *d.work().document.reel().find(d.clip_named(name));
  }
  bool render() {
    d.window.batch().render();
    return d.wait_for([&] { return !d.window.batch().rendering(); }, 90000);
  }

  QTemporaryDir temp;
  Driver d;
  QString told;
};

TEST_F(EveryCut, ThroughTheWholeIssue) {
  // The group's chain: the plus in the group's part, then the list that opens.
  ASSERT_TRUE(d.add_step("compressor", ChainOwner::group));
  const auto group = [&]() -> const Group& {
    return d.work().document.reel().at(clip("lamp-room-04").group);
  };
  ASSERT_EQ(group().chain.steps.size(), 1U);

  // One clip sits out; the shelf and its chain say so; one action brings it back in line.
  const size_t steps = running_steps(d.work().document.reel(), clip("stairs-02")).size();
  d.click_clip("stairs-02");
  ASSERT_TRUE(d.settle());
  action("Sit out of the group's chain")->trigger();
  EXPECT_EQ(running_steps(d.work().document.reel(), clip("stairs-02")).size(), steps - 1);
  EXPECT_EQ(sits_out_of(d.work().document.reel(), clip("stairs-02")).size(), 1U);
  action("Take part in everything again")->trigger();
  EXPECT_EQ(running_steps(d.work().document.reel(), clip("stairs-02")).size(), steps);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(running_steps(d.work().document.reel(), clip("stairs-02")).size(), steps - 1);

  // A selection is printed and the same done to the next.
  d.click_clip("lamp-room-04");
  ASSERT_TRUE(d.settle());
  Scope& scope = d.bench().scope();
  const auto select = [&](double from, double to) {
    d.drag(&scope, {scope.width() * from, scope.height() / 2.0},
           {scope.width() * to, scope.height() / 2.0});
  };
  const Clip before = clip("lamp-room-04");
  select(0.2, 0.3);
  ASSERT_TRUE(scope.selection());
  QTest::keyClick(&d.window, Qt::Key_P);
  ASSERT_TRUE(printed());
  ASSERT_EQ(clip("lamp-room-04").version, 1) << told.toStdString();
  EXPECT_TRUE(clip("lamp-room-04").chain.steps.empty());
  EXPECT_TRUE(fs::exists(folder() / "copy.versions"));
  select(0.5, 0.6);
  QTest::keyClick(&d.window, Qt::Key_P, Qt::ShiftModifier);
  ASSERT_TRUE(printed());
  EXPECT_EQ(clip("lamp-room-04").version, 2);
  EXPECT_EQ(find_version(clip("lamp-room-04"), 2)->made_with, before.chain);

  // Back to where it came from, through the list of versions; then against the newest.
  QTest::keyClick(&d.window, Qt::Key_V);
  VersionsDialog& versions = d.window.versions();
  ASSERT_TRUE(versions.isVisible());
  versions.mark(0);
  EXPECT_EQ(versions.marked(), 0);
  d.edit(edits::go_to_version, versions.marked());
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(clip("lamp-room-04").chain, before.chain);
  EXPECT_EQ(clip("lamp-room-04").source, before.source);
  d.work().listening.hear_against(2);
  ASSERT_TRUE(d.work().listening.plan() && d.work().listening.plan()->against);
  d.work().listening.hear_against(std::nullopt);
  EXPECT_FALSE(d.work().listening.plan()->against);
  versions.close();

  // Recipes out and in by zip.
  d.take_keys();
  QTest::keyClick(&d.window, Qt::Key_R, Qt::ControlModifier);
  RecipeDrawer& recipes = d.window.recipes();
  ASSERT_TRUE(recipes.isVisible());
  recipes.findChild<QLineEdit*>("search_recipes")->setText("podcast");
  ASSERT_EQ(recipes.list().count(), 2);
  recipes.export_to(folder() / "out.zip");
  recipes.findChild<QLineEdit*>("search_recipes")->clear();
  Recipe changed = own_recipes()[0];
  changed.chain.steps.pop_back();
  add_to_library(changed, library_folder());
  recipes.read();
  export_zip(std::vector<Recipe>{own_recipes()[0]}, folder() / "other.zip");
  int shown = 0;
  const auto answered = answer_sheet<ImportSheet>(recipes, [&](ImportSheet& sheet) {
    for (const auto& [in, decision] : sheet.decisions())
      shown += in.state == Incoming::State::differs ? 1 : 0;
    sheet.decide_all(Decision::replace);
    sheet.accept();
  });
  recipes.import({folder() / "other.zip", folder() / "out.zip"});
  ASSERT_TRUE(d.wait_for([&] { return *answered; }));
  EXPECT_EQ(shown, 1);
  EXPECT_TRUE(std::ranges::any_of(read_library(library_folder()), [](const LibraryEntry& e) {
    return !e.own() && e.recipe == own_recipes()[0];
  }));
  recipes.close();

  // A batch with a report; then a late change to one group renders that group alone.
  d.window.show_place(MainWindow::Place::batch);
  d.window.batch().set_folder((folder() / "rendered").string().c_str());
  ASSERT_TRUE(render());
  const auto all = d.window.batch().results();
  for (const auto& r : all) EXPECT_EQ(r.state, JobState::done) << r.problem;
  d.window.batch().save_report_to(folder() / "report.html");
  EXPECT_NE(read_text(folder() / "report.html").find("lamp-room-04"), std::string::npos);
  d.window.show_place(MainWindow::Place::bench);
  d.edit(edits::set_settings, step_at(d.work(), ChainOwner::group, 0),
         settings_of(*find_step("compressor"), {"", "", {{"threshold_db", -30}}}), "Threshold");
  d.window.show_place(MainWindow::Place::batch);
  ASSERT_TRUE(render());
  const auto again = d.window.batch().results();
  for (size_t i = 0; i < again.size(); ++i) {
    const Clip& c = d.work().document.reel().clips[i];
    const bool reached =
        c.group == clip("lamp-room-04").group && c.name != "stairs-02";  // that one sits out
    EXPECT_EQ(again[i].kept, !reached) << c.name;
  }
}

TEST_F(EveryCut, AStepIsDraggedOverTheBorderAndReachesTheGroup) {
  LevelPathView& path = d.bench().level_path();
  ASSERT_FALSE(d.steps().empty());
  const auto moved = d.steps().back();
  const QPointF from =
      path.step_rect({ChainOwner::clip, static_cast<int>(d.steps().size()) - 1}).center();
  const QRectF plus = path.add_rect(ChainOwner::group);
  d.drag(&path, from, {plus.center().x() - 30, plus.center().y() + 60});
  ASSERT_TRUE(d.settle());
  const auto& group = d.work().document.reel().at(d.work().selection.clip()->group).chain.steps;
  ASSERT_EQ(group.size(), 1U);
  EXPECT_EQ(group[0].type, moved.type);
  EXPECT_EQ(d.work().document.history().undo_label(),
            std::string(moved.type->label) + " for the whole group");
}

TEST_F(EveryCut, ARecipeIsHeardBeforeItIsUsed) {
  const Reel before = d.work().document.reel();
  d.preview(own_recipes()[8].chain, false);
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(d.steps().size(), own_recipes()[8].chain.steps.size());
  EXPECT_EQ(d.work().measurements.levels()->stages.size(), d.steps().size() + 1);
  d.work().document.end_preview();
  ASSERT_TRUE(d.settle());
  EXPECT_TRUE(d.work().document.reel() == before);
  EXPECT_FALSE(d.work().document.history().can_undo());
  // An edit in the middle of a preview is an edit of the reel, not of the preview.
  d.preview(own_recipes()[8].chain, false);
  d.edit(edits::rename_clip, "renamed");
  EXPECT_EQ(d.work().selection.clip()->chain, before.find(d.work().selection.clip_id())->chain);
}

TEST_F(EveryCut, ClipsThatDifferAreListedAndBroughtBack) {
  const ClipId id = d.clip_named("stairs-03");
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("gain"));
  d.work().selection.select_clip(id);
  d.edit(edits::sit_out, step_at(d.work(), ChainOwner::group, 0), true);
  QTest::keyClick(&d.window, Qt::Key_D, Qt::ControlModifier);
  auto* dialog = d.window.findChild<UnevenDialog*>("uneven");
  ASSERT_NE(dialog, nullptr);
  ASSERT_TRUE(d.wait_for([&] { return !dialog->listening(); }, 60000));
  QTest::qWait(50);
  EXPECT_GT(dialog->rows(), 0);
  d.edit_reel(edits::take_part, std::vector{id});
  EXPECT_TRUE(sits_out_of(d.work().document.reel(), *d.work().document.reel().find(id)).empty());
}

TEST_F(EveryCut, PrintingTheGroupLeavesItSoundingAsItDid) {
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("compressor"));
  ASSERT_TRUE(d.settle());
  const double loud = *d.work().measurements.levels()->stages.back().loudness_lufs;
  const GroupId group = d.work().selection.clip()->group;
  d.work().printing.print_group();
  ASSERT_TRUE(printed());
  EXPECT_TRUE(d.work().document.reel().at(group).chain.steps.empty());
  EXPECT_EQ(d.work().selection.clip()->version, 1);
  EXPECT_NEAR(*d.work().measurements.levels()->stages.back().loudness_lufs, loud, 0.05);
  d.work().document.undo();
  EXPECT_EQ(d.work().document.reel().at(group).chain.steps.size(), 1U);
  EXPECT_EQ(d.work().selection.clip()->version, 0);
}

// The group's common gain has no part in a print of the clip's own chain, though both end alike.
TEST_F(EveryCut, APrintOfTheClipTakesNothingFromItsGroup) {
  const auto normalise = [](double goal) {
    return settings_of(*find_step("normalise"), {"", "", {{"target_db", goal}, {"over", 1}}});
  };
  d.edit(edits::set_chain, Chain{{{find_step("normalise"), normalise(-6)}}}, "One step");
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("normalise"));
  d.edit(edits::set_settings, step_at(d.work(), ChainOwner::group, 0), normalise(-20),
         "Over the group");
  d.work().printing.print(std::nullopt);
  ASSERT_TRUE(printed());
  ASSERT_EQ(d.work().selection.clip()->version, 1) << told.toStdString();
  EXPECT_NEAR(*find_version(*d.work().selection.clip(), 1)->peak_dbfs, -6, 0.05);
}

TEST_F(EveryCut, AGroupWithAMissingSourceIsNotPrinted) {
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("compressor"));
  Reel reel = d.work().document.reel();
  const Clip* other = nullptr;
  for (const auto& c : reel.clips)
    if (c.group == d.work().selection.clip()->group && c.id != d.work().selection.clip_id())
      other = &c;
  ASSERT_NE(other, nullptr);
  reel.at(other->source).path = folder() / "gone.wav";
  d.work().document.change([&](const Reel&) { return edits::Edit{reel, "Lose a source"}; });
  d.work().printing.print_group();
  EXPECT_FALSE(d.work().printing.busy());
  EXPECT_TRUE(told.contains("is missing")) << told.toStdString();
  EXPECT_EQ(d.work().document.reel().at(d.work().selection.clip()->group).chain.steps.size(), 1U);
}

TEST_F(EveryCut, ClearedVersionsComeBackUntilTheReelIsClosed) {
  d.work().printing.print(ClipRange{1, 2});
  ASSERT_TRUE(printed());
  const auto file = d.work().document.reel().at(d.work().selection.clip()->source).path;
  d.edit(edits::go_to_version, 0);
  d.work().document.clear_unused_versions();
  EXPECT_EQ(d.work().selection.clip()->versions.size(), 1U);
  EXPECT_TRUE(fs::exists(file));
  d.work().document.undo();
  EXPECT_EQ(d.work().selection.clip()->versions.size(), 2U);
  d.work().document.clear_unused_versions();
  ASSERT_TRUE(d.work().document.save(d.work().document.file()));
  d.work().document.leave();
  EXPECT_FALSE(fs::exists(file));
}

TEST_F(EveryCut, RulesGiveRecipesByGroup) {
  RulesDialog rules(d.work());
  // A row for each group, which leaves the steps as they are.
  EXPECT_EQ(rules.rules().size(), d.work().document.reel().groups.size());
  rules.apply();
  EXPECT_FALSE(d.work().document.history().can_undo());
  rules.findChild<QTableWidget*>()->setRowCount(0);
  rules.add_rule("*", "stairs-*", "Hum and buzz out");
  rules.apply();
  EXPECT_EQ(clip("stairs-02").chain.steps.front().type->id, "hum-removal");
  EXPECT_EQ(clip("stairs-03").chain.steps.front().type->id, "hum-removal");
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(clip("stairs-02").chain.steps.empty() ||
              clip("stairs-02").chain.steps.front().type->id != "hum-removal");
}

TEST_F(EveryCut, RulesAreAskedInTheirOrderWhichCanBeChanged) {
  RulesDialog rules(d.work());
  rules.show();
  rules.activateWindow();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&rules));
  auto* table = rules.findChild<QTableWidget*>();
  table->setRowCount(0);
  rules.add_rule("*", "*", "Hum and buzz out");
  rules.add_rule("*", "stairs-*");
  table->setCurrentCell(1, 0);
  QTest::keyClick(&rules, Qt::Key_Up, Qt::AltModifier);
  EXPECT_TRUE(d.wait_for([&] { return table->currentRow() == 0; }, 3000));
  ASSERT_EQ(rules.rules().size(), 2U);
  EXPECT_EQ(rules.rules()[0].name, "stairs-*");
  EXPECT_TRUE(rules.rules()[0].keep);
  EXPECT_EQ(rules.rules()[1].recipe.name, "Hum and buzz out");
  const Chain stairs = clip("stairs-02").chain;
  rules.apply();
  EXPECT_EQ(clip("stairs-02").chain, stairs);
  EXPECT_EQ(clip("lamp-room-04").chain.steps.front().type->id, "hum-removal");
  // Rules that somebody made stay for another reel; rows that say nothing are made anew for its groups.
  d.work().document.new_reel();
  rules.hide();
  rules.show();
  EXPECT_EQ(rules.rules().size(), 2U);
  RulesDialog fresh(d.work());
  EXPECT_EQ(fresh.rules().size(), 0U);
  ASSERT_TRUE(d.open_demo());
  fresh.show();
  EXPECT_EQ(fresh.rules().size(), d.work().document.reel().groups.size());
}

TEST_F(EveryCut, BackBeforeAGroupsPrintOneClipSoundsAsItDid) {
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("compressor"));
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 1}, *find_step("gain"));
  d.edit(edits::set_settings, step_at(d.work(), ChainOwner::group, 1),
         settings_of(*find_step("gain"), {"", "", {{"gain_db", -7}}}), "Quieter");
  ASSERT_TRUE(d.settle());
  const auto path = d.work().measurements.levels();
  const double loud = *path->stages.back().loudness_lufs;
  const size_t stages = path->stages.size();
  d.work().printing.print_group();
  ASSERT_TRUE(printed());
  d.edit(edits::go_to_version, 0);
  ASSERT_TRUE(d.settle());
  EXPECT_NEAR(*d.work().measurements.levels()->stages.back().loudness_lufs, loud, 1e-6);
  EXPECT_EQ(d.work().measurements.levels()->stages.size(), stages);
  EXPECT_EQ(d.steps().back().type->id, "gain");
  // The others stay as they were printed.
  EXPECT_EQ(clip("lamp-room-04").version + clip("stairs-02").version > 0, true);
}

TEST_F(EveryCut, NumbersThatAreNotNewYetAreKnownAsSuch) {
  const ClipId other = d.clip_named("stairs-03");
  const auto fresh = [&] { return d.work().shelf.clip_levels_fresh(other); };
  ASSERT_TRUE(d.wait_for(fresh));
  const double before = *d.work().shelf.clip_loudness(other);
  d.work().selection.select_clip(d.clip_named("stairs-02"));
  d.edit(edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("gain"));
  d.edit(edits::set_settings, step_at(d.work(), ChainOwner::group, 0),
         settings_of(*find_step("gain"), {"", "", {{"gain_db", -5}}}), "Quieter");
  EXPECT_FALSE(fresh());
  EXPECT_EQ(*d.work().shelf.clip_loudness(other), before);
  ASSERT_TRUE(d.wait_for(fresh));
  EXPECT_NEAR(*d.work().shelf.clip_loudness(other), before - 5, 0.1);
}

TEST_F(EveryCut, TheReelIsMixedWithStems) {
  d.window.show_place(MainWindow::Place::batch);
  d.window.batch().set_folder((folder() / "mix").string().c_str());
  d.window.batch().set_what(3);
  ASSERT_TRUE(render());
  EXPECT_EQ(d.window.batch().mixes().size(), d.work().document.reel().groups.size() + 1);
  for (const auto& m : d.window.batch().mixes()) EXPECT_TRUE(fs::exists(m.output)) << m.output;
  d.window.batch().save_report_to(folder() / "mix.html");
  EXPECT_NE(read_text(folder() / "mix.html").find("the whole reel"), std::string::npos);
  QSettings().setValue("batch/what", 0);
}

}  // namespace
}  // namespace drevan::desktop
