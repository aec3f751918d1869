#include "desktop/shoot/shoot_place.h"

#include <QAction>
#include <QComboBox>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/profile/from_findings.h"
#include "core/treat/iso.h"
#include "desktop/shoot/camera_dialog.h"
#include "desktop/shoot/ledger_delegate.h"
#include "desktop/shoot/ledger_view.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

QString countText(int count, const QString& one, const QString& several) {
  return QStringLiteral("%1 %2").arg(count).arg(count == 1 ? one : several);
}

QLabel* makeLabel(int pixels, bool bold, QColor colour) {
  auto* label = new QLabel;
  label->setFont(textFont(pixels, bold));
  label->setStyleSheet(QStringLiteral("color: %1").arg(colour.name()));
  return label;
}

}  // namespace

ShootPlace::ShootPlace(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), model_(session), hand_over_(session, this) {
  connect(&hand_over_, &HandOverMenu::said, this, [this](const QString& text) { summary_->setText(text); });
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  layout->addWidget(buildHead());
  buildLedger();
  stack_ = new QStackedWidget;
  auto* filled = new QWidget;
  auto* inner = new QVBoxLayout(filled);
  inner->setContentsMargins(16, 0, 6, 0);
  inner->setSpacing(0);
  auto* head = new LedgerHead(*ledger_, columns_);
  head->setFixedHeight(26);
  inner->addWidget(buildNext());
  inner->addWidget(head);
  inner->addWidget(ledger_, 1);
  stack_->addWidget(filled);
  stack_->addWidget(buildEmpty());
  layout->addWidget(stack_, 1);
  foot_ = buildFoot();
  layout->addWidget(foot_);
  connect(&session_, &Session::changed, this, &ShootPlace::refresh);
  connect(&session_, &Session::runChanged, this, [this] {
    ledger_->viewport()->update();
    // The time that a run will take is known from the last one.
    if (!session_.running()) refresh();
    showNext();
  });
  connect(&session_.standings(), &Standings::changed, this, [this] {
    ledger_->viewport()->update();
    showNext();
  });
  connect(&strips_, &FilmStrips::ready, this, [this] { ledger_->viewport()->update(); });
  refresh();
}

QWidget* ShootPlace::buildHead() {
  auto* head = new QWidget;
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(16, 10, 16, 6);
  title_ = makeLabel(15, true, look::kText);
  summary_ = makeLabel(13, false, look::kQuiet);
  row->addWidget(title_);
  row->addSpacing(10);
  row->addWidget(summary_);
  row->addStretch();
  find_ = new QLineEdit;
  find_->setPlaceholderText(tr("Find clips"));
  find_->setAccessibleName(tr("Find clips"));
  find_->setToolTip(tr("By words of their names, cameras and modes (Ctrl+F)"));
  find_->setClearButtonEnabled(true);
  find_->setMaximumWidth(150);
  row->addWidget(find_);
  only_ = new QComboBox;
  only_->setAccessibleName(tr("Which clips"));
  only_->addItems({tr("All clips"), tr("Uncovered"), tr("To be rendered"), tr("Out of date"), tr("Failed")});
  only_->setToolTip(tr("Which clips are listed"));
  row->addWidget(only_);
  const auto filter = [this] {
    model_.setFilter(find_->text(), static_cast<LedgerModel::Only>(only_->currentIndex()));
  };
  connect(find_, &QLineEdit::textChanged, this, filter);
  connect(only_, &QComboBox::currentIndexChanged, this, filter);
  auto* find_key = new QAction(tr("Find clips"), this);
  find_key->setShortcut(QKeySequence::Find);
  addAction(find_key);
  connect(find_key, &QAction::triggered, find_, [this] { find_->setFocus(); });
  auto* output = output_ = new QPushButton(tr("Output settings…"));
  output->setToolTip(tr("Folder, format, size, sound and picture window of the rendered clips"));
  connect(output, &QPushButton::clicked, this, &ShootPlace::outputWanted);
  row->addWidget(output);
  auto* bring = new QPushButton(tr("Bring in footage…"));
  bring->setToolTip(
      tr("Add clips or a folder of clips (Ctrl+B). Folders can also be dropped on the window."));
  connect(bring, &QPushButton::clicked, this, &ShootPlace::bringInWanted);
  row->addWidget(bring);
  return head;
}

