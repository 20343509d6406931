// The desktop tests share one application, as Qt wants it.
#include <gtest/gtest.h>

#include <QApplication>
#include <QTemporaryDir>

#include "theme/theme.h"

int main(int argc, char** argv) {
  // Settings and caches of the tests stay out of the user's; sound goes to the simulated device.
  const QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_CACHE_HOME", home.path().toUtf8());
  qputenv("DREVAN_AUDIO", "simulated");
  // Listing the tests, as the build does, needs no screen.
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY") &&
      qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY"))
    qputenv("QT_QPA_PLATFORM", "offscreen");
  testing::InitGoogleTest(&argc, argv);
  QApplication app(argc, argv);
  app.setApplicationName("drevan-tests");
  app.setOrganizationName("drevan-tests");
  drevan::desktop::apply_theme(app, "timber");
  return RUN_ALL_TESTS();
}
