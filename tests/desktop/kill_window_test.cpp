// SPDX-License-Identifier: GPL-3.0-or-later
// The real window killed at random moments while it edits, saves, prints and renders: all that is older
// than a second comes back, no final name holds half a file, no source is changed.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QApplication>
#include <QSettings>
#include <QTimer>
#include <chrono>
#include <cstdlib>
#include <random>
#include <thread>

#include "audio/hash.h"
#include "desktop/victim.h"
#include "editing.h"
#include "main_window.h"
#include "media/reader.h"
#include "reel/files/journal.h"
#include "reel/library/version_files.h"
#include "support/steps.h"
#include "work/document.h"
#include "work/printing.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

std::int64_t now_ns() { return Clock::now().time_since_epoch().count(); }

// Restless hands.
class Hands {
 public:
  Hands(MainWindow& window, unsigned seed)
      : window_(window), random_(seed), count_(std::stoi(work().document.reel().clips[0].name)) {}

  void act() {
    edit();
    switch (random_() % 28) {
      case 0:
      case 1:
        work().document.save(work().document.file());
        break;
      case 2:
        if (!work().printing.busy() && work().selection.clip()->versions.size() < 12)
          work().printing.print(ClipRange{0.4, 1.1});
        break;
      case 3:
        if (!window_.batch().rendering()) window_.batch().render();
        break;
      case 4:
        if (work().selection.clip()->version != 0) desktop::edit(work(), edits::go_to_version, 0);
        break;
      case 6: {
        // Under another name and back: the copy has its own printed files.
        const auto own = work().document.file();
        if (work().printing.busy() || !work().document.save(own)) break;
        if (work().document.save(own.parent_path() /
                                 ("copy" + std::to_string(random_() % 2) + ".reel")))
          work().document.open(own);
        break;
      }
      case 7:
        if (!work().printing.busy() && work().selection.clip()->versions.size() > 5)
          work().document.clear_unused_versions();
        break;
      case 5:
        // One back and its own way on again: the name tells the newest all the same.
        work().document.undo();
        edit();
        break;
      default:
        break;
    }
  }

 private:
  const Work& work() { return window_.work(); }
  void edit() {
    const Clip c = work().document.reel().clips[0];
    if (c.chain.steps.empty())
      desktop::edit(work(), edits::add_step, StepPlace{ChainOwner::clip, 0},
                    *test::with("gain", {}).type);
    if (random_() % 3 == 0)
      desktop::edit(
          work(), edits::set_settings, step_at(work(), ChainOwner::clip, 0),
          test::with("gain", {{"gain_db", -static_cast<double>(random_() % 20)}}).settings, "Gain");
    desktop::edit_reel(work(), edits::rename_clip, c.id, std::to_string(++count_));
    const Told told{count_, now_ns()};
    if (::write(STDOUT_FILENO, &told, sizeof told) != sizeof told) ::_exit(4);
  }

  MainWindow& window_;
  std::mt19937 random_;
  int count_;
};

}  // namespace

int work_until_killed(const char* reel, unsigned seed) {
  QSettings().setValue("batch/pattern", "{group}");
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.open_files({QString::fromUtf8(reel)});
  if (window.work().document.reel().clips.empty() || !window.work().document.read_only().isEmpty())
    return 3;
  window.batch().set_folder(
      QString::fromStdString((fs::path(reel).parent_path() / "out").string()));
  Hands hands(window, seed);
  QTimer timer;
  QObject::connect(&timer, &QTimer::timeout, [&] { hands.act(); });
  timer.start(15);
  return QApplication::exec();
}

namespace {

class KillWindow : public testing::Test {
 protected:
  void SetUp() override {
    AudioBuffer x = test::words(0.3, 2);
    test::write_wav(folder / "voice.wav", x, 48000, SampleType::int24);
    source = hash_file(folder / "voice.wav");
    frames = x.frames();
    Reel reel;
    reel.name = "Kill";
    add_clip(reel, examine_source(folder / "voice.wav"), "Voices");
    reel.clips[0].name = "0";
    reel.clips[0].chain.steps = {test::with("gain", {})};
    save_reel(reel, file());
  }
  fs::path file() const { return folder / "work.reel"; }

