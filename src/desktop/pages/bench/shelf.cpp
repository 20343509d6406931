// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/shelf.h"

#include <QHelpEvent>
#include <QLineEdit>
#include <QScrollBar>
#include <QToolTip>

#include "audio/utf8.h"
#include "reel/edits/groups.h"
#include "reel/edits/takes.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"
#include "widgets/close_field.h"

namespace drevan::desktop {

namespace {
constexpr double heading_height = 34;
constexpr double clip_height = 46;
}  // namespace

Shelf::Shelf(const Work& work, QWidget* parent) : QAbstractScrollArea(parent), work_(work) {
  setFocusPolicy(Qt::StrongFocus);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAcceptDrops(true);
  setAccessibleName(tr("Shelf"));
  setToolTip(
      tr("Every clip with its loudness after the chain, LUFS. Ctrl and Shift with a click mark "
         "several. Drag clips and headings to where they belong."));
  connect(&work_.document, &Document::reel_changed, this, &Shelf::refresh);
  connect(&work_.document, &Document::opened, this, [this] {
    folded_.clear();
    touched_group_ = -1;
    end_name();
  });
  connect(&work_.selection, &Selection::clip_changed, this, &Shelf::refresh);
  connect(&work_.shelf, &ShelfMeasurements::peaks_changed, viewport(),
          qOverload<>(&QWidget::update));
  connect(&work_.shelf, &ShelfMeasurements::loudness_changed, viewport(),
          qOverload<>(&QWidget::update));
  connect(&work_.document, &Document::target_changed, viewport(), qOverload<>(&QWidget::update));
  verticalScrollBar()->setSingleStep(24);
  connect(verticalScrollBar(), &QScrollBar::valueChanged, this, &Shelf::tell_visible);
}

std::vector<Shelf::Row> Shelf::rows() const {
  const Reel& reel = work_.document.reel();
  std::map<GroupId, std::vector<ClipId>> clips;
  QStringList words;
  for (const auto& word : filter_)
    words << QString::fromStdString(drevan::folded(word.toStdString()));
  for (const auto& c : reel.clips) {
    const auto& group = reel.at(c.group);
    const auto hay = words.isEmpty()
                         ? QString()
                         : QString::fromStdString(drevan::folded(c.name + " " + group.name));
    if (std::ranges::all_of(words, [&](const QString& word) { return hay.contains(word); }))
      clips[c.group].push_back(c.id);
  }
  std::vector<Row> out;
  double y = 4;
  for (const Group& group : reel.groups) {
    const GroupId g = group.id;
    const auto& in_it = clips[g];
    if (!words.isEmpty() && in_it.empty()) continue;
    out.push_back({g, 0, y, heading_height});
    y += heading_height;
    // What was looked for is shown even in a folded group.
    if (folded(g) && words.isEmpty()) continue;
    for (const ClipId id : in_it) {
      out.push_back({g, id, y, clip_height});
      y += clip_height;
    }
  }
  return out;
}

void Shelf::refresh() {
  std::erase_if(marked_, [&](ClipId id) { return !work_.document.reel().find(id); });
  if (!work_.document.reel().find(touched_group_)) touched_group_ = 0;
  if (pressed_ && (!grab_.alive(work_.document) || !work_.document.reel().find(pressed_group_))) {
    pressed_.reset();
    landing_.reset();
    unsetCursor();
  }
  if (waves_.size() > 500) waves_.clear();
  rows_ = rows();
  const double total = rows_.empty() ? 0 : rows_.back().y + rows_.back().height + 8;
  verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(total) - viewport()->height()));
  verticalScrollBar()->setPageStep(viewport()->height());
  tell_visible();
  viewport()->update();
}

void Shelf::tell_visible() {
  std::vector<ClipId> ids;
  const double top = verticalScrollBar()->value();
  for (const auto& r : rows_)
    if (r.clip != 0 && r.y + r.height >= top && r.y <= top + viewport()->height())
      ids.push_back(r.clip);
  work_.shelf.set_visible(ids);
}

void Shelf::resizeEvent(QResizeEvent*) { refresh(); }

// Other colours: the small waveforms are drawn anew.
void Shelf::changeEvent(QEvent* e) {
  QAbstractScrollArea::changeEvent(e);
  if (e->type() == QEvent::StyleChange) waves_.clear();
}

std::vector<ClipId> Shelf::marked() const {
  if (marked_.empty())
    return work_.selection.clip() ? std::vector{work_.selection.clip_id()} : std::vector<ClipId>{};
  // As they stand in the shelf.
  std::vector<ClipId> out;
  for (const auto& c : work_.document.reel().clips)
    if (marked_.contains(c.id)) out.push_back(c.id);
  return out;
}

void Shelf::mark_all() {
  marked_.clear();
  for (const auto& r : rows_)
    if (r.clip != 0) marked_.insert(r.clip);
  viewport()->update();
}

void Shelf::set_filter(const QString& words) {
  filter_ = words.split(' ', Qt::SkipEmptyParts);
  refresh();
}

bool Shelf::folded(GroupId group) const { return folded_.contains(group); }

void Shelf::fold(GroupId group, bool fold) {
  if (!group) return;
  if (fold)
    folded_.insert(group);
  else
    folded_.erase(group);
  refresh();
}

void Shelf::fold_all(bool fold) {
  folded_.clear();
  if (fold)
    for (const auto& group : work_.document.reel().groups) folded_.insert(group.id);
  refresh();
}

GroupId Shelf::group_at_hand() const {
  if (touched_group_) return touched_group_;
  const Clip* clip = work_.selection.clip();
  return clip && !is_bus(*clip) ? clip->group : GroupId{};
}

