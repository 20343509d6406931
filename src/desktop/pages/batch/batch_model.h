// SPDX-License-Identifier: GPL-3.0-or-later
// The table of a batch: a row per clip.
#pragma once

#include <QAbstractTableModel>
#include <QStyledItemDelegate>
#include <map>
#include <memory>
#include <set>

#include "batch/batch.h"
#include "work/work.h"

namespace drevan::desktop {

class BatchModel : public QAbstractTableModel {
  Q_OBJECT

 public:
  enum Column { clip, group, chain, heard, before, after, output, result, columns };
  enum Role { levels_role = Qt::UserRole, progress_role, failed_role };

  BatchModel(const Work& work, QObject* parent);

  /// The clips that are ticked, in the reel's order.
  std::vector<ClipId> ticked() const;
  void set_all_ticked(bool on);
  /// The reel has changed: rows anew; results of clips that are still there stay.
  void refresh(const QString& pattern, const QString& extension);
  /// Names of files as they will be, by clip, where they are not as the pattern alone says.
  void set_names(std::map<ClipId, QString> names);
  void begin(const std::vector<ClipId>& clip_ids);
  /// `job` counts the clips given to begin().
  void update(size_t job, const JobResult& now);
  const std::vector<JobResult>& results() const { return results_; }
  /// Clips of the running or last batch, in step with results().
  const std::vector<ClipId>& rendered() const { return running_; }
  /// The reel as it was when that batch began.
  const Reel& rendered_reel() const { return *running_as_; }
  ClipId clip_at(int row) const { return ids_.at(static_cast<size_t>(row)); }
  /// The finished file of a clip; empty: there is none.
  std::filesystem::path file_of(ClipId clip_id) const;
  /// How many clips of the running or last batch sound otherwise by now.
  int changed_since() const;
  /// Of the ticked clips: those not played to their end since their chain last changed.
  int not_heard() const;

  int rowCount(const QModelIndex& = {}) const override { return static_cast<int>(ids_.size()); }
  int columnCount(const QModelIndex& = {}) const override { return columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  QVariant headerData(int section, Qt::Orientation o, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  QStringList mimeTypes() const override { return {"text/uri-list"}; }
  QMimeData* mimeData(const QModelIndexList& indexes) const override;

 private:
  const JobResult* result_of(int row) const;
  QString text(int row, int column) const;
  bool source_missing(int row) const;

  const Work& work_;
  std::vector<ClipId> ids_;
  std::set<ClipId> unticked_;
  std::vector<ClipId> running_;             // clip ids of the running or last batch
  std::shared_ptr<const Reel> running_as_;  // the reel as it was then
  int running_reel_ = 0;                    // of these: Document::reel_number()
  std::vector<JobResult> results_;          // in step with running_
  std::map<ClipId, QString> names_;
  QString pattern_ = "{clip}", extension_ = ".wav";
};

/// Draws the level bars of the before and after columns and the progress of the result column.
class BatchDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* p, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
};

/// Peak, loudness and noise floor for drawing, dB; below -100: none; and the loudness a target wants.
struct LevelBar {
  double peak = -200, loudness = -200, floor = -200;
  Limits wanted{};
};

}  // namespace drevan::desktop

Q_DECLARE_METATYPE(drevan::desktop::LevelBar)
