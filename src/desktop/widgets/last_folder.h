// SPDX-License-Identifier: GPL-3.0-or-later
// The folder that was used last, where file dialogs begin.
#pragma once

#include <QString>

namespace drevan::desktop {

/// Kept between sessions; empty: none was.
QString last_folder();
/// Its folder is the last one from now on. Gives back `file`; an empty one changes nothing.
QString remember_folder(const QString& file);

}  // namespace drevan::desktop
