// SPDX-License-Identifier: GPL-3.0-or-later
// How loud the mix is, measured whenever it has changed; a reference to listen against; the target.
#pragma once

#include <QObject>
#include <QTemporaryDir>
#include <QTimer>
#include <optional>

#include "batch/mix_levels.h"
#include "work/stores.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Listening;
class Measurements;
class Notices;

class MixWatch : public QObject {
  Q_OBJECT

 public:
  MixWatch(Notices& notices, Document& document, Measurements& measurements, Listening& listening,
           QObject* parent = nullptr);

  /// Nothing is measured before somebody looks; while it plays it is put off.
  void set_active(bool on);
  bool active() const { return active_; }
  /// As it was measured last; nullptr: it was not yet.
  const WholeLevels* mix() const { return mix_ ? &*mix_ : nullptr; }
  /// Whether that is of the mix as it is now.
  bool fresh() const { return fresh_; }
  const WholeLevels* reference() const { return reference_ ? &*reference_ : nullptr; }
  bool busy() const { return soon_.isActive() || lane_.busy(); }

  /// The mix chain gets what meets the reel's target: drive into a limiter under the target's
  /// ceiling, or gain alone where no peak stands in the way. Tells.
  void meet_target();
  /// The reference instead of the mix, as loud as that, at the same moment; or the mix again.
  void hear_reference(bool on);
  bool hears_reference() const { return hears_reference_; }

 Q_SIGNALS:
  void changed();
  /// 0 to 1; 1 when it is done or given up.
  void progress(double share);

 private:
  struct Round;
  void follow();
  void measure();
  void put_off(bool other);
  void tell_fresh(bool fresh);
  void take(const Round& round);
  Progress telling(const CancelToken& cancel, double from, double to);

  Notices& notices_;
  Document& document_;
  Measurements& measurements_;
  Listening& listening_;
  bool active_ = false, fresh_ = false, hears_reference_ = false;
  std::optional<WholeLevels> mix_, reference_;
  std::filesystem::path reference_file_;
  QTemporaryDir folder_;
  QTimer soon_;
  ReelLane lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
