// SPDX-License-Identifier: GPL-3.0-or-later
// What to do about a message that says something went wrong.
#pragma once

#include <QString>

#include "audio/error.h"

namespace drevan::desktop {

struct Remedy {
  QString what_to_do;  ///< some sentences
  QString chapter;     ///< of the manual, where more stands
};

Remedy remedy_for(Cause cause);

}  // namespace drevan::desktop
