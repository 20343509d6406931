// SPDX-License-Identifier: GPL-3.0-or-later
// Values as people type them.
#pragma once

#include <QString>
#include <optional>

#include "steps/step.h"

namespace drevan::desktop {

/// "-12", "1,5", "2.4k", "off", an entry of a list, where semitones are asked for also "third",
/// "-12 %" and "+30 cent"; empty, with the reason in `why`, when it cannot
/// be used.
std::optional<double> typed_value(const Parameter& parameter, const QString& typed, QString* why);

}  // namespace drevan::desktop
