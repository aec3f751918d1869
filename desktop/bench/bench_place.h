#pragma once
// Bench: where a profile is measured. Its head says which camera and mode; the stations do the rest.

#include <QWidget>
#include <array>
#include <filesystem>

#include "desktop/bench/finish_station.h"
#include "desktop/bench/lens_station.h"
#include "desktop/bench/noise_station.h"
#include "desktop/bench/shot_chooser.h"
#include "desktop/bench/shutter_station.h"
#include "desktop/bench/stabilization_station.h"

class QStackedWidget;

namespace glenhaze::desktop {

class BenchPlace : public QWidget {
  Q_OBJECT
 public:
  enum Station { Lens, Shutter, Noise, Stabilization, Finish, kStations };
  explicit BenchPlace(Session& session, QWidget* parent = nullptr);
  LensStation& lens() { return *lens_; }
  ShutterStation& shutter() { return *shutter_; }
  NoiseStation& noise() { return *noise_; }
  StabilizationStation& stabilization() { return *stabilization_; }
  FinishStation& finish() { return *finish_; }
  void setStation(Station station);
  Station station() const;
  /// Chooses the reference shot by its file name; false when it is not on offer.
  bool chooseShot(const QString& file_name) { return shots_->choose(file_name); }
  void putIntoProfile() { current().putIntoProfile(); }
  /// Of the station that is shown; null where it has none of its own.
  QUndoStack* steps() { return current().steps(); }

 Q_SIGNALS:
  void stationChanged();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  QWidget* buildHead();
  BenchStation& current();
  void reload();

  Session& session_;
  QLabel *camera_ = nullptr, *mode_ = nullptr;
  ShotChooser* shots_ = nullptr;
  QButtonGroup* choice_ = nullptr;
  QStackedWidget* stack_ = nullptr;
  LensStation* lens_ = nullptr;
  ShutterStation* shutter_ = nullptr;
  NoiseStation* noise_ = nullptr;
  StabilizationStation* stabilization_ = nullptr;
  FinishStation* finish_ = nullptr;
  CameraMode measured_;
  std::array<std::filesystem::path, kStations> shot_;  // what each station looks at
};

}  // namespace glenhaze::desktop
