#pragma once
// A clip's own settings, where they differ from the shoot's.

#include <QWidget>

#include "core/run/plan.h"
#include "desktop/compare/clip_edit.h"

class QCheckBox;
class QPushButton;
class QSpinBox;

namespace glenhaze::desktop {

class ClipForm : public QWidget {
  Q_OBJECT
 public:
  explicit ClipForm(QWidget* parent = nullptr);
  void setPlan(const ClipPlan& plan);

 Q_SIGNALS:
  void edited(const QString& what, const glenhaze::desktop::ClipEdit& edit);

 private:
  QSpinBox* percent(const QString& name, const QString& tip, std::optional<double> ShootClip::*member);
  QSpinBox *fill_ = nullptr, *amount_ = nullptr;
  QPushButton* as_shoot_ = nullptr;
  QCheckBox* own_motion_ = nullptr;
};

/// Lens, shutter, noise, stabilization and finish of a clip, each on or off.
class PartSwitches : public QWidget {
  Q_OBJECT
 public:
  explicit PartSwitches(QWidget* parent = nullptr);
  void setPlan(const ClipPlan& plan, const OutputSettings& output);

 Q_SIGNALS:
  void edited(const QString& what, const glenhaze::desktop::ClipEdit& edit);

 private:
  QCheckBox *lens_ = nullptr, *shutter_ = nullptr, *noise_ = nullptr, *steady_ = nullptr, *finish_ = nullptr;
};

}  // namespace glenhaze::desktop
