#include "desktop/run/run_place.h"

#include <QDesktopServices>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QTableView>
#include <QUrl>
#include <QVBoxLayout>

#include "core/base/error.h"
#include "core/base/files.h"
#include "desktop/run/reel_dialog.h"
#include "desktop/run/run_sight.h"
#include "desktop/run/run_where.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

enum Column { Clip, Stage, Frames, Rate, Time, Size, Why, Columns };

QString stageText(const RunItem& item) {
  switch (item.state) {
    case RunState::Running:
      return QObject::tr("rendering %1").arg(withUnit(item.share * 100, 0, QStringLiteral("%")));
    case RunState::Waiting:
      return QObject::tr("waiting");
    case RunState::Done:
      return item.was_there ? QObject::tr("was done") : QObject::tr("done");
    case RunState::Failed:
      return QObject::tr("failed");
    case RunState::Skipped:
      return QObject::tr("left out");
    default:
      return QObject::tr("taken out");
  }
}

// A thin bar under the stage of the clip that is being rendered; a glyph where one failed.
class StageDelegate : public QStyledItemDelegate {
 public:
  StageDelegate(const RunModel& model, QObject* parent) : QStyledItemDelegate(parent), model_(model) {}
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    const RunItem& item = model_.items()[static_cast<size_t>(index.row())];
    QStyleOptionViewItem moved = option;
    if (item.state == RunState::Failed) {
      paintGlyph(*p, QRectF(option.rect.left() + 3, option.rect.center().y() - 6, 12, 12), true);
      moved.rect.adjust(15, 0, 0, 0);
    }
    QStyledItemDelegate::paint(p, moved, index);
    if (item.state != RunState::Running) return;
    const QRectF bar(option.rect.left() + 3, option.rect.bottom() - 4, option.rect.width() - 15, 3);
    p->fillRect(bar, look::kLine);
    p->fillRect(QRectF(bar.left(), bar.top(), bar.width() * item.share, bar.height()), look::kPaper);
  }

 private:
  const RunModel& model_;
};

}  // namespace

RunModel::RunModel(Session& session, QObject* parent) : QAbstractTableModel(parent), session_(session) {
  connect(&session, &Session::runChanged, this, &RunModel::refresh);
}

void RunModel::refresh() {
  std::vector<RunItem> now = session_.runItems();
  const bool same_rows = now.size() == items_.size();
  if (same_rows) {
    items_ = std::move(now);
    if (!items_.empty())
      Q_EMIT dataChanged(index(0, 0), index(static_cast<int>(items_.size()) - 1, Columns - 1));
    return;
  }
  beginResetModel();
  items_ = std::move(now);
  endResetModel();
}

int RunModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(items_.size());
}
int RunModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(Columns);
}

QVariant RunModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((section >= Frames && section <= Size ? Qt::AlignRight : Qt::AlignLeft) |
                            Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  return QStringList{tr("Clip"), tr("Stage"), tr("Frames"),       tr("Frames/s"),
                     tr("Time"), tr("Size"),  tr("What happened")}
      .value(section);
}

QVariant RunModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= static_cast<int>(items_.size())) return {};
  const RunItem& item = items_[static_cast<size_t>(index.row())];
  const bool number = index.column() >= Frames && index.column() <= Size;
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  if (role == Qt::ForegroundRole && (item.state == RunState::Skipped || item.state == RunState::Waiting))
    return look::kQuiet;
  if (role == Qt::ToolTipRole)
    return QString::fromStdString(item.why +
                                  (item.checked.empty() ? "" : "\nChecked: " + item.checked + "."));
  if (role != Qt::DisplayRole) return {};
  switch (index.column()) {
    case Clip:
      // Stretches of one clip are told apart by what they are rendered as.
      return QString::fromStdString(
          (item.plan->job.place.path.empty() ? item.plan->info.path : item.plan->job.place.path)
              .stem()
              .string());
    case Stage:
      return stageText(item);
    case Frames:
      return item.frames > 0 ? QString::number(item.frames) : QString();
    case Rate:
      return item.fps > 0 ? withUnit(item.fps, 1, {}) : QString();
    case Time:
      return item.seconds > 0 ? spanText(item.seconds) : QString();
    case Size:
      return item.bytes > 0 ? bytesText(static_cast<double>(item.bytes)) : QString();
    default:
      return QString::fromStdString(item.why);
  }
}

