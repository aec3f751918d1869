#include "desktop/compare/plain_controls.h"

#include <QGridLayout>
#include <QLabel>
#include <QPainter>
#include <QStyleOptionSlider>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

// Steps of the sliders: hundredths of what is set.
constexpr double kStep = 0.01;
int stepsOf(double value) { return static_cast<int>(std::lround(value / kStep)); }

}  // namespace

MarkedSlider::MarkedSlider(QWidget* parent) : QSlider(Qt::Horizontal, parent) {
  // A clip is rendered anew for each value: when the hand lets go, not on the way.
  setTracking(false);
  setMinimumHeight(24);  // the mark stands below the handle
  setSingleStep(5);
  setPageStep(25);
}

void MarkedSlider::setMark(int value) {
  mark_ = value;
  update();
}

void MarkedSlider::paintEvent(QPaintEvent* event) {
  QSlider::paintEvent(event);
  QStyleOptionSlider option;
  initStyleOption(&option);
  const QRect groove = style()->subControlRect(QStyle::CC_Slider, &option, QStyle::SC_SliderGroove, this),
              handle = style()->subControlRect(QStyle::CC_Slider, &option, QStyle::SC_SliderHandle, this);
  const double share = static_cast<double>(mark_ - minimum()) / std::max(1, maximum() - minimum());
  const double x = groove.left() + handle.width() / 2.0 + share * (groove.width() - handle.width());
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(isEnabled() ? look::kText : look::kDim);
  const double low = height() - 1.0;
  p.drawPolygon(QPolygonF{{x, low - 5}, {x - 4, low}, {x + 4, low}});
}

void MarkedSlider::mouseDoubleClickEvent(QMouseEvent*) { setValue(mark_); }

PlainControls::PlainControls(QWidget* parent) : QWidget(parent) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 6, 0, 6);
  grid->setHorizontalSpacing(10);
  grid->setVerticalSpacing(2);
  grid->setColumnStretch(1, 1);
  add(Noise, tr("Noise taken"),
      tr("Of the luma noise that was measured at the clip's ISO; beyond 100 % texture goes too"), 200);
  add(Crisp, tr("Crispness"), tr("100 %: gives back what enlarging takes, on edges above the noise only"),
      200);
  add(Steady, tr("Steadiness"), tr("How long the camera's move is smoothed over, in seconds"), 400);
  lines_[Steady].slider->setMinimum(5);
  add(Crop, tr("Crop at most"), tr("How much of the picture steadying may cost"), 40);
}

void PlainControls::add(Control control, const QString& name, const QString& tip, int most) {
  auto* grid = static_cast<QGridLayout*>(layout());
  Line& line = lines_[control];
  auto* label = quietLabel(name);
  label->setWordWrap(false);
  line.slider = new MarkedSlider;
  line.slider->setRange(0, most);
  line.slider->setAccessibleName(name);
  line.slider->setToolTip(
      tip + tr(". The mark is what the camera's profile says; a double click goes back to it."));
  label->setBuddy(line.slider);
  line.value = new QLabel;
  line.value->setMinimumWidth(48);
  line.value->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  grid->addWidget(label, control, 0);
  grid->addWidget(line.slider, control, 1);
  grid->addWidget(line.value, control, 2);
  connect(line.slider, &QSlider::sliderMoved, this, [this, control](int value) { say(control, value); });
  connect(line.slider, &QSlider::valueChanged, this, [this, control](int value) {
    say(control, value);
    if (!filling_) tell(control, value);
  });
}

void PlainControls::say(Control control, int value) {
  lines_[control].value->setText(control == Steady ? withUnit(value * kStep, 2, tr("s"))
                                                   : withUnit(value, 0, QStringLiteral("%")));
}

void PlainControls::tell(Control control, int value) {
  const double v = value * kStep;
  switch (control) {
    case Noise:
      denoise_.luma = v;
      Q_EMIT edited(tr("Change how much noise is taken"), [s = denoise_](ShootClip& c) { c.denoise = s; });
      break;
    case Crisp:
      finish_.crisp = v;
      Q_EMIT edited(tr("Change the crispness"), [s = finish_](ShootClip& c) { c.finish = s; });
      break;
    case Steady:
      steady_.smoothing_s = v;
      Q_EMIT edited(tr("Change the steadiness"), [s = steady_](ShootClip& c) { c.stabilization = s; });
      break;
    default:
      steady_.crop_limit = v;
      Q_EMIT edited(tr("Change the crop"), [s = steady_](ShootClip& c) { c.stabilization = s; });
  }
}

void PlainControls::show(Control control, bool usable, double value, double usual) {
  const Line& line = lines_[control];
  line.slider->setEnabled(usable);
  line.slider->setMark(stepsOf(usual));
  line.slider->setValue(stepsOf(value));
  say(control, stepsOf(value));
  if (!usable) line.value->setText(QStringLiteral("—"));
}

void PlainControls::setPlan(const ClipPlan& plan, const Profile* profile) {
  const DenoiseSettings usual_noise =
      profile != nullptr && profile->noise ? profile->noise->denoise : DenoiseSettings{};
  const FinishSettings usual_finish =
      profile != nullptr && profile->finish ? profile->finish->settings : FinishSettings{};
  const StabilizationSettings usual_steady = profile != nullptr && profile->stabilization
                                                 ? profile->stabilization->settings
                                                 : StabilizationSettings{};
  const Treatment& t = plan.decision.treatment;
  const bool steadies = t.motion && t.motion->settings.steadying != Steadying::Off;
  denoise_ = t.cleaning ? t.cleaning->settings : usual_noise;
  finish_ = t.finishing ? t.finishing->settings : plan.clip.finish.value_or(usual_finish);
  steady_ = t.motion ? t.motion->settings : usual_steady;
  filling_ = true;
  show(Noise, t.cleaning && t.cleaning->noise, denoise_.luma, usual_noise.luma);
  show(Crisp, t.finishing || plan.clip.finish, finish_.crisp, usual_finish.crisp);
  // Held still there is no move to be smoothed.
  show(Steady, steadies && steady_.steadying == Steadying::KeepMove, steady_.smoothing_s,
       usual_steady.smoothing_s);
  show(Crop, steadies, steady_.crop_limit, usual_steady.crop_limit);
  filling_ = false;
}

}  // namespace glenhaze::desktop
