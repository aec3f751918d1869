#pragma once
// The window: the spine, one place at a time, the menus. Each place owns its own insides.

#include <QMainWindow>
#include <memory>

#include "core/device/device.h"
#include "core/media/graphics.h"
#include "desktop/bench/bench_place.h"
#include "desktop/compare/compare_place.h"
#include "desktop/run/run_attendant.h"
#include "desktop/run/run_place.h"
#include "desktop/session.h"
#include "desktop/shoot/shoot_place.h"
#include "desktop/undo_trail.h"

class QStackedWidget;

namespace glenhaze::desktop {

class GuideWindow;
class Spine;

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  enum Place { Shoot, Bench, Compare, Run };
  explicit MainWindow(QWidget* parent = nullptr);

  Session& session() { return session_; }
  ShootPlace& shootPlace() { return *shoot_; }
  BenchPlace& benchPlace() { return *bench_; }
  ComparePlace& comparePlace() { return *compare_; }
  RunPlace& runPlace() { return *run_; }
  void go(Place place);
  Place place() const;
  /// Opens a shoot file or a folder; shows what is wrong when it cannot.
  bool openPath(const QString& path);
  /// What was dropped here, or given to the program: a shoot, footage, folders, profiles.
  void takePaths(QStringList paths);
  /// Opens the guide at the chapter of this name.
  Q_INVOKABLE void showGuideAt(const QString& topic);
  UndoTrail& undoTrail() { return undo_; }

 protected:
  void closeEvent(QCloseEvent* event) override;
  void changeEvent(QEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void connectPlaces();
  /// As it stood last, within what the screen has to give.
  void takeRoom(const QByteArray& last);
  void buildMenus();
  void buildShootMenu();
  void buildProfileMenu();
  void buildHelpMenu();
  template <class Deed>
  QAction* addDeed(QMenu& menu, const QString& text, const QKeySequence& key, Deed deed);
  void refresh();
  bool mayDiscard();
  bool save(bool as);
  void bringIn(bool folder);
  void showRecent(QMenu& menu);
  void remember(const QString& path);
  QString effectOf(const OutputSettings& output) const;
  void showGuide();
  void followSteps();
  void openDemonstration();
  void outputSettings();
  void preferences();
  void takePictureBudget();
  void keepOutputDefaults(OutputSettings settings);
  void importCalibration();
  void exportCalibration();
  void attempt(const std::function<void()>& action);

  DeviceUse device_;
  GraphicsDecoding decoding_;
  Session session_;
  UndoTrail undo_;
  RunAttendant attendant_;
  Spine* spine_ = nullptr;
  GuideWindow* guide_ = nullptr;
  QStackedWidget* places_ = nullptr;
  ShootPlace* shoot_ = nullptr;
  BenchPlace* bench_ = nullptr;
  ComparePlace* compare_ = nullptr;
  RunPlace* run_ = nullptr;
};

}  // namespace glenhaze::desktop