void ShootPlace::buildLedger() {
  ledger_ = new LedgerView(model_, columns_,
                           {[this](int clip, BenchPart part) { Q_EMIT benchWanted(clip, part); },
                            [this](int clip) { answerFor(clip); },
                            [this](const std::vector<int>& clips) { takeAsTheyAre(clips, true); }});
  ledger_->setAccessibleName(tr("Coverage ledger"));
  ledger_->setModel(&model_);
  hintWhileEmpty(*ledger_, tr("No clip is like this."));
  ledger_->setItemDelegate(new LedgerDelegate(session_, model_, columns_, strips_, ledger_));
  const auto order = [this] { model_.setOrder(columns_.sortedBy(), columns_.falling()); };
  connect(&columns_, &LedgerColumns::sortChanged, this, order);
  order();
  connect(&model_, &LedgerModel::given, this, &ShootPlace::giveCamera);
  ledger_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  ledger_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  ledger_->setStyleSheet(QStringLiteral("QListView { background: #363738; border: 0; }"));
  ledger_->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(ledger_, &QWidget::customContextMenuRequested, this, &ShootPlace::showMenu);
  connect(ledger_, &QListView::activated, this, [this](const QModelIndex& index) {
    if (const int clip = model_.clipAt(index); clip >= 0) Q_EMIT benchWanted(clip, BenchPart::Lens);
  });
  connect(ledger_->selectionModel(), &QItemSelectionModel::currentChanged, this,
          [this](const QModelIndex& index) {
            if (const int clip = model_.clipAt(index); clip >= 0) session_.setCurrentClip(clip);
          });
  // The clip chosen in another place is found again here.
  connect(&session_, &Session::currentClipChanged, this, [this] {
    const QModelIndex row = model_.indexOfClip(session_.currentClip());
    if (row.isValid() && ledger_->currentIndex() != row) ledger_->setCurrentIndex(row);
  });
}

// The one next useful step, which it does when pressed.
QWidget* ShootPlace::buildNext() {
  auto* line = new QWidget;
  auto* row = new QHBoxLayout(line);
  row->setContentsMargins(0, 0, 10, 4);
  row->setSpacing(10);
  auto* label = makeLabel(13, false, look::kQuiet);
  label->setText(tr("Next"));
  row->addWidget(label);
  next_ = new QPushButton;
  next_->setProperty("next", true);
  next_->setToolTip(tr("The most useful thing to do now (Ctrl+Full stop)"));
  next_->setShortcut(QKeySequence(static_cast<int>(Qt::CTRL) | Qt::Key_Period));
  connect(next_, &QPushButton::clicked, this, &ShootPlace::takeNext);
  row->addWidget(next_);
  done_ = makeLabel(13, false, look::kText);
  row->addWidget(done_);
  row->addStretch();
  auto* columns = new QPushButton(tr("Columns"));
  columns->setToolTip(tr("Which columns are shown, and what clips are sorted by"));
  auto* menu = new QMenu(columns);
  connect(menu, &QMenu::aboutToShow, this, [this, menu] { columns_.fill(*menu); });
  columns->setMenu(menu);
  row->addWidget(columns);
  row->addWidget(guideMark(tr("Bring in a folder")));
  line->setFixedHeight(34);
  return line;
}

