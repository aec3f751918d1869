#include "desktop/compare/moment_strip.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/clip/pick.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

constexpr int kLane = 13, kLanes = 5, kBrackets = 10;
constexpr double kNames = 62;     // px, to the left of the lanes
constexpr double kQuietest = 60;  // dB below full scale that a lane's foot stands for

double heightOfShake(double percent) { return std::sqrt(percent / (2 * kPickLimits.shake)); }

// How high a lane stands, 0 to 1, and whether that is too much.
struct Height {
  double value = 0;
  bool fault = false;
};

Height heightOf(const Moment& m, int lane) {
  switch (lane) {
    case 0:
      return {heightOfShake(m.shake), m.shake > kPickLimits.shake};
    case 1:
      return {m.blur, m.blur > kPickLimits.blur};
    case 2:
      return {std::max(m.dark, m.bright), m.dark > kPickLimits.dark || m.bright > kPickLimits.bright};
    case 3:
      return {std::sqrt(m.activity / 0.3), false};
    default:
      return {(m.sound_db + kQuietest) / kQuietest, m.sound_db > -1};
  }
}

}  // namespace

MomentStrip::MomentStrip(QWidget* parent) : QWidget(parent) {
  setFixedHeight(kLanes * kLane + kBrackets + 4);
  setMouseTracking(true);
  setAccessibleName(tr("The clip over time"));
}

QSize MomentStrip::sizeHint() const { return {600, height()}; }

void MomentStrip::setTimeline(const std::optional<ClipTimeline>& timeline, const QString& message) {
  timeline_ = timeline;
  message_ = message;
  update();
}

void MomentStrip::setClip(const ClipInfo& info, const std::vector<Stretch>& stretches,
                          std::optional<FrameRange> range) {
  info_ = info;
  stretches_ = stretches;
  range_ = range;
  update();
}

void MomentStrip::setFrame(int64_t frame) {
  frame_ = frame;
  update();
}

void MomentStrip::setShakeLeft(std::vector<float> per_frame) {
  shake_left_ = std::move(per_frame);
  update();
}

double MomentStrip::shakeLeftAt(double seconds) const {
  if (shake_left_.empty() || !timeline_) return -1;
  const double step = timeline_->step_s;
  const auto moment = static_cast<double>(timeline_->at(seconds));
  double sum = 0, count = 0;
  const int64_t first = info_.indexAtSecond(moment * step), last = info_.indexAtSecond((moment + 1) * step);
  for (int64_t i = first; i <= last && i < static_cast<int64_t>(shake_left_.size()); ++i, ++count)
    sum += std::pow(static_cast<double>(shake_left_[static_cast<size_t>(i)]), 2);
  return count > 0 ? std::sqrt(sum / count) : -1;
}

QRectF MomentStrip::lanes() const {
  return {kNames, 2, std::max(1.0, width() - kNames - 2), static_cast<double>(kLanes * kLane)};
}
double MomentStrip::length() const { return std::max(1e-3, info_.frameTime(info_.frames)); }
double MomentStrip::xOf(double seconds) const {
  return lanes().left() + seconds / length() * lanes().width();
}
double MomentStrip::secondsAt(double x) const {
  return std::clamp((x - lanes().left()) / lanes().width(), 0.0, 1.0) * length();
}

// A row of bars; what is too much is hatched in gorse, so that it reads without its colour.
void MomentStrip::drawLane(QPainter& p, int lane) const {
  const double foot = lanes().top() + (lane + 1) * kLane - 1;
  for (size_t i = 0; i < timeline_->moments.size(); ++i) {
    const Height height = heightOf(timeline_->moments[i], lane);
    const double left = xOf(static_cast<double>(i) * timeline_->step_s);
    const double right = std::min(xOf(static_cast<double>(i + 1) * timeline_->step_s), lanes().right());
    const double tall = std::clamp(height.value, 0.0, 1.0) * (kLane - 3);
    const QRectF bar(left, foot - tall, std::max(0.5, right - left), tall);
    p.fillRect(bar, height.fault ? QBrush(look::kGorse) : QBrush(look::kDim.lighter(125)));
    if (height.fault) p.fillRect(bar, QBrush(look::kDeep, Qt::BDiagPattern));
  }
}

