// The open reel and all that hangs on it: edits with undo, what is selected, what was measured,
// what plays. The widgets show it and ask it to change; they hold no state of the work themselves.
#pragma once

#include <QDeadlineTimer>
#include <QObject>
#include <QStringList>
#include <QTimer>
#include <array>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <tuple>

#include "batch/target.h"
#include "engine/level_path.h"
#include "engine/player.h"
#include "engine/step_course.h"
#include "reel/history.h"
#include "reel/journal.h"
#include "reel/lock.h"
#include "reel/version_files.h"
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
  /// As it is now, or as a preview shows it.
  const Reel& reel() const { return preview_ ? *preview_ : history_.now(); }
  const History& history() const { return history_; }
  const std::filesystem::path& file() const { return file_; }
  /// Another one for each reel that is opened or begun.
  int reel_number() const { return reel_number_; }
  void new_reel();
  /// These tell by message() when something fails, and return whether it worked.
  bool open(const std::filesystem::path& file);
  bool save(const std::filesystem::path& file);
  /// Adds files in the background; what cannot be read is told and left out.
  void add_files(const QStringList& files);
  bool relink(int clip_id, const std::filesystem::path& file);
  bool missing(const Clip& clip) const;
  /// Why the reel cannot be saved under its name, in a sentence; empty: it can.
  const QString& read_only() const { return read_only_; }
  /// The reel is left for good: saved, or given up on purpose.
  void leave();
  /// A reel that was never saved when Drevan ended badly comes back; false: there is none.
  bool bring_back_unsaved();

  // --- edits; all undoable ---
  /// `merge`: see History::edit.
  void edit(Reel next, const QString& label, const QString& merge = {});
  void end_merge() { history_.end_merge(); }
  void undo();
  void redo();
  /// Goes to any state of history().labels().
  void go_to(int state);
  void add_step(ChainOwner owner, int index, const StepType& type);
  void remove_step(StepPlace place);
  void move_step(StepPlace from, StepPlace to);
  void switch_step(StepPlace place, bool on);
  void set_settings(StepPlace place, const Settings& settings, const QString& label,
                    const QString& merge = {});
  void set_room_tone(std::optional<SecondsRange> range);
  void find_room_tone();
  /// The selected clip's room tone serves all of its group that have none of their own, or no longer.
  void share_room_tone(bool share);
  bool shares_room_tone() const;
  /// What the reel is delivered by: one of Drevan's own by id, a file, or nothing.
  void set_target(const QString& name_or_file);
  /// Sets or adds the step that brings the selected clip to the target, and tells what it did.
  void meet_target();
  void copy_chain_to(const std::vector<int>& ids);
  /// The selected clip's own chain becomes `chain`.
  void set_chain(const Chain& chain, const QString& label);
  void apply_recipe(const std::filesystem::path& file);
  /// The steps of a recipe in place of, or after, those of one of the selected clip's chains.
  void use_recipe(ChainOwner owner, const Recipe& recipe, bool append);
  /// Everything shows and plays the reel as use_recipe() would make it, until end_preview() or an edit.
  void preview(ChainOwner owner, const Chain& chain, bool append);
  void end_preview();
  bool previewing() const { return preview_ != nullptr; }
  void save_recipe(const std::filesystem::path& file);
  void remove_clips(const std::vector<int>& ids);
  void rename_clip(int id, const QString& name);

  // --- who takes part ---
  /// The selected clip passes a step of its group's or the reel's chain by, or all of its group's.
  void sit_out(StepPlace place, bool out);
  void sit_out_of_group(bool out);
  bool sits_out_of_group() const;
  void take_part(const std::vector<int>& ids);

  // --- versions; see reel.h. Printing works in the background ---
  /// The selected clip's own chain becomes part of its sound: within `range`, or throughout.
  void print(std::optional<SecondsRange> range);
  /// What was printed last is printed into `range` as well, with the same settings.
  void print_again(SecondsRange range);
  /// All clips of the selected one's group, with their own chains and the group's.
  void print_group();
  /// What runs and what waits.
  void cancel_print();
  bool printing() const { return printer_.busy(); }
  /// Prints that wait for the one that runs.
  int prints_waiting() const { return printer_.waiting(); }
  double fade_s() const;
  void set_fade_s(double seconds);
  void go_to_version(int version);
  void take_out_chain(int version);
  void clear_unused_versions();
  /// Before becomes another version of the selected clip; empty: what enters the chain.
  void hear_against(std::optional<int> version);
  std::optional<int> against() const { return against_ ? std::optional(against_->version) : std::nullopt; }

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
  /// What leaves its chain, for the shelf; nullptr until it is known.
  const Levels* clip_levels(int clip_id) const;
  /// Whether those belong to its chain as it is now.
  bool clip_levels_fresh(int clip_id) const;
  /// The clips that can be seen on the shelf; they are measured before the others.
  void set_visible(const std::vector<int>& clip_ids);
  std::optional<double> clip_loudness(int clip_id) const;
  /// The reel's target; empty when it has none, or one that cannot be read.
  const std::optional<Target>& target() const { return target_; }
  /// What is heard in the selected clip's room tone, once it was listened to.
  const RoomToneJudgement* tone() const { return tone_ ? &*tone_ : nullptr; }
  bool measuring() const { return measure_.busy(); }

  /// What is played of the selected clip; nullptr until it is known.
  std::shared_ptr<const PlayPlan> plan() const { return plan_; }
  /// Listening and comparing around the selected step alone instead of the whole chain.
  void set_around_step(bool on);
  bool around_step() const { return around_step_; }
  /// What the selected step does over time; nullptr until it was measured.
  const StepCourse* course() const { return course_.get(); }

  Player& player() { return *player_; }
  FindingStore& findings() { return findings_; }

 Q_SIGNALS:
  void reel_changed();
  void clip_changed();
  void step_changed();
  void levels_changed();
  void peaks_changed();
  void loudness_changed();
  void plan_changed();
  void course_changed();
  void target_changed();
  void tone_judged();
  /// 0 to 1 while something is printed; below 0: no more.
  void print_progress(double share);
  /// For the line that tells; `failure` in the colour of attention.
  void message(const QString& text, bool failure);

 private:
  std::array<Worker*, 12> workers();
  void reset(Reel reel, const std::filesystem::path& file);
  bool same_file(const std::filesystem::path& file) const;
  bool end_preview_for(std::optional<StepPlace> place);
  void keep_journal(const QString& label);
  void keep_history(const std::string& saved);
  void begin_unsaved();
  void check_sources();
  void end_unsaved();
  void bring_history(bool after_crash);
  void show_state();
  void show_preview();
  void after_edit();
  void measure();
  void load_player();
  void narrow_to_step(PlayPlan& plan) const;
  void measure_course();
  void judge_tone();
  struct PrintJob;
  void start_print(std::vector<PrintJob> jobs, const QString& label, bool group);
  void finish_print(const std::vector<PrintJob>& jobs, const QString& label, bool group);
  void show_printing(double share);
  void show_version();
  void delete_cleared();
  void read_target();
  bool wants_true_peak() const;
  void load_peaks();
  void measure_shelf();
  void keep_selection();
  Reel changed(const std::function<void(Reel&, Clip&)>& change) const;
  void tell(const std::exception& e);

  Reel with_chain(ChainOwner owner, const Chain& chain, bool append) const;

  History history_;
  std::shared_ptr<const Reel> preview_;
  std::optional<StepPlace> before_preview_;  ///< what was selected then
  std::filesystem::path file_;
  int reel_number_ = 0;
  std::optional<ReelLock> lock_;
  QString read_only_;
  std::unique_ptr<Journal> journal_;
  std::filesystem::path unsaved_;  ///< where a reel without a name keeps its journal; empty: it has none
  std::optional<ReelLock> unsaved_lock_;
  bool told_unsaved_ = false;
  int clip_id_ = 0;
  std::optional<StepPlace> selected_;

  FindingStore findings_;
  LevelStore level_store_;
  StageCache stages_{size_t{256} << 20};
  StageCache borders_{size_t{256} << 20};  // the visible clips' sound as it enters the group's chain
  std::shared_ptr<const LevelPath> levels_;
  int levels_clip_ = 0;
  mutable std::vector<std::uint64_t> keys_;  ///< what levels_fresh() compares, of this state and clip
  mutable std::shared_ptr<const Reel> keys_reel_;
  mutable int keys_clip_ = 0;
  Chain levels_chain_;  ///< the one levels_ was measured with
  // By source, as the file was when it was looked at, and rate.
  using PeaksKey = std::tuple<std::string, std::uint64_t, double>;
  PeaksKey peaks_key(const Source& source) const;
  std::map<PeaksKey, std::shared_ptr<const PeakPyramid>> peaks_;
  std::set<PeaksKey> bad_sources_;
  mutable std::map<std::string, std::pair<std::uint64_t, QDeadlineTimer>> file_states_;  ///< by path; size and time, asked for now and then
  struct ClipLevels {
    std::optional<Levels> levels;
    std::uint64_t key = 0, wanted = 0;  // of the last stage: as measured, as it is now
  };
  void take_levels(int clip_id, const Levels& levels, std::uint64_t key);
  std::map<int, ClipLevels> clip_levels_;
  std::vector<int> visible_;
  QTimer shelf_soon_;

  std::shared_ptr<const PlayPlan> plan_;
  bool around_step_ = false;
  std::shared_ptr<const StepCourse> course_;
  std::uint64_t course_key_ = 0;  ///< of the stage that leaves the step it belongs to

  struct Against {
    int clip = 0, version = 0;
    ClipSound sound;
    std::optional<double> loudness;
    double peak_db = -200;
  };
  std::optional<Against> against_;
  std::set<std::filesystem::path> promised_;  ///< names of files that prints were given
  std::vector<std::filesystem::path> cleared_;  ///< files of versions that were cleared; they go with the reel's closing

  std::string target_name_;
  std::optional<Target> target_;
  std::optional<RoomToneJudgement> tone_;
  std::pair<std::uint64_t, SecondsRange> tone_of_{};  ///< the sound and the range it was heard in

  std::unique_ptr<Player> player_;
  Worker measure_{nullptr};
  Worker peak_worker_{nullptr, true};
  Worker shelf_worker_{nullptr, true};
  Worker import_{nullptr};
  Worker finder_{nullptr};
  Worker course_worker_{nullptr, true};
  Worker tone_worker_{nullptr, true};
  Worker meeter_{nullptr};
  Worker printer_{nullptr};
  Worker source_worker_{nullptr, true};
  Worker history_worker_{nullptr, true};
  Worker against_worker_{nullptr, true};
};

/// "Add compressor": for undo labels and tooltips.
QString step_label(const StepType& type);

}  // namespace drevan::desktop
