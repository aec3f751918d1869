#include "desktop/library_dialog.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "core/base/error.h"
#include "core/lens/bend.h"
#include "core/motion/settings.h"
#include "core/profile/bundle.h"
#include "core/profile/edit.h"
#include "core/profile/history.h"
#include "core/profile/library.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr int kProfileColumns = 9;

const QString kNone = QStringLiteral("—");

QString lensText(const Profile& p) {
  if (!p.lens) return kNone;
  return p.lens->rms_px >= 0 ? withUnit(p.lens->rms_px, 2, QObject::tr("px")) : QObject::tr("by hand");
}

QString shutterText(const Profile& p) {
  return p.shutter ? withUnit(p.shutter->shutter.readout_s * 1000, 1, QObject::tr("ms")) : kNone;
}

QString isosText(const Profile& p) {
  QStringList isos;
  if (p.noise)
    for (const NoiseEntry& e : p.noise->entries) isos << QString::number(qRound(e.curve.iso));
  return isos.isEmpty() ? kNone : QObject::tr("ISO %1").arg(isos.join(QStringLiteral(", ")));
}

QString steadyText(const Profile& p) {
  if (!p.stabilization) return kNone;
  const StabilizationSettings& s = p.stabilization->settings;
  return s.steadying == Steadying::Off         ? QObject::tr("off")
         : s.steadying == Steadying::HoldStill ? QObject::tr("held still")
                                               : withUnit(s.smoothing_s, 2, QObject::tr("s"));
}

QString finishText(const Profile& p) {
  if (!p.finish) return kNone;
  return QObject::tr("crisp %1").arg(withUnit(p.finish->settings.crisp * 100, 0, QStringLiteral("%")));
}

// One profile's figures, by name, for looking at it alone or beside another.
std::vector<std::pair<QString, QString>> figuresOf(const Profile& p) {
  std::vector<std::pair<QString, QString>> rows{
      {QObject::tr("mode"), QString::fromStdString(p.camera.describe())}};
  const auto add = [&rows](const QString& name, const QString& value) { rows.emplace_back(name, value); };
  add(QObject::tr("lens"),
      lensText(p) +
          (p.lens ? QObject::tr(", from %1").arg(QString::fromStdString(p.lens->method)) : QString()));
  add(QObject::tr("focal length"), p.lens ? withUnit(p.lens->lens.fx, 1, QObject::tr("px")) : kNone);
  add(QObject::tr("bend at the corner"),
      p.lens ? withUnit(bendOf(p.lens->lens).value_px, 1, QObject::tr("px")) : kNone);
  add(QObject::tr("readout"), shutterText(p));
  add(QObject::tr("noise"), isosText(p));
  if (p.noise)
    for (const NoiseEntry& e : p.noise->entries)
      add(QObject::tr("σ at ISO %1").arg(qRound(e.curve.iso)),
          QString::number(e.curve.sigmaAt(0, 110), 'f', 2));
  add(QObject::tr("stabilization"), steadyText(p));
  add(QObject::tr("finish"), finishText(p));
  return rows;
}

QString sideBySide(const std::vector<const Profile*>& profiles) {
  QString text = QStringLiteral("<table cellspacing='0'><tr><td></td>");
  for (const Profile* p : profiles)
    text += QStringLiteral("<td style='padding-right:24px'><b>%1</b></td>")
                .arg(QString::fromStdString(p->camera.name).toHtmlEscaped());
  text += QStringLiteral("</tr>");
  std::vector<QString> names;
  std::vector<std::map<QString, QString>> values;
  for (const Profile* p : profiles) {
    values.emplace_back();
    for (const auto& [name, value] : figuresOf(*p)) {
      values.back()[name] = value;
      if (std::ranges::find(names, name) == names.end()) names.push_back(name);
    }
  }
  for (const QString& name : names) {
    text += QStringLiteral("<tr><td style='color:%1;padding:1px 14px 1px 0'>%2</td>")
                .arg(look::kQuiet.name(), name.toHtmlEscaped());
    for (const auto& one : values) {
      const auto at = one.find(name);
      text += QStringLiteral("<td style='padding-right:24px'>%1</td>")
                  .arg((at == one.end() ? kNone : at->second).toHtmlEscaped());
    }
    text += QStringLiteral("</tr>");
  }
  return text + QStringLiteral("</table>");
}

