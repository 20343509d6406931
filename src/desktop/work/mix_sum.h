// The sum of all clips, rendered aside so that the mix can be looked at and worked on like a clip.
#pragma once

#include <QObject>
#include <QTemporaryDir>
#include <QTimer>
#include <filesystem>

#include "work/task_lane.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class Selection;

class MixSum : public QObject {
  Q_OBJECT

 public:
  MixSum(Notices& notices, Document& document, Selection& selection, Measurements& measurements,
         QObject* parent = nullptr);

  /// Renders the sum where it is not there as it is now, and then selects the mix.
  void open();
  bool busy() const { return lane_.busy() || soon_.isActive(); }
  void cancel() { lane_.cancel(); }

 Q_SIGNALS:
  /// 0 to 1; 1 when it is done or given up.
  void progress(double share);
  void opened();

 private:
  void follow();
  void render(bool select);
  void take(const struct Rendered& sum, bool select);

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  QTemporaryDir folder_;
  std::filesystem::path before_;
  std::uint64_t key_ = 0;  // of the sum that the document shows
  bool select_ = false;
  QTimer soon_;
  TaskLane lane_{TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
