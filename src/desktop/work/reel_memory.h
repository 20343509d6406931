// SPDX-License-Identifier: GPL-3.0-or-later
// What belongs to a reel but is no part of it: the Batch's form, what was listened to. Kept in
// $XDG_DATA_HOME/drevan/reels, a small file for each of the last 200 reels; gone, it is missed and
// nothing is lost.
#pragma once

#include <QJsonObject>
#include <filesystem>

namespace drevan::desktop {

/// All of a reel's memory; empty where there is none.
QJsonObject reel_memory(const std::filesystem::path& reel_file);
/// Replaces one part of it. A reel that was never saved has none.
void keep_in_reel_memory(const std::filesystem::path& reel_file, const QString& part,
                         const QJsonObject& what);

}  // namespace drevan::desktop