QTableWidgetItem* cell(const QString& text) { return new QTableWidgetItem(text); }

}  // namespace

LibraryDialog::LibraryDialog(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
  setWindowTitle(tr("Profiles"));
  resize(1080, 620);
  auto* layout = new QVBoxLayout(this);
  buildTable();
  layout->addWidget(table_, 3);
  auto* below = new QHBoxLayout;
  details_ = new QLabel;
  details_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  details_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  below->addWidget(details_, 3);
  auto* column = new QVBoxLayout;
  column->addWidget(quietLabel(tr("Before")));
  history_ = new QListWidget;
  history_->setAccessibleName(tr("Before"));
  history_->setToolTip(tr("What the profile was before each change of it"));
  hintWhileEmpty(*history_, tr("Choose one profile. What it was before each change stands here."));
  column->addWidget(history_, 1);
  back_ = new QPushButton(tr("Bring this state back"));
  back_->setToolTip(tr("The profile becomes what it was; that can be undone too"));
  column->addWidget(back_);
  below->addLayout(column, 2);
  layout->addLayout(below, 2);
  layout->addLayout(makeFoot());
  connect(back_, &QPushButton::clicked, this, &LibraryDialog::bringBack);
  connect(table_, &QTableWidget::itemSelectionChanged, this, &LibraryDialog::showChosen);
  connect(history_, &QListWidget::currentRowChanged, this, [this](int row) { back_->setEnabled(row >= 0); });
  connect(&session_, &Session::changed, this, &LibraryDialog::fill);
  fill();
}

void LibraryDialog::buildTable() {
  table_ = new QTableWidget(0, kProfileColumns);
  table_->setAccessibleName(tr("Profiles"));
  table_->setHorizontalHeaderLabels({tr("Camera"), tr("Mode"), tr("Lens"), tr("Shutter"), tr("Noise"),
                                     tr("Stabilization"), tr("Finish"), tr("Used by"), tr("Kept in")});
  table_->verticalHeader()->hide();
  table_->setShowGrid(false);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  static constexpr std::array kWidths = {105, 262, 62, 66, 120, 92, 80, 62};
  for (int i = 0; i < static_cast<int>(kWidths.size()); ++i)
    table_->setColumnWidth(i, kWidths[static_cast<size_t>(i)]);
  table_->horizontalHeader()->setStretchLastSection(true);
  hintWhileEmpty(*table_,
                 tr("No camera is measured yet. Measure one on the bench, or import what somebody sent."));
}

QLayout* LibraryDialog::makeFoot() {
  auto* foot = new QHBoxLayout;
  const auto button = [&](const QString& text, const QString& tip, auto action) {
    auto* b = new QPushButton(text);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, action);
    foot->addWidget(b);
    return b;
  };
  rename_ =
      button(tr("Rename camera…"), tr("Clips whose files say the old name no longer find it by themselves"),
             [this] { askRename(); });
  copy_ = button(tr("Copy for another mode…"), tr("As a start for a mode that is not measured yet"),
                 [this] { askCopy(); });
  export_ = button(tr("Export…"), tr("Those that are chosen, in one .zip to send to somebody"), [this] {
    const QString file = QFileDialog::getSaveFileName(this, tr("Export profiles"),
                                                      QStringLiteral("profiles.zip"), tr("Profiles (*.zip)"));
    if (!file.isEmpty()) exportTo(file);
  });
  button(tr("Import…"), tr("Profiles, or a .zip of them; they can also be dropped on the window"), [this] {
    importFrom(
        QFileDialog::getOpenFileNames(this, tr("Import profiles"), {},
                                      tr("Profiles (*%1 *.zip)").arg(QString::fromLatin1(kProfileEnding))));
  });
  said_ = quietLabel();
  foot->addWidget(said_, 1);
  auto* close = new QPushButton(tr("Close"));
  foot->addWidget(close);
  connect(close, &QPushButton::clicked, this, &QDialog::accept);
  return foot;
}

