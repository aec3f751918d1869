// What a second start is given opens in the first.
#include "desktop/one_instance.h"

#include <gtest/gtest.h>

#include <QCoreApplication>
#include <QDir>
#include <thread>

#include "tests/desktop/wait.h"

namespace glenhaze::desktop {
namespace {

TEST(OneInstance, ASecondStartHandsItsFilesOver) {
  const QString name = QStringLiteral("glenhaze-test-%1").arg(QCoreApplication::applicationPid());
  OneInstance first(name);
  EXPECT_FALSE(OneInstance(name).handOver({QStringLiteral("a.mp4")})) << "nobody is there yet";
  first.listen();
  QStringList got;
  bool asked = false;
  QObject::connect(&first, &OneInstance::asked, [&](const QStringList& paths) {
    got = paths;
    asked = true;
  });
  // The second one waits for an answer, as it would in a process of its own.
  bool taken = false;
  std::thread second([&] {
    taken = OneInstance(name).handOver({QStringLiteral("a.mp4"), QStringLiteral("/b c.mp4")});
  });
  ASSERT_TRUE(eventually([&] { return asked; }));
  second.join();
  EXPECT_TRUE(taken);
  EXPECT_EQ(got, (QStringList{QDir::current().absoluteFilePath(QStringLiteral("a.mp4")),
                              QStringLiteral("/b c.mp4")}));
}

TEST(OneInstance, WhatAKilledOneLeftIsNoHindrance) {
  const QString name = QStringLiteral("glenhaze-left-%1").arg(QCoreApplication::applicationPid());
  {
    OneInstance first(name);
    first.listen();
  }
  OneInstance next(name);
  next.listen();
  bool asked = false;
  QObject::connect(&next, &OneInstance::asked, [&] { asked = true; });
  bool taken = false;
  std::thread other([&] { taken = OneInstance(name).handOver({}); });
  ASSERT_TRUE(eventually([&] { return asked; }));
  other.join();
  EXPECT_TRUE(taken);
}

}  // namespace
}  // namespace glenhaze::desktop
