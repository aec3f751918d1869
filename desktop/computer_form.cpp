#include "desktop/computer_form.h"

#include <QFormLayout>
#include <QSettings>

#include "desktop/noise_speeds.h"
#include "desktop/picture_cache.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

QString deviceKey() { return QStringLiteral("device"); }
QString decoderKey() { return QStringLiteral("decoder"); }

QString speedOf(double fps) { return withUnit(fps, 1, QObject::tr("frames/s")); }

// "Name: noise removal and resampling", as the list has it.
QString titleOf(const QString& name, const std::string& choice) {
  if (choice.empty()) return QObject::tr("the processor");
  return QObject::tr("%1: %2").arg(name, QString::fromStdString(choiceParts(choice)));
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
  device_ = addChoice(form, tr("Noise and resampling by"),
                      tr("A graphics card or another device that OpenCL knows; where it fails on the way the "
                         "processor takes over and nothing is lost"));
  decoder_ = addChoice(form, tr("Clips decoded by"),
                       tr("A graphics card that gives the same pictures; where it fails on the way the "
                          "processor reads on and nothing is lost"));
  try_ = new QPushButton(tr("Try how fast it is"));
  try_->setAccessibleName(tr("Try how fast this computer is"));
  try_->setToolTip(
      tr("Takes some seconds; picks the number of threads, and what is fastest for noise and resampling"));
  pace_ = new QLabel(speedText(noiseSpeeds()));
  form->addRow(try_, pace_);
  said_ = new QLabel;
  said_->setWordWrap(true);
  form->addRow(said_);
  say({});
  connect(try_, &QPushButton::clicked, this, &ComputerForm::tryAll);
  connect(&trial_, &Background::changed, this, [this] {
    try_->setEnabled(!trial_.busy());
    if (!trial_.trouble().isEmpty()) say(trial_.trouble());
  });
  connect(&trial_, &Background::progressed, this, [this](double share) {
    if (trial_.busy()) pace_->setText(withUnit(share * 100, 0, QStringLiteral("%")));
  });
  // Drivers take their time to load.
  try_->setEnabled(false);
  asking_.run([this](const Progress&) -> Background::Finish {
    const auto devices = computeDevices();
    const auto decoders = graphicsDecoders();
    return [this, devices, decoders] {
      listDevices(devices);
      listDecoders(decoders);
      try_->setEnabled(true);
    };
  });
}

QComboBox* ComputerForm::addChoice(QFormLayout* form, const QString& label, const QString& tip) {
  auto* box = new QComboBox;
  box->setAccessibleName(label);
  box->setToolTip(tip);
  box->addItem(titleOf({}, {}), QString());
  box->setEnabled(false);
  form->addRow(label, box);
  return box;
}

// What is kept may not be here now: said, not forgotten.
void ComputerForm::takeKept(QComboBox* box, const QString& key) {
  const QString kept = QSettings().value(key).toString();
  if (box->findData(kept) < 0) box->addItem(tr("%1 (not here now)").arg(kept), kept);
  box->setCurrentIndex(box->findData(kept));
  if (box->count() == 1) box->setItemText(0, tr("the processor: nothing else here can"));
  box->setEnabled(box->count() > 1);
}

void ComputerForm::listDecoders(const std::vector<GraphicsDecoder>& decoders) {
  for (const GraphicsDecoder& one : decoders)
    decoder_->addItem(tr("the graphics card, with %1").arg(QString::fromStdString(one.words)),
                      QString::fromStdString(one.name));
  takeKept(decoder_, decoderKey());
}

void ComputerForm::listDevices(const std::vector<DeviceInfo>& devices) {
  for (const DeviceInfo& device : devices)
    for (const char* parts : {"", "clean ", "place "}) {
      const std::string choice = parts + device.id;
      device_->addItem(titleOf(shortened(device), choice), QString::fromStdString(choice));
      device_->setItemData(device_->count() - 1, QString::fromStdString(device.name), Qt::ToolTipRole);
    }
  takeKept(device_, deviceKey());
  if (const std::string trouble = deviceTrouble(); !trouble.empty())
    say(tr("It failed, so the processor does it: %1").arg(QString::fromStdString(trouble)));
}

// A row only where there is something to say: the window has to fit small screens.
void ComputerForm::say(const QString& text) {
  said_->setText(text);
  static_cast<QFormLayout*>(layout())->setRowVisible(said_, !text.isEmpty());
}

void ComputerForm::tryAll() {
  const bool has_devices = device_->count() > 1;
  trial_.run([this, has_devices](const Progress& progress) -> Background::Finish {
    const double first = has_devices ? 0.5 : 1;
    const NoiseSpeed speed = measureNoiseSpeed(partOf(progress, 0, first));
    std::optional<DeviceTrial> devices;
    if (has_devices) devices = tryDevices(partOf(progress, first, 1));
    return [this, speed, devices] {
      keepNoiseSpeeds(speed);
      threads_->setValue(speed.threads);
      pace_->setText(speedText(noiseSpeeds()));
      if (devices) showTrial(*devices);
    };
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
  if (decoder_->isEnabled()) settings.setValue(decoderKey(), decoder_->currentData().toString());
  if (device_->isEnabled()) settings.setValue(deviceKey(), device_->currentData().toString());
}

DeviceChoice keptDevice() {
  try {
    return choiceFrom(QSettings().value(deviceKey()).toString().toStdString());
  } catch (const DeviceFailure&) {
    return {};  // the preferences say so
  }
}

std::optional<GraphicsDecoder> keptDecoder() {
  return graphicsDecoderNamed(QSettings().value(decoderKey()).toString().toStdString());
}

}  // namespace glenhaze::desktop
