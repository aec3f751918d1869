#pragma once
// The settings of the finish as a form.

#include <QWidget>
#include <map>
#include <string>

#include "core/finish/settings.h"

class QComboBox;
class QDoubleSpinBox;
class QPushButton;

namespace glenhaze::desktop {

class FinishForm : public QWidget {
  Q_OBJECT
 public:
  explicit FinishForm(QWidget* parent = nullptr);
  void setSettings(const FinishSettings& settings);
  const FinishSettings& settings() const { return settings_; }
  /// Calming is offered only where the camera's own sharpening is measured.
  void setSharpening(const Sharpening& camera);

 Q_SIGNALS:
  void edited(const glenhaze::FinishSettings& settings);

 private:
  QComboBox* makeLogCurves();
  QDoubleSpinBox* number(const QString& name, const QString& tip, const char* key, double shown_per_unit,
                         double step, const QString& unit, int digits);
  void chooseLook();
  void tell();
  struct Number {
    QDoubleSpinBox* spin;
    double per_unit;
  };
  FinishSettings settings_;
  std::map<std::string, Number> numbers_;
  QComboBox* log_ = nullptr;
  QPushButton* look_ = nullptr;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
