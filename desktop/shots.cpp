#include "desktop/shots.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QListView>
#include <QPainter>
#include <QTimer>
#include <algorithm>
#include <functional>
#include <memory>
#include <vector>

#include "desktop/compare/steady_board.h"
#include "desktop/compare/variant_board.h"
#include "desktop/main_window.h"
#include "desktop/shoot/camera_dialog.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

struct Step {
  std::function<void()> lead;
  std::function<bool()> settled;
  QString file;  ///< empty: no picture
};

// A row of evidence has just been chosen, and its place is pointed at.
bool flashes(const MainWindow& window) {
  const auto views = window.findChildren<PictureView*>();
  return std::ranges::any_of(views, [](const PictureView* view) { return !view->flashing().isNull(); });
}

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
    const bool settled = (!step.settled || step.settled()) && !flashes(window_);
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

// The window with the dialog that stands over it.
QPixmap withDialog(MainWindow& window, QWidget& dialog) {
  QPixmap all = window.grab();
  QPainter painter(&all);
  const QPoint at((window.width() - dialog.width()) / 2, (window.height() - dialog.height()) / 2);
  painter.drawPixmap(at, dialog.grab());
  painter.setPen(look::kDim);
  painter.drawRect(QRect(at, dialog.size()).adjusted(-1, -1, 0, 0));
  return all;
}

void addBeginning(Tour& tour, MainWindow& window, const QString& folder) {
  Session& session = window.session();
  const QString shoot = QString::fromStdString(session.shoot().path.string());
  tour.add({[&] {
              session.newShoot();
              window.go(MainWindow::Shoot);
            },
            {},
            QStringLiteral("first-empty.png")});
  tour.add({[&session, shoot] { session.open(shoot); }, [&] { return !session.probing(); }, {}});
  // The dialog waits for an answer: its picture is taken from within.
  tour.add({[&window, &session, folder] {
              QTimer::singleShot(4000, &window, [&window, folder] {
                if (QWidget* dialog = QApplication::activeModalWidget()) {
                  withDialog(window, *dialog).save(folder + QStringLiteral("/first-name.png"));
                  dialog->close();
                }
              });
              askCameraAndMode(&window, session, clipNamed(session, "VISITOR_007"));
            },
            {},
            {}});
}

void addLens(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0042"));
              window.go(MainWindow::Bench);
              window.benchPlace().chooseShot(QStringLiteral("D3 chart.mp4"));
              window.benchPlace().lens().setWay(LensState::Way::Chart);
              window.benchPlace().lens().state().findChart();
            },
            [&] { return !window.benchPlace().lens().state().busy(); },
            {}});
  tour.add({[&] { window.benchPlace().lens().showEvidence(2); }, {}, QStringLiteral("bench-lens-chart.png")});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "A1_1107"));
              window.benchPlace().chooseShot(QString::fromUtf8("A1_1107 mason’s belt.mp4"));
              window.benchPlace().lens().setWay(LensState::Way::Edges);
              window.benchPlace().lens().state().findEdges();
            },
            [&] { return !window.benchPlace().lens().state().busy(); },
            {}});
  tour.add({[&] { window.benchPlace().lens().showEvidence(0); }, {}, QStringLiteral("bench-lens-edges.png")});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0049"));
              window.benchPlace().chooseShot(QStringLiteral("D3_0049 along the shore.mp4"));
              window.benchPlace().lens().setWay(LensState::Way::Footage);
              window.benchPlace().lens().state().findFromFootage();
            },
            [&] { return !window.benchPlace().lens().state().busy(); },
            QStringLiteral("bench-lens-footage.png")});
}

void addMotion(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0042"));
              window.benchPlace().setStation(BenchPlace::Shutter);
              window.benchPlace().chooseShot(QStringLiteral("D3 pan past uprights.mp4"));
              window.benchPlace().shutter().state().measure();
            },
            [&] { return !window.benchPlace().shutter().state().busy(); },
            QStringLiteral("bench-shutter.png")});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0047"));
              window.benchPlace().setStation(BenchPlace::Stabilization);
            },
            [&] { return window.benchPlace().stabilization().settled(); },
            QStringLiteral("bench-stabilization.png")});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0050"));
              window.benchPlace().stabilization().setLook(3);
            },
            [&] { return window.benchPlace().stabilization().settled(); },
            QStringLiteral("bench-window.png")});
  tour.add({[&] { window.benchPlace().stabilization().setLook(0); }, {}, {}});
}

void addFinish(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add(
      {[&] {
         session.setCurrentClip(clipNamed(session, "D3_0042"));
         window.benchPlace().setStation(BenchPlace::Finish);
         window.benchPlace().chooseShot(QStringLiteral("D3 chart.mp4"));
         window.benchPlace().finish().state().findEdges();
       },
       [&] { return !window.benchPlace().finish().state().busy() && window.benchPlace().finish().settled(); },
       QStringLiteral("bench-finish.png")});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0045"));
              window.benchPlace().finish().setLook(FinishStation::Look::Clip);
            },
            [&] { return window.benchPlace().finish().settled(); }, QStringLiteral("bench-colour.png")});
  tour.add({[&] { window.benchPlace().finish().setLook(FinishStation::Look::Edges); }, {}, {}});
}

