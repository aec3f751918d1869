#pragma once
// How far the lens moves a pixel, over its distance from the centre: now, and as the profile had it.

#include <QWidget>
#include <optional>

#include "core/lens/model.h"

namespace glenhaze::desktop {

class BendPlot : public QWidget {
  Q_OBJECT
 public:
  explicit BendPlot(QWidget* parent = nullptr);
  void setLenses(const std::optional<Lens>& now, const std::optional<Lens>& before);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  std::optional<Lens> now_, before_;
};

}  // namespace glenhaze::desktop
