// What the user waits for: the demo opening, pictures while scrubbing in Compare, and a loop. Prints
// milliseconds; run it offscreen on a quiet machine: QT_QPA_PLATFORM=offscreen build/bin/window_bench demo
//   window_bench SHOOT-OR-FOLDER [clip [loop]]    of this clip alone; scrubbing, or a loop
#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QTest>
#include <algorithm>
#include <cstdio>
#include <vector>

#include "core/frame/picture_memory.h"
#include "core/media/quiet.h"
#include "desktop/main_window.h"
#include "desktop/widgets/look.h"

namespace {

using namespace glenhaze::desktop;

void report(const char* what, std::vector<qint64> ms) {
  std::sort(ms.begin(), ms.end());
  std::printf("%-28s median %4lld ms, slowest %4lld ms, %zu times\n", what,
              static_cast<long long>(ms[ms.size() / 2]), static_cast<long long>(ms.back()), ms.size());
}

// False where there is no such clip, or nothing of it is shown.
bool showClip(MainWindow& window, const std::string& name) {
  Session& session = window.session();
  for (size_t i = 0; i < session.plans().size(); ++i)
    if (session.plans()[i].info.path.string().find(name) != std::string::npos) {
      session.setCurrentClip(static_cast<int>(i));
      return QTest::qWaitFor([&] { return window.comparePlace().settled(); }, 60000);
    }
  return false;
}

// The loop about the frame that is shown, made while nothing else is asked for.
void loop(MainWindow& window, const std::string& name) {
  if (!showClip(window, name)) return;
  const ComparePlace& compare = window.comparePlace();
  const int64_t all = window.comparePlace().state().loop().count();
  if (!QTest::qWaitFor([&] { return compare.loopReady() > 2; }, 60000)) return;
  const int64_t there = compare.loopReady();
  QElapsedTimer clock;
  clock.start();
  if (!QTest::qWaitFor([&] { return compare.loopReady() >= all; }, 300000)) return;
  std::printf("%-28s %.1f frames/s, of %lld\n", "a loop is made ready at",
              static_cast<double>(all - there) * 1000 / static_cast<double>(clock.elapsed()),
              static_cast<long long>(all));
}

// Each until it is there, and what it took since the frame was asked for.
void scrub(MainWindow& window, const char* name, const char* what, int step) {
  if (!showClip(window, name)) return;
  Session& session = window.session();
  ComparePlace& compare = window.comparePlace();
  std::vector<qint64> answers, drafts, finals;
  const int64_t frames = session.plans()[static_cast<size_t>(session.currentClip())].info.frames;
  // What was shown once is kept: far ones are of the first third, steps on of the second, steps back of the
  // last. No frame comes twice where the step and a third of the frames have no common factor.
  const int64_t third = frames / 3;
  for (int64_t n = 0; n < std::min<int64_t>(40, third); ++n) {
    const int64_t at = step == 1 ? third + n : step == -1 ? frames - 1 - n : (n + 1) * step % third;
    QElapsedTimer clock;
    clock.start();
    compare.state().goTo(at);
    const auto until = [&](auto there, std::vector<qint64>& times) {
      constexpr qint64 kPatience_ms = 30000;
      while (!there() && clock.elapsed() < kPatience_ms)
        QCoreApplication::processEvents(QEventLoop::AllEvents, 2);
      window.grab();  // the time to paint counts
      times.push_back(clock.elapsed());
    };
    until([&] { return compare.answered(); }, answers);
    until([&] { return compare.settled() || compare.drafted(); }, drafts);
    until([&] { return compare.settled(); }, finals);
  }
  report(what, answers);
  report("  the frame itself", drafts);
  report("  the final picture", finals);
}

}  // namespace

int main(int argc, char** argv) {
  glenhaze::leaveNoHoles();
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("glenhaze-bench"));
  glenhaze::quietLibraries();
  QElapsedTimer clock;
  clock.start();
  dressApplication(application);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.openPath(QString::fromLocal8Bit(argc > 1 ? argv[1] : "demo"));
  window.grab();
  std::printf("%-28s %lld ms\n", "window shown", static_cast<long long>(clock.elapsed()));
  if (!QTest::qWaitFor([&] { return !window.session().probing(); }, 60000)) return 1;
  window.grab();
  std::printf("%-28s %lld ms\n", "all clips known", static_cast<long long>(clock.elapsed()));
  QTest::qWait(4000);  // film strips are made meanwhile
  window.go(MainWindow::Compare);
  if (argc > 2) {
    // One or the other: a loop keeps every frame, and scrubbing would find them all.
    if (argc > 3) {
      loop(window, argv[2]);
      return 0;
    }
    scrub(window, argv[2], "scrubbing, far", 17);
    scrub(window, argv[2], "scrubbing, next", 1);
    scrub(window, argv[2], "scrubbing, back", -1);
    return 0;
  }
  scrub(window, "D3_0042", "scrubbing 1080p, far", 17);
  scrub(window, "D3_0042", "scrubbing 1080p, next", 1);
  scrub(window, "D3_0042", "scrubbing 1080p, back", -1);
  scrub(window, "A1_1107", "scrubbing another, far", 23);
  return 0;
}
