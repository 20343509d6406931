// SPDX-License-Identifier: GPL-3.0-or-later
// The Help menu.
#include <QApplication>
#include <QHelpEvent>
#include <QMenuBar>
#include <QMessageBox>
#include <QWhatsThis>

#include "dialogs/help_window.h"
#include "dialogs/keys_sheet.h"
#include "help/libraries.h"
#include "main_window.h"

namespace drevan::desktop {

namespace {

// Every control says in its tooltip what it does.
class WhatIsThis : public QObject {
 public:
  using QObject::QObject;
  bool eventFilter(QObject* of, QEvent* e) override {
    // Every event of the application comes by here.
    if (e->type() != QEvent::QueryWhatsThis && e->type() != QEvent::WhatsThis) return false;
    auto* widget = qobject_cast<QWidget*>(of);
    if (!widget || widget->toolTip().isEmpty()) return false;
    if (e->type() == QEvent::QueryWhatsThis) return e->setAccepted(true), true;
    QWhatsThis::showText(static_cast<QHelpEvent*>(e)->globalPos(), widget->toolTip(), widget);
    return true;
  }
};

}  // namespace

void MainWindow::make_help_menu() {
  qApp->installEventFilter(new WhatIsThis(this));
  QMenu* m = menus_->addMenu(tr("&Help"));
  QAction* manual = add(m, tr("The manual"), QKeySequence("F1"), [this] {
    const QString chapter = chapter_of(QApplication::focusWidget());
    help().show();
    help().raise();
    help().activateWindow();
    if (!chapter.isEmpty()) help().show_chapter(chapter);
  });
  // In every dialog, too.
  manual->setShortcutContext(Qt::ApplicationShortcut);
  add(m, tr("The keyboard"), QKeySequence("Shift+F1"), [this] {
    auto* sheet = new KeysSheet(key_chapters(), this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
  add(m, tr("What is this?"), QKeySequence("Ctrl+F1"), [] { QWhatsThis::enterWhatsThisMode(); });
  add(m, tr("What went wrong"), QKeySequence("Shift+Ctrl+F1"), [this] { show_trouble(); });
  m->addSeparator();
  add(m, tr("About Drevan"), {}, [this] {
    QString used;
    for (const Library& library : libraries())
      used += QString("<tr><td>%1&nbsp;&nbsp;</td><td>%2</td></tr>")
                  .arg(QString(library.name).toHtmlEscaped(), library.licence);
    QMessageBox about(QMessageBox::NoIcon, tr("About Drevan"),
                      tr("<h3>Drevan %1</h3><p>Prepares sound for picture.</p>"
                         "<p>Free software under the GNU General Public License, version 3 or "
                         "later.</p><p>It stands on:</p><table>%2</table>")
                          .arg(QApplication::applicationVersion(), used),
                      QMessageBox::Ok, this);
    about.exec();
  });
}

HelpWindow& MainWindow::help() {
  if (!help_) help_ = new HelpWindow(this);
  return *help_;
}

// Those of the menus, and those that the pages take themselves.
QList<KeyChapter> MainWindow::key_chapters() const {
  QList<KeyChapter> out;
  for (const QAction* menu : menus_->actions()) {
    KeyChapter chapter{menu->text().remove('&'), {}};
    const auto take = [&](auto&& self, const QMenu* of) -> void {
      for (const QAction* a : of->actions()) {
        if (a->menu()) self(self, a->menu());
        if (!a->shortcut().isEmpty())
          chapter.lines << KeyLine{a->shortcut().toString(QKeySequence::NativeText), a->text()};
      }
    };
    if (menu->menu()) take(take, menu->menu());
    if (!chapter.lines.isEmpty()) out << chapter;
  }
  out << KeyChapter{tr("In the shelf"),
                    {{tr("Up, Down"), tr("the clip before, the next")},
                     {tr("Left, Right"), tr("fold and unfold the group")},
                     {tr("Delete"), tr("remove the marked clips")},
                     {tr("Escape"), tr("mark none")}}};
  out << KeyChapter{tr("In the scope"),
                    {{tr("Left, Right"), tr("move the playhead; with Shift finely")},
                     {tr("Home, End"), tr("to the beginning, to the end")},
                     {tr("+, -, 0"), tr("zoom in, out, all of it")},
                     {tr("Escape"), tr("select nothing")}}};
  out << KeyChapter{tr("In the level path"),
                    {{tr("Left, Right"), tr("choose the step; with Ctrl move it")},
                     {tr("Insert"), tr("add a step behind it")},
                     {tr("O, Delete"), tr("switch it on or off, remove it")}}};
  out << KeyChapter{
      tr("On a value"),
      {{tr("arrows, wheel"), tr("turn it; with Shift finely")}, {tr("Return"), tr("type it")}}};
  out << KeyChapter{tr("On a curve"),
                    {{tr("Ctrl and arrows"), tr("choose a point")},
                     {tr("arrows"), tr("move it; with Shift finely")},
                     {tr("Insert, Delete"), tr("add one at the playhead, remove it")}}};
  return out;
}

}  // namespace drevan::desktop
