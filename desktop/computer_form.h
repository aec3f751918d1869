#pragma once
// What of this computer is used, and how much of it: part of the preferences.

#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QWidget>
#include <optional>
#include <vector>

#include "core/device/device.h"
#include "core/media/graphics.h"
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
  QComboBox* addChoice(QFormLayout* form, const QString& label, const QString& tip);
  static void takeKept(QComboBox* box, const QString& key);
  void listDevices(const std::vector<DeviceInfo>& devices);
  void listDecoders(const std::vector<GraphicsDecoder>& decoders);
  void tryAll();
  void showTrial(const DeviceTrial& trial);
  void say(const QString& text);

  QSpinBox* threads_;
  QSpinBox* pictures_;
  QComboBox* device_;
  QComboBox* decoder_;
  QPushButton* try_;
  QLabel* pace_;
  QLabel* said_;
  Background asking_, trial_;
};

/// The choice that is kept in the preferences, opened; the processor where it cannot be.
DeviceChoice keptDevice();
/// The same for decoding.
std::optional<GraphicsDecoder> keptDecoder();

}  // namespace glenhaze::desktop
