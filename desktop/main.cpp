#include <QApplication>
#include <QCommandLineParser>
#include <QIcon>
#include <QMessageBox>
#include <QSettings>
#include <clocale>

#include "core/base/parallel.h"
#include "core/base/version.h"
#include "core/media/quiet.h"
#include "desktop/main_window.h"
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
  using namespace glenhaze;
  Application application(argc, argv);
  // Qt takes over the system's language; numbers in files and to other libraries keep their full stop.
  std::setlocale(LC_NUMERIC, "C");
  QApplication::setApplicationName(QStringLiteral("glenhaze"));
  QApplication::setOrganizationName(QStringLiteral("glenhaze"));
  QApplication::setApplicationVersion(QString::fromLatin1(kVersionText));
  QApplication::setWindowIcon(QIcon(QStringLiteral(":/glenhaze.svg")));
  QApplication::setDesktopFileName(QStringLiteral("glenhaze"));
  QCommandLineParser parser;
  parser.setApplicationDescription(
      QStringLiteral("Measures each camera once and corrects every clip from it."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("shoot"),
                               QStringLiteral("A shoot file or a folder of footage."));
  const QCommandLineOption shots(QStringLiteral("shots"),
                                 QStringLiteral("Save a picture of each main view and leave."),
                                 QStringLiteral("folder"));
  parser.addOption(shots);
  parser.process(application);
  quietLibraries();
  const ThreadLimit limit(QSettings().value(QStringLiteral("threads")).toInt());
  desktop::dressApplication(application);
  desktop::MainWindow window;
  if (parser.isSet(shots)) window.resize(1280, 800);
  window.show();
  if (!parser.positionalArguments().isEmpty()) window.openPath(parser.positionalArguments().constFirst());
  if (parser.isSet(shots)) desktop::takeShots(window, parser.value(shots));
  return QApplication::exec();
}