RunPlace::RunPlace(Session& session, QWidget* parent) : QWidget(parent), session_(session), model_(session) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(16, 10, 16, 12);
  layout->setSpacing(8);
  auto* head = new QHBoxLayout;
  title_ = new QLabel;
  title_->setFont(textFont(15, true));
  left_ = new QLabel;
  left_->setStyleSheet(QStringLiteral("color:#B4B5B3"));
  head->addWidget(title_);
  head->addSpacing(10);
  head->addWidget(left_);
  head->addStretch();
  addButtons(*head);
  head->addWidget(guideMark(tr("Render")));
  layout->addLayout(head);
  bar_ = new QProgressBar;
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  bar_->setFixedHeight(4);
  layout->addWidget(bar_);
  sight_ = new RunSight;
  layout->addWidget(sight_);
  buildTable();
  layout->addWidget(table_, 1);
  where_ = new RunWhere(session_);
  layout->addWidget(where_);
  note_ = new QLabel;
  note_->setWordWrap(true);
  note_->setStyleSheet(QStringLiteral("color:#B4B5B3"));
  layout->addWidget(note_);
  connect(&session_, &Session::runChanged, this, &RunPlace::refresh);
  connect(&reporting_, &Background::changed, this, [this] {
    if (!reporting_.busy() && !reporting_.trouble().isEmpty()) note_->setText(reporting_.trouble());
  });
  connect(&session_, &Session::changed, this, &RunPlace::refresh);
  refresh();
}

void RunPlace::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  where_->look();
}

void RunPlace::addButtons(QHBoxLayout& head) {
  const auto button = [&](const QString& text, const QString& tip, auto action) {
    auto* b = new QPushButton(text);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, action);
    head.addWidget(b);
    return b;
  };
  up_ = button(tr("Move up"), tr("Render the chosen clip earlier"), [this] {
    if (const int r = selectedRow(); r > 0) {
      session_.batch()->move(r, r - 1);
      table_->selectRow(r - 1);
    }
  });
  out_ = button(tr("Take out"), tr("Take the chosen clip out of this run"), [this] {
    if (const int r = selectedRow(); r >= 0) session_.batch()->cancel(r);
  });
  retry_ = button(tr("Try again"), tr("Render what failed or was taken out once more"), [this] {
    if (session_.batch()) session_.startRun();
  });
  pause_ = button(tr("Pause"), tr("Hold the run; nothing is lost"), [this] {
    if (session_.batch()) session_.batch()->pause(!session_.batch()->paused());
  });
  stop_ = button(tr("Stop run"), tr("Stop; finished clips stay"), [this] { session_.stopRun(); });
  report_ = button(tr("Save report…"), tr("What was rendered and what failed, as HTML or CSV"),
                   [this] { saveReport(); });
  folder_ = button(tr("Open folder"), tr("Show the rendered clips in the file manager"), [this] {
    QDesktopServices::openUrl(
        QUrl::fromLocalFile(QString::fromStdString(session_.shoot().outputFolder().string())));
  });
  button(tr("One film…"), tr("Join clips and stretches into one film, or write a cut list of them"), [this] {
    auto* dialog = new ReelDialog(session_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
  });
  start_ =
      button(tr("Start run"), tr("Render every clip that is ready (Ctrl+R)"), [this] { Q_EMIT runWanted(); });
  start_->setProperty("next", true);
}

