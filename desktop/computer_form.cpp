#include "desktop/computer_form.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QSettings>

#include "desktop/noise_speeds.h"
#include "desktop/picture_cache.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

QString deviceKey() { return QStringLiteral("device"); }

QString speedOf(double fps) { return withUnit(fps, 1, QObject::tr("frames/s")); }

// "Name: noise removal and resampling", as the list has it.
QString titleOf(const QString& name, const std::string& choice) {
  if (choice.empty()) return QObject::tr("the processor");
  if (choice.starts_with("clean ")) return QObject::tr("%1: noise removal").arg(name);
  if (choice.starts_with("place ")) return QObject::tr("%1: resampling").arg(name);
  return QObject::tr("%1: both").arg(name);
}

// Names of processors are long, and a list has to fit the window.
QString shortened(const DeviceInfo& device) {
  const QString name = QString::fromStdString(device.name);
  constexpr int kLongest = 34;
  return name.size() <= kLongest ? name : name.left(kLongest - 1) + QStringLiteral("…");
}

}  // namespace

ComputerForm::ComputerForm(QWidget* parent) : QWidget(parent) {
  const QSettings settings;
  auto* form = new QFormLayout(this);
  form->setContentsMargins(0, 0, 0, 0);
  threads_ = new QSpinBox;
  threads_->setRange(0, 256);
  threads_->setSpecialValueText(tr("all cores"));
  threads_->setValue(settings.value(QStringLiteral("threads")).toInt());
  threads_->setToolTip(tr("From the next start on"));
  form->addRow(tr("Worker threads"), threads_);
  pictures_ = new QSpinBox;
  pictures_->setRange(0, 65536);
  pictures_->setSingleStep(256);
  pictures_->setSuffix(tr(" MB"));
  pictures_->setSpecialValueText(
      tr("%1, by this computer's memory")
          .arg(withUnit(static_cast<double>(PictureCache::usualBudget()) / (1 << 20), 0, tr("MB"))));
  pictures_->setToolTip(tr("What may be kept of frames that were looked at, so that they are there at once"));
  pictures_->setValue(settings.value(QStringLiteral("pictures_mb")).toInt());
  form->addRow(tr("Memory for pictures"), pictures_);
  addSpeed();
  addDevices();
}

void ComputerForm::addSpeed() {
  pace_ = new QLabel(speedText(noiseSpeeds()));
  try_noise_ = new QPushButton(tr("Try how fast noise removal is"));
  try_noise_->setToolTip(tr("Takes some seconds; also picks the number of threads"));
  static_cast<QFormLayout*>(layout())->addRow(try_noise_, pace_);
  connect(try_noise_, &QPushButton::clicked, this, &ComputerForm::tryNoise);
  connect(&noise_trial_, &Background::changed, this,
          [this] { try_noise_->setEnabled(!noise_trial_.busy()); });
  connect(&noise_trial_, &Background::progressed, this, [this](double share) {
    if (noise_trial_.busy()) pace_->setText(withUnit(share * 100, 0, QStringLiteral("%")));
  });
}

void ComputerForm::tryNoise() {
  noise_trial_.run([this](const Progress& progress) -> Background::Finish {
    const NoiseSpeed found = measureNoiseSpeed(progress);
    return [this, found] {
      keepNoiseSpeeds(found);
      threads_->setValue(found.threads);
      pace_->setText(speedText(noiseSpeeds()));
    };
  });
}

