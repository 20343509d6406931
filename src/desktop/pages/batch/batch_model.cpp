// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/batch/batch_model.h"

#include <QMimeData>
#include <QPainter>
#include <QUrl>

#include "batch/report.h"
#include "theme/theme.h"
#include "reel/edits/takes.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/heard.h"

namespace drevan::desktop {

BatchModel::BatchModel(const Work& work, QObject* parent)
    : QAbstractTableModel(parent), work_(work) {}

std::vector<ClipId> BatchModel::ticked() const {
  std::vector<ClipId> out;
  for (const ClipId id : ids_)
    if (!unticked_.contains(id)) out.push_back(id);
  return out;
}

void BatchModel::set_all_ticked(bool on) {
  unticked_.clear();
  if (!on) unticked_.insert(ids_.begin(), ids_.end());
  if (!ids_.empty()) Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, 0));
}

void BatchModel::refresh(const QString& pattern, const QString& extension) {
  beginResetModel();
  pattern_ = pattern;
  extension_ = extension;
  ids_.clear();
  names_.clear();
  ids_ = rendered_clips(work_.document.reel());
  endResetModel();
}

void BatchModel::set_names(std::map<ClipId, QString> names) {
  names_ = std::move(names);
  if (!ids_.empty()) Q_EMIT dataChanged(index(0, output), index(rowCount() - 1, output));
}

void BatchModel::begin(const std::vector<ClipId>& clip_ids) {
  running_ = clip_ids;
  running_reel_ = work_.document.reel_number();
  running_as_ = work_.document.shared();
  results_.assign(clip_ids.size(), {});
  if (!ids_.empty()) Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columns - 1));
}

void BatchModel::update(size_t job, const JobResult& now) {
  if (job >= results_.size()) return;
  results_[job] = now;
  // The clip may be gone by now, or another reel be open.
  const auto at = std::ranges::find(ids_, running_[job]);
  if (at == ids_.end() || running_reel_ != work_.document.reel_number()) return;
  const int row = static_cast<int>(at - ids_.begin());
  Q_EMIT dataChanged(index(row, 0), index(row, columns - 1));
}

const JobResult* BatchModel::result_of(int row) const {
  if (running_reel_ != work_.document.reel_number()) return nullptr;
  const auto at = std::ranges::find(running_, ids_[static_cast<size_t>(row)]);
  return at == running_.end() ? nullptr : &results_[static_cast<size_t>(at - running_.begin())];
}

bool BatchModel::source_missing(int row) const {
  const Clip* c = work_.document.reel().find(ids_[static_cast<size_t>(row)]);
  return c && work_.document.missing(*c);
}

std::filesystem::path BatchModel::file_of(ClipId clip_id) const {
  const auto at = std::ranges::find(ids_, clip_id);
  const JobResult* r = at == ids_.end() ? nullptr : result_of(static_cast<int>(at - ids_.begin()));
  return r && r->state == JobState::done ? r->output : std::filesystem::path();
}

int BatchModel::changed_since() const {
  if (!running_as_ || running_reel_ != work_.document.reel_number()) return 0;
  const Reel& now = work_.document.reel();
  const Change since = difference(*running_as_, now);
  return static_cast<int>(std::ranges::count_if(running_, [&](ClipId id) {
    const Clip* there = now.find(id);
    return there && may_sound_otherwise(since, now, *there) &&
           !sounds_the_same(*running_as_, now, id);
  }));
}

int BatchModel::not_heard() const {
  return static_cast<int>(std::ranges::count_if(
      ticked(), [&](ClipId id) { return work_.heard.share(id).value_or(0) < 1; }));
}

QMimeData* BatchModel::mimeData(const QModelIndexList& indexes) const {
  QList<QUrl> files;
  for (const auto& i : indexes) {
    if (i.column() != clip) continue;
    const auto file = file_of(ids_[static_cast<size_t>(i.row())]);
    if (!file.empty())
      files << QUrl::fromLocalFile(
          QString::fromStdString(std::filesystem::absolute(file).string()));
  }
  if (files.isEmpty()) return nullptr;
  auto* out = new QMimeData;
  out->setUrls(files);
  return out;
}

