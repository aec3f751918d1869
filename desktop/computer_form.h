#pragma once
// What of this computer is used, and how much of it: part of the preferences.

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QWidget>
#include <vector>

#include "core/device/device.h"
#include "core/pipeline/device_trial.h"
#include "desktop/background.h"

namespace glenhaze::desktop {

class ComputerForm : public QWidget {
  Q_OBJECT
 public:
  explicit ComputerForm(QWidget* parent = nullptr);

  /// Puts what is set into the preferences.
  void keep() const;

 private:
  void addSpeed();
  void addDevices();
  void tryNoise();
  void tryDevicesOut();
  void listDevices(const std::vector<DeviceInfo>& devices);
  void showTrial(const DeviceTrial& trial);
  void say(const QString& text);

  QSpinBox* threads_;
  QSpinBox* pictures_;
  QPushButton* try_noise_;
  QLabel* pace_;
  QComboBox* device_;
  QPushButton* try_devices_;
  QLabel* said_;
  Background noise_trial_, asking_, device_trial_;
};

/// The choice that is kept in the preferences, opened; the processor where it cannot be.
DeviceChoice keptDevice();

}  // namespace glenhaze::desktop