void addNoise(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0045"));
              window.benchPlace().setStation(BenchPlace::Noise);
              window.benchPlace().chooseShot(QStringLiteral("D3 grey steps ISO 1600.mp4"));
              window.benchPlace().noise().state().setWay(NoiseState::Way::LockedOff);
              window.benchPlace().noise().state().measure();
            },
            [&] { return !window.benchPlace().noise().state().busy(); }, QStringLiteral("bench-noise.png")});
}

void addCompare(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              window.benchPlace().setStation(BenchPlace::Lens);
              session.setCurrentClip(clipNamed(session, "A1_1201"));
              window.go(MainWindow::Compare);
            },
            [&] { return window.comparePlace().settled(); },
            {}});
  tour.add({[&] { session.setCurrentClip(clipNamed(session, "D3_0042")); },
            [&] { return window.comparePlace().settled(); },
            {}});
  tour.add({[&] {
              window.comparePlace().addPin({420, 470});
              window.comparePlace().addPin({1420, 250});
              window.comparePlace().layStraightEdge({1000, 472}, {1570, 472});
            },
            {},
            QStringLiteral("compare.png")});
}

void addTrials(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "A1_1115"));
              window.comparePlace().view().setZoom(2, {});
            },
            [&] { return window.comparePlace().settled(); },
            {}});
  tour.add({[&] {
              window.comparePlace().view().centreOn({640, 430});
            },
            [&] { return window.comparePlace().settled(); },
            {}});
  tour.add({[&] {
              window.comparePlace().setLayoutMode(3);
              window.comparePlace().board().setZoom(2);
            },
            [&] { return window.comparePlace().board().settled(); },
            {}});
  tour.add({[&] {
              window.comparePlace().board().centreOn({640, 430});
            },
            {},
            QStringLiteral("compare-variants.png")});
  tour.add({[&] {
              window.comparePlace().setLayoutMode(0);
              window.comparePlace().view().setZoom(0, {});
            },
            {},
            {}});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "D3_0051"));
              window.comparePlace().setLayoutMode(2);
              window.comparePlace().setLook(5);
              window.comparePlace().state().goTo(24);
            },
            [&] { return window.comparePlace().settled() && window.comparePlace().shown().own; },
            QStringLiteral("compare-own-motion.png")});
  tour.add({[&] {
              window.comparePlace().setLook(0);
              session.setCurrentClip(clipNamed(session, "D3_0050"));
              window.comparePlace().setLayoutMode(4);
            },
            [&] { return window.comparePlace().steadyBoard().settled(); },
            QStringLiteral("compare-strengths.png")});
}

// Moments over time, and stretches of which several are kept.
void addStretches(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
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
  tour.add({[&] {
              window.comparePlace().setOverTime(false);
              session.undoStack().undo();
            },
            {},
            {}});
}

void addRun(Tour& tour, MainWindow& window) {
  Session& session = window.session();
  tour.add({[&] {
              session.startRun();
              window.go(MainWindow::Run);
            },
            [&] {
              return std::any_of(session.runItems().begin(), session.runItems().end(),
                                 [](const RunItem& item) { return item.state == RunState::Done; });
            },
            QStringLiteral("run.png")});
  tour.add({[&] { session.stopRun(); }, [&] { return !session.running(); }, {}});
  tour.add({[&] {
              session.setCurrentClip(clipNamed(session, "A1_1110"));
              window.go(MainWindow::Shoot);
              for (auto* list : window.findChildren<QListView*>()) list->scrollToTop();
            },
            {},
            QStringLiteral("shoot.png")});
  // Film strips of what has come into view take their time.
  tour.add({[&] {
              for (auto* list : window.findChildren<QListView*>()) list->scrollToBottom();
            },
            {},
            {}});
  for (int i = 0; i < 5; ++i) tour.add({});
  // One thing changed: only what it concerns is to be made again.
  tour.add({[&] {
              session.edit(QStringLiteral("noise"), [&](Shoot& shoot) {
                ShootClip& clip = shoot.clips[static_cast<size_t>(clipNamed(session, "D3_0041"))];
                clip.denoise.emplace().luma = 0.7;
              });
            },
            [&] {
              const ClipStatus* status = session.standings().of(clipNamed(session, "D3_0041"));
              return status != nullptr && status->kind == ClipStatus::Kind::OutOfDate;
            },
            QStringLiteral("first-again.png")});
  tour.add({[&] { session.undoStack().undo(); }, {}, {}});
}

}  // namespace

void takeShots(MainWindow& window, const QString& folder) {
  QDir().mkpath(folder);
  auto* tour = new Tour(window, folder);
  addBeginning(*tour, window, folder);
  addLens(*tour, window);
  addMotion(*tour, window);
  addFinish(*tour, window);
  addNoise(*tour, window);
  addCompare(*tour, window);
  addTrials(*tour, window);
  addStretches(*tour, window);
  addRun(*tour, window);
  tour->start();
}

}  // namespace glenhaze::desktop
