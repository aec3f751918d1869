#include "desktop/shots.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QListView>
#include <QTimer>
#include <algorithm>
#include <functional>
#include <memory>
#include <vector>

#include "desktop/compare/steady_board.h"
#include "desktop/compare/variant_board.h"
#include "desktop/main_window.h"

namespace glenhaze::desktop {

namespace {

struct Step {
  std::function<void()> lead;
  std::function<bool()> settled;
  QString file;  ///< empty: no picture
};

// Runs the steps one after the other from timers, so that the window lives normally meanwhile.
class Tour : public QObject {
 public:
  Tour(MainWindow& window, const QString& folder) : QObject(&window), window_(window), folder_(folder) {
    connect(&timer_, &QTimer::timeout, this, [this] { tick(); });
  }
  void add(Step step) { steps_.push_back(std::move(step)); }
  void start() { timer_.start(60); }

 private:
  void tick() {
    if (at_ >= steps_.size()) {
      timer_.stop();
      QApplication::exit(failed_ ? 1 : 0);
      return;
    }
    Step& step = steps_[at_];
    if (!led_) {
      if (step.lead) step.lead();
      led_ = true;
      clock_.start();
      return;
    }
    const bool settled = !step.settled || step.settled();
    if ((!settled || clock_.elapsed() < 500) && clock_.elapsed() < 120000) return;
    if (!settled) {
      qWarning("%s did not settle", qPrintable(step.file));
      failed_ = true;
    }
    if (!step.file.isEmpty() && !window_.grab().save(folder_ + QLatin1Char('/') + step.file)) failed_ = true;
    led_ = false;
    ++at_;
  }
  MainWindow& window_;
  QString folder_;
  QTimer timer_;
  QElapsedTimer clock_;
  std::vector<Step> steps_;
  size_t at_ = 0;
  bool led_ = false, failed_ = false;
};

int clipNamed(const Session& session, const std::string& part) {
  for (size_t i = 0; i < session.plans().size(); ++i)
    if (session.plans()[i].info.path.string().find(part) != std::string::npos) return static_cast<int>(i);
  return 0;
}

}  // namespace

void takeShots(MainWindow& window, const QString& folder) {
  QDir().mkpath(folder);
  auto* tour = new Tour(window, folder);
  Session& session = window.session();
  tour->add({[&] { window.go(MainWindow::Shoot); }, [&] { return !session.probing(); }, {}});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0042"));
               window.go(MainWindow::Bench);
               window.benchPlace().chooseShot(QStringLiteral("D3 chart.mp4"));
               window.benchPlace().lens().setWay(LensState::Way::Chart);
               window.benchPlace().lens().state().findChart();
             },
             [&] { return !window.benchPlace().lens().state().busy(); },
             {}});
  tour->add(
      {[&] { window.benchPlace().lens().showEvidence(2); }, {}, QStringLiteral("bench-lens-chart.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "A1_1107"));
               window.benchPlace().chooseShot(QString::fromUtf8("A1_1107 mason’s belt.mp4"));
               window.benchPlace().lens().setWay(LensState::Way::Edges);
               window.benchPlace().lens().state().findEdges();
             },
             [&] { return !window.benchPlace().lens().state().busy(); },
             {}});
  tour->add(
      {[&] { window.benchPlace().lens().showEvidence(0); }, {}, QStringLiteral("bench-lens-edges.png")});
  tour->add({[&] { window.benchPlace().lens().setStraightView(true); },
             {},
             QStringLiteral("bench-lens-straight.png")});
  tour->add({[&] {
               window.benchPlace().lens().setStraightView(false);
               session.setCurrentClip(clipNamed(session, "D3_0049"));
               window.benchPlace().chooseShot(QStringLiteral("D3_0049 along the shore.mp4"));
               window.benchPlace().lens().setWay(LensState::Way::Footage);
               window.benchPlace().lens().state().findFromFootage();
             },
             [&] { return !window.benchPlace().lens().state().busy(); },
             QStringLiteral("bench-lens-footage.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0042"));
               window.benchPlace().setStation(BenchPlace::Shutter);
               window.benchPlace().chooseShot(QStringLiteral("D3 pan past uprights.mp4"));
               window.benchPlace().shutter().state().measure();
             },
             [&] { return !window.benchPlace().shutter().state().busy(); },
             QStringLiteral("bench-shutter.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0047"));
               window.benchPlace().setStation(BenchPlace::Stabilization);
             },
             [&] { return window.benchPlace().stabilization().settled(); },
             QStringLiteral("bench-stabilization.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0050"));
               window.benchPlace().stabilization().setLook(3);
             },
             [&] { return window.benchPlace().stabilization().settled(); },
             QStringLiteral("bench-window.png")});
  tour->add({[&] { window.benchPlace().stabilization().setLook(0); }, {}, {}});
  tour->add(
      {[&] {
         session.setCurrentClip(clipNamed(session, "D3_0042"));
         window.benchPlace().setStation(BenchPlace::Finish);
         window.benchPlace().chooseShot(QStringLiteral("D3 chart.mp4"));
         window.benchPlace().finish().state().findEdges();
       },
       [&] { return !window.benchPlace().finish().state().busy() && window.benchPlace().finish().settled(); },
       QStringLiteral("bench-finish.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0045"));
               window.benchPlace().finish().setLook(FinishStation::Look::Clip);
             },
             [&] { return window.benchPlace().finish().settled(); }, QStringLiteral("bench-colour.png")});
  tour->add({[&] { window.benchPlace().finish().setLook(FinishStation::Look::Edges); }, {}, {}});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0045"));
               window.benchPlace().setStation(BenchPlace::Noise);
               window.benchPlace().chooseShot(QStringLiteral("D3 grey steps ISO 1600.mp4"));
               window.benchPlace().noise().state().setWay(NoiseState::Way::LockedOff);
               window.benchPlace().noise().state().measure();
             },
             [&] { return !window.benchPlace().noise().state().busy(); }, QStringLiteral("bench-noise.png")});
  tour->add({[&] {
               window.benchPlace().noise().state().setWay(NoiseState::Way::Patches);
               window.benchPlace().noise().setLook(1);
               window.benchPlace().noise().state().measure();
             },
             [&] { return !window.benchPlace().noise().state().busy(); },
             QStringLiteral("bench-noise-patches.png")});
  tour->add({[&] {
               window.benchPlace().noise().setLook(0);
               window.benchPlace().setStation(BenchPlace::Lens);
               session.setCurrentClip(clipNamed(session, "A1_1201"));
               window.go(MainWindow::Compare);
             },
             [&] { return window.comparePlace().settled(); },
             {}});
  tour->add({[&] { session.setCurrentClip(clipNamed(session, "D3_0042")); },
             [&] { return window.comparePlace().settled(); },
             {}});
  tour->add({[&] {
               window.comparePlace().addPin({420, 470});
               window.comparePlace().addPin({1420, 250});
               window.comparePlace().layStraightEdge({1000, 472}, {1570, 472});
             },
             {},
             QStringLiteral("compare.png")});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0045"));
               window.comparePlace().view().setZoom(2, {});
             },
             [&] { return window.comparePlace().settled(); },
             {}});
  tour->add({[&] {
               window.comparePlace().view().centreOn({900, 620});
             },
             [&] { return window.comparePlace().settled(); }, QStringLiteral("compare-noise.png")});
  tour->add({[&] { window.comparePlace().setLook(4); }, {}, QStringLiteral("compare-removed.png")});
  tour->add({[&] {
               window.comparePlace().setLook(0);
               session.setCurrentClip(clipNamed(session, "A1_1115"));
             },
             [&] { return window.comparePlace().settled(); },
             {}});
  tour->add({[&] {
               window.comparePlace().view().centreOn({640, 430});
             },
             [&] { return window.comparePlace().settled(); },
             {}});
  tour->add({[&] {
               window.comparePlace().setLayoutMode(3);
               window.comparePlace().board().setZoom(2);
             },
             [&] { return window.comparePlace().board().settled(); },
             {}});
  tour->add({[&] {
               window.comparePlace().board().centreOn({640, 430});
             },
             {},
             QStringLiteral("compare-variants.png")});
  tour->add({[&] {
               window.comparePlace().setLayoutMode(0);
               window.comparePlace().view().setZoom(0, {});
             },
             {},
             {}});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "D3_0051"));
               window.comparePlace().setLayoutMode(2);
               window.comparePlace().setLook(5);
               window.comparePlace().state().goTo(24);
             },
             [&] { return window.comparePlace().settled() && window.comparePlace().shown().own; },
             QStringLiteral("compare-own-motion.png")});
  tour->add({[&] {
               window.comparePlace().setLook(0);
               session.setCurrentClip(clipNamed(session, "D3_0050"));
               window.comparePlace().setLayoutMode(4);
             },
             [&] { return window.comparePlace().steadyBoard().settled(); },
             QStringLiteral("compare-strengths.png")});
  tour->add({[&] {
               window.comparePlace().setLayoutMode(0);
               session.edit(QStringLiteral("stretches"), [&](Shoot& shoot) {
                 shoot.clips[static_cast<size_t>(session.currentClip())].stretches = {{{12, 66}, ""},
                                                                                      {{96, 150}, ""}};
               });
               window.comparePlace().setOverTime(true);
               window.comparePlace().state().goTo(120);
             },
             [&] { return window.comparePlace().settled() && window.comparePlace().moments().timeline(); },
             QStringLiteral("compare-over-time.png")});
  tour->add({[&] {
               window.comparePlace().setOverTime(false);
               session.undoStack().undo();
             },
             {},
             {}});
  tour->add({[&] {
               session.startRun();
               window.go(MainWindow::Run);
             },
             [&] {
               return std::any_of(session.runItems().begin(), session.runItems().end(),
                                  [](const RunItem& item) { return item.state == RunState::Done; });
             },
             QStringLiteral("run.png")});
  tour->add({[&] { session.stopRun(); }, [&] { return !session.running(); }, {}});
  tour->add({[&] {
               session.setCurrentClip(clipNamed(session, "A1_1110"));
               window.go(MainWindow::Shoot);
               for (auto* list : window.findChildren<QListView*>()) list->scrollToTop();
             },
             {},
             QStringLiteral("shoot.png")});
  tour->start();
}

}  // namespace glenhaze::desktop
