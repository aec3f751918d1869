#pragma once
// Noise over level: the points that were seen, the curve through them, and what the profile has now.

#include <QWidget>
#include <optional>
#include <vector>

#include "core/noise/measure.h"

namespace glenhaze::desktop {

class NoisePlot : public QWidget {
  Q_OBJECT
 public:
  explicit NoisePlot(QWidget* parent = nullptr);
  void setCurves(const std::optional<NoiseCurve>& now, const std::optional<NoiseCurve>& before,
                 const std::vector<NoisePoint>& points);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  std::optional<NoiseCurve> now_, before_;
  std::vector<NoisePoint> points_;
};

}  // namespace glenhaze::desktop
