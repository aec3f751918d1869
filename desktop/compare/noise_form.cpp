#include "desktop/compare/noise_form.h"

#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

NoiseForm::NoiseForm(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 4, 0, 0);
  column->setSpacing(5);
  verdict_ = new QLabel;
  verdict_->setWordWrap(true);
  column->addWidget(verdict_);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(4);
  column->addLayout(grid);
  int row = 0;
  const auto put = [&](const QString& name, QWidget* widget, int side) {
    auto* label = quietLabel(name);
    label->setWordWrap(false);
    label->setBuddy(widget);
    grid->addWidget(label, row, 2 * side);
    grid->addWidget(widget, row, 2 * side + 1);
    if (side == 1) ++row;
  };
  luma_ = number(tr("Luma noise removed"),
                 tr("1: the noise that was measured. Takes texture when it goes further."), 0, 4, 0.1);
  chroma_ = number(tr("Colour noise removed"), tr("1: the noise that was measured. Costs hardly any detail."),
                   0, 4, 0.1);
  smoothing_ = number(tr("Texture given up"),
                      tr("How much fine texture is traded for smoothness within the picture"), 0, 3, 0.1);
  tolerance_ =
      number(tr("Motion tolerated"),
             tr("How much a place may differ from frame to frame before it is left alone"), 0.25, 4, 0.25);
  const auto whole = [&](const QString& name, const QString& tip, int high, const QString& unit) {
    auto* spin = new QSpinBox;
    spin->setRange(0, high);
    spin->setSuffix(unit);
    spin->setKeyboardTracking(false);
    spin->setAccessibleName(name);
    spin->setToolTip(tip);
    connect(spin, &QSpinBox::valueChanged, this, &NoiseForm::tell);
    return spin;
  };
  frames_ =
      whole(tr("Frames to each side"),
            tr("Neighbour frames that are looked at before and after; 2 or 3 are the useful range"), 4, {});
  reach_ = whole(tr("Octaves within the picture"),
                 tr("How coarse the blotches are that the part within the picture works on"), 4, {});
  mix_ = whole(tr("Source mixed back"), tr("Share of the untouched source in the result"), 100,
               QStringLiteral("\u2009%"));
  put(tr("Luma"), luma_, 0);
  put(tr("Colour"), chroma_, 1);
  put(tr("Texture"), smoothing_, 0);
  put(tr("Frames ±"), frames_, 1);
  put(tr("Motion"), tolerance_, 0);
  put(tr("Source"), mix_, 1);
  put(tr("Octaves"), reach_, 0);
  auto* buttons = new QVBoxLayout;
  find_ = new QPushButton(tr("Find the strength that keeps it"));
  find_->setToolTip(tr("The largest luma strength that takes no structure from this frame"));
  follow_ = new QPushButton(tr("As the camera"));
  follow_->setToolTip(tr("Drop this clip's own noise settings"));
  keep_ = new QPushButton(tr("Keep for the camera"));
  keep_->setToolTip(tr("Put these settings into the camera's profile"));
  connect(find_, &QPushButton::clicked, this, &NoiseForm::findStrength);
  connect(follow_, &QPushButton::clicked, this, &NoiseForm::followCamera);
  connect(keep_, &QPushButton::clicked, this, &NoiseForm::keepForCamera);
  buttons->addWidget(find_);
  auto* pair = new QHBoxLayout;
  pair->addWidget(follow_);
  pair->addWidget(keep_);
  buttons->addLayout(pair);
  column->addLayout(buttons);
}

QDoubleSpinBox* NoiseForm::number(const QString& name, const QString& tip, double low, double high,
                                  double step) {
  auto* spin = new QDoubleSpinBox;
  spin->setRange(low, high);
  spin->setDecimals(2);
  spin->setSingleStep(step);
  spin->setSuffix(QStringLiteral("\u2009×"));
  spin->setKeyboardTracking(false);
  spin->setAccessibleName(name);
  spin->setToolTip(name + QStringLiteral(". ") + tip);
  connect(spin, &QDoubleSpinBox::valueChanged, this, &NoiseForm::tell);
  return spin;
}

void NoiseForm::setSettings(const DenoiseSettings& s, bool own) {
  settings_ = s;
  filling_ = true;
  luma_->setValue(s.luma);
  chroma_->setValue(s.chroma);
  smoothing_->setValue(s.smoothing);
  tolerance_->setValue(s.tolerance);
  frames_->setValue(s.frames_each_side);
  reach_->setValue(s.reach);
  mix_->setValue(qRound(s.mix * 100));
  filling_ = false;
  follow_->setVisible(own);
  keep_->setVisible(own);
}

void NoiseForm::tell() {
  if (filling_) return;
  DenoiseSettings s = settings_;
  s.luma = luma_->value();
  s.chroma = chroma_->value();
  s.smoothing = smoothing_->value();
  s.tolerance = tolerance_->value();
  s.frames_each_side = frames_->value();
  s.reach = reach_->value();
  s.mix = mix_->value() / 100.0;
  if (!(s == settings_)) Q_EMIT edited(s);
}

void NoiseForm::setVerdict(const std::optional<RemovalVerdict>& verdict) {
  find_->setVisible(verdict && verdict->takes_structure);
  if (!verdict) return verdict_->clear();
  QString text = tr("Noise left <b>%1</b> of what was there.")
                     .arg(withUnit(verdict->noise_left * 100, 0, QStringLiteral("%")));
  if (verdict->takes_structure)
    text += QStringLiteral("<br><span style='color:#E3BF55'>▲ ") +
            tr("%1 of the contrast of textured places goes with it.")
                .arg(withUnit(verdict->structure_taken * 100, 0, QStringLiteral("%"))) +
            QStringLiteral("</span>");
  verdict_->setText(text);
}

void NoiseForm::setBusy(bool busy) {
  find_->setEnabled(!busy);
  find_->setText(busy ? tr("Looking…") : tr("Find the strength that keeps it"));
}

}  // namespace glenhaze::desktop
