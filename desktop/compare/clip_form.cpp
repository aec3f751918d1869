#include "desktop/compare/clip_form.h"

#include <QCheckBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <cmath>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

ClipForm::ClipForm(QWidget* parent) : QWidget(parent) {
  auto* form = new QFormLayout(this);
  form->setContentsMargins(0, 6, 0, 0);
  fill_ = percent(tr("Fill the frame"),
                  tr("0: the whole picture with blank corners; 100: no blank corners. For this clip."),
                  &ShootClip::fill);
  amount_ = percent(tr("Lens correction"), tr("How much of the lens correction is applied. For this clip."),
                    &ShootClip::lens_amount);
  as_shoot_ = new QPushButton(tr("As the whole shoot"));
  as_shoot_->setToolTip(tr("Drop this clip's own settings and follow the shoot's"));
  connect(as_shoot_, &QPushButton::clicked, this, [this] {
    Q_EMIT edited(tr("Follow the shoot's settings"),
                  [](ShootClip& c) { c.fill = c.lens_amount = std::nullopt; });
  });
  form->addRow(as_shoot_);
  own_motion_ = new QCheckBox(tr("Mend own motion"));
  own_motion_->setObjectName(QStringLiteral("mend-own-motion"));
  own_motion_->setToolTip(tr(
      "Takes back what moves on its own while the rows are read, such as a boat that crosses close by, from "
      "the dense motion between frames. Rendering takes longer, and what stands beside it can bend a little: "
      "off unless a clip needs it."));
  connect(own_motion_, &QCheckBox::clicked, this, [this](bool on) {
    Q_EMIT edited(on ? tr("Mend own motion") : tr("Leave own motion as it is"),
                  [on](ShootClip& c) { c.shutter_local = on; });
  });
  form->addRow(own_motion_);
}

QSpinBox* ClipForm::percent(const QString& name, const QString& tip,
                            std::optional<double> ShootClip::*member) {
  auto* spin = new QSpinBox;
  spin->setRange(0, 100);
  spin->setSingleStep(5);
  spin->setSuffix(QStringLiteral("\u2009%"));
  spin->setKeyboardTracking(false);
  spin->setAccessibleName(name);
  spin->setToolTip(tip);
  auto* label = new QLabel(name);
  label->setStyleSheet(QStringLiteral("color:%1").arg(look::kQuiet.name()));
  static_cast<QFormLayout*>(layout())->addRow(label, spin);
  connect(spin, &QSpinBox::valueChanged, this,
          [this, name, member](int v) { Q_EMIT edited(name, [=](ShootClip& c) { c.*member = v / 100.0; }); });
  return spin;
}

void ClipForm::setPlan(const ClipPlan& plan) {
  for (const auto& [spin, value] :
       {std::pair{fill_, plan.job.correction.fill}, {amount_, plan.job.correction.lens_amount}}) {
    const QSignalBlocker quiet(spin);
    spin->setValue(static_cast<int>(std::lround(value * 100)));
    spin->setEnabled(plan.job.correction.lens.has_value());
  }
  own_motion_->setChecked(plan.clip.shutter_local);
  own_motion_->setEnabled(plan.questions.motion && plan.motion.shutter.rolls());
  as_shoot_->setVisible(plan.clip.fill || plan.clip.lens_amount);
}

PartSwitches::PartSwitches(QWidget* parent) : QWidget(parent) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  const auto part = [&](const QString& text, const QString& tip, const QString& on_text,
                        const QString& off_text, bool ShootClip::*member) {
    auto* box = new QCheckBox(text);
    box->setToolTip(tip);
    connect(box, &QCheckBox::clicked, this, [=, this](bool on) {
      Q_EMIT edited(on ? on_text : off_text, [=](ShootClip& c) { c.*member = on; });
    });
    row->addWidget(box);
    return box;
  };
  lens_ = part(tr("Lens"), tr("The lens correction of this clip, on or off"), tr("Switch the lens on"),
               tr("Switch the lens off"), &ShootClip::lens_on);
  shutter_ = part(tr("Shutter"), tr("The rolling shutter's correction in this clip, on or off"),
                  tr("Switch the shutter on"), tr("Switch the shutter off"), &ShootClip::shutter_on);
  noise_ = part(tr("Noise"), tr("Noise removal of this clip, on or off"), tr("Switch noise removal on"),
                tr("Switch noise removal off"), &ShootClip::noise_on);
  steady_ = part(tr("Steady"), tr("Stabilization of this clip, on or off"), tr("Switch stabilization on"),
                 tr("Switch stabilization off"), &ShootClip::stabilization_on);
  finish_ = part(tr("Finish"), tr("Edges and colour of this clip, on or off"), tr("Switch the finish on"),
                 tr("Switch the finish off"), &ShootClip::finish_on);
}

void PartSwitches::setPlan(const ClipPlan& plan, const OutputSettings& output) {
  lens_->setEnabled(plan.match.lens.has_value());
  lens_->setChecked(plan.match.lens.has_value() && plan.clip.lens_on && output.lens_on);
  for (const auto& [box, cell] : {std::pair{shutter_, &plan.shutter},
                                  {noise_, &plan.noise},
                                  {steady_, &plan.stabilization},
                                  {finish_, &plan.finish}}) {
    box->setEnabled(cell->kind != Coverage::Missing);
    box->setChecked(cell->kind != Coverage::Missing && cell->kind != Coverage::Off);
  }
}

}  // namespace glenhaze::desktop
