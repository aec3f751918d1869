// A program of tests with an application around it.

#include <gtest/gtest.h>

#include <QApplication>
#include <QSettings>
#include <QTemporaryDir>
#include <iostream>

#include "core/media/quiet.h"
#include "desktop/widgets/look.h"

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  // Settings and library of the person who runs the tests stay untouched, and those of tests that run at the
  // same time: Qt's own test mode has one folder for all.
  const QTemporaryDir home;
  for (const char* kind : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(kind, home.path().toUtf8());
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication application(argc, argv);
  glenhaze::quietLibraries();
  glenhaze::desktop::dressApplication(application);
  if (!QSettings().fileName().startsWith(home.path())) {
    std::cerr << "Settings would be read from " << QSettings().fileName().toStdString() << '\n';
    return 1;
  }
  return RUN_ALL_TESTS();
}