  pid_t start(int round, int& ear) {
    int ends[2];
    EXPECT_EQ(::pipe(ends), 0);
    const auto self = fs::read_symlink("/proc/self/exe").string();
    const auto seed = std::to_string(round);
    std::fflush(nullptr);
    const pid_t child = ::fork();
    if (child == 0) {
      ::dup2(ends[1], STDOUT_FILENO);
      ::close(ends[0]);
      for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"})
        ::setenv(name, folder.path().c_str(), 1);
      ::execl(self.c_str(), self.c_str(), "--victim", file().c_str(), seed.c_str(), nullptr);
      ::_exit(5);
    }
    ::close(ends[1]);
    ear = ends[0];
    return child;
  }

  // What has a final name is whole.
  void check_files(const Reel& reel) {
    for (const auto& known : reel.sources)
      ASSERT_EQ(open_audio(known.path)->info().frames, frames) << known.path;
    for (const auto& where : {versions_folder(file()), folder / "out"}) {
      if (!fs::exists(where)) continue;
      for (const auto& entry : fs::directory_iterator(where)) {
        if (entry.path().extension() != ".wav" || entry.path().filename().string().starts_with("."))
          continue;
        ASSERT_EQ(open_audio(entry.path())->info().frames, frames) << entry.path();
        ++whole_files;
      }
    }
    ASSERT_EQ(hash_file(folder / "voice.wav"), source);
    for (const auto& entry : fs::directory_iterator(folder.path())) {
      if (entry.path().extension() != ".reel" || entry.path() == file()) continue;
      for (const auto& known : load_reel(entry.path()).sources)
        ASSERT_EQ(open_audio(known.path)->info().frames, frames) << entry.path() << known.path;
      ++copies;
    }
  }

  int copies = 0;
  test::TempFolder folder;
  std::uint64_t source = 0;
  Samples frames = 0;
  int whole_files = 0;
};

// DREVAN_KILLS=200 for as many rounds; some 1.5 s each.
TEST_F(KillWindow, AllButTheLastSecondComesBack) {
  const char* wanted = std::getenv("DREVAN_KILLS");
  const int kills = wanted ? std::atoi(wanted) : 8;
  std::mt19937 random(17);
  std::int64_t last = 0, newest = 0;
  int recovered = 0, versions = 0;
  for (int round = 0; round < kills; ++round) {
    int ear = -1;
    const pid_t child = start(round, ear);
    // The clock runs from its first edit: starting takes as long as the machine likes.
    Told told;
    ASSERT_EQ(::read(ear, &told, sizeof told), static_cast<ssize_t>(sizeof told))
        << "round " << round;
    newest = told.count;
    std::this_thread::sleep_for(std::chrono::milliseconds(random() % 2400));
    const auto killed_at = now_ns();
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status))
        << "ended by itself with " << WEXITSTATUS(status) << " in round " << round;
    do {
      newest = std::max(newest, told.count);
      if (told.at_ns < killed_at - 1'000'000'000) last = std::max(last, told.count);
    } while (::read(ear, &told, sizeof told) == sizeof told);
    ::close(ear);

    Reel now = load_reel(file());
    if (auto found = recover(file())) {
      now = found->reel;
      ++recovered;
    }
    ASSERT_GE(std::stoll(now.clips[0].name), last) << "round " << round;
    versions = std::max(versions, static_cast<int>(now.clips[0].versions.size()) - 1);
    check_files(now);
    if (HasFatalFailure()) return;
    last = std::stoll(now.clips[0].name);
  }
  std::printf(
      "  %d kills of the window: %d times the journal brought edits back, %d versions, %d whole "
      "files and %d whole copies under other names seen, %lld edits made\n",
      kills, recovered, versions, whole_files, copies, static_cast<long long>(newest));
  EXPECT_GT(recovered, kills / 3);
  EXPECT_GT(newest, kills * 5);
}

}  // namespace
}  // namespace drevan::desktop