void ShootPlace::showNext() {
  const NextStep step = session_.nextStep();
  const bool waits = session_.running();
  const bool pressed = !waits && step.kind != NextStep::Kind::Done && step.kind != NextStep::Kind::Nothing;
  // A shortcut is kept when the text is not: Qt would take it from the text.
  const QKeySequence key = next_->shortcut();
  next_->setText(pressed ? QString::fromStdString(step.text) : tr("Nothing to do"));
  next_->setShortcut(key);
  next_->setVisible(pressed);
  done_->setVisible(!pressed);
  done_->setText(waits                               ? tr("wait for the run, or look at what it has made")
                 : step.kind == NextStep::Kind::Done ? QString::fromStdString(step.text) + QLatin1Char('.')
                                                     : tr("nothing to do: no clip is to be rendered"));
}

void ShootPlace::takeNext() {
  const NextStep step = session_.nextStep();
  if (step.kind == NextStep::Kind::Name) answerFor(step.clip);
  if (step.kind == NextStep::Kind::MeasureLens) Q_EMIT benchWanted(step.clip, BenchPart::Lens);
  if (step.kind == NextStep::Kind::Render) Q_EMIT runWanted();
}

QWidget* ShootPlace::buildFoot() {
  auto* foot = new QWidget;
  makeDeep(*foot);
  foot->setFixedHeight(64);
  auto* row = new QHBoxLayout(foot);
  row->setContentsMargins(16, 8, 16, 8);
  row->setSpacing(26);
  covered_ = makeLabel(13, false, look::kText);
  time_ = makeLabel(13, false, look::kText);
  disk_ = makeLabel(13, false, look::kText);
  for (QLabel* label : {covered_, time_, disk_}) row->addWidget(label);
  row->addStretch();
  row->addWidget(new Legend(foot));
  render_ = new QPushButton;
  render_->setMinimumHeight(30);
  render_->setToolTip(tr("Render every clip that is ready (Ctrl+R)"));
  connect(render_, &QPushButton::clicked, this, &ShootPlace::runWanted);
  row->addWidget(render_);
  return foot;
}

QWidget* ShootPlace::buildEmpty() {
  auto* empty = new QWidget;
  auto* column = new QVBoxLayout(empty);
  column->addStretch();
  for (const QString& sentence :
       {tr("Measure each camera once: its lens, its shutter, its noise."),
        tr("Then every clip it films comes out straight, steady and clean, in one go."),
        tr("Your footage is never written to. Drop a folder of it here to begin.")}) {
    auto* text = makeLabel(15, false, look::kText);
    text->setAlignment(Qt::AlignCenter);
    text->setText(sentence);
    column->addWidget(text);
  }
  auto* row = new QHBoxLayout;
  row->addStretch();
  const auto add = [&](const QString& text, bool next, auto wanted) {
    auto* button = new QPushButton(text);
    button->setProperty("next", next);
    connect(button, &QPushButton::clicked, this, wanted);
    row->addWidget(button);
  };
  add(tr("Bring in footage…"), true, &ShootPlace::bringInWanted);
  add(tr("Open the demonstration"), false, &ShootPlace::demonstrationWanted);
  add(tr("Read the guide"), false, &ShootPlace::guideWanted);
  row->addStretch();
  column->addSpacing(16);
  column->addLayout(row);
  column->addStretch();
  return empty;
}

std::vector<int> ShootPlace::selectedClips() const {
  std::vector<int> clips;
  for (const QModelIndex& index : ledger_->selectionModel()->selectedIndexes())
    if (const int clip = model_.clipAt(index); clip >= 0) clips.push_back(clip);
  return clips;
}

