#include "desktop/compare/noise_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

#include "core/noise/quality.h"
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
  makeStrengths();
  makeShares();
  details_ = new QWidget;
  layDetails();
  column->addWidget(details_);
  flicker_found_ = quietLabel();
  flicker_found_->setVisible(false);
  column->addWidget(flicker_found_);
  column->addLayout(makeButtons());
}

void NoiseForm::makeStrengths() {
  luma_ = number(tr("Luma noise removed"),
                 tr("1: the noise that was measured. Takes texture when it goes further."), 0, 4, 0.1);
  chroma_ = number(tr("Colour noise removed"), tr("1: the noise that was measured. Costs hardly any detail."),
                   0, 4, 0.1);
  smoothing_ = number(tr("Texture given up"),
                      tr("How much fine texture is traded for smoothness within the picture"), 0, 3, 0.1);
  tolerance_ =
      number(tr("Motion tolerated"),
             tr("How much a place may differ from frame to frame before it is left alone"), 0.25, 4, 0.25);
  quality_ = new QComboBox;
  quality_->setAccessibleName(tr("Quality"));
  setSpeeds({});
  connect(quality_, &QComboBox::currentIndexChanged, this, &NoiseForm::tell);
}

void NoiseForm::makeShares() {
  reach_ = whole(tr("Octaves within the picture"),
                 tr("How coarse the blotches are that the part within the picture works on"), 4, {});
  const QString percent = QStringLiteral("\u2009%");
  mix_ = whole(tr("Source mixed back"), tr("Share of the untouched source in the result"), 100, percent);
  blocks_ =
      whole(tr("Blockiness smoothed"),
            tr("How much of the blockiness that hard compression left is smoothed; nothing where none is "
               "measured"),
            100, percent);
  shadows_ = whole(tr("Colour taken out of the deepest shadows"),
                   tr("Where sensors show casts and blotches more than colour"), 100, percent);
  flicker_ = whole(tr("Flicker evened out"),
                   tr("Of pulsing exposure, lamps on mains, and one lamp by itself; lasting changes of light "
                      "stay. The run measures it."),
                   100, percent);
  specks_ = new QCheckBox(tr("Mend specks"));
  specks_->setToolTip(tr("What is in one frame only, as dust or drops, is taken from the frames beside it"));
  connect(specks_, &QCheckBox::toggled, this, &NoiseForm::tell);
}

void NoiseForm::layDetails() {
  auto* details = new QVBoxLayout(details_);
  details->setContentsMargins(0, 0, 0, 0);
  details->setSpacing(5);
  const auto labelOf = [](const QString& name, QWidget* widget) {
    auto* label = fieldLabel(name);
    label->setBuddy(widget);
    return label;
  };
  auto* first = new QHBoxLayout;
  first->addWidget(labelOf(tr("Quality"), quality_));
  first->addWidget(quality_, 1);
  details->addLayout(first);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(4);
  details->addLayout(grid);
  const std::pair<QString, QWidget*> fields[] = {
      {tr("Luma"), luma_},     {tr("Colour"), chroma_},    {tr("Smoothing"), smoothing_},
      {tr("Mix back"), mix_},  {tr("Motion"), tolerance_}, {tr("Blotches"), reach_},
      {tr("Blocks"), blocks_}, {tr("Shadows"), shadows_},  {tr("Flicker"), flicker_},
  };
  int place = 0;
  for (const auto& [name, widget] : fields) {
    const int row = place / 2, column = 2 * (place % 2);
    grid->addWidget(labelOf(name, widget), row, column);
    grid->addWidget(widget, row, column + 1);
    ++place;
  }
  grid->addWidget(specks_, place / 2, 2, 1, 2);
}

QLayout* NoiseForm::makeButtons() {
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
  return buttons;
}

