#pragma once
// The settings of stabilization as a form.

#include <QWidget>
#include <map>

#include "core/motion/stabilize.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QFormLayout;

namespace glenhaze::desktop {

class StabilizationForm : public QWidget {
  Q_OBJECT
 public:
  explicit StabilizationForm(QWidget* parent = nullptr);
  void setSettings(const StabilizationSettings& settings);
  const StabilizationSettings& settings() const { return settings_; }
  /// Holding still is offered only where the clip allows it.
  void setHoldable(bool holdable, const QString& reason);
  void setShiftAndScale(bool modelled);

 Q_SIGNALS:
  void edited(const glenhaze::StabilizationSettings& settings);

 private:
  /// A line of its own with a few answers, one of which sets `setting`.
  template <class Setting>
  QComboBox* choice(QGridLayout& grid, const QString& label, const QString& name, const QStringList& answers,
                    Setting StabilizationSettings::*setting);
  void addChoices(QGridLayout& grid);
  void addNumbers(QGridLayout& grid);
  QDoubleSpinBox* number(const QString& name, const QString& tip, const char* key, double shown_per_unit,
                         double step, const QString& unit, int digits);
  void tell();
  StabilizationSettings settings_;
  QComboBox *steadying_ = nullptr, *framing_ = nullptr, *part_ = nullptr;
  QCheckBox* level_ = nullptr;
  struct Number {
    QDoubleSpinBox* spin;
    double per_unit;
  };
  std::map<std::string, Number> numbers_;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
