// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/show_folder.h"

#include <QCoreApplication>
#include <QDesktopServices>
#include <QUrl>

#include "work/notices.h"

namespace drevan::desktop {

void show_folder(Notices& notices, const std::filesystem::path& file_or_folder) {
  std::error_code error;
  const auto folder = std::filesystem::is_directory(file_or_folder, error)
                          ? file_or_folder
                          : file_or_folder.parent_path();
  const auto name = QString::fromStdString(folder.string());
  if (!std::filesystem::is_directory(folder, error))
    return notices.warn(
        QCoreApplication::translate("show_folder", "The folder %1 is not there.").arg(name));
  if (!QDesktopServices::openUrl(QUrl::fromLocalFile(name)))
    notices.warn(QCoreApplication::translate("show_folder",
                                             "No file manager opens %1; open it from your desktop.")
                     .arg(name));
}

}  // namespace drevan::desktop
