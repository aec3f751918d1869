// A shoot of very many clips in the window: how long it takes to open, to look at all files, and to plan anew
// after one change, and the longest time in which the window does not answer. Run it offscreen on a quiet
// machine: QT_QPA_PLATFORM=offscreen build/bin/many_clips_bench SHOOT
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <algorithm>
#include <cstdio>

#include "core/media/quiet.h"
#include "desktop/main_window.h"
#include "desktop/widgets/look.h"

int main(int argc, char** argv) {
  using namespace glenhaze::desktop;
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("glenhaze-bench"));
  if (argc < 2) return 2;
  glenhaze::quietLibraries();
  dressApplication(application);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  QElapsedTimer clock;
  clock.start();
  window.openPath(QString::fromLocal8Bit(argv[1]));
  std::printf("%zu clips, shown after %lld ms\n", window.session().plans().size(),
              static_cast<long long>(clock.elapsed()));
  qint64 longest = 0;
  constexpr qint64 kPatience_ms = 300'000;
  while (window.session().probing() && clock.elapsed() < kPatience_ms) {
    QElapsedTimer turn;
    turn.start();
    QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
    longest = std::max(longest, turn.elapsed());
  }
  std::printf("all looked at after %lld ms, longest without an answer %lld ms\n",
              static_cast<long long>(clock.elapsed()), static_cast<long long>(longest));
  for (int i = 0; i < 5; ++i) {
    clock.restart();
    window.session().edit(QStringLiteral("one change"),
                          [&](glenhaze::Shoot& s) { s.clips[0].fill = 0.1 * i; });
    QCoreApplication::processEvents();
    std::printf("planned anew after one change: %lld ms\n", static_cast<long long>(clock.elapsed()));
  }
  window.session().undoStack().setClean();
  return 0;
}