QRectF Shelf::clip_rect(ClipId clip_id) const {
  const auto r = std::ranges::find(rows_, clip_id, &Row::clip);
  return r == rows_.end() ? QRectF() : rect_of(*r);
}

QRectF Shelf::group_rect(GroupId group) const {
  const auto r = std::ranges::find_if(
      rows_, [&](const Row& row) { return row.clip == 0 && row.group == group; });
  return r == rows_.end() ? QRectF() : rect_of(*r);
}

QRectF Shelf::rect_of(const Row& row) const {
  return {6, row.y - verticalScrollBar()->value() + 1, viewport()->width() - 12.0, row.height - 2};
}

const Shelf::Row* Shelf::row_at(double y) const {
  const double at = y + verticalScrollBar()->value();
  const auto r = std::ranges::find_if(
      rows_, [&](const Row& row) { return at >= row.y && at < row.y + row.height; });
  return r == rows_.end() ? nullptr : &*r;
}

void Shelf::scroll_to(const QRectF& r) {
  if (r.isEmpty() || (r.top() >= 0 && r.bottom() <= viewport()->height())) return;
  verticalScrollBar()->setValue(verticalScrollBar()->value() + static_cast<int>(r.center().y()) -
                                viewport()->height() / 2);
}

QString Shelf::heading_tip(GroupId group) const {
  const Group* g = work_.document.reel().find(group);
  if (!g) return {};
  return g->note.empty()
             ? QString::fromStdString(g->name)
             : tr("%1: %2").arg(QString::fromStdString(g->name), QString::fromStdString(g->note));
}

// All of its name where that is shortened, where it sits out, and how it stands to the target.
QString Shelf::clip_tip(ClipId clip) const {
  const Clip* c = work_.document.reel().find(clip);
  if (!c) return {};
  QStringList told{QString::fromStdString(c->name)};
  // Its takes, to be compared at a glance.
  for (const ClipId id : takes_of(work_.document.reel(), *c)) {
    const Clip& take = *work_.document.reel().find(id);
    const Levels* l = work_.shelf.clip_levels(id);
    const auto value = [](const std::optional<double>& db) {
      return db ? QString::number(*db, 'f', 1) : QString("-");
    };
    told << (l ? tr("%1%2: %3 LUFS, noise %4 dB, peak %5 dB, %6 over")
                     .arg(QString(left_out(work_.document.reel(), take) ? "" : "* "),
                          QString::fromStdString(take.name), value(l->loudness_lufs),
                          value(l->noise_floor_dbfs), value(l->sample_peak_dbfs))
                     .arg(l->clipped_samples)
               : tr("%1: not measured yet").arg(QString::fromStdString(take.name)));
  }
  for (const auto& what : sits_out_of(work_.document.reel(), *c))
    told << tr("Sits out of %1").arg(QString::fromStdString(what));
  const Levels* levels = work_.shelf.clip_levels(clip);
  if (!work_.document.target() || !levels) return told.join("\n");
  const auto wrong = misses(*work_.document.target(), *levels);
  for (const auto& miss : wrong) told << QString::fromStdString(miss_text(miss));
  if (wrong.empty())
    told << tr("Meets the target %1").arg(QString::fromStdString(work_.document.target()->label));
  return told.join("\n");
}

bool Shelf::viewportEvent(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QAbstractScrollArea::viewportEvent(e);
  auto* help = static_cast<QHelpEvent*>(e);
  const Row* row = row_at(help->pos().y());
  const QString told = !row             ? QString()
                       : row->clip != 0 ? clip_tip(row->clip)
                                        : heading_tip(row->group);
  if (told.isEmpty())
    QToolTip::hideText();
  else
    QToolTip::showText(help->globalPos(), told, viewport());
  return true;
}

void Shelf::end_name() { close_field(name_); }

// A field that is not seen would keep the keys, and stay for the next reel.
void Shelf::hideEvent(QHideEvent* e) {
  end_name();
  QAbstractScrollArea::hideEvent(e);
}

void Shelf::edit_name(const QRectF& at, const QString& name,
                      std::function<void(std::string)> taken) {
  if (at.isEmpty() || !isVisible()) return;
  end_name();
  name_ = new QLineEdit(name, viewport());
  name_->setObjectName("name");
  name_->setAccessibleName(tr("Name"));
  name_->setMaxLength(200);
  name_->setGeometry(at.toRect());
  name_->selectAll();
  name_->show();
  name_->setFocus();
  connect(name_, &QLineEdit::editingFinished, this, [this, name, taken] {
    if (!name_) return;
    const QString typed = name_->text();
    end_name();
    setFocus();
    if (typed != name) taken(typed.toStdString());
  });
}

void Shelf::rename_clip(ClipId clip_id) {
  const Clip* clip = work_.document.reel().find(clip_id);
  if (!clip) return;
  scroll_to(clip_rect(clip_id));
  const QRectF r = clip_rect(clip_id);
  edit_name({r.left() + 8, r.top(), r.width() - 16, 24}, QString::fromStdString(clip->name),
            [this, clip_id](const std::string& name) {
              work_.document.change(
                  [&](const Reel& reel) { return edits::rename_clip(reel, clip_id, name); });
            });
}

void Shelf::rename_group(GroupId group) {
  const Group* of = work_.document.reel().find(group);
  if (!of) return;
  const QString name = QString::fromStdString(of->name);
  scroll_to(group_rect(group));
  const QRectF r = group_rect(group);
  edit_name({r.left() + 18, r.top() + 4, r.width() - 60, 26}, name,
            [this, group](const std::string& next) {
              work_.document.change(
                  [&](const Reel& reel) { return edits::rename_group(reel, group, next); });
            });
}

}  // namespace drevan::desktop
