#include "desktop/shoot/pick_dialog.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QStyle>
#include <QTableWidget>
#include <QVBoxLayout>

#include "core/run/picking.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

struct PickColumn {
  enum { Clip, From, Length, Why, Count };
};

}  // namespace

PickDialog::PickDialog(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
  setWindowTitle(tr("The good parts"));
  resize(860, 480);
  auto* layout = new QVBoxLayout(this);
  layout->addLayout(makeHead());
  buildTable();
  layout->addWidget(table_, 1);
  auto* foot = new QHBoxLayout;
  said_ = new QLabel;
  said_->setStyleSheet(QStringLiteral("color:%1").arg(look::kQuiet.name()));
  foot->addWidget(said_, 1);
  auto* close = new QPushButton(tr("Close"));
  foot->addWidget(close);
  take_ = new QPushButton(tr("Keep those ticked"));
  take_->setToolTip(
      tr("Only these stretches are rendered then, each as a film of its own or joined into one"));
  take_->setEnabled(false);
  foot->addWidget(take_);
  layout->addLayout(foot);
  connect(look_, &QPushButton::clicked, this, &PickDialog::look);
  connect(close, &QPushButton::clicked, this, &QDialog::reject);
  connect(take_, &QPushButton::clicked, this, &PickDialog::take);
  connect(table_, &QTableWidget::itemChanged, this, &PickDialog::showTotal);
  connect(&work_, &Background::progressed, this, [this](double share) {
    said_->setText(tr("Looking, %1").arg(withUnit(100 * share, 0, QStringLiteral("%"))));
  });
  connect(&work_, &Background::changed, this, [this] {
    look_->setEnabled(!work_.busy());
    if (!work_.busy() && !work_.trouble().isEmpty()) said_->setText(work_.trouble());
  });
}

QLayout* PickDialog::makeHead() {
  auto* head = new QHBoxLayout;
  const auto put = [&](const QString& label, QWidget* widget) {
    head->addWidget(new QLabel(label));
    widget->setAccessibleName(label);
    head->addWidget(widget);
    head->addSpacing(10);
  };
  wish_ = new QComboBox;
  wish_->addItems({tr("calm pictures"), tr("something happens"), tr("both")});
  wish_->setCurrentIndex(static_cast<int>(Wish::Both));
  put(tr("Looked for"), wish_);
  total_ = new QDoubleSpinBox;
  total_->setRange(2, 3600);
  total_->setDecimals(0);
  total_->setValue(60);
  total_->setSuffix(tr("\u2009s"));
  total_->setToolTip(tr("How long all of them are together"));
  put(tr("In all"), total_);
  look_ = new QPushButton(tr("Look for them"));
  look_->setProperty("next", true);
  look_->setToolTip(tr("Every clip that is ready is looked through once; later it is known"));
  head->addWidget(look_);
  head->addStretch();
  return head;
}

void PickDialog::buildTable() {
  table_ = new QTableWidget(0, PickColumn::Count);
  table_->setAccessibleName(tr("Suggested stretches"));
  table_->setHorizontalHeaderLabels({tr("Clip"), tr("From"), tr("Length"), tr("Why")});
  table_->verticalHeader()->hide();
  table_->setShowGrid(false);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setColumnWidth(PickColumn::Clip, 250);
  table_->setColumnWidth(PickColumn::From, 80);
  table_->setColumnWidth(PickColumn::Length, 80);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table_->horizontalHeader()->setStretchLastSection(true);
  hintWhileEmpty(*table_,
                 tr("Steady, sharp, well-lit stretches of your clips, each with its reason. Look for "
                    "them, then untick those that you do not want."));
}

void PickDialog::look() {
  PickOptions options;
  options.wish = static_cast<Wish>(wish_->currentIndex());
  options.total_s = total_->value();
  paths_.clear();
  for (const ClipPlan& plan : session_.plans()) paths_.push_back(plan.info.path);
  said_->setText(tr("Looking…"));
  work_.run([this, options, plans = std::vector<ClipPlan>(session_.plans().begin(), session_.plans().end()),
             store = session_.store()](const Progress& progress) -> Background::Finish {
    return [this, found = suggestFor(plans, *store, options, progress)] { present(found); };
  });
}

double PickDialog::secondsOf(const Suggestion& s) const {
  const ClipInfo& info = session_.plans()[s.clip].info;
  return info.frameTime(s.last) - info.frameTime(s.first);
}

void PickDialog::present(std::vector<Suggestion> found) {
  // Clips that came or went meanwhile have other numbers.
  std::vector<std::filesystem::path> now;
  for (const ClipPlan& plan : session_.plans()) now.push_back(plan.info.path);
  if (now != paths_) return look();
  found_ = std::move(found);
  const QSignalBlocker quiet(table_);
  table_->setRowCount(static_cast<int>(std::ssize(found_)));
  for (int row = 0; row < table_->rowCount(); ++row) {
    const Suggestion& s = found_[static_cast<size_t>(row)];
    const ClipInfo& info = session_.plans()[s.clip].info;
    auto* clip = new QTableWidgetItem(QString::fromStdString(info.path.stem().string()));
    clip->setCheckState(Qt::Checked);
    table_->setItem(row, PickColumn::Clip, clip);
    table_->setItem(row, PickColumn::From,
                    new QTableWidgetItem(withUnit(info.frameTime(s.first), 1, tr("s"))));
    table_->setItem(row, PickColumn::Length, new QTableWidgetItem(withUnit(secondsOf(s), 1, tr("s"))));
    table_->setItem(row, PickColumn::Why, new QTableWidgetItem(QString::fromStdString(s.reason)));
    for (const int column : {PickColumn::From, PickColumn::Length})
      table_->item(row, column)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  }
  // Taking them is next now.
  for (QPushButton* button : {look_, take_}) {
    button->setProperty("next", button == take_ && !found_.empty());
    button->style()->polish(button);
  }
  showTotal();
}

void PickDialog::showTotal() {
  double seconds = 0;
  int count = 0;
  for (int row = 0; row < table_->rowCount(); ++row) {
    if (table_->item(row, PickColumn::Clip)->checkState() != Qt::Checked) continue;
    seconds += secondsOf(found_[static_cast<size_t>(row)]);
    ++count;
  }
  take_->setEnabled(count > 0);
  said_->setText(
      found_.empty()
          ? tr("Nothing is long, sharp and steady enough to be suggested.")
          : tr("%1 of %2, %3 together").arg(count).arg(found_.size()).arg(withUnit(seconds, 1, tr("s"))));
}

void PickDialog::take() {
  session_.edit(tr("Keep the good parts"), [&](Shoot& shoot) {
    for (int row = 0; row < table_->rowCount(); ++row) {
      if (table_->item(row, PickColumn::Clip)->checkState() != Qt::Checked) continue;
      const Suggestion& s = found_[static_cast<size_t>(row)];
      if (s.clip < shoot.clips.size()) keepStretch(shoot.clips[s.clip], {{s.first, s.last}, s.reason});
    }
  });
  accept();
}

}  // namespace glenhaze::desktop