QString BatchModel::text(int row, int column) const {
  const Clip* c = work_.document.reel().find(ids_[static_cast<size_t>(row)]);
  if (!c) return {};
  const JobResult* r = result_of(row);
  switch (column) {
    case clip:
      return QString::fromStdString(c->name);
    case group:
      return QString::fromStdString(work_.document.reel().group_of(*c).name);
    case chain: {
      const auto n = running_steps(work_.document.reel(), *c).size();
      return n == 0 ? tr("no steps") : counted(static_cast<qsizetype>(n), tr("step"));
    }
    case heard: {
      const auto share = work_.heard.share(c->id);
      return !share        ? QString("-")
             : *share >= 1 ? tr("all")
             : *share == 0 ? tr("nothing")
                           : tr("%1 %").arg(std::max(1.0, *share * 100), 0, 'f', 0);
    }
    case output: {
      if (r && !r->output.empty()) return QString::fromStdString(r->output.filename().string());
      if (const auto at = names_.find(c->id); at != names_.end()) return at->second;
      const BatchJob job{
          c->name, text(row, group).toStdString(), work_.document.reel().name, {}, false, {}, {}};
      try {
        return QString::fromStdString(name_of(job, pattern_.toStdString(), 1)) + extension_;
      } catch (const Error&) {
        return tr("unknown word in the name");
      }
    }
    case result: {
      if (work_.document.missing(*c)) return tr("source missing");
      if (!r) return {};
      if (r->state == JobState::failed) return QString::fromStdString(r->problem);
      if (r->state == JobState::done && !r->whole)
        return tr("not whole: %1")
            .arg(r->render.warnings.empty() ? QString()
                                            : QString::fromStdString(r->render.warnings.front()));
      if (r->state == JobState::done && !r->missed.empty()) {
        // "loudness -14.9 LUFS, wanted ...": the row tells the former, its tooltip all.
        const auto first = QString::fromStdString(r->missed.front());
        return tr("off target: %1").arg(first.section(", wanted", 0, 0));
      }
      if (r->state == JobState::done && r->render.warnings.empty() &&
          (work_.document.target() || r->kept))
        return (r->kept ? tr("unchanged") : tr("done")) +
               (work_.document.target() ? tr(", on target") : QString());
      if (r->state == JobState::done && !r->render.warnings.empty())
        return tr("done, %1").arg(QString::fromStdString(r->render.warnings.front()));
      const auto label = state_label(r->state);
      return QString::fromUtf8(label.data(), static_cast<int>(label.size()));
    }
    default:
      return {};
  }
}

QVariant BatchModel::data(const QModelIndex& index, int role) const {
  const int row = index.row(), column = index.column();
  if (row >= rowCount()) return {};
  if (role == Qt::ToolTipRole && column == result && result_of(row) &&
      !result_of(row)->missed.empty()) {
    QStringList all;
    for (const auto& miss : result_of(row)->missed) all << QString::fromStdString(miss);
    return all.join("\n");
  }
  if (role == Qt::ToolTipRole && column == result && result_of(row) &&
      result_of(row)->render.warnings.size() > 1) {
    QStringList all;
    for (const auto& warning : result_of(row)->render.warnings)
      all << QString::fromStdString(warning);
    return all.join("\n");
  }
  if (role == Qt::ToolTipRole && column == heard)
    return tr("How much was listened to since the chain last changed");
  if (role == Qt::DisplayRole || role == Qt::ToolTipRole) return text(row, column);
  if (role == Qt::CheckStateRole && column == clip)
    return unticked_.contains(ids_[static_cast<size_t>(row)]) ? Qt::Unchecked : Qt::Checked;
  const JobResult* r = result_of(row);
  if (role == levels_role && r && r->state == JobState::done &&
      (column == before || column == after)) {
    const Levels& l = column == before ? r->render.before : r->render.after;
    return QVariant::fromValue(
        LevelBar{l.sample_peak_dbfs.value_or(-200), l.loudness_lufs.value_or(-200),
                 l.noise_floor_dbfs.value_or(-200),
                 work_.document.target() ? work_.document.target()->loudness_lufs : Limits{}});
  }
  if (role == progress_role && column == result && r && r->state == JobState::running)
    return r->progress;
  if (role == failed_role && column == result)
    return (r && (r->state == JobState::failed || !r->missed.empty())) || (r && !r->whole) ||
           source_missing(row);
  return {};
}