void ShootPlace::showMenu(const QPoint& at) {
  const auto clips = selectedClips();
  if (clips.empty()) return;
  QMenu menu(this);
  menu.addAction(tr("Open in Compare"), this, [=, this] { Q_EMIT compareWanted(clips.front()); });
  QMenu* bench = menu.addMenu(tr("On the bench"));
  for (const auto& [text, part] : {std::pair{tr("Measure its lens"), BenchPart::Lens},
                                   {tr("Measure its shutter"), BenchPart::Shutter},
                                   {tr("Measure its noise"), BenchPart::Noise},
                                   {tr("Set its stabilization"), BenchPart::Stabilization},
                                   {tr("Set its finish"), BenchPart::Finish}})
    bench->addAction(text, this, [=, this, part = part] { Q_EMIT benchWanted(clips.front(), part); });
  menu.addSeparator();
  menu.addAction(tr("Say camera and mode…"), this, [=, this] { answerFor(clips.front()); });
  menu.addAction(tr("Assign a profile…"), this, [=, this] { assignFor(clips); });
  menu.addSeparator();
  addParts(menu, clips);
  addNoise(menu, clips);
  menu.addSeparator();
  addHandling(menu, clips);
  menu.addSeparator();
  hand_over_.fill(*menu.addMenu(tr("Hand over")), clips.front());
  menu.addAction(tr("Remove from the shoot"), this, [=, this] {
    session_.edit(tr("Remove from the shoot"), [&](Shoot& shoot) {
      auto sorted = clips;
      std::sort(sorted.rbegin(), sorted.rend());
      for (const int clip : sorted) shoot.clips.erase(shoot.clips.begin() + clip);
    });
  });
  menu.exec(ledger_->viewport()->mapToGlobal(at));
}

void ShootPlace::addChange(QMenu& menu, const std::vector<int>& clips, const QString& text,
                           const std::function<void(ShootClip&)>& edit) {
  menu.addAction(text, this, [=, this] {
    session_.edit(text, [&](Shoot& shoot) {
      for (const int clip : clips) edit(shoot.clips[static_cast<size_t>(clip)]);
    });
  });
}

void ShootPlace::addParts(QMenu& menu, const std::vector<int>& clips) {
  const ShootClip& first = session_.shoot().clips[static_cast<size_t>(clips.front())];
  QMenu* parts = menu.addMenu(tr("Parts on and off"));
  const auto part = [&](bool ShootClip::*on, const QString& off_text, const QString& on_text) {
    addChange(*parts, clips, first.*on ? off_text : on_text,
              [on, value = !(first.*on)](ShootClip& c) { c.*on = value; });
  };
  part(&ShootClip::lens_on, tr("Switch the lens off"), tr("Switch the lens on"));
  part(&ShootClip::shutter_on, tr("Switch the shutter off"), tr("Switch the shutter on"));
  part(&ShootClip::noise_on, tr("Switch noise removal off"), tr("Switch noise removal on"));
  part(&ShootClip::stabilization_on, tr("Switch stabilization off"), tr("Switch stabilization on"));
  part(&ShootClip::finish_on, tr("Switch the finish off"), tr("Switch the finish on"));
}

void ShootPlace::addNoise(QMenu& menu, const std::vector<int>& clips) {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clips.front())];
  menu.addAction(tr("Say the ISO…"), this, [=, this] { askIso(clips); });
  menu.addAction(tr("Read the ISO from names…"), this, [=, this] { askIsoPattern(clips.front()); });
  menu.addAction(tr("Tell the ISO by noise"), this, [=, this] { estimateIsoOf(clips); });
  if (ownNoiseOf(plan.facts))
    menu.addAction(tr("Keep its noise for the camera"), this, [=, this] { keepNoiseOf(clips.front()); });
  // One line for each light that the camera's curves know, where there are several.
  if (const auto lights =
          plan.match.profile >= 0 ? lightsOf(curvesOf(plan.match.profile)) : std::vector<std::string>{};
      lights.size() > 1) {
    for (const std::string& light : lights)
      addChange(menu, clips,
                light.empty() ? tr("Light: the curve without a name")
                              : tr("Light: %1").arg(QString::fromStdString(light)),
                [light](ShootClip& c) { c.light = light; });
    addChange(menu, clips, tr("Light: what its noise fits"), [](ShootClip& c) { c.light.reset(); });
  }
}

