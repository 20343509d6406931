// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/reel_memory.h"

#include <QCryptographicHash>
#include <QDir>
#include <QFile>
#include <QJsonDocument>
#include <QSaveFile>
#include <QStandardPaths>

namespace drevan::desktop {

namespace {

constexpr qsizetype most_reels = 200;

QString folder() {
  return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/drevan/reels";
}

QString memory_file(const std::filesystem::path& reel_file) {
  std::error_code error;
  const auto whole = std::filesystem::weakly_canonical(reel_file, error);
  const auto name = QByteArray::fromStdString((error ? reel_file : whole).string());
  return folder() + "/" +
         QString::fromLatin1(QCryptographicHash::hash(name, QCryptographicHash::Sha1).toHex()) +
         ".json";
}

void forget_old() {
  const auto all = QDir(folder()).entryInfoList({"*.json"}, QDir::Files, QDir::Time);
  for (const auto& old : all.mid(most_reels)) QFile::remove(old.filePath());
}

}  // namespace

QJsonObject reel_memory(const std::filesystem::path& reel_file) {
  if (reel_file.empty()) return {};
  QFile in(memory_file(reel_file));
  if (!in.open(QIODevice::ReadOnly)) return {};
  return QJsonDocument::fromJson(in.readAll()).object();
}

void keep_in_reel_memory(const std::filesystem::path& reel_file, const QString& part,
                         const QJsonObject& what) {
  if (reel_file.empty()) return;
  QJsonObject all = reel_memory(reel_file);
  if (all[part].toObject() == what) return;
  all[part] = what;
  QDir().mkpath(folder());
  QSaveFile out(memory_file(reel_file));
  if (!out.open(QIODevice::WriteOnly)) return;
  out.write(QJsonDocument(all).toJson(QJsonDocument::Compact));
  out.commit();
  forget_old();
}

}  // namespace drevan::desktop
