#include "desktop/main_window.h"

#include <QCheckBox>
#include <QCloseEvent>
#include <QDialog>
#include <QDialogButtonBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QScreen>
#include <QSettings>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/version.h"
#include "core/profile/bundle.h"
#include "core/profile/library.h"
#include "desktop/computer_form.h"
#include "desktop/guide_window.h"
#include "desktop/keys_sheet.h"
#include "desktop/library_dialog.h"
#include "desktop/output_form.h"
#include "desktop/shoot/pick_dialog.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/spine.h"

namespace glenhaze::desktop {

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      device_(keptDevice()),
      decoding_(keptDecoder()),
      attendant_(session_, sessionBus(), [this] { return isActiveWindow(); }) {
  setAcceptDrops(true);
  setMinimumSize(1000, 600);
  auto* middle = new QWidget;
  auto* row = new QHBoxLayout(middle);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  spine_ = new Spine;
  row->addWidget(spine_);
  places_ = new QStackedWidget;
  shoot_ = new ShootPlace(session_);
  bench_ = new BenchPlace(session_);
  compare_ = new ComparePlace(session_);
  run_ = new RunPlace(session_);
  for (QWidget* place : std::initializer_list<QWidget*>{shoot_, bench_, compare_, run_})
    places_->addWidget(place);
  row->addWidget(places_, 1);
  setCentralWidget(middle);
  connectPlaces();
  buildMenus();
  connect(bench_, &BenchPlace::stationChanged, this, &MainWindow::followSteps);
  followSteps();
  const QSettings settings;
  takePictureBudget();
  session_.setOutputDefaults(
      outputFromText(settings.value(QStringLiteral("output")).toString().toStdString()));
  takeRoom(settings.value(QStringLiteral("window/geometry")).toByteArray());
  refresh();
}

void MainWindow::connectPlaces() {
  connect(spine_, &Spine::chosen, this, [this](int place) { go(static_cast<Place>(place)); });
  connect(shoot_, &ShootPlace::bringInWanted, this, [this] { bringIn(true); });
  connect(shoot_, &ShootPlace::outputWanted, this, &MainWindow::outputSettings);
  connect(shoot_, &ShootPlace::guideWanted, this, &MainWindow::showGuide);
  connect(shoot_, &ShootPlace::demonstrationWanted, this, &MainWindow::openDemonstration);
  connect(shoot_, &ShootPlace::benchWanted, this, [this](int clip, BenchPart part) {
    session_.setCurrentClip(clip);
    bench_->setStation(static_cast<BenchPlace::Station>(part));
    go(Bench);
  });
  connect(shoot_, &ShootPlace::compareWanted, this, [this](int clip) {
    session_.setCurrentClip(clip);
    go(Compare);
  });
  const auto start = [this] {
    session_.startRun();
    go(Run);
  };
  connect(shoot_, &ShootPlace::runWanted, this, start);
  connect(run_, &RunPlace::runWanted, this, start);
  connect(&session_, &Session::changed, this, &MainWindow::refresh);
  connect(&session_, &Session::runChanged, this, &MainWindow::refresh);
  connect(&session_.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::refresh);
  connect(&session_, &Session::failed, this, [this](const QString& what) {
    auto* box = new QMessageBox(QMessageBox::Warning, tr("Glenhaze"), what, QMessageBox::Ok, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->open();
  });
}

void MainWindow::takeRoom(const QByteArray& last) {
  if (!restoreGeometry(last)) resize(1280, 800);
  // With the window's own frame and the panels of the desktop it has to fit what is left.
  constexpr QSize kFrame(8, 40);
  if (const QScreen* on = screen(); on != nullptr) {
    const QRect room = on->availableGeometry();
    resize(size().boundedTo(room.size() - kFrame));
    if (!room.contains(geometry())) move(room.topLeft() + QPoint(kFrame.width() / 2, kFrame.height() - 8));
  }
}

template <class Deed>
QAction* MainWindow::addDeed(QMenu& menu, const QString& text, const QKeySequence& key, Deed deed) {
  QAction* action = menu.addAction(text, this, deed);
  action->setShortcut(key);
  return action;
}

void MainWindow::buildMenus() {
  buildShootMenu();
  auto* edit = menuBar()->addMenu(tr("&Edit"));
  edit->addAction(undo_.undoAction());
  edit->addAction(undo_.redoAction());
  edit->addSeparator();
  addDeed(*edit, tr("&Preferences…"), QKeySequence::Preferences, [this] { preferences(); });
  buildProfileMenu();
  auto* go_menu = menuBar()->addMenu(tr("&Go"));
  const QStringList names{tr("Shoot"), tr("Bench"), tr("Compare"), tr("Run")};
  for (int i = 0; i < 4; ++i)
    addDeed(*go_menu, names[i], QKeySequence(static_cast<int>(Qt::CTRL) | (Qt::Key_1 + i)),
            [this, i] { go(static_cast<Place>(i)); });
  buildHelpMenu();
}

void MainWindow::buildShootMenu() {
  auto* shoot = menuBar()->addMenu(tr("&Shoot"));
  addDeed(*shoot, tr("&New shoot"), QKeySequence::New, [this] {
    if (mayDiscard()) session_.newShoot();
  });
  addDeed(*shoot, tr("&Open shoot…"), QKeySequence::Open, [this] {
    if (!mayDiscard()) return;
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Open shoot"), {}, tr("Shoots (*%1)").arg(QString::fromLatin1(kShootEnding)));
    if (!file.isEmpty()) openPath(file);
  });
  auto* recent = shoot->addMenu(tr("Open &recent"));
  connect(recent, &QMenu::aboutToShow, this, [this, recent] { showRecent(*recent); });
  addDeed(*shoot, tr("&Save"), QKeySequence::Save, [this] { save(false); });
  addDeed(*shoot, tr("Save &as…"), QKeySequence::SaveAs, [this] { save(true); });
  shoot->addSeparator();
  addDeed(*shoot, tr("&Bring in a folder…"), QKeySequence(Qt::CTRL | Qt::Key_B), [this] { bringIn(true); });
  addDeed(*shoot, tr("Bring in &files…"), {}, [this] { bringIn(false); });
  addDeed(*shoot, tr("The &good parts…"), QKeySequence(Qt::CTRL | Qt::Key_G), [this] {
    auto* dialog = new PickDialog(session_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
  });
  addDeed(*shoot, tr("Output settings…"), QKeySequence(Qt::CTRL | Qt::Key_E), [this] { outputSettings(); });
  addDeed(*shoot, tr("&Render all that is ready"), QKeySequence(Qt::CTRL | Qt::Key_R), [this] {
    session_.startRun();
    go(Run);
  });
  shoot->addSeparator();
  addDeed(*shoot, tr("&Quit"), QKeySequence::Quit, [this] { close(); });
}

void MainWindow::buildProfileMenu() {
  auto* profile = menuBar()->addMenu(tr("&Profile"));
  addDeed(*profile, tr("Put into profile"), QKeySequence(Qt::CTRL | Qt::Key_Return),
          [this] { bench_->putIntoProfile(); });
  addDeed(*profile, tr("All &profiles…"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
    auto* dialog = new LibraryDialog(session_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
  });
  addDeed(*profile, tr("&Import OpenCV calibration…"), {}, [this] { importCalibration(); });
  addDeed(*profile, tr("&Export as OpenCV calibration…"), {}, [this] { exportCalibration(); });
}

void MainWindow::buildHelpMenu() {
  auto* help = menuBar()->addMenu(tr("&Help"));
  addDeed(*help, tr("&Keys"), QKeySequence(Qt::Key_F1), [this] {
    auto* sheet = new KeysSheet(*this, ComparePlace::keys());
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
  addDeed(*help, tr("&Guide"), QKeySequence(Qt::SHIFT | Qt::Key_F1), [this] { showGuide(); });
  help->addAction(tr("About Glenhaze"), this, [this] {
    QMessageBox::about(this, tr("About Glenhaze"),
                       tr("Glenhaze %1\nMeasures each camera once and corrects every clip from it.")
                           .arg(QString::fromLatin1(kVersionText)));
  });
}

void MainWindow::go(Place place) {
  places_->setCurrentIndex(place);
  spine_->setCurrent(place);
  followSteps();
  if (place == Shoot) shoot_->ledger()->setFocus();
  if (place == Compare) compare_->setFocus();
}

MainWindow::Place MainWindow::place() const { return static_cast<Place>(places_->currentIndex()); }

void MainWindow::refresh() {
  int uncovered = 0;
  for (const ClipPlan& plan : session_.plans())
    uncovered += plan.lens.kind == Coverage::Missing && !plan.failed ? 1 : 0;
  spine_->setNote(Shoot, session_.plans().empty() ? tr("empty")
                         : uncovered > 0          ? tr("%1 uncovered").arg(uncovered)
                                                  : tr("all covered"));
  spine_->setNote(Bench, {});
  QString run = tr("idle");
  bool wrong = false;
  if (const auto batch = session_.batch()) {
    const RunSummary s = batch->summary();
    wrong = s.failed > 0;
    run = session_.running() ? tr("%1 to go").arg(s.waiting + s.running)
          : s.failed > 0     ? tr("%1 failed").arg(s.failed)
                             : tr("%1 done").arg(s.done);
  }
  spine_->setNote(Run, run, wrong);
  setWindowTitle(
      tr("%1%2 – Glenhaze").arg(session_.isModified() ? QStringLiteral("• ") : QString(), session_.title()));
}

void MainWindow::attempt(const std::function<void()>& action) {
  try {
    action();
  } catch (const Error& error) {
    QMessageBox box(QMessageBox::Warning, tr("Glenhaze"), QString::fromStdString(error.whatHappened()),
                    QMessageBox::Ok, this);
    QStringList rest;
    for (const std::string& text : {error.where(), error.why(), error.remedy()})
      if (!text.empty()) rest << QString::fromStdString(text);
    box.setInformativeText(rest.join(QLatin1Char('\n')));
    box.exec();
  } catch (const std::exception& error) {
    QMessageBox::warning(this, tr("Glenhaze"),
                         tr("Unexpected trouble: %1").arg(QString::fromUtf8(error.what())));
  }
}

bool MainWindow::openPath(const QString& path) {
  bool ok = false;
  attempt([&] {
    if (QFileInfo(path).isDir())
      session_.openFolder(path);
    else
      session_.open(path);
    ok = true;
  });
  if (ok) {
    if (!session_.shoot().path.empty()) remember(QString::fromStdString(session_.shoot().path.string()));
    go(Shoot);
  }
  return ok;
}

void MainWindow::remember(const QString& path) {
  QSettings settings;
  QStringList recent = settings.value(QStringLiteral("recent")).toStringList();
  recent.removeAll(path);
  recent.prepend(path);
  settings.setValue(QStringLiteral("recent"), recent.mid(0, 8));
}

void MainWindow::showRecent(QMenu& menu) {
  menu.clear();
  const QStringList recent = QSettings().value(QStringLiteral("recent")).toStringList();
  for (const QString& path : recent)
    menu.addAction(path, this, [this, path] {
      if (mayDiscard()) openPath(path);
    });
  if (recent.isEmpty()) menu.addAction(tr("Nothing yet"))->setEnabled(false);
}

bool MainWindow::save(bool as) {
  QString path = QString::fromStdString(session_.shoot().path.string());
  if (path.isEmpty() || as) {
    const QString folder =
        session_.shoot().clips.empty()
            ? QString()
            : QString::fromStdString(session_.shoot().clips.front().path.parent_path().string()) +
                  QLatin1Char('/');
    path = QFileDialog::getSaveFileName(this, tr("Save shoot beside its footage"),
                                        folder + session_.title() + QString::fromLatin1(kShootEnding),
                                        tr("Shoots (*%1)").arg(QString::fromLatin1(kShootEnding)));
    if (path.isEmpty()) return false;
    if (!path.endsWith(QString::fromLatin1(kShootEnding))) path += QString::fromLatin1(kShootEnding);
  }
  bool ok = false;
  attempt([&] {
    session_.save(path);
    remember(path);
    ok = true;
  });
  refresh();
  return ok;
}

bool MainWindow::mayDiscard() {
  if (!session_.isModified()) return true;
  const auto answer =
      QMessageBox::question(this, tr("Glenhaze"), tr("Save the changes to “%1”?").arg(session_.title()),
                            QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
  if (answer == QMessageBox::Save) return save(false);
  return answer == QMessageBox::Discard;
}

void MainWindow::bringIn(bool folder) {
  QStringList paths;
  if (folder) {
    const QString chosen = QFileDialog::getExistingDirectory(this, tr("Bring in a folder of footage"));
    if (!chosen.isEmpty()) paths << chosen;
  } else {
    paths = QFileDialog::getOpenFileNames(this, tr("Bring in footage"));
  }
  if (!paths.isEmpty()) attempt([&] { session_.addPaths(paths); });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  QStringList paths;
  for (const QUrl& url : event->mimeData()->urls())
    if (url.isLocalFile()) paths << url.toLocalFile();
  takePaths(paths);
}

void MainWindow::takePaths(QStringList paths) {
  const auto isProfile = [](const QString& path) {
    return path.endsWith(QString::fromLatin1(kProfileEnding)) ||
           path.endsWith(QString::fromLatin1(kBundleEnding));
  };
  for (const QString& path : paths)
    if (isProfile(path)) attempt([&] { session_.importProfiles(path.toStdString()); });
  paths.removeIf(isProfile);
  if (paths.isEmpty()) return;
  if (paths.size() == 1 && (paths[0].endsWith(QString::fromLatin1(kShootEnding)) ||
                            (session_.plans().empty() && QFileInfo(paths[0]).isDir()))) {
    if (mayDiscard()) openPath(paths[0]);
    return;
  }
  attempt([&] { session_.addPaths(paths); });
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (session_.running()) {
    const auto answer = QMessageBox::question(
        this, tr("A run is in progress"),
        tr("Stop the run and close? Finished clips stay; the run can be taken up again later."),
        QMessageBox::Close | QMessageBox::Cancel);
    if (answer != QMessageBox::Close) return event->ignore();
    session_.stopRun();
  }
  if (!mayDiscard()) return event->ignore();
  QSettings().setValue(QStringLiteral("window/geometry"), saveGeometry());
  event->accept();
}

namespace {

// Shows a dialog around `content`; true when the user agrees.
bool agreed(QWidget* window, const QString& title, const std::vector<QWidget*>& content) {
  QDialog dialog(window);
  dialog.setWindowTitle(title);
  auto* column = new QVBoxLayout(&dialog);
  for (QWidget* widget : content) column->addWidget(widget);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (QAbstractButton* button : buttons->buttons()) button->setIcon({});
  buttons->button(QDialogButtonBox::Ok)->setText(QObject::tr("Keep these settings"));
  column->addWidget(buttons);
  QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  const bool ok = dialog.exec() == QDialog::Accepted;
  // The caller reads its widgets after the dialog has gone.
  for (QWidget* widget : content) widget->setParent(nullptr);
  return ok;
}

}  // namespace

// What a run with these settings would take, where that is quickly told.
QString MainWindow::effectOf(const OutputSettings& output) const {
  constexpr size_t kQuick = 300;
  if (session_.plans().size() > kQuick) return {};
  glenhaze::Shoot shoot = session_.shoot();
  shoot.output = output;
  std::vector<ClipFacts> facts;
  for (const ClipPlan& plan : session_.plans()) facts.push_back(plan.facts);
  double bytes = 0;
  int clips = 0, larger = 0;
  std::string first;
  for (const ClipPlan& plan : planShoot(shoot, facts, session_.profiles())) {
    if (!plan.refusal.empty()) continue;
    ++clips;
    bytes += static_cast<double>(estimatedBytes(plan));
    if (first.empty()) first = plan.job.place.path.filename().string();
    larger += deliveryOf(output, plan.info).picture.width > plan.info.width ? 1 : 0;
  }
  QString text = clips == 1 ? tr("1 clip, about %1.").arg(bytesText(bytes))
                            : tr("%1 clips, about %2.").arg(clips).arg(bytesText(bytes));
  if (!output.name.empty() && !first.empty())
    text = tr("For example %1. ").arg(QString::fromStdString(first)) + text;
  if (larger > 0) text += QLatin1Char(' ') + tr("%1 of them would be enlarged.").arg(larger);
  return text;
}

void MainWindow::showGuide() {
  if (!guide_) guide_ = new GuideWindow(this);
  guide_->show();
  guide_->raise();
}

void MainWindow::showGuideAt(const QString& topic) {
  showGuide();
  guide_->goTo(topic);
}

// On the bench its marks are taken back first, then what is in the shoot and its profiles.
void MainWindow::followSteps() {
  std::vector<QUndoStack*> stacks{&session_.undoStack()};
  if (place() == Bench)
    if (QUndoStack* own = bench_->steps()) stacks.insert(stacks.begin(), own);
  undo_.setStacks(stacks);
}

void MainWindow::openDemonstration() {
  const QString demo = shipped(QStringLiteral("demo/Tide mill, week 14.glenhaze-shoot.json"));
  if (demo.isEmpty())
    session_.failed(
        tr("The demonstration is not installed beside the application. It comes with the sources: "
           "./start-demo"));
  else
    openPath(demo);
}

void MainWindow::outputSettings() {
  OutputForm form(session_.shoot().output);
  form.askFolder(session_.shoot().outputFolder());
  form.sayEffect([this](const OutputSettings& output) { return effectOf(output); });
  QCheckBox keep(tr("New shoots start with these settings"));
  if (!agreed(this, tr("Output settings"), {&form, &keep})) return;
  const OutputSettings chosen = form.settings();
  session_.edit(tr("Change output settings"), [&](glenhaze::Shoot& s) { s.output = chosen; });
  if (keep.isChecked()) keepOutputDefaults(chosen);
}

void MainWindow::keepOutputDefaults(OutputSettings settings) {
  settings.folder.clear();
  QSettings().setValue(QStringLiteral("output"), QString::fromStdString(outputToText(settings)));
  session_.setOutputDefaults(settings);
}

void MainWindow::takePictureBudget() {
  constexpr size_t kMega = 1U << 20;
  const auto mega = QSettings().value(QStringLiteral("pictures_mb")).toUInt();
  session_.pictures()->setBudget(mega > 0 ? mega * kMega : PictureCache::usualBudget());
}

void MainWindow::changeEvent(QEvent* event) {
  QMainWindow::changeEvent(event);
  // Some disks do not tell what happens on them.
  if (event->type() == QEvent::ActivationChange && isActiveWindow()) session_.lookAtFilesAgain();
}

void MainWindow::preferences() {
  ComputerForm computer;
  QLabel head(tr("New shoots come out as"));
  head.setFont(textFont(13, true));
  OutputForm form(session_.outputDefaults());
  if (!agreed(this, tr("Preferences"), {&computer, &head, &form})) return;
  computer.keep();
  takePictureBudget();
  device_.change(keptDevice());
  decoding_.change(keptDecoder());
  keepOutputDefaults(form.settings());
}

void MainWindow::importCalibration() {
  if (session_.currentClip() < 0) return;
  const QString file = QFileDialog::getOpenFileName(this, tr("Import OpenCV calibration"), {},
                                                    tr("Calibrations (*.yml *.yaml *.xml *.json)"));
  if (file.isEmpty()) return;
  attempt([&] {
    Profile profile = session_.profileFor(session_.currentClip());
    const Profile in = fromOpenCvFile(file.toStdString(), profile.camera);
    if (in.camera.width != profile.camera.width || in.camera.height != profile.camera.height)
      throw Error(ErrorKind::Evidence, "The calibration is for another picture size", file.toStdString(),
                  in.camera.describe(), "Choose a clip of that size first");
    profile.lens = in.lens;
    session_.putProfile(tr("Import OpenCV calibration"), profile);
  });
}

void MainWindow::exportCalibration() {
  if (session_.currentClip() < 0) return;
  attempt([&] {
    const std::string text = toOpenCvYaml(session_.profileFor(session_.currentClip()));
    const QString file = QFileDialog::getSaveFileName(this, tr("Export as OpenCV calibration"),
                                                      QStringLiteral("calibration.yml"), tr("YAML (*.yml)"));
    if (!file.isEmpty()) writeFileAtomically(file.toStdString(), text);
  });
}

}  // namespace glenhaze::desktop