void ComputerForm::addDevices() {
  auto* form = static_cast<QFormLayout*>(layout());
  device_ = new QComboBox;
  device_->setAccessibleName(tr("Noise and resampling by"));
  device_->setToolTip(
      tr("A graphics card or another device that OpenCL knows; where it fails on the way the processor takes "
         "over and nothing is lost"));
  try_devices_ = new QPushButton(tr("Try them"));
  try_devices_->setAccessibleName(tr("Try the devices"));
  try_devices_->setToolTip(tr("Takes some seconds for each device, and picks the fastest"));
  said_ = new QLabel;
  said_->setWordWrap(true);
  auto* row = new QHBoxLayout;
  row->addWidget(device_, 1);
  row->addWidget(try_devices_);
  form->addRow(tr("Noise and resampling by"), row);
  form->addRow(said_);
  say({});
  try_devices_->setEnabled(false);
  device_->addItem(titleOf({}, {}), QString());
  device_->setEnabled(false);
  // Drivers take their time to load.
  asking_.run([this](const Progress&) -> Background::Finish {
    const auto devices = computeDevices();
    return [this, devices] { listDevices(devices); };
  });
  connect(try_devices_, &QPushButton::clicked, this, &ComputerForm::tryDevicesOut);
  connect(&device_trial_, &Background::changed, this, [this] {
    try_devices_->setEnabled(!device_trial_.busy() && device_->count() > 1);
    if (!device_trial_.busy()) try_devices_->setText(tr("Try them"));
    if (!device_trial_.trouble().isEmpty()) say(device_trial_.trouble());
  });
  connect(&device_trial_, &Background::progressed, this, [this](double share) {
    if (device_trial_.busy()) try_devices_->setText(withUnit(share * 100, 0, QStringLiteral("%")));
  });
}

void ComputerForm::listDevices(const std::vector<DeviceInfo>& devices) {
  for (const DeviceInfo& device : devices)
    for (const char* parts : {"", "clean ", "place "}) {
      const std::string choice = parts + device.id;
      device_->addItem(titleOf(shortened(device), choice), QString::fromStdString(choice));
      device_->setItemData(device_->count() - 1, QString::fromStdString(device.name), Qt::ToolTipRole);
    }
  const QString kept = QSettings().value(deviceKey()).toString();
  if (device_->findData(kept) < 0) device_->addItem(tr("%1 (not here now)").arg(kept), kept);
  device_->setCurrentIndex(device_->findData(kept));
  device_->setEnabled(device_->count() > 1);
  try_devices_->setEnabled(!devices.empty());
  if (devices.empty()) device_->setItemText(0, tr("the processor: there is nothing else here"));
  if (const std::string trouble = deviceTrouble(); !trouble.empty())
    say(tr("It failed, so the processor does it: %1").arg(QString::fromStdString(trouble)));
}

// A row only where there is something to say: the window has to fit small screens.
void ComputerForm::say(const QString& text) {
  said_->setText(text);
  static_cast<QFormLayout*>(layout())->setRowVisible(said_, !text.isEmpty());
}

void ComputerForm::tryDevicesOut() {
  device_trial_.run([this](const Progress& progress) -> Background::Finish {
    const DeviceTrial trial = tryDevices(progress);
    return [this, trial] { showTrial(trial); };
  });
}

void ComputerForm::showTrial(const DeviceTrial& trial) {
  const DeviceTrial::Row& best = trial.best();
  for (const DeviceTrial::Row& row : trial.rows) {
    const int at = device_->findData(QString::fromStdString(row.choice));
    if (at < 0) continue;
    const QString title = titleOf(shortened(row.device), row.choice);
    device_->setItemText(at,
                         title + QStringLiteral(" · ") + (row.why.empty() ? speedOf(row.fps) : tr("fails")));
  }
  device_->setCurrentIndex(device_->findData(QString::fromStdString(best.choice)));
}

void ComputerForm::keep() const {
  QSettings settings;
  settings.setValue(QStringLiteral("threads"), threads_->value());
  settings.setValue(QStringLiteral("pictures_mb"), pictures_->value());
  // Not before it is known what there is.
  if (device_->isEnabled()) settings.setValue(deviceKey(), device_->currentData().toString());
}

DeviceChoice keptDevice() {
  try {
    return choiceFrom(QSettings().value(deviceKey()).toString().toStdString());
  } catch (const DeviceFailure&) {
    return {};  // the preferences say so
  }
}

}  // namespace glenhaze::desktop