QString LibraryDialog::details() const { return details_->text(); }

void LibraryDialog::attempt(const std::function<void()>& action) {
  said_->clear();
  try {
    action();
  } catch (const Error& error) {
    said_->setText(QString::fromStdString(error.what()));
  }
}

std::vector<size_t> LibraryDialog::chosen() const {
  std::vector<size_t> rows;
  for (const QModelIndex& index : table_->selectionModel()->selectedRows())
    rows.push_back(static_cast<size_t>(index.row()));
  std::ranges::sort(rows);
  return rows;
}

// Every file, also those that another of the same camera and mode stands before.
void LibraryDialog::fill() {
  std::set<std::filesystem::path> kept;
  for (const size_t row : chosen()) kept.insert(profiles_[row].path);
  profiles_.clear();
  for (const auto& folder : session_.shoot().profileFolders())
    for (Profile& p : loadProfiles({folder}).profiles) profiles_.push_back(std::move(p));
  const QSignalBlocker quiet(table_);
  table_->setRowCount(static_cast<int>(std::ssize(profiles_)));
  for (int row = 0; row < table_->rowCount(); ++row) {
    const Profile& p = profiles_[static_cast<size_t>(row)];
    const auto uses = std::ranges::count_if(session_.plans(), [&](const ClipPlan& plan) {
      return plan.match.profile >= 0 &&
             session_.profiles()[static_cast<size_t>(plan.match.profile)].path == p.path;
    });
    const bool of_shoot =
        !session_.shoot().path.empty() && p.path.parent_path() == session_.shoot().profileFolder();
    const QString changed = QFileInfo(QString::fromStdString(p.path.string()))
                                .lastModified()
                                .toString(QStringLiteral("yyyy-MM-dd hh:mm"));
    const std::array<QString, kProfileColumns> texts = {
        QString::fromStdString(p.camera.name),
        QString::fromStdString(p.camera.describe()),
        lensText(p),
        shutterText(p),
        isosText(p),
        steadyText(p),
        finishText(p),
        uses == 1 ? tr("1 clip") : tr("%1 clips").arg(uses),
        (of_shoot ? tr("this shoot") : tr("your library")) + QStringLiteral(" · ") + changed};
    for (int i = 0; i < kProfileColumns; ++i) table_->setItem(row, i, cell(texts[static_cast<size_t>(i)]));
    if (kept.contains(p.path))
      table_->selectionModel()->select(table_->model()->index(row, 0),
                                       QItemSelectionModel::Select | QItemSelectionModel::Rows);
  }
  showChosen();
}

void LibraryDialog::showChosen() {
  const std::vector<size_t> rows = chosen();
  rename_->setEnabled(rows.size() == 1);
  copy_->setEnabled(rows.size() == 1);
  export_->setEnabled(!rows.empty());
  constexpr size_t kBeside = 3;
  std::vector<const Profile*> shown;
  for (const size_t row : rows)
    if (shown.size() < kBeside) shown.push_back(&profiles_[row]);
  details_->setText(shown.empty() ? tr("Choose a profile; two or three are shown side by side.")
                                  : sideBySide(shown));
  history_->clear();
  if (rows.size() == 1)
    for (const ProfileStep& step : historyOf(profiles_[rows[0]].path))
      history_->addItem(
          QDateTime::fromSecsSinceEpoch(step.at_s).toString(QStringLiteral("yyyy-MM-dd hh:mm")) +
          tr(" · before %1 changed").arg(QString::fromStdString(step.changed)));
  back_->setEnabled(false);
}

