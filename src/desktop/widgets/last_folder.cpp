// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/last_folder.h"

#include <QFileInfo>
#include <QSettings>

namespace drevan::desktop {

QString last_folder() { return QSettings().value("folder").toString(); }

QString remember_folder(const QString& file) {
  if (!file.isEmpty()) QSettings().setValue("folder", QFileInfo(file).absolutePath());
  return file;
}

}  // namespace drevan::desktop
