// SPDX-License-Identifier: GPL-3.0-or-later
// Everything can be reached by keys, says what it is called and what it does; the manual and the
// keyboard sheet.
#include <gtest/gtest.h>

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QMenuBar>
#include <QScrollBar>
#include <QTemporaryDir>
#include <set>

#include "audio/error.h"
#include "dialogs/cut_sheet.h"
#include "dialogs/sound_sheet.h"
#include "dialogs/trouble_sheet.h"
#include "dialogs/help_window.h"
#include "dialogs/keys_sheet.h"
#include "pages/bench/recipe_drawer.h"
#include "dialogs/versions_dialog.h"
#include "dialogs/who_sheet.h"
#include "driver.h"
#include "pages/start/start_page.h"

namespace drevan::desktop {
namespace {

// A part of another control, which is named itself.
bool is_part(const QWidget* w) {
  const auto ends = [](const QWidget* p) { return p->isWindow() && p->windowType() != Qt::Popup; };
  for (const QWidget* p = w->parentWidget(); p && !ends(p); p = p->parentWidget())
    if (qobject_cast<const QComboBox*>(p) || qobject_cast<const QLineEdit*>(p) ||
        qobject_cast<const QAbstractItemView*>(p))
      return true;
  return qobject_cast<const QScrollBar*>(w) || w->objectName().startsWith("qt_");
}

QString name_of(const QWidget* w) {
  if (!w->accessibleName().isEmpty()) return w->accessibleName();
  if (const auto* b = qobject_cast<const QAbstractButton*>(w)) return b->text();
  return {};
}

void expect_reachable(const QWidget& in) {
  int controls = 0;
  for (const auto* w : in.findChildren<QWidget*>()) {
    const bool control = w->focusPolicy() != Qt::NoFocus || qobject_cast<const QAbstractButton*>(w);
    if (!control || is_part(w) || qobject_cast<const QMenu*>(w) ||
        qobject_cast<const QMenuBar*>(w) || w->inherits("QSplitterHandle") ||
        w->inherits("QDialogButtonBox") || w->inherits("QTableCornerButton") ||
        w->inherits("QScrollArea") || w->inherits("QStackedWidget") || w->inherits("QHeaderView"))
      continue;
    ++controls;
    const auto who = [&] {
      return std::string(w->metaObject()->className()) + " " + w->objectName().toStdString() +
             " \"" + name_of(w).toStdString() + "\"";
    };
    EXPECT_FALSE(name_of(w).isEmpty()) << who() << " has no name";
    const bool plain = qobject_cast<const QAbstractButton*>(w) && w->window()->inherits("QDialog");
    EXPECT_TRUE(plain || !w->toolTip().isEmpty()) << who() << " says not what it does";
    EXPECT_TRUE(w->focusPolicy() & Qt::TabFocus) << who() << " cannot be reached by Tab";
  }
  EXPECT_GT(controls, 3);
}

TEST(Reach, EveryControlHasANameAnExplanationAndAWayToIt) {
  Driver d;
  expect_reachable(d.window.start());
  ASSERT_TRUE(d.open_demo());
  ASSERT_TRUE(d.add_step("multiband-compressor"));
  expect_reachable(d.bench());
  expect_reachable(d.window.batch());
  expect_reachable(d.window.recipes());
  expect_reachable(d.window.versions());
  SoundSheet sound(d.work(), &d.window);
  expect_reachable(sound);
  TroubleSheet trouble(
      {{QDateTime::currentDateTime(), {"No sound device was found.", Cause::device, {}}}},
      &d.window);
  expect_reachable(trouble);
  CutSheet sheet(d.work(), d.work().selection.clip_id(), &d.window);
  expect_reachable(sheet);
  WhoSheet who(d.work(), {1, 2, 3}, &d.window);
  ASSERT_TRUE(d.wait_for([&] { return !who.hearing(); }));
  expect_reachable(who);
}

TEST(Reach, EveryEntryOfTheMenusHasAName) {
  Driver d;
  auto* bar = d.window.findChild<QMenuBar*>();
  ASSERT_NE(bar, nullptr);
  EXPECT_GE(bar->actions().size(), 9);
  for (const QAction* a : bar->actions()) {
    EXPECT_TRUE(a->text().contains('&')) << a->text().toStdString() << " opens by no key";
    ASSERT_NE(a->menu(), nullptr);
    for (const QAction* entry : a->menu()->actions())
      EXPECT_TRUE(entry->isSeparator() || !entry->text().isEmpty());
  }
  // No two menus open by one letter.
  std::set<QChar> letters;
  for (const QAction* a : bar->actions())
    EXPECT_TRUE(letters.insert(a->text()[a->text().indexOf('&') + 1].toLower()).second)
        << a->text().toStdString();
}

TEST(Help, OpensAtThePageOfWhatHasTheKeysAndIsSearched) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  d.bench().shelf().setFocus();
  QTest::keyClick(&d.window, Qt::Key_F1);
  auto* help = d.window.findChild<HelpWindow*>();
  ASSERT_NE(help, nullptr);
  EXPECT_EQ(help->chapter(), "From a folder to a finished reel");
  // Every chapter that a part of the window names is there.
  for (const auto* w : d.window.findChildren<QWidget*>())
    if (const auto chapter = w->property("chapter").toString(); !chapter.isEmpty()) {
      EXPECT_TRUE(help->show_chapter(chapter)) << chapter.toStdString();
    }
  EXPECT_GT(help->contents().count(), 8);
  EXPECT_FALSE(help->show_chapter("No such chapter"));
  QTest::keyClicks(&help->search(), "level path");
  EXPECT_TRUE(help->search().toolTip().isEmpty());
  QTest::keyClicks(&help->search(), " of the moon");
  EXPECT_FALSE(help->search().toolTip().isEmpty());
}

TEST(Help, TheKeyboardIsPrintedOnASheet) {
  Driver d;
  QTest::keyClick(&d.window, Qt::Key_F1, Qt::ShiftModifier);
  auto* sheet = d.window.findChild<KeysSheet*>();
  ASSERT_NE(sheet, nullptr);
  const QTemporaryDir temp;
  const QString file = temp.filePath("keys.pdf");
  sheet->save_pdf(file);
  QFile pdf(file);
  ASSERT_TRUE(pdf.open(QIODevice::ReadOnly));
  EXPECT_EQ(pdf.read(5), "%PDF-");
  EXPECT_GT(pdf.size(), 5000);
  EXPECT_THROW(sheet->save_pdf("/no/such/folder/keys.pdf"), Error);
}

TEST(Colours, ChangeAtOnce) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  const auto pixel = [&] { return d.window.grab().toImage().pixelColor(3, 300); };
  const auto choose = [&](const QString& label) {
    for (QAction* a : d.window.actions())
      if (a->text() == label) a->trigger();
    QTest::qWait(50);
  };
  choose("Light, birch");
  EXPECT_GT(pixel().lightness(), 150);
  choose("Dark, timber");
  EXPECT_LT(pixel().lightness(), 100);
}

}  // namespace
}  // namespace drevan::desktop
