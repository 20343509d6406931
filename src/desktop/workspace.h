// The open reel and all that hangs on it: edits with undo, what is selected, what was measured,
// what plays. The widgets show it and ask it to change; they hold no state of the work themselves.
#pragma once

#include <QObject>
#include <QStringList>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "engine/level_path.h"
#include "engine/player.h"
#include "reel/history.h"
#include "worker.h"

namespace drevan::desktop {

/// One step of the clip's three chains.
struct StepPlace {
  ChainOwner owner = ChainOwner::clip;
  int index = 0;
  friend bool operator==(const StepPlace&, const StepPlace&) = default;
};

class Workspace : public QObject {
  Q_OBJECT

 public:
  explicit Workspace(QObject* parent = nullptr);
  ~Workspace() override;

  // --- the reel ---
  const Reel& reel() const { return history_.now(); }
  const History& history() const { return history_; }
  const std::filesystem::path& file() const { return file_; }
  void new_reel();
  /// These tell by message() when something fails, and return whether it worked.
  bool open(const std::filesystem::path& file);
  bool save(const std::filesystem::path& file);
  /// Adds files in the background; what cannot be read is told and left out.
  void add_files(const QStringList& files);
  bool relink(int clip_id, const std::filesystem::path& file);
  bool missing(const Clip& clip) const;

  // --- edits; all undoable ---
  /// `merge`: see History::edit.
  void edit(Reel next, const QString& label, const QString& merge = {});
  void end_merge() { history_.end_merge(); }
  void undo();
  void redo();
  void add_step(ChainOwner owner, int index, const StepType& type);
  void remove_step(StepPlace place);
  void move_step(StepPlace from, StepPlace to);
  void switch_step(StepPlace place, bool on);
  void set_settings(StepPlace place, const Settings& settings, const QString& label,
                    const QString& merge = {});
  void set_room_tone(std::optional<SecondsRange> range);
  void find_room_tone();
  void copy_chain_to(const std::vector<int>& ids);
  /// The selected clip's own chain becomes `chain`.
  void set_chain(const Chain& chain, const QString& label);
  void apply_recipe(const std::filesystem::path& file);
  void save_recipe(const std::filesystem::path& file);
  void remove_clips(const std::vector<int>& ids);
  void rename_clip(int id, const QString& name);

  // --- what is shown ---
  const Clip* clip() const { return reel().find(clip_id_); }
  int clip_id() const { return clip_id_; }
  void select_clip(int id);
  std::optional<StepPlace> selected() const { return selected_; }
  void select_step(std::optional<StepPlace> place);
  const ChainStep* step(StepPlace place) const;
  /// Index among the steps that are on of all three chains; -1 when off.
  int active_index(StepPlace place) const;
  double clip_seconds() const;

  /// Of the selected clip's newest measured state; nullptr until there is one.
  const LevelPath* levels() const { return levels_.get(); }
  /// Whether levels() belongs to the chain as it is now.
  bool levels_fresh() const;
  std::shared_ptr<const PeakPyramid> source_peaks(const Clip& clip) const;
  /// Loudness after its chain, for the shelf, when known.
  std::optional<double> clip_loudness(int clip_id) const;
  bool measuring() const { return measure_.busy(); }

  Player& player() { return *player_; }
  FindingStore& findings() { return findings_; }

 Q_SIGNALS:
  void reel_changed();
  void clip_changed();
  void step_changed();
  void levels_changed();
  void peaks_changed();
  void loudness_changed();
  /// For the line that tells; `failure` in the colour of attention.
  void message(const QString& text, bool failure);

 private:
  void reset(Reel reel, const std::filesystem::path& file);
  void after_edit();
  void measure();
  void load_player();
  void load_peaks();
  void measure_shelf();
  void keep_selection();
  Reel changed(const std::function<void(Reel&, Clip&)>& change) const;
  void tell(const std::exception& e);

  History history_;
  std::filesystem::path file_;
  int clip_id_ = 0;
  std::optional<StepPlace> selected_;

  FindingStore findings_;
  LevelStore level_store_;
  StageCache stages_;
  std::shared_ptr<const LevelPath> levels_;
  int levels_clip_ = 0;
  Chain levels_chain_;  ///< the one levels_ was measured with
  std::map<std::string, std::shared_ptr<const PeakPyramid>> peaks_;  // by source path
  std::set<std::string> bad_sources_;
  std::map<int, double> loudness_;

  std::unique_ptr<Player> player_;
  Worker measure_{nullptr};
  Worker peak_worker_{nullptr, true};
  Worker shelf_worker_{nullptr, true};
  Worker import_{nullptr};
  Worker finder_{nullptr};
};

/// "Add compressor": for undo labels and tooltips.
QString step_label(const StepType& type);

}  // namespace drevan::desktop
