#include "desktop/bench/chart_window.h"

#include <QPainter>
#include <QWidget>

namespace glenhaze::desktop {

namespace {

class ChartWindow : public QWidget {
 public:
  explicit ChartWindow(const ChartSpec& spec) : QWidget(nullptr, Qt::Window), spec_(spec) {
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("Chart"));
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.fillRect(rect(), Qt::white);
    const int columns = spec_.columns + 1, rows = spec_.rows + 1;
    // Whole device pixels per square, so that every corner is sharp.
    const int cell = std::min(width() / (columns + 1), height() / (rows + 1));
    const int x0 = (width() - cell * columns) / 2, y0 = (height() - cell * rows) / 2;
    for (int r = 0; r < rows; ++r)
      for (int c = 0; c < columns; ++c)
        if ((r + c) % 2 == 0) p.fillRect(x0 + c * cell, y0 + r * cell, cell, cell, Qt::black);
  }
  void keyPressEvent(QKeyEvent*) override { close(); }
  void mousePressEvent(QMouseEvent*) override { close(); }

 private:
  ChartSpec spec_;
};

}  // namespace

void showChartOnScreen(const ChartSpec& spec) { (new ChartWindow(spec))->showFullScreen(); }

}  // namespace glenhaze::desktop
