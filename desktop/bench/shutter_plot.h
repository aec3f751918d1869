#pragma once
// What a readout rests on: bands of a lamp, lean over speed, or disagreement over readout, with the value
// that is chosen.

#include <QWidget>
#include <utility>
#include <vector>

#include "core/shutter/finding.h"

namespace glenhaze::desktop {

class ShutterPlotView : public QWidget {
  Q_OBJECT
 public:
  explicit ShutterPlotView(QWidget* parent = nullptr);
  /// `chosen`: the readout with the sign of its direction, s; `flicker_hz` for bands.
  void setPlot(ShutterPlot kind, const std::vector<std::pair<double, double>>& points, double chosen_s,
               double flicker_hz);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  struct Axes;
  Axes axes() const;
  void drawAxes(QPainter& p, const Axes& axes) const;
  ShutterPlot kind_ = ShutterPlot::None;
  std::vector<std::pair<double, double>> points_;
  double chosen_s_ = 0, flicker_hz_ = 100;
};

}  // namespace glenhaze::desktop
