#include "desktop/run/run_where.h"

#include <QComboBox>
#include <QCoreApplication>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QSettings>

#include "core/base/program.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

// Beside the window, as they are installed together; else wherever it is found.
std::filesystem::path consoleProgram() {
  const auto beside =
      std::filesystem::path(QCoreApplication::applicationDirPath().toStdString()) / "glenhaze-cli";
  std::error_code code;
  if (std::filesystem::exists(beside, code)) return beside;
  return findProgram("glenhaze-cli").value_or(beside);
}

}  // namespace

RunWhere::RunWhere(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  row->addWidget(fieldLabel(tr("Render on")));
  where_ = new QComboBox;
  where_->setAccessibleName(tr("Render on"));
  where_->setToolTip(tr("Which computers the next run renders on; Slurm's must share the disk of the shoot"));
  row->addWidget(where_);
  parts_label_ = fieldLabel(tr("long clips in parts of"));
  row->addWidget(parts_label_);
  parts_ = new QDoubleSpinBox;
  parts_->setAccessibleName(tr("Length of parts"));
  parts_->setToolTip(tr("Several computers render one clip at the same time; the file is the same"));
  parts_->setRange(0.1, 60);
  parts_->setDecimals(1);
  parts_->setSuffix(QStringLiteral(" min"));
  parts_->setValue(QSettings().value(QStringLiteral("run/parts_min"), 1.0).toDouble());
  row->addWidget(parts_);
  row->addStretch();
  connect(where_, &QComboBox::currentIndexChanged, this, &RunWhere::take);
  connect(parts_, &QDoubleSpinBox::valueChanged, this, &RunWhere::take);
  connect(&session_, &Session::runChanged, this, [this] { setEnabled(!session_.running()); });
  hide();
}

void RunWhere::look() {
  if (asking_.busy() || !slurmIsThere()) return;
  asking_.run([this](const Progress& progress) -> Background::Finish {
    return [this, partitions = slurmPartitions(progress.stop)] { offer(partitions); };
  });
}

void RunWhere::offer(const std::vector<std::string>& partitions) {
  const QString before = where_->count() > 0 ? where_->currentData().toString()
                                             : QSettings().value(QStringLiteral("run/partition")).toString();
  {
    const QSignalBlocker quiet(where_);
    where_->clear();
    where_->addItem(tr("this computer"), QString());
    for (const std::string& one : partitions)
      where_->addItem(tr("Slurm, %1").arg(QString::fromStdString(one)), QString::fromStdString(one));
    where_->setCurrentIndex(std::max(0, where_->findData(before)));
  }
  setVisible(!partitions.empty());
  take();
}

void RunWhere::take() {
  const QString partition = where_->currentData().toString();
  for (QWidget* w : {static_cast<QWidget*>(parts_label_), static_cast<QWidget*>(parts_)})
    w->setVisible(!partition.isEmpty());
  QSettings settings;
  settings.setValue(QStringLiteral("run/partition"), partition);
  settings.setValue(QStringLiteral("run/parts_min"), parts_->value());
  if (partition.isEmpty()) return session_.setFarm(std::nullopt);
  constexpr double kMinute_s = 60;
  session_.setFarm(FarmOptions{parts_->value() * kMinute_s, {partition.toStdString(), 0, consoleProgram()}});
}

}  // namespace glenhaze::desktop
