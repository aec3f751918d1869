#include <QApplication>
#include <QCommandLineParser>
#include <QIcon>
#include <QMessageBox>
#include <QSettings>
#include <clocale>

#include "core/base/parallel.h"
#include "core/base/version.h"
#include "core/frame/picture_memory.h"
#include "core/media/quiet.h"
#include "desktop/main_window.h"
#include "desktop/one_instance.h"
#include "desktop/shots.h"
#include "desktop/widgets/look.h"

namespace {

// Nothing that goes wrong in one click ends the session: what was set and measured would be lost.
class Application : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override {
    try {
      return QApplication::notify(receiver, event);
    } catch (const std::exception& error) {
      auto* box = new QMessageBox(QMessageBox::Warning, tr("Glenhaze"),
                                  tr("That did not work: %1").arg(QString::fromUtf8(error.what())));
      box->setAttribute(Qt::WA_DeleteOnClose);
      box->open();
      return false;
    }
  }
};

}  // namespace

int main(int argc, char** argv) {
  glenhaze::leaveNoHoles();
  using namespace glenhaze;
  Application application(argc, argv);
  // Qt takes over the system's language; numbers in files and to other libraries keep their full stop.
  std::setlocale(LC_NUMERIC, "C");
  QApplication::setApplicationName(QStringLiteral("glenhaze"));
  QApplication::setOrganizationName(QStringLiteral("glenhaze"));
  QApplication::setApplicationVersion(QString::fromLatin1(kVersionText));
  QApplication::setWindowIcon(QIcon(QStringLiteral(":/glenhaze.svg")));
  QApplication::setDesktopFileName(QStringLiteral("org.glenhaze.Glenhaze"));
  QCommandLineParser parser;
  parser.setApplicationDescription(
      QStringLiteral("Measures each camera once and corrects every clip from it."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("files"),
                               QStringLiteral("A shoot, footage, folders of footage, or profiles."));
  const QCommandLineOption shots(QStringLiteral("shots"),
                                 QStringLiteral("Save a picture of each main view and leave."),
                                 QStringLiteral("folder"));
  parser.addOption(shots);
  const QCommandLineOption another(
      QStringLiteral("new-window"),
      QStringLiteral("Open a window of its own, where one is open already that would take the files."));
  parser.addOption(another);
  parser.process(application);
  desktop::OneInstance one;
  const bool alone = parser.isSet(shots) || parser.isSet(another);
  if (!alone && one.handOver(parser.positionalArguments())) return 0;
  if (!alone) one.listen();
  quietLibraries();
  const ThreadLimit limit(QSettings().value(QStringLiteral("threads")).toInt());
  desktop::dressApplication(application);
  desktop::MainWindow window;
  if (parser.isSet(shots)) window.resize(1280, 800);
  window.show();
  QObject::connect(&one, &desktop::OneInstance::asked, &window, [&window](const QStringList& paths) {
    window.takePaths(paths);
    window.setWindowState(window.windowState() & ~Qt::WindowMinimized);
    window.raise();
    window.activateWindow();
  });
  if (!parser.positionalArguments().isEmpty()) window.takePaths(parser.positionalArguments());
  if (parser.isSet(shots)) desktop::takeShots(window, parser.value(shots));
  return QApplication::exec();
}
