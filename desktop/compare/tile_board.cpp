#include "desktop/compare/tile_board.h"

#include <QGridLayout>
#include <QLabel>
#include <QPushButton>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

TileBoard::TileBoard(QWidget* parent) : QWidget(parent) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setSpacing(8);
  for (size_t i = 0; i < kMost; ++i) {
    auto* box = new QWidget;
    tiles_[i] = makeTile(i, *box);
    grid->addWidget(box, static_cast<int>(i / 2), static_cast<int>(i % 2));
  }
}

TileBoard::Tile TileBoard::makeTile(size_t which, QWidget& box) {
  Tile tile;
  auto* column = new QVBoxLayout(&box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(3);
  tile.view = new PictureView;
  tile.view->setAccessibleName(tr("Variant %1").arg(which + 1));
  connect(tile.view, &PictureView::viewChanged, this, [this, which] { follow(which); });
  auto* head = new QWidget;
  head->setFixedHeight(32);
  tile.head = new QHBoxLayout(head);
  tile.head->setContentsMargins(0, 0, 0, 0);
  tile.name = new QLabel;
  tile.name->setFont(textFont(13, true));
  tile.figures = quietLabel();
  tile.figures->setWordWrap(false);
  tile.head->addWidget(tile.name);
  tile.head->addSpacing(8);
  tile.head->addWidget(tile.figures, 1);
  column->addWidget(head);
  column->addWidget(tile.view, 1);
  return tile;
}

QPushButton* TileBoard::addButton(size_t which, const QString& text, const QString& tip) {
  auto* button = new QPushButton(text);
  button->setToolTip(tip);
  tiles_[which].head->addWidget(button);
  return button;
}

void TileBoard::setZoom(double zoom) { tiles_[0].view->setZoom(zoom); }

void TileBoard::centreOn(QPointF picture) {
  for (Tile& tile : tiles_) tile.view->centreOn(picture);
}

void TileBoard::follow(size_t leader) {
  if (following_) return;
  following_ = true;
  for (size_t i = 0; i < kMost; ++i) {
    if (i == leader) continue;
    tiles_[i].view->setZoom(tiles_[leader].view->zoom());
    tiles_[i].view->centreOn(tiles_[leader].view->centre());
  }
  following_ = false;
}

}  // namespace glenhaze::desktop
