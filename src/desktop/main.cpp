// drevan: the desktop application.
#include <QApplication>
#include <QSettings>

#include "main_window.h"
#include "work/document.h"
#include "theme/theme.h"

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
  return app.exec();
}
