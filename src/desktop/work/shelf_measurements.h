// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of every clip: its waveform, and what leaves its chain. Found quietly, what is seen first.
#pragma once

#include <QDeadlineTimer>
#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <set>
#include <tuple>

#include "media/peaks.h"
#include "reel/change.h"
#include "work/stores.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class Selection;

class ShelfMeasurements : public QObject {
  Q_OBJECT

 public:
  ShelfMeasurements(Notices& notices, const Document& document, const Selection& selection,
                    const Measurements& measurements, QObject* parent = nullptr);

  /// nullptr until it is known.
  std::shared_ptr<const PeakPyramid> source_peaks(const Clip& clip) const;
  /// What leaves its chain; nullptr until it is known.
  const Levels* clip_levels(ClipId clip_id) const;
  /// Whether those belong to its chain as it is now.
  bool clip_levels_fresh(ClipId clip_id) const;
  /// Of what leaves the clip's chain as it is now, see stage_keys(); 0: it is not known yet.
  std::uint64_t wanted_key(ClipId clip_id) const;
  std::optional<double> clip_loudness(ClipId clip_id) const;
  /// The clips that can be seen; they are measured before the others.
  void set_visible(const std::vector<ClipId>& clip_ids);
  /// While something else is waited for nothing is measured here.
  void hold_back(bool on);

 Q_SIGNALS:
  void peaks_changed();
  void loudness_changed();

 private:
  // By source, as the file was when it was looked at, and rate.
  using PeaksKey = std::tuple<std::string, std::uint64_t, double>;
  struct ClipLevels {
    std::optional<Levels> levels;
    std::uint64_t key = 0, wanted = 0;  // of the last stage: as measured, as it is now
  };
  PeaksKey peaks_key(const Source& source) const;
  void load_peaks();
  void measure();
  void take_levels(ClipId clip_id, const Levels& levels, std::uint64_t key);
  void take_wanted(const std::shared_ptr<const Reel>& reel,
                   const std::map<ClipId, std::uint64_t>& keys);
  void take_selected();

  const Document& document_;
  const Selection& selection_;
  const Measurements& measurements_;
  std::map<PeaksKey, std::shared_ptr<const PeakPyramid>> peaks_;
  std::set<PeaksKey> bad_sources_;
  // By path; size and time, asked for now and then.
  mutable std::map<std::string, std::pair<std::uint64_t, QDeadlineTimer>> file_states_;
  std::map<ClipId, ClipLevels> levels_;
  std::shared_ptr<const Reel> wanted_reel_;  // that the wanted keys are of
  Change since_wanted_;                      // from that one to what is shown
  bool sources_changed_ = true;              // since all waveforms were there
  std::vector<ClipId> visible_;
  bool held_back_ = false;
  QTimer soon_, visible_soon_;
  ReelLane peak_lane_{document_, TaskLane::Urgency::background};
  ReelLane lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
