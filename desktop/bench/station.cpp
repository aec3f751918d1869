#include "desktop/bench/station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSplitter>
#include <QTableWidget>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

void BenchStation::arrange(QWidget* tools, QWidget* picture, QWidget* position, QWidget* evidence,
                           QWidget* findings, const QString& name) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* across = new QSplitter(Qt::Horizontal);
  auto* left = new QSplitter(Qt::Vertical);
  auto* top = new QWidget;
  auto* column = new QVBoxLayout(top);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(tools);
  column->addWidget(picture, 1);
  column->addWidget(position);
  left->addWidget(top);
  left->addWidget(evidence);
  left->setStretchFactor(0, 3);
  left->setStretchFactor(1, 1);
  left->setSizes({470, 190});
  across->addWidget(left);
  across->addWidget(findings);
  across->setStretchFactor(0, 1);
  across->setCollapsible(1, false);
  rememberSizes(*across, name + QStringLiteral("-across"));
  rememberSizes(*left, name + QStringLiteral("-evidence"));
  layout->addWidget(across);
}

std::pair<QWidget*, QVBoxLayout*> BenchStation::findingsPanel() {
  auto* panel = new QWidget;
  panel->setMinimumWidth(330);
  panel->setMaximumWidth(420);
  makeDeep(*panel);
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(16, 14, 16, 14);
  column->setSpacing(8);
  return {panel, column};
}

std::pair<QLabel*, QLabel*> BenchStation::headline(QVBoxLayout& column) {
  auto* figure = new QLabel;
  figure->setFont(textFont(25, true));
  QLabel* note = quietLabel();
  column.addWidget(figure);
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

QTableWidget* BenchStation::table(const QStringList& heads, const QString& name) {
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
