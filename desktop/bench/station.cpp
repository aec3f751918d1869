#include "desktop/bench/station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QSplitter>
#include <QTableWidget>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {
constexpr int kToolsHeight = 32, kPositionHeight = 24;
constexpr int kFindingsWidth = 388;
}  // namespace

void BenchStation::arrange(QWidget* tools, PictureView* picture, QAbstractSlider* position, QWidget* evidence,
                           QWidget* findings) {
  picture_ = picture;
  position_ = position;
  if (auto* rows = qobject_cast<QAbstractItemView*>(evidence)) leaveOutByShiftClick(*rows);
  tools->setFixedHeight(kToolsHeight);
  position->setFixedHeight(kPositionHeight);
  QSizePolicy keeps = position->sizePolicy();
  keeps.setRetainSizeWhenHidden(true);
  position->setSizePolicy(keeps);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(6);
  auto* across = across_ = new QSplitter(Qt::Horizontal);
  auto* left = left_ = new QSplitter(Qt::Vertical);
  auto* top = new QWidget;
  auto* column = new QVBoxLayout(top);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(picture, 1);
  column->addWidget(position);
  left->addWidget(top);
  left->addWidget(evidence);
  left->setStretchFactor(0, 3);
  left->setStretchFactor(1, 1);
  left->setSizes({470, 190});
  across->addWidget(left);
  // On a small screen the findings scroll rather than push the window over its edge.
  auto* room = new QScrollArea;
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  room->setWidget(findings);
  room->setMinimumWidth(kFindingsWidth);
  room->setMaximumWidth(kFindingsWidth + 90);
  across->addWidget(room);
  across->setStretchFactor(0, 1);
  across->setCollapsible(1, false);
  across->setSizes({1 << 14, kFindingsWidth});
  rememberSizes(*across, QStringLiteral("bench-findings"));
  rememberSizes(*left, QStringLiteral("bench-evidence"));
  layout->addWidget(tools);
  layout->addWidget(across, 1);
}

void BenchStation::standAs(const BenchStation& other, bool same_shot) {
  if (&other == this) return;
  across_->setSizes(other.across_->sizes());
  left_->setSizes(other.left_->sizes());
  if (!other.picture_->pictureSize().isEmpty()) picture_->lookAs(*other.picture_);
  if (same_shot && position_->maximum() == other.position_->maximum())
    position_->setValue(other.position_->value());
}

void BenchStation::flash(const QRectF& area) { picture_->flash(area); }

std::pair<QWidget*, QVBoxLayout*> BenchStation::findingsPanel() {
  auto* panel = new QWidget;
  makeDeep(*panel);
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(16, 14, 16, 14);
  column->setSpacing(8);
  return {panel, column};
}

std::pair<QLabel*, QLabel*> BenchStation::headline(QVBoxLayout& column, const QString& topic) {
  auto* figure = new QLabel;
  figure->setFont(textFont(25, true));
  QLabel* note = quietLabel();
  auto* row = new QHBoxLayout;
  row->addWidget(figure, 1);
  row->addWidget(guideMark(topic), 0, Qt::AlignTop);
  column.addLayout(row);
  column.addWidget(note);
  return {figure, note};
}

QButtonGroup* BenchStation::addWays(QHBoxLayout& row, const std::vector<std::pair<QString, QString>>& ways,
                                    const std::function<void(int)>& chosen) {
  auto* group = new QButtonGroup(this);
  int id = 0;
  for (const auto& [text, tip] : ways) {
    auto* button = new QPushButton(text);
    button->setCheckable(true);
    button->setToolTip(tip);
    group->addButton(button, id++);
    row.addWidget(button);
  }
  connect(group, &QButtonGroup::idClicked, this, chosen);
  return group;
}

QTableWidget* BenchStation::table(const QStringList& heads, const QString& name,
                                  std::initializer_list<int> numbers) {
  auto* t = new QTableWidget(0, static_cast<int>(heads.size()));
  t->setHorizontalHeaderLabels(heads);
  t->setAccessibleName(name);
  t->verticalHeader()->hide();
  t->verticalHeader()->setDefaultSectionSize(24);
  t->setShowGrid(false);
  t->setEditTriggers(QAbstractItemView::NoEditTriggers);
  t->setSelectionBehavior(QAbstractItemView::SelectRows);
  t->setSelectionMode(QAbstractItemView::SingleSelection);
  t->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  t->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  for (const int column : numbers)
    t->horizontalHeaderItem(column)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  return t;
}

QTableWidgetItem* BenchStation::cell(const QString& text, bool number) {
  auto* item = new QTableWidgetItem(text);
  if (number) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  return item;
}

QPushButton* BenchStation::putButton(const QString& tip) {
  auto* button = new QPushButton(tr("Put into profile"));
  button->setProperty("next", true);
  button->setMinimumHeight(30);
  button->setToolTip(tip);
  connect(button, &QPushButton::clicked, this, [this] { putIntoProfile(); });
  return button;
}

QProgressBar* BenchStation::progressBar() {
  auto* bar = new QProgressBar;
  bar->setRange(0, 1000);
  bar->setTextVisible(false);
  bar->setFixedHeight(4);
  return bar;
}

}  // namespace glenhaze::desktop
