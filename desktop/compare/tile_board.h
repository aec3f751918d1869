#pragma once
// Up to four pictures side by side that are zoomed and moved together.

#include <QWidget>
#include <array>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace glenhaze::desktop {

class PictureView;

class TileBoard : public QWidget {
  Q_OBJECT
 public:
  static constexpr size_t kMost = 4;
  explicit TileBoard(QWidget* parent = nullptr);
  void setZoom(double zoom);
  void centreOn(QPointF picture);

 protected:
  struct Tile {
    QLabel *name = nullptr, *figures = nullptr;
    PictureView* view = nullptr;
    QHBoxLayout* head = nullptr;  ///< for buttons
  };
  const Tile& tile(size_t which) const { return tiles_[which]; }
  QPushButton* addButton(size_t which, const QString& text, const QString& tip);

 private:
  Tile makeTile(size_t which, QWidget& box);
  void follow(size_t leader);
  std::array<Tile, kMost> tiles_;
  bool following_ = false;
};

}  // namespace glenhaze::desktop
