// SPDX-License-Identifier: GPL-3.0-or-later
// The targets there are, as a menu.
#pragma once

#include "work/work.h"

class QMenu;
class QWidget;

namespace drevan::desktop {

/// Drevan's own, none, and one from a file, which `parent` asks for.
void fill_target_menu(QMenu& menu, const Work& work, QWidget* parent);

}  // namespace drevan::desktop
