// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/target_menu.h"

#include <QFileDialog>
#include <QMenu>

#include "batch/target.h"
#include "widgets/words.h"
#include "work/document.h"

namespace drevan::desktop {

void fill_target_menu(QMenu& menu, const Work& work, QWidget* parent) {
  Document& document = work.document;
  menu.addAction(QObject::tr("No target"), parent, [&document] { document.set_target({}); });
  menu.addSeparator();
  for (const Target& t : targets())
    menu.addAction(text(t.label), parent,
                   [&document, id = text(t.id)] { document.set_target(id); });
  menu.addSeparator();
  menu.addAction(QObject::tr("My own, from a file ..."), parent, [&document, parent] {
    const auto file = QFileDialog::getOpenFileName(parent, QObject::tr("Use a target"), {},
                                                   QObject::tr("Targets (*.json)"));
    if (!file.isEmpty()) document.set_target(file);
  });
}

}  // namespace drevan::desktop
