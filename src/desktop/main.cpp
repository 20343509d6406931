// SPDX-License-Identifier: GPL-3.0-or-later
// drevan: the desktop application.
#include <QFileInfo>
#include <QSettings>
#include <QTimer>
#include <csignal>
#include <optional>
#include <sstream>

#include "application.h"
#include "audio/utf8.h"
#include "audio/version.h"
#include "cli/application_line.h"
#include "main_window.h"
#include "one_instance.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"

namespace {

volatile std::sig_atomic_t ended_by_system = 0;

// Of Qt's own options, such as -platform, Qt takes what it knows before.
std::optional<int> parse(CLI::App& line, const QStringList& arguments) {
  std::vector<std::string> words;
  for (const QString& word : arguments) words.insert(words.begin(), word.toStdString());
  try {
    line.parse(words);
  } catch (const CLI::ParseError& e) {
    std::ostringstream out, wrong;
    const int code = line.exit(e, out, wrong);
    std::fputs(out.str().c_str(), stdout);
    std::fputs(drevan::printable(wrong.str(), true).c_str(), stderr);
    return code == 0 ? 0 : 2;
  }
  return std::nullopt;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace drevan;
  cli::ApplicationCall call;
  const auto line = cli::application_line(call);
  // These need no screen, and must not fail where there is none.
  for (int i = 1; i < argc; ++i)
    for (const char* asked : {"--help", "-h", "--version"})
      if (std::string_view(argv[i]) == asked) return *parse(*line, {asked});
  desktop::Application app(argc, argv);
  if (const auto code = parse(*line, app.arguments().mid(1))) return *code;
  app.setApplicationName("drevan");
  app.setOrganizationName("drevan");
  app.setApplicationDisplayName("Drevan");
  app.setApplicationVersion(version);
  QStringList files;
  for (const auto& file : call.files)
    files << QFileInfo(QString::fromStdString(file)).absoluteFilePath();
  if (!call.apart && desktop::hand_over(files)) return 0;
  desktop::apply_theme(app, QSettings().value("theme", "timber").toString());
  desktop::MainWindow window;
  app.failed = [&](const Problem& why) { window.work().notices.warn(why); };
  std::optional<desktop::OneInstance> instance;
  if (!call.apart)
    instance.emplace([&](const QStringList& later) {
      if (!later.isEmpty()) window.open_files(later);
      window.setWindowState(window.windowState() & ~Qt::WindowMinimized);
      window.raise();
      window.activateWindow();
    });
  window.show();
  if (!files.isEmpty())
    window.open_files(files);
  else
    window.work().document.bring_back_unsaved();
  // The session ends: all edits are on the disk already; what lies in temporary folders goes.
  std::signal(SIGTERM, [](int) { ended_by_system = 1; });
  QTimer watch;
  QObject::connect(&watch, &QTimer::timeout, &app, [] {
    if (ended_by_system) QApplication::quit();
  });
  watch.start(200);
  return app.exec();
}
