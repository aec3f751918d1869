#include "desktop/bench/scope_view.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

constexpr double kWorthSaying = 0.001;  // share of the picture that is clipped

// Light where there is much; by the root, so that thin lines show.
QImage waveImage(const Scopes& scopes) {
  QImage image(Scopes::kColumns, Scopes::kLevels, QImage::Format_RGB32);
  for (int level = 0; level < Scopes::kLevels; ++level)
    for (int column = 0; column < Scopes::kColumns; ++column) {
      const float share =
          scopes.waveform[static_cast<size_t>(column) * Scopes::kLevels + static_cast<size_t>(level)];
      const double lit = std::min(1.0, std::sqrt(8.0 * static_cast<double>(share)));
      const auto mix = [&](int dark, int light) { return static_cast<int>(dark + lit * (light - dark)); };
      const QColor& ground = look::kGround;
      image.setPixel(column, Scopes::kLevels - 1 - level,
                     qRgb(mix(ground.red(), 236), mix(ground.green(), 236), mix(ground.blue(), 234)));
    }
  return image;
}

}  // namespace

ScopeView::ScopeView(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(150);
  setAccessibleName(tr("Brightness"));
  setToolTip(
      tr("Above: luma along the width of the picture, black at the bottom and white at the top. Below: how "
         "often "
         "each value is, luma as an area, red, green and blue as lines."));
}

void ScopeView::setPicture(const QImage& picture) {
  any_ = !picture.isNull() && picture.depth() == 32;
  if (any_) {
    // Rows of such pictures are tight.
    scopes_ = scopesOf({picture.constBits(), static_cast<size_t>(picture.sizeInBytes())}, picture.width(),
                       picture.height());
    wave_ = waveImage(scopes_);
  }
  update();
}

QString ScopeView::clippedText() const {
  QStringList parts;
  const auto share = [](double v) { return withUnit(v * 100, v < 0.1 ? 1 : 0, QStringLiteral("%")); };
  if (scopes_.at_white >= kWorthSaying) parts << tr("%1 at white").arg(share(scopes_.at_white));
  if (scopes_.at_black >= kWorthSaying) parts << tr("%1 at black").arg(share(scopes_.at_black));
  return parts.isEmpty() ? tr("nothing clipped") : parts.join(QStringLiteral(" · "));
}

void ScopeView::drawHistogram(QPainter& p, const QRectF& area) const {
  // The ends may hold most of a picture: they do not set the scale.
  float most = 1e-6F;
  for (const auto& one : scopes_.histogram)
    most = std::max(most, *std::max_element(one.begin() + 1, one.end() - 1));
  const auto lineOf = [&](size_t channel) {
    QPolygonF line;
    for (size_t v = 0; v < 256; ++v)
      line << QPointF(
          area.left() + area.width() * static_cast<double>(v) / 255,
          area.bottom() - area.height() * std::min(1.0, std::sqrt(static_cast<double>(
                                                            scopes_.histogram[channel][v] / most))));
    return line;
  };
  QPolygonF luma = lineOf(3);
  luma << area.bottomRight() << area.bottomLeft();
  p.setPen(Qt::NoPen);
  p.setBrush(look::kDim);
  p.drawPolygon(luma);
  p.setBrush(Qt::NoBrush);
  // Told apart by their dashes too.
  const std::array<QColor, 3> colours = {QColor(0xE0, 0x8A, 0x7A), QColor(0x9A, 0xC8, 0x92),
                                         QColor(0x93, 0xB4, 0xE0)};
  const std::array<Qt::PenStyle, 3> dashes = {Qt::SolidLine, Qt::DashLine, Qt::DotLine};
  for (size_t c = 0; c < 3; ++c) {
    p.setPen(QPen(colours[c], 1.2, dashes[c]));
    p.drawPolyline(lineOf(c));
  }
}

void ScopeView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  p.setPen(look::kQuiet);
  if (!any_) {
    p.drawText(rect(), Qt::AlignCenter, tr("no picture yet"));
    return;
  }
  const QRectF area = QRectF(rect()).adjusted(10, 8, -10, -22);
  const double half = (area.height() - 8) / 2;
  p.drawImage(QRectF(area.left(), area.top(), area.width(), half), wave_);
  drawHistogram(p, QRectF(area.left(), area.bottom() - half, area.width(), half));
  const bool clipped = std::max(scopes_.at_white, scopes_.at_black) >= kWorthSaying;
  QRectF words(area.left(), rect().bottom() - 20.0, area.width(), 18);
  if (clipped) {
    paintGlyph(p, QRectF(words.left(), words.center().y() - 6, 12, 11), false);
    words.adjust(18, 0, 0, 0);
  }
  p.setPen(clipped ? look::kGorse : look::kQuiet);
  p.drawText(words, static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter), clippedText());
}

}  // namespace glenhaze::desktop