void LibraryDialog::rename(const QString& name) {
  const std::vector<size_t> rows = chosen();
  if (rows.size() != 1 || name.trimmed().isEmpty()) return;
  attempt([&] {
    Profile profile = profiles_[rows[0]];
    profile.camera.name = name.trimmed().toStdString();
    session_.putProfile(tr("Rename the camera"), std::move(profile));
  });
}

void LibraryDialog::copyFor(const CameraMode& mode) {
  const std::vector<size_t> rows = chosen();
  if (rows.size() != 1) return;
  attempt([&] {
    Profile copy = profiles_[rows[0]];
    const bool same_size = copy.camera.width == mode.width && copy.camera.height == mode.height;
    if (copy.camera == mode)
      throw Error(ErrorKind::BadRequest, "The mode is the same", "", "", "Change what differs");
    if (!same_size) {
      copy.lens.reset();
      if (copy.noise) copy.noise->hot_pixels.clear();
      if (copy.finish) copy.finish->edges.reset();
    }
    copy.camera = mode;
    copy.path.clear();
    copy.kept_json.clear();
    session_.putProfile(tr("Copy a profile"), std::move(copy));
    if (!same_size)
      said_->setText(tr("Its lens was measured at another picture size and did not go with it."));
  });
}

void LibraryDialog::exportTo(const QString& zip) {
  attempt([&] {
    std::vector<std::filesystem::path> files;
    for (const size_t row : chosen()) files.push_back(profiles_[row].path);
    writeBundle(files, zip.toStdString());
    said_->setText(tr("Written: %1").arg(zip));
  });
}

void LibraryDialog::importFrom(const QStringList& files) {
  for (const QString& file : files)
    attempt([&] { said_->setText(session_.importProfiles(file.toStdString())); });
}

void LibraryDialog::bringBack() {
  const std::vector<size_t> rows = chosen();
  const int at = history_->currentRow();
  if (rows.size() != 1 || at < 0) return;
  attempt([&] {
    const auto file = profiles_[rows[0]].path;
    const auto steps = historyOf(file);
    if (at >= static_cast<int>(steps.size())) return;
    Profile before = parseProfile(steps[static_cast<size_t>(at)].text, file.string());
    before.path = file;
    session_.replaceProfile(tr("Bring a profile back"), before);
  });
}

void LibraryDialog::askRename() {
  const std::vector<size_t> rows = chosen();
  if (rows.size() != 1) return;
  bool ok = false;
  const QString name = QInputDialog::getText(this, tr("Rename camera"), tr("Camera"), QLineEdit::Normal,
                                             QString::fromStdString(profiles_[rows[0]].camera.name), &ok);
  if (ok) rename(name);
}

void LibraryDialog::askCopy() {
  const std::vector<size_t> rows = chosen();
  if (rows.size() != 1) return;
  CameraMode mode = profiles_[rows[0]].camera;
  QDialog dialog(this);
  dialog.setWindowTitle(tr("Copy for another mode"));
  auto* form = new QFormLayout(&dialog);
  const auto number = [&](const QString& label, int value) {
    auto* spin = new QSpinBox;
    spin->setRange(16, 16384);
    spin->setValue(value);
    form->addRow(label, spin);
    return spin;
  };
  auto* width = number(tr("Width"), mode.width);
  auto* height = number(tr("Height"), mode.height);
  auto* rate = new QLineEdit(mode.fps ? QString::number(mode.fps->value(), 'g', 6) : QString());
  rate->setPlaceholderText(tr("any"));
  form->addRow(tr("Frames a second"), rate);
  auto* view = new QLineEdit(QString::fromStdString(mode.view));
  form->addRow(tr("View"), view);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (QAbstractButton* b : buttons->buttons()) b->setIcon({});
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Make the copy"));
  form->addRow(buttons);
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  if (dialog.exec() != QDialog::Accepted) return;
  mode.width = width->value();
  mode.height = height->value();
  mode.fps = parseRational(rate->text().trimmed().toStdString());
  mode.view = view->text().trimmed().toStdString();
  copyFor(mode);
}

}  // namespace glenhaze::desktop