bool BatchModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::CheckStateRole || index.column() != clip) return false;
  const ClipId id = ids_[static_cast<size_t>(index.row())];
  if (value.toInt() == Qt::Checked)
    unticked_.erase(id);
  else
    unticked_.insert(id);
  Q_EMIT dataChanged(index, index);
  return true;
}

QVariant BatchModel::headerData(int section, Qt::Orientation o, int role) const {
  if (o != Qt::Horizontal || role != Qt::DisplayRole) return {};
  const QString names[] = {tr("Clip"),   tr("Group"), tr("Chain"), tr("Heard"),
                           tr("Before"), tr("After"), tr("File"),  tr("Result")};
  return names[section];
}

Qt::ItemFlags BatchModel::flags(const QModelIndex& index) const {
  auto f = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  if (index.column() == clip) f |= Qt::ItemIsUserCheckable;
  const JobResult* r = index.isValid() ? result_of(index.row()) : nullptr;
  if (r && r->state == JobState::done) f |= Qt::ItemIsDragEnabled;
  return f;
}

void BatchDelegate::paint(QPainter* p, const QStyleOptionViewItem& option,
                          const QModelIndex& index) const {
  const Theme& t = theme();
  const bool is_level = index.column() == BatchModel::before || index.column() == BatchModel::after;
  const QVariant progress = index.data(BatchModel::progress_role);
  QStyleOptionViewItem o = option;
  o.state &= ~QStyle::State_HasFocus;
  if (index.data(BatchModel::failed_role).toBool()) o.palette.setColor(QPalette::Text, t.over);
  if (!is_level && !progress.isValid()) {
    QStyledItemDelegate::paint(p, o, index);
    return;
  }
  p->save();
  p->setRenderHint(QPainter::Antialiasing);
  if (option.state & QStyle::State_Selected) p->fillRect(option.rect, t.raised);
  const QRectF r = QRectF(option.rect).adjusted(3, 0, -12, 0);
  p->setPen(Qt::NoPen);
  if (progress.isValid()) {
    const QRectF bar(r.left(), r.center().y() - 4, r.width(), 8);
    p->setBrush(t.window);
    p->drawRoundedRect(bar, 4, 4);
    p->setBrush(t.attention);
    p->drawRoundedRect(
        QRectF(bar.left(), bar.top(), std::max(8.0, bar.width() * progress.toDouble()), 8), 4, 4);
  } else if (const QVariant v = index.data(BatchModel::levels_role); v.isValid()) {
    // From noise floor to peak, the loudness marked; the peak in figures.
    const auto level = v.value<LevelBar>();
    const QColor color = index.column() == BatchModel::before ? t.before
                         : level.peak > 0                     ? t.over
                                                              : t.after;
    const double width = r.width() - 44;
    const auto x = [&](double db) {
      return r.left() + width * std::clamp((db + 78) / 78, 0.0, 1.0);
    };
    const double y = r.center().y();
    p->setBrush(t.window);
    p->drawRoundedRect(QRectF(r.left(), y - 5, width, 10), 2, 2);
    p->setBrush(faded(color, 0.5));
    p->drawRect(QRectF(x(level.floor), y - 5, x(level.peak) - x(level.floor), 10));
    // Where the target wants the loudness: two brackets.
    p->setPen(QPen(t.text, 1));
    for (const auto& limit : {level.wanted.least, level.wanted.most})
      if (limit) p->drawLine(QPointF(x(*limit), y - 9), QPointF(x(*limit), y + 9));
    p->setPen(Qt::NoPen);
    p->setBrush(color);
    p->drawRect(QRectF(x(level.loudness) - 2, y - 7, 4, 14));
    p->setPen(level.peak > 0 ? t.over : t.quiet);
    p->drawText(QRectF(r.right() - 40, r.top(), 40, r.height()), Qt::AlignVCenter | Qt::AlignRight,
                QString::number(level.peak, 'f', 1));
  }
  p->restore();
}

}  // namespace drevan::desktop