// What is made of the clips as a whole.
void ShootPlace::addHandling(QMenu& menu, const std::vector<int>& clips) {
  const ShootClip& first = session_.shoot().clips[static_cast<size_t>(clips.front())];
  const ClipInfo& info = session_.plans()[static_cast<size_t>(clips.front())].info;
  menu.addAction(first.by_itself ? tr("Only with a profile") : tr("Clean and steady as it is"), this,
                 [=, this] { takeAsTheyAre(clips, !first.by_itself); });
  addChange(menu, clips, first.render ? tr("Leave out of runs") : tr("Render again in runs"),
            [on = !first.render](ShootClip& c) { c.render = on; });
  if (info.interlaced)
    addChange(menu, clips, first.deinterlace ? tr("Keep fields") : tr("Deinterlace"),
              [on = !first.deinterlace](ShootClip& c) { c.deinterlace = on; });
  // A fault that is met only while rendering is known from the run; offered wherever there is film.
  if (info.kind == ClipKind::Film)
    addChange(menu, clips,
              first.hold_damage ? tr("Render only if undamaged") : tr("Render what is readable, if damaged"),
              [on = !first.hold_damage](ShootClip& c) { c.hold_damage = on; });
}

void ShootPlace::takeAsTheyAre(const std::vector<int>& clips, bool on) {
  session_.edit(on ? tr("Clean and steady as it is") : tr("Only with a profile"), [&](Shoot& shoot) {
    for (const int clip : clips) shoot.clips[static_cast<size_t>(clip)].by_itself = on;
  });
}

std::vector<NoiseCurve> ShootPlace::curvesOf(int profile) const {
  const auto& noise = session_.profiles()[static_cast<size_t>(profile)].noise;
  return noise ? noise->curves() : std::vector<NoiseCurve>{};
}

void ShootPlace::estimateIsoOf(const std::vector<int>& clips) {
  struct Question {
    ClipInfo info;
    std::vector<NoiseCurve> curves;
  };
  std::vector<Question> questions;
  for (const int clip : clips) {
    const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
    if (plan.match.profile < 0 || !plan.info.readable()) continue;
    if (auto curves = curvesOf(plan.match.profile); !curves.empty())
      questions.push_back({plan.info, std::move(curves)});
  }
  if (questions.empty())
    return summary_->setText(tr("The ISO is told by noise curves, and there are none yet."));
  telling_.run([this, questions](const Progress& progress) -> Background::Finish {
    std::vector<std::pair<std::filesystem::path, IsoEstimate>> told;
    for (const Question& q : questions) try {
        told.emplace_back(q.info.path, estimateIso(q.info, q.curves, progress));
      } catch (const Error& error) {
        if (error.kind() != ErrorKind::Evidence) throw;
      }
    return [this, told, asked = questions.size()] {
      session_.edit(tr("Tell the ISO by noise"), [&](Shoot& shoot) {
        for (ShootClip& clip : shoot.clips)
          for (const auto& [path, estimate] : told)
            if (clip.path == path) clip.iso_estimate = estimate;
      });
      if (told.size() < asked)
        summary_->setText(
            tr("%1 of %2 clips have no flat place to tell the ISO by.").arg(asked - told.size()).arg(asked));
    };
  });
}

void ShootPlace::askIsoPattern(int clip) {
  const auto& path = session_.plans()[static_cast<size_t>(clip)].info.path;
  bool ok = false;
  const QString pattern =
      QInputDialog::getText(this, tr("ISO from names"),
                            tr("How file or folder names say the ISO: # is a digit, * anything; empty: they "
                               "do not.\nFor example ISO#### "
                               "in “%1”.")
                                .arg(QString::fromStdString(path.filename().string())),
                            QLineEdit::Normal, QString::fromStdString(session_.shoot().iso_pattern), &ok);
  if (!ok) return;
  const std::string text = pattern.trimmed().toStdString();
  session_.edit(tr("Read the ISO from names"), [&](Shoot& shoot) { shoot.iso_pattern = text; });
  if (!text.empty() && !isoFromName(path, text))
    summary_->setText(
        tr("The name of %1 says no ISO this way.").arg(QString::fromStdString(path.filename().string())));
}

