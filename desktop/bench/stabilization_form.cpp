#include "desktop/bench/stabilization_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QStandardItemModel>
#include <cmath>
#include <utility>

#include "core/motion/settings.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

const StabilizationKey& keyNamed(const char* name) {
  for (const StabilizationKey& key : stabilizationKeys())
    if (std::string_view(key.name) == name) return key;
  return stabilizationKeys().front();
}

}  // namespace

StabilizationForm::StabilizationForm(QWidget* parent) : QWidget(parent) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 4, 0, 4);
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(6);
  addChoices(*grid);
  addNumbers(*grid);
  level_ = new QCheckBox(tr("Keep the horizon level"));
  level_->setToolTip(tr("Level as the world was in the first frame, when the camera hung as said"));
  connect(level_, &QCheckBox::clicked, this, [this](bool on) {
    settings_.level = on;
    tell();
  });
  grid->addWidget(level_, grid->rowCount(), 0, 1, 4);
  grid->setColumnStretch(1, 1);
  grid->setColumnStretch(3, 1);
}

template <class Setting>
QComboBox* StabilizationForm::choice(QGridLayout& grid, const QString& label, const QString& name,
                                     const QStringList& answers, Setting StabilizationSettings::*setting) {
  auto* box = new QComboBox;
  box->addItems(answers);
  box->setAccessibleName(name);
  connect(box, &QComboBox::activated, this, [this, setting](int i) {
    settings_.*setting = static_cast<Setting>(i);
    tell();
  });
  const int row = grid.rowCount();
  grid.addWidget(fieldLabel(label), row, 0);
  grid.addWidget(box, row, 1, 1, 3);
  return box;
}

void StabilizationForm::addChoices(QGridLayout& grid) {
  steadying_ =
      choice(grid, tr("Camera"), tr("Camera"), {tr("As filmed"), tr("Keep the move"), tr("Hold still")},
             &StabilizationSettings::steadying);
  framing_ =
      choice(grid, tr("Window"), tr("Window"),
             {tr("Filled, one scale"), tr("Filled, scale changes slowly"), tr("Uncropped, edges show")},
             &StabilizationSettings::framing);
  framing_->setToolTip(tr("Uncropped shows the picture moving inside its frame: what is taken out"));
  part_ = choice(grid, tr("Steady"), tr("What is steadied"),
                 {tr("The scene"), tr("What is far"), tr("What is near")}, &StabilizationSettings::part);
  part_->setToolTip(tr(
      "The scene: what most of the picture does, or what is behind it where much moves on its own. Where the "
      "camera moves sideways, near and far things shake apart: only one of them can be steadied"));
}

void StabilizationForm::addNumbers(QGridLayout& grid) {
  const QString percent = QStringLiteral("%");
  const auto share = [&](const QString& name, const QString& tip, const char* key) {
    return number(name, tip, key, 100, 5, percent, 0);
  };
  const std::pair<QString, QWidget*> fields[] = {
      {tr("Smooth"),
       number(tr("Smoothing"), tr("Moves slower than this stay"), "smoothing_s", 1, 0.1, tr("s"), 2)},
      {tr("Crop to"),
       number(tr("Crop limit"), tr("Most of the width that may be lost"), "crop_limit", 100, 1, percent, 0)},
      {tr("Pan"), share(tr("Pan"), tr("Share of the shake that is taken out of the pan"), "pan")},
      {tr("Tilt"), share(tr("Tilt"), tr("Share of the shake that is taken out of the tilt"), "tilt")},
      {tr("Roll"), share(tr("Roll"), tr("Share of the shake that is taken out of the roll"), "roll")},
      {tr("Tilted by"),
       number(tr("Hang of the camera"), tr("How far the camera was turned clockwise in the first frame"),
              "level_roll_deg", 1, 0.1, QStringLiteral("°"), 1)},
      {tr("Shift"),
       share(tr("Shift"), tr("Share of the shift that is taken out, where the scene shows one"), "shift")},
      {tr("Scale"),
       share(tr("Scale"), tr("Share of the change of scale that is taken out, where there is one"), "scale")},
  };
  int row = grid.rowCount(), column = 0;
  for (const auto& [label, widget] : fields) {
    grid.addWidget(fieldLabel(label), row, column);
    grid.addWidget(widget, row, column + 1);
    column = 2 - column;
    if (column == 0) ++row;
  }
}

QDoubleSpinBox* StabilizationForm::number(const QString& name, const QString& tip, const char* key,
                                          double per_unit, double step, const QString& unit, int digits) {
  const StabilizationKey& known = keyNamed(key);
  auto* spin = new QDoubleSpinBox;
  spin->setRange(known.low * per_unit, known.high * per_unit);
  spin->setDecimals(digits);
  spin->setSingleStep(step);
  spin->setSuffix((unit == QStringLiteral("°") ? unit : QStringLiteral("\u2009") + unit));
  spin->setKeyboardTracking(false);
  spin->setAccessibleName(name);
  spin->setToolTip(tip);
  numbers_[key] = {spin, per_unit};
  connect(spin, &QDoubleSpinBox::valueChanged, this, [this, key, per_unit](double v) {
    if (filling_) return;
    keyNamed(key).set(settings_, v / per_unit);
    tell();
  });
  return spin;
}

void StabilizationForm::tell() {
  if (!filling_) Q_EMIT edited(settings_);
}

void StabilizationForm::setSettings(const StabilizationSettings& settings) {
  filling_ = true;
  settings_ = settings;
  steadying_->setCurrentIndex(static_cast<int>(settings.steadying));
  framing_->setCurrentIndex(static_cast<int>(settings.framing));
  part_->setCurrentIndex(static_cast<int>(settings.part));
  level_->setChecked(settings.level);
  for (const auto& [key, n] : numbers_) n.spin->setValue(keyNamed(key.c_str()).get(settings) * n.per_unit);
  const bool moves = settings.steadying == Steadying::KeepMove;
  numbers_.at("smoothing_s").spin->setEnabled(moves);
  numbers_.at("level_roll_deg").spin->setEnabled(settings.level);
  filling_ = false;
}

void StabilizationForm::setHoldable(bool holdable, const QString& reason) {
  if (auto* model = qobject_cast<QStandardItemModel*>(steadying_->model()))
    model->item(2)->setEnabled(holdable || settings_.steadying == Steadying::HoldStill);
  steadying_->setToolTip(reason);
}

void StabilizationForm::setShiftAndScale(bool modelled) {
  for (const char* key : {"shift", "scale"}) numbers_.at(key).spin->setEnabled(modelled);
}

}  // namespace glenhaze::desktop