// A light line through the bars of the shake: what is left of it.
void MomentStrip::drawShakeLeft(QPainter& p) const {
  const double foot = lanes().top() + kLane - 1;
  p.setPen(QPen(look::kText, 1.5));
  for (size_t i = 0; i < timeline_->moments.size(); ++i) {
    const double start = static_cast<double>(i) * timeline_->step_s;
    const double left = shakeLeftAt(start);
    if (left < 0) continue;
    const double tall = std::clamp(heightOfShake(left), 0.0, 1.0) * (kLane - 3);
    p.drawLine(QPointF(xOf(start), foot - tall),
               QPointF(std::min(xOf(start + timeline_->step_s), lanes().right()), foot - tall));
  }
}

// Kept stretches as solid bars with ends, in and out points as a bracket.
void MomentStrip::drawRange(QPainter& p, const FrameRange& range, bool kept) const {
  const double left = xOf(info_.frameTime(range.first)), right = xOf(info_.frameTime(range.last));
  const double top = lanes().bottom() + 3, low = top + kBrackets - 4;
  p.setPen(QPen(look::kText, 1.5));
  if (kept) p.fillRect(QRectF(left, top, right - left, low - top), look::kPaper);
  p.drawPolyline(QPolygonF{{left, top}, {left, low}, {right, low}, {right, top}});
}

void MomentStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  const std::array<QString, kLanes> names = {tr("Shake"), tr("Soft"), tr("Light"), tr("Moves"), tr("Sound")};
  for (int lane = 0; lane < kLanes; ++lane) {
    p.setPen(look::kQuiet);
    p.drawText(QRectF(0, lanes().top() + lane * kLane, kNames - 8, kLane),
               static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter), names[static_cast<size_t>(lane)]);
    p.setPen(QPen(look::kLine, 1));
    const double foot = lanes().top() + (lane + 1) * kLane - 0.5;
    p.drawLine(QPointF(lanes().left(), foot), QPointF(lanes().right(), foot));
  }
  if (timeline_) {
    for (int lane = 0; lane < kLanes; ++lane)
      if (lane < kLanes - 1 || timeline_->sound) drawLane(p, lane);
    drawShakeLeft(p);
  } else {
    p.setPen(look::kQuiet);
    p.drawText(lanes(), Qt::AlignCenter, message_);
  }
  for (const Stretch& stretch : stretches_) drawRange(p, stretch.frames, true);
  if (range_) drawRange(p, *range_, false);
  const double x = xOf(info_.frameTime(frame_));
  p.setPen(QPen(look::kDeep, 3));
  p.drawLine(QPointF(x, 1), QPointF(x, height() - 1));
  p.setPen(QPen(look::kText, 1));
  p.drawLine(QPointF(x, 1), QPointF(x, height() - 1));
}

QString MomentStrip::textAt(double seconds) const {
  if (!timeline_ || timeline_->moments.empty()) return {};
  const Moment& m = timeline_->moments[timeline_->at(seconds)];
  const auto percent = [](double v, int digits) { return withUnit(v, digits, QStringLiteral("%")); };
  QStringList parts{lengthText(seconds)};
  const double left = shakeLeftAt(seconds);
  parts << tr("shake %1 of the width%2")
               .arg(percent(static_cast<double>(m.shake), 2),
                    left < 0 ? QString() : tr(", %1 once it is steadied").arg(percent(left, 2)))
        << tr("softer than around it by %1").arg(percent(100.0 * m.blur, 0))
        << tr("%1 black, %2 burnt out").arg(percent(100.0 * m.dark, 0), percent(100.0 * m.bright, 0))
        << tr("%1 of the picture moves on its own").arg(percent(100.0 * m.activity, 1));
  if (timeline_->sound) parts << tr("sound %1").arg(withUnit(static_cast<double>(m.sound_db), 0, tr("dB")));
  for (const Stretch& s : stretches_)
    if (seconds >= info_.frameTime(s.frames.first) && seconds < info_.frameTime(s.frames.last))
      parts << (s.reason.empty() ? tr("kept") : tr("kept: %1").arg(QString::fromStdString(s.reason)));
  return parts.join(QStringLiteral("\n"));
}

void MomentStrip::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && info_.frames > 0)
    Q_EMIT moved(info_.indexAtSecond(secondsAt(event->position().x())));
}

void MomentStrip::mouseMoveEvent(QMouseEvent* event) {
  if ((event->buttons() & Qt::LeftButton) != 0 && info_.frames > 0)
    Q_EMIT moved(info_.indexAtSecond(secondsAt(event->position().x())));
}

bool MomentStrip::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    QToolTip::showText(help->globalPos(), textAt(secondsAt(help->pos().x())), this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace glenhaze::desktop
