#include "desktop/run/reel_dialog.h"

#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QProgressBar>
#include <QPushButton>
#include <QVBoxLayout>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/run/cut_list.h"
#include "core/run/reel.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

ReelDialog::ReelDialog(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
  setWindowTitle(tr("One film"));
  resize(620, 460);
  auto* layout = new QVBoxLayout(this);
  layout->addWidget(
      quietLabel(tr("Clips and their kept stretches, one after the other in the order of the shoot.")));
  buildList();
  layout->addWidget(list_, 1);
  auto* row = new QHBoxLayout;
  row->addWidget(new QLabel(tr("Each goes over into the next within")));
  dissolve_ = new QDoubleSpinBox;
  dissolve_->setRange(0, 10);
  dissolve_->setSingleStep(0.1);
  dissolve_->setDecimals(1);
  dissolve_->setValue(0.5);
  dissolve_->setSuffix(tr("\u2009s"));
  dissolve_->setSpecialValueText(tr("a hard cut"));
  dissolve_->setAccessibleName(tr("Length of a dissolve"));
  row->addWidget(dissolve_);
  row->addStretch();
  layout->addLayout(row);
  said_ = quietLabel();
  layout->addWidget(said_);
  bar_ = new QProgressBar;
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  bar_->setFixedHeight(4);
  layout->addWidget(bar_);
  layout->addLayout(makeFoot());
  connect(list_, &QListWidget::itemChanged, this, &ReelDialog::showLength);
  connect(dissolve_, &QDoubleSpinBox::valueChanged, this, &ReelDialog::showLength);
  connect(&work_, &Background::progressed, this,
          [this](double share) { bar_->setValue(static_cast<int>(1000 * share)); });
  connect(&work_, &Background::changed, this, [this] {
    join_->setText(work_.busy() ? tr("Stop") : tr("Join into a film…"));
    if (!work_.busy()) bar_->setValue(0);
    if (!work_.busy() && !work_.trouble().isEmpty()) said_->setText(work_.trouble());
  });
  showLength();
}

void ReelDialog::buildList() {
  list_ = new QListWidget;
  list_->setAccessibleName(tr("Parts of the film"));
  const auto& plans = session_.plans();
  const ClipPlan* like = nullptr;
  for (size_t i = 0; i < plans.size(); ++i) {
    if (!isCutInto(plans[i])) continue;
    if (like == nullptr) like = &plans[i];
    const auto count = std::max<size_t>(1, plans[i].stretches.size());
    QString text = QString::fromStdString(plans[i].info.path.stem().string());
    if (!plans[i].stretches.empty())
      text += count == 1 ? tr(" · 1 stretch") : tr(" · %1 stretches").arg(count);
    auto* item = new QListWidgetItem(text, list_);
    item->setCheckState(canStandWith(plans[i], *like) ? Qt::Checked : Qt::Unchecked);
    clips_.push_back(static_cast<int>(i));
  }
  hintWhileEmpty(*list_, tr("No clip is ready to be rendered as a film."));
}

QLayout* ReelDialog::makeFoot() {
  auto* foot = new QHBoxLayout;
  foot->addStretch();
  auto* close = new QPushButton(tr("Close"));
  cuts_ = new QPushButton(tr("Write a cut list…"));
  cuts_->setToolTip(
      tr("For programs that put films together: an edit decision list (.edl) or OpenTimelineIO "
         "(.otio), which lead to the rendered files"));
  join_ = new QPushButton(tr("Join into a film…"));
  join_->setProperty("next", true);
  join_->setToolTip(tr("Corrected and joined in one go, sound included; nothing is encoded twice"));
  for (QPushButton* b : {close, cuts_, join_}) foot->addWidget(b);
  connect(close, &QPushButton::clicked, this, &QDialog::reject);
  connect(cuts_, &QPushButton::clicked, this, &ReelDialog::askCuts);
  connect(join_, &QPushButton::clicked, this, [this] { work_.busy() ? work_.stop() : askJoin(); });
  return foot;
}

void ReelDialog::setDissolve(double seconds) { dissolve_->setValue(seconds); }
QString ReelDialog::said() const { return said_->text(); }

std::vector<ClipPlan> ReelDialog::chosen() const {
  std::vector<ClipPlan> plans;
  for (int row = 0; row < list_->count(); ++row)
    if (list_->item(row)->checkState() == Qt::Checked)
      plans.push_back(session_.plans()[static_cast<size_t>(clips_[static_cast<size_t>(row)])]);
  return plans;
}

void ReelDialog::showLength() {
  bool possible = false;
  try {
    const std::vector<ClipPlan> plans = chosen();
    const CutList list = cutListOf(plans, {}, dissolve_->value());
    said_->setText(tr("%1 parts, %2 together")
                       .arg(list.events.size())
                       .arg(withUnit(static_cast<double>(list.frames()) / list.fps.value(), 1, tr("s"))));
    possible = true;
  } catch (const Error& error) {
    said_->setText(QString::fromStdString(error.what()));
  }
  join_->setEnabled(possible || work_.busy());
  cuts_->setEnabled(possible);
}

void ReelDialog::askJoin() {
  const std::vector<ClipPlan> plans = chosen();
  const QString ending = QString::fromStdString(reelEnding(plans.front().job.encode));
  const QString proposed = QString::fromStdString(session_.shoot().outputFolder().string()) +
                           QLatin1Char('/') + session_.title() + ending;
  QString file =
      QFileDialog::getSaveFileName(this, tr("Join into a film"), proposed, tr("Films (*%1)").arg(ending),
                                   nullptr, QFileDialog::DontConfirmOverwrite);
  if (file.isEmpty()) return;
  if (!file.endsWith(ending)) file += ending;
  join(file);
}

void ReelDialog::join(const QString& file) {
  said_->setText(tr("Joining…"));
  work_.run([this, file, plans = chosen(), dissolve = dissolve_->value(),
             store = session_.store()](const Progress& progress) -> Background::Finish {
    const ReelResult made = makeReel(plans, {file.toStdString(), dissolve, Replace::Ours}, *store, progress);
    return [this, made] {
      said_->setText((made.was_there ? tr("It is there already, and up to date: %1") : tr("Done: %1"))
                         .arg(QString::fromStdString(made.path.string())));
    };
  });
}

void ReelDialog::askCuts() {
  const QString proposed = QString::fromStdString(session_.shoot().outputFolder().string()) +
                           QLatin1Char('/') + session_.title() + QStringLiteral(".otio");
  const QString file =
      QFileDialog::getSaveFileName(this, tr("Write a cut list"), proposed,
                                   tr("OpenTimelineIO (*.otio);;Edit decision list, CMX 3600 (*.edl)"));
  if (!file.isEmpty()) writeCuts(file);
}

void ReelDialog::writeCuts(const QString& file) {
  try {
    const std::vector<ClipPlan> plans = chosen();
    const CutList list = cutListOf(plans, session_.title().toStdString(), dissolve_->value());
    requireNoSource(*plans.front().job.place.guard, file.toStdString());
    writeFileAtomically(file.toStdString(),
                        file.endsWith(QStringLiteral(".edl")) ? edlOf(list) : otioOf(list));
    said_->setText(tr("Written: %1. Render the clips too: it leads to their files.").arg(file));
  } catch (const Error& error) {
    said_->setText(QString::fromStdString(error.what()));
  }
}

}  // namespace glenhaze::desktop
