// drevan: the desktop application.
#include <QApplication>
#include <QSettings>
#include <QTimer>
#include <csignal>

#include "main_window.h"
#include "work/document.h"
#include "theme/theme.h"

namespace {
volatile std::sig_atomic_t ended_by_system = 0;
}

int main(int argc, char** argv) {
  QApplication app(argc, argv);
  app.setApplicationName("drevan");
  app.setOrganizationName("drevan");
  app.setApplicationDisplayName("Drevan");
  app.setApplicationVersion("0.1.0");
  drevan::desktop::apply_theme(app, QSettings().value("theme", "timber").toString());
  drevan::desktop::MainWindow window;
  window.show();
  const auto arguments = app.arguments().mid(1);
  if (!arguments.isEmpty())
    window.open_files(arguments);
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
