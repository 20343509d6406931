// SPDX-License-Identifier: GPL-3.0-or-later
// The reels that were open last, and a picture of each.
#pragma once

#include <QPixmap>
#include <QStringList>

namespace drevan::desktop {

/// Their files, the last one first; those that are there now.
QStringList recent_reels();
void note_recent_reel(const QString& file);
/// A picture to know it by, as it was left; null: there is none.
QPixmap recent_picture(const QString& file);
void keep_recent_picture(const QString& file, const QPixmap& picture);

/// Drevan's own demo reel; empty: it is not installed here.
QString demo_reel();

}  // namespace drevan::desktop
