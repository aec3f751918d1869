#pragma once
// Settings of noise removal for one clip, with what they did to the frame shown.

#include <QWidget>
#include <array>
#include <optional>

#include "core/noise/denoise.h"
#include "core/noise/judge.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLayout;
class QPushButton;
class QSpinBox;

namespace glenhaze::desktop {

class NoiseForm : public QWidget {
  Q_OBJECT
 public:
  explicit NoiseForm(QWidget* parent = nullptr);
  /// `own`: the clip differs from its camera.
  void setSettings(const DenoiseSettings& settings, bool own);
  void setVerdict(const std::optional<RemovalVerdict>& verdict);
  void setBusy(bool busy);
  /// Quality and single strengths too, or only what was found.
  void setDetailed(bool on);
  /// A sentence on the flicker that was measured; "" for none.
  void setFlickerFound(const QString& text);
  /// What each quality costs here, once that was tried out: frames a second by frames looked ahead; 0:
  /// unknown.
  void setSpeeds(const std::array<double, 5>& fps);

 Q_SIGNALS:
  void edited(const glenhaze::DenoiseSettings& settings);
  void followCamera();
  void keepForCamera();
  void findStrength();

 private:
  void makeStrengths();
  void makeShares();
  void layDetails();
  QLayout* makeButtons();
  QDoubleSpinBox* number(const QString& name, const QString& tip, double low, double high, double step);
  QSpinBox* whole(const QString& name, const QString& tip, int high, const QString& unit);
  void tell();
  DenoiseSettings settings_;
  QDoubleSpinBox *luma_ = nullptr, *chroma_ = nullptr, *smoothing_ = nullptr, *tolerance_ = nullptr;
  QSpinBox *reach_ = nullptr, *mix_ = nullptr, *blocks_ = nullptr, *shadows_ = nullptr, *flicker_ = nullptr;
  QComboBox* quality_ = nullptr;
  QWidget* details_ = nullptr;
  QCheckBox* specks_ = nullptr;
  QPushButton *follow_ = nullptr, *keep_ = nullptr, *find_ = nullptr;
  QLabel *verdict_ = nullptr, *flicker_found_ = nullptr;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