void ShootPlace::askIso(const std::vector<int>& clips) {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clips.front())];
  const auto known = isoOf(session_.shoot(), plan.clip, plan.info);
  bool ok = false;
  const int iso = QInputDialog::getInt(
      this, tr("ISO"), tr("ISO of %n clip(s); 0: as the file says", nullptr, static_cast<int>(clips.size())),
      known ? qRound(known->iso) : 0, 0, 10000000, 1, &ok);
  if (!ok) return;
  session_.edit(tr("Say the ISO"), [&](Shoot& shoot) {
    for (const int clip : clips)
      shoot.clips[static_cast<size_t>(clip)].iso = iso > 0 ? std::optional<double>(iso) : std::nullopt;
  });
}

void ShootPlace::assignFor(const std::vector<int>& clips) {
  QStringList names{tr("by its tags")};
  for (const Profile& p : session_.profiles())
    names << QString::fromStdString(p.camera.name + " · " + p.camera.describe());
  bool ok = false;
  const QString chosen = QInputDialog::getItem(
      this, tr("Assign a profile"), tr("Profile for %n clip(s):", nullptr, static_cast<int>(clips.size())),
      names, 0, false, &ok);
  if (!ok) return;
  const int at = static_cast<int>(names.indexOf(chosen)) - 1;
  const std::string file =
      at < 0 ? "" : session_.profiles()[static_cast<size_t>(at)].path.filename().string();
  session_.edit(tr("Assign a profile"), [&](Shoot& shoot) {
    for (const int clip : clips) shoot.clips[static_cast<size_t>(clip)].assigned_profile = file;
  });
}

// Clips that were dropped on a camera: they get its profile, or are said to be filmed by it.
void ShootPlace::giveCamera(const std::vector<int>& clips, int like) {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(like)];
  if (plan.match.profile >= 0) {
    const std::string file =
        session_.profiles()[static_cast<size_t>(plan.match.profile)].path.filename().string();
    return session_.edit(tr("Give clips to a camera"), [&](Shoot& shoot) {
      for (const int clip : clips) shoot.clips[static_cast<size_t>(clip)].assigned_profile = file;
    });
  }
  CameraAnswer said = answerOf(session_.shoot(), plan.clip, plan.info);
  if (said.camera.empty()) said.camera = cameraNameOf(plan.info);
  session_.edit(tr("Give clips to a camera"), [&](Shoot& shoot) {
    for (const int clip : clips) shoot.clips[static_cast<size_t>(clip)].answer = said;
  });
}

void ShootPlace::answerFor(int clip) {
  if (const auto said = askCameraAndMode(this, session_, clip))
    session_.answer(clip, said->answer, said->whom);
}

// The noise that was measured in the clip itself becomes its camera's curve for the clip's ISO.
void ShootPlace::keepNoiseOf(int clip) {
  const auto plan = [&]() -> const ClipPlan& { return session_.plans()[static_cast<size_t>(clip)]; };
  if (session_.profileFor(clip).camera.name.empty()) answerFor(clip);
  if (session_.profileFor(clip).camera.name.empty()) return;
  if (!isoOf(session_.shoot(), plan().clip, plan().info)) askIso({clip});
  const auto iso = isoOf(session_.shoot(), plan().clip, plan().info);
  const auto own = ownNoiseOf(plan().facts);
  if (!iso || !own) return;
  Profile profile = session_.profileFor(clip);
  if (!profile.noise) profile.noise.emplace();
  profile.noise->put(noiseEntryOfClip(*own, iso->iso, plan().info.path.filename().string()));
  try {
    session_.putProfile(tr("Keep its noise for the camera"), std::move(profile));
    summary_->setText(tr("%1 is the noise of %2 at ISO %3 now.")
                          .arg(QString::fromStdString(plan().info.path.filename().string()),
                               QString::fromStdString(session_.profileFor(clip).camera.name))
                          .arg(qRound(iso->iso)));
  } catch (const Error& error) {
    summary_->setText(QString::fromStdString(error.what()));
  }
}