void RunPlace::buildTable() {
  table_ = new QTableView;
  table_->setModel(&model_);
  table_->setAccessibleName(tr("Run"));
  table_->setItemDelegateForColumn(Stage, new StageDelegate(model_, table_));
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(30);
  table_->setShowGrid(false);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  static constexpr int kWidths[] = {230, 130, 70, 76, 90, 84};
  for (int i = 0; i < Why; ++i) table_->setColumnWidth(i, kWidths[i]);
  table_->horizontalHeader()->setStretchLastSection(true);
}

int RunPlace::selectedRow() const {
  const auto rows = table_->selectionModel()->selectedRows();
  return rows.isEmpty() || !session_.batch() ? -1 : rows.front().row();
}

void RunPlace::refresh() {
  const auto batch = session_.batch();
  const bool running = session_.running();
  const RunSummary s = batch ? batch->summary() : RunSummary{};
  title_->setText(!batch    ? tr("No run yet")
                  : running ? (batch->paused()            ? tr("Paused")
                               : session_.runsElsewhere() ? tr("Rendering on Slurm")
                                                          : tr("Rendering"))
                            : tr("Run finished"));
  QStringList parts;
  if (batch) parts << tr("%1 done").arg(s.done);
  if (s.waiting + s.running > 0) parts << tr("%1 to go").arg(s.waiting + s.running);
  if (s.failed > 0) parts << tr("%1 failed").arg(s.failed);
  if (s.skipped > 0) parts << tr("%1 left out").arg(s.skipped);
  if (running && s.seconds_left >= 0) parts << tr("%1 left").arg(spanText(s.seconds_left));
  left_->setText(batch ? parts.join(QStringLiteral(" · "))
                       : tr("Start one to render every clip that is ready."));
  bar_->setValue(static_cast<int>(s.share * 1000));
  bar_->setVisible(batch != nullptr);
  showSight();
  start_->setVisible(!running);
  // Of work that others do the order is theirs.
  const bool here = running && !session_.runsElsewhere();
  pause_->setVisible(here);
  pause_->setText(batch && batch->paused() ? tr("Go on") : tr("Pause"));
  stop_->setVisible(running);
  for (QPushButton* b : {up_, out_}) b->setVisible(here);
  retry_->setVisible(!running && batch && s.failed + s.cancelled > 0);
  report_->setVisible(batch != nullptr);
  std::error_code code;
  folder_->setVisible(!running && std::filesystem::is_directory(session_.shoot().outputFolder(), code));
  const std::filesystem::path folder = session_.shoot().outputFolder();
  const bool beside =
      !session_.shoot().path.empty() && folder.parent_path() == session_.shoot().path.parent_path();
  const QString where = QString::fromStdString(beside ? folder.filename().string() : folder.string());
  note_->setText((beside ? tr("Rendered clips go to “%1” beside the shoot.") : tr("Rendered clips go to %1."))
                     .arg(where) +
                 QLatin1Char(' ') +
                 tr("Sources are never written to; a run that was stopped goes on where it was."));
}

// Of the clip in work; afterwards of the last one.
void RunPlace::showSight() {
  const auto batch = session_.batch();
  const auto watch = batch ? batch->watch() : nullptr;
  sight_->setVisible(watch != nullptr);
  if (!watch) return;
  QString clip;
  for (const RunItem& item : session_.runItems())
    if (item.state == RunState::Running)
      clip = QString::fromStdString(item.plan->job.place.path.filename().string());
  sight_->show(watch, session_.running() ? clip : tr("The whole run is finished"));
}

void RunPlace::saveReport() {
  const QString file = QFileDialog::getSaveFileName(this, tr("Save report"), QStringLiteral("report.html"),
                                                    tr("Web page (*.html);;Table (*.csv)"));
  if (file.isEmpty()) return;
  note_->setText(tr("Writing the report…"));
  reporting_.run([this, file, items = model_.items(),
                  title = session_.title().toStdString()](const Progress& progress) -> Background::Finish {
    glenhaze::saveReport(file.toStdString(), items, title, progress);
    return [this, file] { note_->setText(tr("Report saved: %1").arg(file)); };
  });
}

}  // namespace glenhaze::desktop
