#include "desktop/bench/finish_form.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QPushButton>

#include "core/finish/colour.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

const FinishKey& keyNamed(const std::string& name) {
  for (const FinishKey& key : finishKeys())
    if (name == key.name) return key;
  return finishKeys().front();
}

}  // namespace

FinishForm::FinishForm(QWidget* parent) : QWidget(parent) {
  log_ = makeLogCurves();
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 4, 0, 4);
  grid->setHorizontalSpacing(5);
  grid->setVerticalSpacing(6);
  int at = 0;
  const auto place = [&](const QString& name, QWidget* widget) {
    grid->addWidget(fieldLabel(name), at / 2, at % 2 * 2);
    grid->addWidget(widget, at / 2, at % 2 * 2 + 1);
    ++at;
  };
  const QString percent = QStringLiteral("%"), stops = tr("stops");
  look_ = new QPushButton;
  look_->setAccessibleName(tr("Look"));
  connect(look_, &QPushButton::clicked, this, &FinishForm::chooseLook);
  place(tr("Crispness"),
        number(tr("Crispness"),
               tr("100 %: gives back what enlarging takes of fine detail, on edges above the noise only; "
                  "more is to taste"),
               "crisp", 100, 5, percent, 0));
  place(tr("Calm edges"),
        number(tr("Calm edges"),
               tr("How much of the camera's own over-sharpening is taken back, as it was measured"), "calm",
               100, 5, percent, 0));
  place(tr("Crawling"),
        number(tr("Crawling edges steadied"),
               tr("Roofs, leaves and railings that are too fine for the sensor look different in each frame: "
                  "how much of that is taken out. Takes time, so only where it shows"),
               "shimmer", 100, 10, percent, 0));
  place(tr("Log curve"), log_);
  place(tr("Exposure"),
        number(tr("Exposure"), tr("Brighter or darker, in stops of light"), "exposure", 1, 0.1, stops, 2));
  place(tr("Contrast"), number(tr("Contrast"), tr("About middle grey, which stays as it is"), "contrast", 100,
                               2, percent, 0));
  place(tr("Warmth"),
        number(tr("Warmth"), tr("Stops of red against blue: more is warmer"), "warmth", 1, 0.05, stops, 2));
  place(tr("Green"),
        number(tr("Green against magenta"), tr("Stops of green against red and blue: less is magenta"),
               "tint", 1, 0.05, stops, 2));
  place(tr("Black at"), number(tr("Black point"), tr("The brightness that becomes black, of the whole range"),
                               "black", 100, 1, percent, 0));
  place(tr("White at"), number(tr("White point"), tr("The brightness that becomes white, of the whole range"),
                               "white", 100, 1, percent, 0));
  place(tr("Look"), look_);
  place(tr("Colour"), number(tr("Strength of colour"), tr("0 %: grey; 100 %: as filmed"), "saturation", 100,
                             5, percent, 0));
  place(tr("in shadows"), number(tr("Strength of colour in the shadows"),
                                 tr("Times the strength of colour: less takes blotches of colour out of "
                                    "deep shadows"),
                                 "colour_dark", 100, 5, percent, 0));
  place(tr("in lights"), number(tr("Strength of colour in the lights"),
                                tr("Times the strength of colour: less lets clipped lights go white"),
                                "colour_bright", 100, 5, percent, 0));
  grid->setColumnStretch(1, 1);
  grid->setColumnStretch(3, 1);
  setSettings({});
}

QComboBox* FinishForm::makeLogCurves() {
  auto* box = new QComboBox;
  box->setAccessibleName(tr("Log curve"));
  box->setToolTip(
      tr("The curve that the camera filmed with, where it was a log one: taken out before everything else "
         "here, so that the picture is one for a screen of BT.709"));
  box->addItem(tr("none"));
  for (const std::string& name : logCurves()) box->addItem(QString::fromStdString(name));
  // As wide as its column, whatever its names.
  box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  connect(box, &QComboBox::activated, this, [this](int chosen) {
    settings_.log_curve = chosen > 0 ? logCurves()[static_cast<size_t>(chosen - 1)] : std::string();
    tell();
  });
  return box;
}

QDoubleSpinBox* FinishForm::number(const QString& name, const QString& tip, const char* key, double per_unit,
                                   double step, const QString& unit, int digits) {
  const FinishKey& known = keyNamed(key);
  auto* spin = new QDoubleSpinBox;
  spin->setRange(known.low * per_unit, known.high * per_unit);
  spin->setDecimals(digits);
  spin->setSingleStep(step);
  spin->setSuffix(QStringLiteral("\u2009") + unit);
  spin->setKeyboardTracking(false);
  spin->setAccessibleName(name);
  spin->setToolTip(tip);
  numbers_[key] = {spin, per_unit};
  connect(spin, &QDoubleSpinBox::valueChanged, this, [this, key = std::string(key), per_unit](double v) {
    if (filling_) return;
    keyNamed(key).set(settings_, v / per_unit);
    tell();
  });
  return spin;
}

void FinishForm::chooseLook() {
  if (!settings_.lut.empty()) {
    settings_.lut.clear();
  } else {
    const QString file = QFileDialog::getOpenFileName(this, tr("Choose a look"), {}, tr("Looks (*.cube)"));
    if (file.isEmpty()) return;
    settings_.lut = file.toStdString();
  }
  setSettings(settings_);
  tell();
}

void FinishForm::tell() {
  if (!filling_) Q_EMIT edited(settings_);
}

void FinishForm::setSharpening(const Sharpening& camera) {
  QDoubleSpinBox* calm = numbers_.at("calm").spin;
  calm->setEnabled(camera.amount > 0);
  calm->setToolTip(camera.amount > 0
                       ? tr("How much of the camera's own over-sharpening is taken back, as it was measured")
                       : tr("Measure how the camera draws edges first: no sharpening of its own is known"));
}

void FinishForm::setSettings(const FinishSettings& settings) {
  filling_ = true;
  settings_ = settings;
  for (const auto& [key, number] : numbers_)
    number.spin->setValue(keyNamed(key).get(settings) * number.per_unit);
  log_->setCurrentIndex(std::max(0, log_->findText(QString::fromStdString(settings.log_curve))));
  look_->setText(settings.lut.empty() ? tr("Choose…") : QString::fromStdString(settings.lut.stem().string()));
  look_->setToolTip(
      settings.lut.empty()
          ? tr("A .cube file, applied after everything else")
          : tr("%1. Press to take it away.").arg(QString::fromStdString(settings.lut.string())));
  filling_ = false;
}

}  // namespace glenhaze::desktop