QSpinBox* NoiseForm::whole(const QString& name, const QString& tip, int high, const QString& unit) {
  auto* spin = new QSpinBox;
  spin->setRange(0, high);
  spin->setSuffix(unit);
  spin->setKeyboardTracking(false);
  spin->setAccessibleName(name);
  spin->setToolTip(tip);
  connect(spin, &QSpinBox::valueChanged, this, &NoiseForm::tell);
  return spin;
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
  quality_->setCurrentIndex(s.frames_each_side);
  quality_->setToolTip(quality_->itemData(s.frames_each_side, Qt::ToolTipRole).toString());
  blocks_->setValue(qRound(s.blocks * 100));
  shadows_->setValue(qRound(s.shadow_colour * 100));
  flicker_->setValue(qRound(s.flicker * 100));
  specks_->setChecked(s.specks != 0);
  reach_->setValue(s.reach);
  mix_->setValue(qRound(s.mix * 100));
  filling_ = false;
  follow_->setVisible(own);
  keep_->setVisible(own);
}

void NoiseForm::setDetailed(bool on) { details_->setVisible(on); }

void NoiseForm::tell() {
  if (filling_) return;
  DenoiseSettings s = settings_;
  s.luma = luma_->value();
  s.chroma = chroma_->value();
  s.smoothing = smoothing_->value();
  s.tolerance = tolerance_->value();
  s.frames_each_side = quality_->currentIndex();
  s.blocks = blocks_->value() / 100.0;
  s.shadow_colour = shadows_->value() / 100.0;
  s.flicker = flicker_->value() / 100.0;
  s.specks = specks_->isChecked() ? 1 : 0;
  s.reach = reach_->value();
  s.mix = mix_->value() / 100.0;
  if (!(s == settings_)) Q_EMIT edited(s);
}

void NoiseForm::setSpeeds(const std::array<double, 5>& fps) {
  const bool filling = filling_;
  filling_ = true;
  const int now = std::max(0, quality_->currentIndex());
  quality_->clear();
  for (int side = 0; side < static_cast<int>(fps.size()); ++side) {
    const auto known = std::find_if(kNoiseQualities.begin(), kNoiseQualities.end(),
                                    [&](const NoiseQuality& q) { return q.frames_each_side == side; });
    QString text = known != kNoiseQualities.end() ? QString::fromUtf8(known->name) : tr("Finer");
    text += side == 0 ? tr(", this frame alone") : tr(", %1 ahead").arg(side);
    if (fps[static_cast<size_t>(side)] > 0)
      text += QStringLiteral(" · ") + withUnit(fps[static_cast<size_t>(side)], 1, tr("frames/s"));
    quality_->addItem(text);
    if (known != kNoiseQualities.end())
      quality_->setItemData(side, QString::fromUtf8(known->what), Qt::ToolTipRole);
  }
  quality_->setCurrentIndex(now);
  filling_ = filling;
}

void NoiseForm::setVerdict(const std::optional<RemovalVerdict>& verdict) {
  find_->setVisible(verdict && verdict->takes_structure);
  if (!verdict) return verdict_->clear();
  QString text = verdict->noise_left ? tr("Noise left <b>%1</b> of what was there.")
                                           .arg(withUnit(*verdict->noise_left * 100, 0, QStringLiteral("%")))
                                     : tr("No place in this frame is flat enough to tell what is left.");
  if (verdict->takes_structure)
    text += QStringLiteral("<br><span style='color:#E3BF55'>▲ ") +
            tr("%1 of the contrast of textured places goes with it.")
                .arg(withUnit(verdict->structure_taken * 100, 0, QStringLiteral("%"))) +
            QStringLiteral("</span>");
  verdict_->setText(text);
}

void NoiseForm::setFlickerFound(const QString& text) {
  flicker_found_->setText(text);
  flicker_found_->setVisible(!text.isEmpty());
}

void NoiseForm::setBusy(bool busy) {
  find_->setEnabled(!busy);
  find_->setText(busy ? tr("Looking…") : tr("Find the strength that keeps it"));
}

}  // namespace glenhaze::desktop
