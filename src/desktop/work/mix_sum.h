// SPDX-License-Identifier: GPL-3.0-or-later
// The sum of all clips, rendered aside so that the mix can be looked at and worked on like a clip.
#pragma once

#include <QObject>
#include <QTemporaryDir>
#include <QTimer>
#include <filesystem>
#include <map>

#include "reel/reel.h"
#include "work/open_reel.h"

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

  /// Renders what enters a bus (the mix or a space, by id) where it is not there as it is now, and
  /// then selects the bus.
  void open(ClipId bus = mix_clip_id);
  bool busy() const { return lane_.busy() || soon_.isActive(); }
  void cancel() { lane_.cancel(); }

 Q_SIGNALS:
  /// 0 to 1; 1 when it is done or given up.
  void progress(double share);
  void opened();

 private:
  void follow();
  void render(ClipId bus, bool select);
  void take(const struct Rendered& sum, bool select);

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  QTemporaryDir folder_;
  // Of the sum that the document shows, by bus, and the file that it showed before.
  struct Shown {
    std::uint64_t key = 0;
    std::filesystem::path before{};
  };
  std::map<ClipId, Shown> shown_;
  ClipId bus_ = mix_clip_id;  // that is on its way
  bool select_ = false;
  QTimer soon_;
  ReelLane lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
