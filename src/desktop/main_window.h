// SPDX-License-Identifier: GPL-3.0-or-later
// The window: places, menus, keys, and the line that tells.
#pragma once

#include <QMainWindow>
#include <functional>

#include <memory>

#include "dialogs/trouble_sheet.h"
#include "pages/batch/batch_page.h"
#include "pages/bench/bench.h"
#include "pages/scene/scene_page.h"
#include "reel/edits/edits.h"
#include "work/work.h"

class QLabel;
class QMenuBar;
class QStackedWidget;
class QToolButton;

namespace drevan::desktop {

class MainWindow : public QMainWindow {
  Q_OBJECT

 public:
  MainWindow();
  ~MainWindow() override;

  const Work& work() { return work_; }
  Bench& bench() { return *bench_; }
  BatchPage& batch() { return *batch_; }
  ScenePage& scene() { return *scene_; }
  class RecordStrip& record_strip() {
    return *record_strip_;
  }
  class StartPage& start() {
    return *start_;
  }
  /// The list of edits, once it was opened.
  class HistoryDialog* edits() {
    return edits_;
  }
  /// The list of versions, opened when it was not.
  class VersionsDialog& versions();
  class RecipeDrawer& recipes();
  enum class Place { bench, scene, batch };
  void show_place(Place place);
  Place place() const { return place_; }
  /// Opens a reel or adds sound files, as the command line and a drop ask.
  void open_files(const QStringList& files);

 protected:
  void closeEvent(QCloseEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;

 private:
  QWidget* make_top();
  void make_menus();
  void make_reel_menu();
  void make_edit_menu();
  void make_clip_menu();
  void make_cut_menu();
  void make_take_entries(QMenu* m);
  void hear_next_take();
  void make_group_menu();
  void move_group_at_hand(int way);
  void make_move_menu(QMenu* m);
  void make_sort_menu(QMenu* m);
  void make_group_by_menu(QMenu* m);
  void make_scene_menu();
  void make_film_menus(QMenu* m);
  /// What is done with a clip of a row, with what is done from Scene, too.
  void make_row_menu(QMenu* scene, const QList<QAction*>& of_scene);
  void fill_film_menu(QMenu& menu, int film);
  /// The clips that an edit is for: those marked on the page in sight, else the selected one.
  std::vector<ClipId> marked_clips() const;
  /// Of the page in sight.
  Foot& foot();
  void zoom(double by);
  void make_versions_menu();
  void make_listen_menu();
  void make_listen_on_menu(QMenu& menu);
  void make_look_menu();
  QAction* add(QMenu* menu, const QString& text, const QKeySequence& key,
               std::function<void()> run);
  void change_clip(const std::function<edits::Edit(const Reel&, ClipId clip)>& edit);
  void refresh();
  /// `why`: where it came from something else than what was asked for.
  void tell(const QString& text, bool failure, const Problem& why = {});
  void show_trouble();
  void show_batch_progress(double share);
  void tell_batch_done(const QString& how);
  void play_or_pause();
  void show_render();
  struct Waited {
    class QProgressDialog* dialog = nullptr;
  };
  void show_progress(Waited& waited, double share, const QString& what,
                     const std::function<void()>& cancel);
  void show_printing(double share);
  void show_summing(double share);
  void show_cutting(double share);
  void write_events();
  void write_clip_list();
  void write_list(const QString& title, const QString& name,
                  const std::function<std::string(bool vtt, const std::string& first_code)>& text);
  void fill_line_menu(QMenu& menu);
  void write_marked();
  void show_making(double share);
  void make_record_strip();
  void record_or_stop();
  struct RecordingWish recording_wish() const;
  bool save();
  bool save_as();
  /// Whether the reel may be left: saved, or given up on purpose.
  bool may_leave();
  void open_dialog();
  /// `group`: where they go; empty: to new clips.
  void add_dialog(const QString& group = {});
  void make_help_menu();
  /// Whoever opens first makes it.
  class HelpWindow& help();
  QList<struct KeyChapter> key_chapters() const;
  void use_theme(const QString& name);
  void make_many_entries(QMenu* m);
  void copy_step();
  /// What the clipboard holds; empty, and told: no steps.
  std::optional<Recipe> pasted();
  void paste_steps();
  void paste_settings();
  void same_settings();
  void rename_marked();
  void add_folder_dialog();
  void keep_picture();
  void new_group();
  void group_note_dialog();
  void move_marked(int way);
  void copy_chain_dialog();
  void find_source_dialog();

  std::unique_ptr<struct OpenWork> open_work_;
  const Work& work_;
  QWidget* top_left_ = nullptr;
  QMenuBar* menus_ = nullptr;
  QMenu* group_menu_ = nullptr;
  bool bus_stays_ = false;   // the bus that is on its way was chosen in the Scene
  QList<Trouble> troubles_;  // of this session, the newest last
  QToolButton* more_ = nullptr;
  QLabel *mark_ = nullptr, *reel_name_ = nullptr, *saved_ = nullptr, *message_ = nullptr;
  std::vector<QToolButton*> places_;
  QStackedWidget* stack_ = nullptr;
  Bench* bench_ = nullptr;
  BatchPage* batch_ = nullptr;
  ScenePage* scene_ = nullptr;
  class StartPage* start_ = nullptr;
  class RecordStrip* record_strip_ = nullptr;
  Place place_ = Place::bench;
  QString noted_file_;  // among the recent ones
  class HistoryDialog* edits_ = nullptr;
  class VersionsDialog* versions_ = nullptr;
  class HelpWindow* help_ = nullptr;
  class UnevenDialog* uneven_ = nullptr;
  Waited printing_, summing_, cutting_, making_;
  QAction *undo_ = nullptr, *redo_ = nullptr;
  QTimer* message_timer_ = nullptr;
};

}  // namespace drevan::desktop
