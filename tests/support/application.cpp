// A program of tests with an application around it.

#include <gtest/gtest.h>

#include <QApplication>
#include <QStandardPaths>
#include <QTemporaryDir>

#include "core/media/quiet.h"
#include "desktop/widgets/look.h"

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  // Settings and library of the person who runs the tests stay untouched.
  QStandardPaths::setTestModeEnabled(true);
  const QTemporaryDir home;
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication application(argc, argv);
  glenhaze::quietLibraries();
  glenhaze::desktop::dressApplication(application);
  return RUN_ALL_TESTS();
}
