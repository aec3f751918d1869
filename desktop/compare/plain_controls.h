#pragma once
// The four things that most people change of a clip, each with a mark at what its camera's profile says: how
// much noise goes, how crisp, how steady, how much crop.

#include <QSlider>
#include <QWidget>
#include <array>

#include "core/profile/profile.h"
#include "core/run/plan.h"
#include "desktop/compare/clip_edit.h"

class QLabel;

namespace glenhaze::desktop {

/// A slider with a mark under the value that it has by itself; a double click goes back to it.
class MarkedSlider : public QSlider {
 public:
  explicit MarkedSlider(QWidget* parent = nullptr);
  void setMark(int value);
  int mark() const { return mark_; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;

 private:
  int mark_ = 0;
};

class PlainControls : public QWidget {
  Q_OBJECT
 public:
  explicit PlainControls(QWidget* parent = nullptr);
  /// `profile`: of its camera; null for none.
  void setPlan(const ClipPlan& plan, const Profile* profile);

 Q_SIGNALS:
  void edited(const QString& what, const glenhaze::desktop::ClipEdit& change);

 private:
  enum Control { Noise, Crisp, Steady, Crop, kControls };
  struct Line {
    MarkedSlider* slider = nullptr;
    QLabel* value = nullptr;
  };
  void add(Control control, const QString& name, const QString& tip, int most);
  void say(Control control, int value);
  void tell(Control control, int value);
  void show(Control control, bool usable, double value, double usual);

  std::array<Line, kControls> lines_;
  DenoiseSettings denoise_;
  FinishSettings finish_;
  StabilizationSettings steady_;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
