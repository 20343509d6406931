// SPDX-License-Identifier: GPL-3.0-or-later
// Mouse, keys and drops in the shelf.
#include <QContextMenuEvent>
#include <QLineEdit>
#include <QMimeData>
#include <QMouseEvent>
#include <QScrollBar>

#include "pages/bench/shelf.h"
#include "reel/edits/groups.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double drag_begins = 6;  // pixels
constexpr double triangle_width = 26;
}  // namespace

void Shelf::mousePressEvent(QMouseEvent* e) {
  const Row* row = row_at(e->position().y());
  pressed_.reset();
  if (!row) return;
  const Row touched = *row;
  touched_group_ = touched.clip == 0 ? touched.group : GroupId{};
  viewport()->update();
  if (e->button() == Qt::LeftButton) {
    pressed_ = e->position();
    pressed_clip_ = touched.clip;
    pressed_group_ = touched.group;
    grab_ = touched.clip == 0                ? Grab::of_reel(work_.document)
            : marked_.contains(touched.clip) ? Grab::of_clips(work_.document, marked())
                                             : Grab::of_clip(work_.document, touched.clip);
  }
  if (touched.clip == 0) {
    if (e->button() == Qt::LeftButton && e->position().x() < triangle_width) {
      pressed_.reset();
      fold(touched.group, !folded(touched.group));
    }
    return;
  }
  if (e->button() == Qt::RightButton && marked_.contains(touched.clip)) return;
  // Several that are marked are dragged together; they stay marked until the button is let go.
  if (marked_.contains(touched.clip) && e->modifiers() == Qt::NoModifier) return;
  press_clip(touched.clip, e->modifiers());
}

void Shelf::press_clip(ClipId id, Qt::KeyboardModifiers keys) {
  if (keys & Qt::ControlModifier) {
    if (marked_.empty() && work_.document.reel().find(work_.selection.clip_id()))
      marked_.insert(work_.selection.clip_id());
    if (!marked_.erase(id)) marked_.insert(id);
  } else if (keys & Qt::ShiftModifier) {
    mark_to(id);
  } else {
    marked_.clear();
    work_.selection.select_clip(id);
  }
  viewport()->update();
}

// All from the selected clip to this one.
void Shelf::mark_to(ClipId id) {
  bool within = false;
  for (const auto& r : rows_) {
    const bool end = r.clip != 0 && (r.clip == id || r.clip == work_.selection.clip_id());
    if (r.clip != 0 && (within || end)) marked_.insert(r.clip);
    if (end && id != work_.selection.clip_id()) within = !within;
  }
}

void Shelf::mouseMoveEvent(QMouseEvent* e) {
  if (!pressed_ || !(e->buttons() & Qt::LeftButton)) return;
  if (!landing_ && (e->position() - *pressed_).manhattanLength() < drag_begins) return;
  if (e->position().y() < 12) verticalScrollBar()->setValue(verticalScrollBar()->value() - 16);
  if (e->position().y() > viewport()->height() - 12)
    verticalScrollBar()->setValue(verticalScrollBar()->value() + 16);
  landing_ = landing_at(e->position().y());
  setCursor(Qt::ClosedHandCursor);
  viewport()->update();
}

void Shelf::mouseReleaseEvent(QMouseEvent* e) {
  const bool pressed = pressed_.has_value();
  pressed_.reset();
  unsetCursor();
  if (const auto landing = std::exchange(landing_, std::nullopt)) return land(*landing);
  if (pressed && e->button() == Qt::LeftButton && pressed_clip_ != 0 &&
      e->modifiers() == Qt::NoModifier && marked_.contains(pressed_clip_))
    press_clip(pressed_clip_, {});
}

// Between the rows, where the pointer is nearest: the upper half of a clip is before it.
Shelf::Landing Shelf::landing_at(double y) const {
  const double at = y + verticalScrollBar()->value();
  Landing out;
  for (size_t i = 0; i < rows_.size(); ++i) {
    const Row& row = rows_[i];
    const bool last = i + 1 == rows_.size();
    if (at >= row.y + row.height && !last) continue;
    const bool upper = at < row.y + row.height / 2;
    out.group = row.group;
    out.before = row.clip;
    out.y = row.y;
    if (row.clip == 0) {
      // On a heading: first in that group; a folded one takes it at its end.
      const bool shown = !last && rows_[i + 1].clip != 0;
      out.before = shown ? rows_[i + 1].clip : ClipId{};
      out.y = row.y + row.height;
    } else if (!upper) {
      const bool more = !last && rows_[i + 1].clip != 0;
      out.before = more ? rows_[i + 1].clip : ClipId{};
      out.y = row.y + row.height;
    }
    break;
  }
  return out;
}

