// SPDX-License-Identifier: GPL-3.0-or-later
// A group's mark: shapes, not colours.
#pragma once

#include <QPainter>

#include "reel/reel.h"

namespace drevan::desktop {

/// Some 10 pixels wide about `at`.
void draw_group_mark(QPainter& p, GroupMark mark, QPointF at, const QColor& color);
/// As a menu shows it.
QIcon group_mark_icon(GroupMark mark);
QString group_mark_name(GroupMark mark);
inline constexpr GroupMark all_group_marks[] = {
    GroupMark::none,     GroupMark::dot,     GroupMark::ring,  GroupMark::square,
    GroupMark::triangle, GroupMark::diamond, GroupMark::cross, GroupMark::bars};

}  // namespace drevan::desktop
