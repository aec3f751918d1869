// A program of tests with an application around it.

#include <gtest/gtest.h>

#include <QApplication>
#include <QStandardPaths>

#include "core/media/quiet.h"
#include "desktop/widgets/look.h"

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  // Settings and library of the person who runs the tests stay untouched.
  QStandardPaths::setTestModeEnabled(true);
  qputenv("XDG_DATA_HOME", "/tmp/glenhaze-interface-tests");
  qputenv("XDG_CONFIG_HOME", "/tmp/glenhaze-interface-tests");
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication application(argc, argv);
  glenhaze::quietLibraries();
  glenhaze::desktop::dressApplication(application);
  return RUN_ALL_TESTS();
}