void Shelf::land(const Landing& at) {
  viewport()->update();
  if (!at.group) return;
  if (pressed_clip_ == 0) {
    if (at.group == pressed_group_) return;
    work_.document.change(
        [&](const Reel& reel) { return edits::move_group(reel, pressed_group_, at.group); });
    touched_group_ = 0;
    return;
  }
  const std::vector<ClipId> moved =
      marked_.contains(pressed_clip_) ? marked() : std::vector{pressed_clip_};
  work_.document.change(
      [&](const Reel& reel) { return edits::move_clips(reel, moved, at.group, at.before); });
}

void Shelf::mouseDoubleClickEvent(QMouseEvent* e) {
  const Row* row = row_at(e->position().y());
  if (!row || e->button() != Qt::LeftButton) return;
  if (row->clip != 0)
    rename_clip(row->clip);
  else if (e->position().x() >= triangle_width)
    rename_group(row->group);
}

void Shelf::contextMenuEvent(QContextMenuEvent* e) {
  if (e->reason() == QContextMenuEvent::Mouse && touched_group_)
    Q_EMIT group_context_wanted(e->globalPos());
  else
    Q_EMIT context_wanted(e->globalPos());
}

void Shelf::go_by(int steps) {
  std::vector<ClipId> ids;
  for (const auto& r : rows_)
    if (r.clip != 0) ids.push_back(r.clip);
  const auto at = std::ranges::find(ids, work_.selection.clip_id());
  if (ids.empty()) return;
  const auto here = at == ids.end() ? 0 : at - ids.begin() + steps;
  if (here < 0 || here >= std::ssize(ids)) return;
  marked_.clear();
  touched_group_ = 0;
  work_.selection.select_clip(ids[static_cast<size_t>(here)]);
  scroll_to(clip_rect(work_.selection.clip_id()));
}

void Shelf::keyPressEvent(QKeyEvent* e) {
  const bool plain = e->modifiers() == Qt::NoModifier;
  if (plain && e->key() == Qt::Key_Down) return go_by(1);
  if (plain && e->key() == Qt::Key_Up) return go_by(-1);
  if (plain && (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right))
    return fold(group_at_hand(), e->key() == Qt::Key_Left);
  if (plain && e->key() == Qt::Key_Escape && !marked_.empty()) {
    marked_.clear();
    viewport()->update();
    return;
  }
  if (e->key() == Qt::Key_Delete && plain) {
    work_.document.change([&](const Reel& reel) { return edits::remove_clips(reel, marked()); });
    return;
  }
  QAbstractScrollArea::keyPressEvent(e);
}

// Sounds and folders alone; a reel or a recipe is the window's business, which then gets the drag.
void Shelf::dragEnterEvent(QDragEnterEvent* e) {
  const auto urls = e->mimeData()->urls();
  const bool sounds = !urls.isEmpty() && std::ranges::all_of(urls, [](const QUrl& url) {
    return url.isLocalFile() && !url.path().endsWith(".reel") && !url.path().endsWith(".recipe");
  });
  sounds ? e->acceptProposedAction() : e->ignore();
}

void Shelf::dragMoveEvent(QDragMoveEvent* e) {
  landing_ = landing_at(e->position().y());
  viewport()->update();
  e->acceptProposedAction();
}

void Shelf::dragLeaveEvent(QDragLeaveEvent*) {
  landing_.reset();
  viewport()->update();
}

// Into the group they are dropped on.
void Shelf::dropEvent(QDropEvent* e) {
  const auto landing = std::exchange(landing_, std::nullopt);
  viewport()->update();
  QStringList files;
  for (const auto& url : e->mimeData()->urls()) files << url.toLocalFile();
  e->acceptProposedAction();
  const Group* to = landing ? work_.document.reel().find(landing->group) : nullptr;
  work_.jobs.add_files(files, to ? QString::fromStdString(to->name) : QString());
}

}  // namespace drevan::desktop
