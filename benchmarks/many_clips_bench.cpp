// A shoot of very many clips in the window: how long it takes to open, to look at all files, and to plan anew
// after one change, and the longest time in which the window does not answer. Run it offscreen on a quiet
// machine: QT_QPA_PLATFORM=offscreen build/bin/many_clips_bench SHOOT [edits]
#include <QApplication>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListView>
#include <QScrollBar>
#include <QTest>
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <functional>

#include "core/media/quiet.h"
#include "desktop/main_window.h"
#include "desktop/widgets/look.h"

namespace {

using namespace glenhaze::desktop;

// The longest time in which the window does not answer while something is done and what follows from it.
void stall(const char* what, const std::function<void()>& act, int settle_ms = 1500) {
  qint64 longest = 0;
  QElapsedTimer clock, turn;
  clock.start();
  turn.start();
  act();
  longest = turn.elapsed();
  while (clock.elapsed() < settle_ms) {
    turn.restart();
    QCoreApplication::processEvents(QEventLoop::AllEvents, 1);
    longest = std::max(longest, turn.elapsed());
  }
  std::printf("%-34s longest without an answer %4lld ms\n", what, static_cast<long long>(longest));
}

// What somebody does with the pictures of a clip, all parts of it on.
void pictures(MainWindow& window) {
  ComparePlace& compare = window.comparePlace();
  constexpr int kWhole_ms = 6000;  // until a picture of 4K has been made
  stall(
      "cleaned and steadied as it is",
      [&] {
        window.session().edit(QStringLiteral("x"), [](glenhaze::Shoot& s) {
          for (auto& clip : s.clips) clip.by_itself = true;
        });
      },
      2 * kWhole_ms);
  stall(
      "to another frame", [&] { compare.state().goTo(20); }, kWhole_ms);
  stall("to the frames after it", [&] {
    for (int i = 21; i < 26; ++i) compare.state().goTo(i);
  });
  stall(
      "to pixel for pixel", [&] { compare.view().setZoom(1, {}); }, kWhole_ms);
  stall("across the picture", [&] {
    for (int i = 0; i < 20; ++i) compare.view().centreOn({400.0 + 40 * i, 300});
  });
  stall("to fit", [&] { compare.view().setZoom(0, {}); });
  for (int look = 1; look < 6; ++look) stall("another look at it", [&] { compare.setLook(look); });
  stall("exposure lifted by two stops", [&] { compare.setLift(2); });
  stall(
      "to another frame, lifted", [&] { compare.state().goTo(22); }, kWhole_ms);
  compare.setLift(0);
  stall("back to the picture", [&] { compare.setLook(0); });
  stall(
      "four strengths beside one another", [&] { compare.setLayoutMode(3); }, kWhole_ms);
  stall(
      "steadied in four ways", [&] { compare.setLayoutMode(4); }, 2 * kWhole_ms);
  stall("back to a line between both", [&] { compare.setLayoutMode(0); });
  stall(
      "over time", [&] { compare.setOverTime(true); }, kWhole_ms);
  stall("over time no more", [&] { compare.setOverTime(false); });
}

// What somebody does in such a shoot.
void session(MainWindow& window) {
  ShootPlace& shoot = window.shootPlace();
  QListView* ledger = shoot.ledger();
  auto* find = shoot.findChild<QLineEdit*>();
  auto* bar = ledger->verticalScrollBar();
  const auto count = static_cast<int>(window.session().plans().size());
  stall("scroll to the end", [&] { bar->setValue(bar->maximum()); });
  for (int i = 0; i < 3; ++i)
    stall("scroll to another place", [&] { bar->setValue(bar->maximum() / 4 * i); });
  stall("find clips, a letter", [&] { find->setText(QStringLiteral("7")); });
  stall("find clips, four letters", [&] { find->setText(QStringLiteral("7777")); });
  stall("find nothing any more", [&] { find->clear(); });
  stall("choose all", [&] { ledger->selectAll(); });
  stall("choose one", [&] { window.session().setCurrentClip(count / 2); });
  stall("one setting changed", [&] {
    window.session().edit(QStringLiteral("x"), [](glenhaze::Shoot& s) { s.clips[0].fill = 0.3; });
  });
  stall("undone", [&] { window.session().undoStack().undo(); });
  stall("to Compare", [&] { window.go(MainWindow::Compare); });
  stall("another clip in Compare", [&] { window.session().setCurrentClip(1); });
  pictures(window);
  stall("to Bench", [&] { window.go(MainWindow::Bench); });
  for (int s = 0; s < BenchPlace::kStations; ++s)
    stall("another station", [&] { window.benchPlace().setStation(static_cast<BenchPlace::Station>(s)); });
  window.benchPlace().setStation(BenchPlace::Finish);
  for (const auto look : {FinishStation::Look::Clip, FinishStation::Look::Edges})
    stall(
        "another look of the finish", [&] { window.benchPlace().finish().setLook(look); }, 4000);
  stall("to Run", [&] { window.go(MainWindow::Run); });
  stall(
      "a run", [&] { window.session().startRun(); }, 8000);
  stall(
      "stopped", [&] { window.session().stopRun(); }, 4000);
  stall("back to Shoot", [&] { window.go(MainWindow::Shoot); });
}

}  // namespace

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
  const int edits = argc > 2 ? std::atoi(argv[2]) : 5;
  for (int i = 0; i < edits; ++i) {
    clock.restart();
    window.session().edit(QStringLiteral("one change"),
                          [&](glenhaze::Shoot& s) { s.clips[0].fill = 0.1 * (i % 10); });
    QCoreApplication::processEvents();
    std::printf("planned anew after one change: %lld ms\n", static_cast<long long>(clock.elapsed()));
  }
  session(window);
  window.session().undoStack().setClean();
  return 0;
}
