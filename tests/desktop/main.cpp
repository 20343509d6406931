// SPDX-License-Identifier: GPL-3.0-or-later
// The desktop tests share one application, as Qt wants it.
#include <gtest/gtest.h>

#include <QTemporaryDir>

#include "application.h"
#include "desktop/victim.h"
#include "theme/theme.h"

int main(int argc, char** argv) {
  // Settings and caches of the tests stay out of the user's; sound goes to the simulated device.
  const QTemporaryDir home;
  // One that is to be killed has its home of whom kills it.
  if (argc < 2 || std::string_view(argv[1]) != "--victim")
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"})
      qputenv(name, home.path().toUtf8());
  qputenv("DREVAN_AUDIO", "simulated");
  // Listing the tests, as the build does, needs no screen.
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY") &&
      qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY"))
    qputenv("QT_QPA_PLATFORM", "offscreen");
  testing::InitGoogleTest(&argc, argv);
  drevan::desktop::Application app(argc, argv);
  app.setApplicationName("drevan-tests");
  app.setOrganizationName("drevan-tests");
  drevan::desktop::apply_theme(app, "timber");
  if (argc == 4 && std::string_view(argv[1]) == "--victim")
    return drevan::desktop::work_until_killed(argv[2], static_cast<unsigned>(std::atoi(argv[3])));
  return RUN_ALL_TESTS();
}
