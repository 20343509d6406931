// SPDX-License-Identifier: GPL-3.0-or-later
// All colours and fonts, by the role they play. Nothing else in the interface names a colour.
#pragma once

#include <QApplication>
#include <QColor>
#include <QFont>

namespace drevan::desktop {

/// The roles of the design; "timber" is the dark theme, "birch" the light one.
struct Theme {
  QString name;
  QColor window;     ///< bark: behind everything
  QColor panel;      ///< groups of things
  QColor raised;     ///< what stands out of a panel: buttons, selected rows, the foot
  QColor line;       ///< separators, axes
  QColor text;       ///< what is read
  QColor quiet;      ///< what is read second
  QColor after;      ///< moss: after the chain, in range
  QColor attention;  ///< amber: selected, the playhead
  QColor over;       ///< clay: over full scale, failed
  QColor before;     ///< water: before the chain, low
  QColor removed;    ///< plum: removed, room tone
};

const Theme& theme();

/// Sets colours, fonts and style sheet of the whole application; `name` "timber" or "birch".
void apply_theme(QApplication& app, const QString& name);

/// `color` with another opacity, 0 to 1.
QColor faded(QColor color, double opacity);

QFont small_font();
QFont bold_font();
QFont heading_font();

}  // namespace drevan::desktop
