#include "desktop/widgets/look.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPainterPath>
#include <QPalette>
#include <QStyleFactory>
#include <cmath>

namespace glenhaze::desktop {

namespace {

constexpr QChar kThinSpace(0x2009);

QPalette darkPalette() {
  using namespace look;
  QPalette p;
  p.setColor(QPalette::Window, kGround);
  p.setColor(QPalette::WindowText, kText);
  p.setColor(QPalette::Base, kDeep);
  p.setColor(QPalette::AlternateBase, kGround);
  p.setColor(QPalette::Text, kText);
  p.setColor(QPalette::PlaceholderText, kQuiet);
  p.setColor(QPalette::Button, kRaised);
  p.setColor(QPalette::ButtonText, kText);
  p.setColor(QPalette::ToolTipBase, kPaper);
  p.setColor(QPalette::ToolTipText, kInk);
  p.setColor(QPalette::Highlight, kThrift);
  p.setColor(QPalette::HighlightedText, kInk);
  p.setColor(QPalette::Link, kThrift);
  for (const auto role : {QPalette::Text, QPalette::ButtonText, QPalette::WindowText})
    p.setColor(QPalette::Disabled, role, kDim.lighter(125));
  return p;
}

const char* const kSheet = R"(
* { outline: none; }
QToolTip { background: #DCDCD8; color: #242526; border: 0; padding: 4px 6px; }
QPushButton { background: #414243; border: 1px solid #6B6C6D; border-radius: 3px; padding: 5px 12px; }
QPushButton:hover { background: #505152; }
QPushButton:focus { border-color: #E59AB4; }
QPushButton:disabled { color: #87888a; border-color: #505152; }
QPushButton:checked { background: #DCDCD8; color: #242526; }
QPushButton[next="true"] { background: #E59AB4; color: #242526; border-color: #E59AB4; font-weight: bold; }
QPushButton[next="true"]:hover { background: #eeb0c5; }
QPushButton[next="true"]:focus { border-color: #ECECEA; }
QPushButton[next="true"]:disabled { background: #505152; color: #B4B5B3; border-color: #505152; }
QComboBox, QSpinBox, QDoubleSpinBox, QLineEdit { background: #2B2C2D; border: 1px solid #505152; border-radius: 3px; padding: 3px 6px; }
QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus, QLineEdit:focus, QTableView:focus, QListView:focus { border-color: #E59AB4; }
QPushButton::menu-indicator { image: url(:/down.svg); subcontrol-origin: padding; subcontrol-position: center right; width: 9px; height: 6px; right: 5px; }
QComboBox::drop-down { subcontrol-origin: border; subcontrol-position: center right; width: 18px; border: 0; background: transparent; }
QComboBox::down-arrow, QAbstractSpinBox::down-arrow { image: url(:/down.svg); width: 9px; height: 6px; }
QAbstractSpinBox::up-arrow { image: url(:/up.svg); width: 9px; height: 6px; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { subcontrol-origin: border; width: 16px; border: 0; background: transparent; }
QAbstractSpinBox::up-button { subcontrol-position: top right; margin-top: 2px; } QAbstractSpinBox::down-button { subcontrol-position: bottom right; margin-bottom: 2px; }
QAbstractSpinBox::up-button:hover, QAbstractSpinBox::down-button:hover { background: #414243; }
QComboBox::item:selected { background: #E59AB4; color: #242526; }
QTableView, QListView { background: #2B2C2D; border: 1px solid #2B2C2D; gridline-color: #414243; }
QHeaderView::section { background: #2B2C2D; color: #B4B5B3; border: 0; border-bottom: 1px solid #505152; padding: 4px 3px; }
QMenu { background: #2B2C2D; border: 1px solid #505152; } QMenu::item { padding: 5px 22px; } QMenu::item:selected { background: #E59AB4; color: #242526; }
QSplitter::handle { background: #363738; }
QScrollBar:vertical { background: transparent; width: 10px; } QScrollBar::handle:vertical { background: #6B6C6D; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 10px; } QScrollBar::handle:horizontal { background: #6B6C6D; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QSlider::groove:horizontal { height: 3px; background: #6B6C6D; } QSlider::handle:horizontal { background: #ECECEA; width: 10px; margin: -6px 0; border-radius: 2px; }
QSlider::handle:horizontal:focus { background: #E59AB4; }
QProgressBar { background: #2B2C2D; border: 0; height: 4px; } QProgressBar::chunk { background: #DCDCD8; }
QCheckBox::indicator { width: 13px; height: 13px; border: 1px solid #B4B5B3; border-radius: 2px; } QCheckBox::indicator:checked { background: #DCDCD8; image: url(:/tick.svg); }
QCheckBox:focus { color: #E59AB4; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
)";

void hatch(QPainter& painter, const QRectF& area) {
  painter.save();
  painter.setClipRect(area);
  painter.setPen(QPen(QColor(0x9C, 0x9D, 0x9B), 4));
  for (qreal x = area.left() - area.height(); x < area.right() + area.height(); x += 12)
    painter.drawLine(QPointF(x, area.bottom() + 3), QPointF(x + area.height() + 6, area.top() - 3));
  painter.restore();
}

}  // namespace

void dressApplication(QApplication& application) {
  for (const auto* file : {":/fonts/NotoSans-Regular.ttf", ":/fonts/NotoSans-Bold.ttf"})
    QFontDatabase::addApplicationFont(QString::fromLatin1(file));
  application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  application.setPalette(darkPalette());
  application.setFont(textFont());
  application.setStyleSheet(QString::fromLatin1(kSheet));
}

QFont textFont(int pixels, bool bold) {
  QFont font(QStringLiteral("Noto Sans"));
  font.setPixelSize(pixels);
  font.setBold(bold);
  font.setHintingPreference(QFont::PreferVerticalHinting);
  return font;
}

QString lengthText(double seconds) {
  const auto whole = static_cast<int>(std::lround(seconds));
  const QString tail = QStringLiteral("%1:%2")
                           .arg(whole / 60 % 60, whole >= 3600 ? 2 : 1, 10, QLatin1Char('0'))
                           .arg(whole % 60, 2, 10, QLatin1Char('0'));
  return whole >= 3600 ? QStringLiteral("%1:%2").arg(whole / 3600).arg(tail) : tail;
}

QString withUnit(double value, int digits, const QString& unit) {
  QString text = QString::number(std::abs(value), 'f', digits);
  if (value < 0 && text.toDouble() != 0) text.prepend(QChar(0x2212));
  // A degree sign follows its number at once.
  if (unit == QStringLiteral("°")) return text + unit;
  return unit.isEmpty() ? text : text + kThinSpace + unit;
}

QString bytesText(double bytes) {
  if (bytes >= 1e9) return withUnit(bytes / 1e9, bytes >= 1e11 ? 0 : 1, QStringLiteral("GB"));
  return withUnit(bytes / 1e6, bytes >= 1e7 ? 0 : 1, QStringLiteral("MB"));
}

QString spanText(double seconds) {
  const auto whole = static_cast<int>(std::ceil(seconds));
  const QString s = QStringLiteral("%1").arg(whole % 60) + kThinSpace + QStringLiteral("s");
  if (whole < 60) return s;
  const QString m = QStringLiteral("%1").arg(whole / 60 % 60) + kThinSpace + QStringLiteral("min");
  if (whole < 3600) return m + QLatin1Char(' ') + s;
  return QStringLiteral("%1").arg(whole / 3600) + kThinSpace + QStringLiteral("h ") + m;
}

QString coverageName(Coverage kind) {
  switch (kind) {
    case Coverage::Measured:
      return QStringLiteral("measured");
    case Coverage::ByHand:
      return QStringLiteral("by hand");
    case Coverage::Borrowed:
      return QStringLiteral("borrowed");
    case Coverage::Estimated:
      return QStringLiteral("estimated");
    case Coverage::Off:
      return QStringLiteral("off");
    case Coverage::Doubtful:
      return QStringLiteral("in doubt");
    default:
      return QStringLiteral("missing");
  }
}

void paintGlyph(QPainter& painter, const QRectF& a, bool wrong) {
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(Qt::NoPen);
  painter.setBrush(wrong ? look::kRust : look::kGorse);
  if (wrong) {
    // A square with a bar: not to be mistaken for the triangle in grey.
    painter.drawRoundedRect(a, 2, 2);
    painter.setBrush(look::kDeep);
    painter.drawRect(QRectF(a.left() + a.width() * 0.2, a.center().y() - 1, a.width() * 0.6, 2));
  } else {
    QPainterPath path;
    path.moveTo(a.center().x(), a.top());
    path.lineTo(a.right(), a.bottom());
    path.lineTo(a.left(), a.bottom());
    path.closeSubpath();
    painter.drawPath(path);
  }
  painter.restore();
}

void paintCoverage(QPainter& painter, const QRectF& area, Coverage kind, const QString& figure) {
  using namespace look;
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF box = area.adjusted(0.5, 0.5, -0.5, -0.5);
  QColor ink = kInk;
  QFont font = textFont(12);
  QPainterPath shape;
  shape.addRoundedRect(box, 3, 3);
  switch (kind) {
    case Coverage::Measured:
    case Coverage::Doubtful:
      painter.fillPath(shape, kPaper);
      break;
    case Coverage::ByHand:
      painter.fillPath(shape, kPaper);
      painter.fillRect(QRectF(box.left() + 8, box.bottom() - 5, box.width() - 16, 1.5), kInk);
      break;
    case Coverage::Borrowed:
      painter.setPen(QPen(kPaper, 1.2));
      painter.drawPath(shape);
      ink = kText;
      break;
    case Coverage::Estimated:
      painter.fillPath(shape, QColor(0xC4, 0xC5, 0xC2));
      hatch(painter, box);
      break;
    case Coverage::Off:
      font.setStrikeOut(true);
      ink = kQuiet;
      break;
    case Coverage::Missing:
      painter.setPen(QPen(kDim, 1.2, Qt::DotLine));
      painter.drawPath(shape);
      ink = kQuiet;
      break;
  }
  if (kind == Coverage::Doubtful) {
    QPainterPath notch;
    notch.moveTo(box.right() - 11, box.top());
    notch.lineTo(box.right(), box.top());
    notch.lineTo(box.right(), box.top() + 11);
    notch.closeSubpath();
    painter.fillPath(notch.intersected(shape), kGorse.darker(115));
  }
  painter.setFont(font);
  painter.setPen(ink);
  const QString text =
      figure.isEmpty() ? (kind == Coverage::Off ? QStringLiteral("off") : QStringLiteral("—")) : figure;
  const qreal reserve = kind == Coverage::Doubtful ? 12 : 0;
  const QRectF inner = box.adjusted(8, 0, -6 - reserve, 0);
  painter.drawText(inner, static_cast<int>(Qt::AlignVCenter | Qt::AlignLeft),
                   QFontMetricsF(font).elidedText(text, Qt::ElideRight, inner.width()));
  painter.restore();
}

}  // namespace glenhaze::desktop