void ShootPlace::refresh() {
  const auto& plans = session_.plans();
  stack_->setCurrentIndex(plans.empty() ? 1 : 0);
  // Nothing is counted where there is nothing.
  for (QWidget* w : std::initializer_list<QWidget*>{foot_, summary_, find_, only_, output_})
    w->setVisible(!plans.empty());
  title_->setText(session_.title());
  double seconds = 0, bytes = 0, work = 0;
  int ready = 0, covered = 0, unreadable = 0;
  QSet<QString> cameras;
  for (const ClipPlan& plan : plans) {
    seconds += plan.info.duration_s;
    const std::string said = answerOf(session_.shoot(), plan.clip, plan.info).camera;
    if (const auto camera = said.empty() ? cameraNameOf(plan.info) : said; !camera.empty())
      cameras.insert(QString::fromStdString(camera));
    unreadable += plan.failed ? 1 : 0;
    covered += plan.lens.kind != Coverage::Missing ? 1 : 0;
    if (!plan.refusal.empty()) continue;
    ++ready;
    bytes += static_cast<double>(estimatedBytes(plan));
    work += static_cast<double>(plan.info.frames) * plan.info.width * plan.info.height;
  }
  summary_->setText(countText(static_cast<int>(plans.size()), tr("clip"), tr("clips")) +
                    QStringLiteral(" · ") + lengthText(seconds) + QStringLiteral(" · ") +
                    countText(static_cast<int>(cameras.size()), tr("camera"), tr("cameras")));
  covered_->setText(tr("%1 of %2 clips covered").arg(covered).arg(plans.size()) +
                    QStringLiteral("<br><span style='color:#B4B5B3;font-size:11px'>") +
                    (unreadable > 0 ? tr("%1 cannot be read").arg(unreadable) : tr("all can be read")) +
                    QStringLiteral("</span>"));
  // Rendering speed as measured by the last run on this computer; before one, nothing is promised.
  QString time = tr("not measured yet");
  if (!session_.runItems().empty()) {
    double done = 0, took = 0;
    for (const RunItem& item : session_.runItems())
      if (item.state == RunState::Done && item.seconds > 0) {
        done += static_cast<double>(item.frames) * item.plan->info.width * item.plan->info.height;
        took += item.seconds;
      }
    if (done > 0) time = QStringLiteral("≈ ") + spanText(work / done * took);
  }
  time_->setText(time + QStringLiteral("<br><span style='color:#B4B5B3;font-size:11px'>") +
                 tr("to render on this computer") + QStringLiteral("</span>"));
  disk_->setText(
      QStringLiteral("≈ ") + bytesText(bytes) +
      QStringLiteral("<br><span style='color:#B4B5B3;font-size:11px'>") +
      tr("of %1 free").arg(bytesText(static_cast<double>(freeBytes(session_.shoot().outputFolder())))) +
      QStringLiteral("</span>"));
  render_->setText(tr("Render %n clip(s)", nullptr, ready)
                       .replace(QStringLiteral("(s)"), ready == 1 ? QString() : QStringLiteral("s")));
  render_->setEnabled(ready > 0 && !session_.running());
  showNext();
  const QModelIndex current = model_.indexOfClip(session_.currentClip());
  if (current.isValid() && !ledger_->selectionModel()->isSelected(current)) {
    // Nobody chose anything: what is looked at stays where it is.
    ledger_->setAutoScroll(false);
    ledger_->selectionModel()->setCurrentIndex(current, QItemSelectionModel::ClearAndSelect);
    ledger_->setAutoScroll(true);
  }
}

}  // namespace glenhaze::desktop
