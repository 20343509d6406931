// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/recent_reels.h"

#include <QCoreApplication>
#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>

namespace drevan::desktop {

namespace {

constexpr qsizetype most_recent = 12;
constexpr QSize picture_size{192, 54};

QString picture_file(const QString& file) {
  const auto key = QCryptographicHash::hash(file.toUtf8(), QCryptographicHash::Sha1).toHex();
  return QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation) +
         "/drevan/recent/" + QString::fromLatin1(key) + ".png";
}

}  // namespace

QStringList recent_reels() {
  QStringList out;
  for (const auto& file : QSettings().value("recent").toStringList())
    if (QFileInfo::exists(file)) out << file;
  return out;
}

void note_recent_reel(const QString& file) {
  QSettings settings;
  QStringList all = settings.value("recent").toStringList();
  all.removeAll(file);
  all.prepend(file);
  for (const auto& gone : all.mid(most_recent)) QFile::remove(picture_file(gone));
  settings.setValue("recent", QStringList(all.mid(0, most_recent)));
}

QPixmap recent_picture(const QString& file) { return QPixmap(picture_file(file)); }

void keep_recent_picture(const QString& file, const QPixmap& picture) {
  const QString to = picture_file(file);
  QDir().mkpath(QFileInfo(to).path());
  // A picture is a help; where it cannot be kept the reel is known by its name.
  picture.toImage().scaled(picture_size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation).save(to);
}

QString demo_reel() {
  const QString name = "demo/skerry-light.reel";
  QDir folder(QCoreApplication::applicationDirPath());
  if (folder.exists("../share/drevan/" + name))
    return QDir::cleanPath(folder.filePath("../share/drevan/" + name));
  // Run from where it was built.
  for (int i = 0; i < 5 && folder.cdUp(); ++i)
    if (folder.exists(name)) return folder.filePath(name);
  return {};
}

}  // namespace drevan::desktop
