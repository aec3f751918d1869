#include "desktop/shoot/hand_over_menu.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/media/source_guard.h"
#include "core/motion/path_gltf.h"

namespace glenhaze::desktop {

namespace {

// A name that can be typed, or chosen with the mouse.
class FileField : public QWidget {
 public:
  FileField(const QString& name, const QString& kinds, bool is_new) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    edit_ = new QLineEdit(name);
    edit_->setMinimumWidth(340);
    auto* choose = new QPushButton(tr("Choose…"));
    row->addWidget(edit_, 1);
    row->addWidget(choose);
    setFocusProxy(edit_);
    connect(choose, &QPushButton::clicked, this, [this, kinds, is_new] {
      // Whether one may be replaced is asked in the form.
      const QString chosen = is_new ? QFileDialog::getSaveFileName(this, {}, edit_->text(), kinds, nullptr,
                                                                   QFileDialog::DontConfirmOverwrite)
                                    : QFileDialog::getOpenFileName(this, {}, edit_->text(), kinds);
      if (!chosen.isEmpty()) edit_->setText(chosen);
    });
  }
  std::filesystem::path path() const { return edit_->text().trimmed().toStdString(); }
  QLineEdit* line() const { return edit_; }

 private:
  QLineEdit* edit_;
};

QString kindsOfPictures() {
  return HandOverMenu::tr(
      "Pictures and films with transparency (*.png *.tif *.tiff *.exr *.mov);;All files (*)");
}

}  // namespace

HandOverMenu::HandOverMenu(Session& session, QWidget* window)
    : QObject(window), session_(session), window_(window) {
  connect(&work_, &Background::progressed, this,
          [this](double share) { Q_EMIT said(tr("%1: %2 %").arg(doing_).arg(qRound(100 * share))); });
  connect(&work_, &Background::changed, this, [this] {
    if (!work_.busy() && !work_.trouble().isEmpty()) Q_EMIT said(work_.trouble());
  });
}

void HandOverMenu::fill(QMenu& menu, int clip) {
  menu.addAction(tr("Straightened plate to draw on…"), this, [=, this] { ask(clip, Kind::Plate); });
  menu.addAction(tr("Lay a drawing back onto the footage…"), this, [=, this] { ask(clip, Kind::Overlay); });
  menu.addAction(tr("Camera path…"), this, [=, this] { askPath(clip); });
  menu.addAction(tr("Before and after…"), this, [=, this] { askShow(clip); });
  if (work_.busy())
    menu.addAction(tr("Stop what is being written"), this, [this] {
      work_.stop();
      Q_EMIT said(tr("Stopped; nothing is left half-written."));
    });
}

void HandOverMenu::ask(int clip, Kind kind) {
  const ClipPlan plan = session_.plans()[static_cast<size_t>(clip)];
  const auto folder = session_.shoot().outputFolder();
  const QString stem = QString::fromStdString((folder / plan.info.path.stem()).string());
  QDialog dialog(window_);
  dialog.setWindowTitle(kind == Kind::Plate ? tr("Straightened plate") : tr("Lay a drawing back"));
  auto* form = new QFormLayout(&dialog);
  FileField* from = nullptr;
  if (kind == Kind::Overlay) {
    from = new FileField({}, kindsOfPictures(), false);
    from->line()->setPlaceholderText(tr("a picture, name_%04d.png, or a film"));
    form->addRow(tr("Drawing"), from);
  }
  auto* as = new QComboBox;
  as->addItem(tr("as the clip is rendered now"));
  as->addItem(tr("by its lens alone: as the maps of the lens"));
  as->setToolTip(tr("Drawings belong on the plate that was made the same way"));
  form->addRow(kind == Kind::Plate ? tr("Picture") : tr("Drawn on the picture"), as);
  auto* room = new QSpinBox;
  auto* first = new QCheckBox(tr("the first frame only"));
  if (kind == Kind::Plate) {
    room->setRange(0, 200);
    room->setValue(10);
    room->setSuffix(QStringLiteral("\u2009%"));
    room->setToolTip(tr("How much further than the picture one can draw, at each edge"));
    form->addRow(tr("Room at the edges"), room);
    form->addRow({}, first);
  }
  auto* alpha = new QComboBox;
  alpha->addItems({tr("as is usual for the file"), tr("straight"), tr("multiplied into the colours")});
  form->addRow(tr("Transparency"), alpha);
  const bool still = plan.info.frames <= 1;
  auto* to = new FileField(stem + (kind == Kind::Plate ? tr("-plate") : tr("-drawing")) +
                               (still ? QStringLiteral(".png") : QStringLiteral(".mov")),
                           kindsOfPictures(), true);
  to->setToolTip(
      tr("The ending decides: .png, .tif, .exr, name_%04d.png for a sequence, .mov for ProRes 4444"));
  form->addRow(tr("Write to"), to);
  auto* over = new QCheckBox(tr("replace what has this name"));
  form->addRow({}, over);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (QAbstractButton* button : buttons->buttons()) button->setIcon({});
  buttons->button(QDialogButtonBox::Ok)
      ->setText(kind == Kind::Plate ? tr("Write the plate") : tr("Lay it back"));
  form->addRow(buttons);
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  if (dialog.exec() != QDialog::Accepted) return;
  Choice choice;
  choice.as = as->currentIndex() == 0 ? As::Rendered : As::LensAlone;
  choice.room = room->value() / 100.0;
  choice.first_only = first->isChecked();
  choice.files.from = from != nullptr ? from->path() : std::filesystem::path();
  choice.files.to = to->path();
  if (alpha->currentIndex() > 0)
    choice.files.alpha = alpha->currentIndex() == 1 ? AlphaKind::Straight : AlphaKind::Premultiplied;
  choice.files.fps = plan.info.fps;
  choice.files.overwrite = over->isChecked();
  kind == Kind::Plate ? makePlate(clip, choice) : layBackOnto(clip, choice);
}

void HandOverMenu::askPath(int clip) {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
  const auto name = session_.shoot().outputFolder() / (plan.info.path.stem().string() + "-path.gltf");
  const QString to =
      QFileDialog::getSaveFileName(window_, tr("Camera path"), QString::fromStdString(name.string()),
                                   tr("Turning cameras, glTF 2.0 (*.gltf);;Table (*.csv)"));
  if (!to.isEmpty()) writePath(clip, to.toStdString());
}

void HandOverMenu::askShow(int clip) {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
  const auto name = session_.shoot().outputFolder() / (plan.info.path.stem().string() + "-before-after.mp4");
  QDialog dialog(window_);
  dialog.setWindowTitle(tr("Before and after"));
  auto* form = new QFormLayout(&dialog);
  auto* kind = new QComboBox;
  kind->addItems({tr("a line that goes to and fro"), tr("both whole, side by side"),
                  tr("a circle that travels, twice as large")});
  form->addRow(tr("Shown by"), kind);
  auto* before = new QLineEdit(tr("before"));
  auto* after = new QLineEdit(tr("after"));
  form->addRow(tr("Caption of the source"), before);
  form->addRow(tr("Caption of the result"), after);
  auto* to = new FileField(QString::fromStdString(name.string()),
                           tr("Films and stills (*.mp4 *.mov *.mkv *.png *.jpg *.tif)"), true);
  to->setToolTip(tr(
      "The ending decides: .mp4, .mov or .mkv for a film, .png, .jpg or .tif for the frame in the middle"));
  form->addRow(tr("Write to"), to);
  auto* over = new QCheckBox(tr("replace what has this name"));
  form->addRow({}, over);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (QAbstractButton* button : buttons->buttons()) button->setIcon({});
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Make it"));
  form->addRow(buttons);
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  if (dialog.exec() != QDialog::Accepted) return;
  show(clip, {to->path(), static_cast<ShowKind>(kind->currentIndex()), before->text().toStdString(),
              after->text().toStdString(), over->isChecked()});
}

void HandOverMenu::show(int clip, const ShowRequest& request) {
  const ClipPlan plan = outputsOf(session_.plans()[static_cast<size_t>(clip)]).front();
  doing_ = tr("Making before and after");
  Q_EMIT said(doing_ + QStringLiteral("…"));
  work_.run([this, plan, request, store = session_.store()](const Progress& progress) -> Background::Finish {
    const ShowResult made = makeShow(plan, request, *store, progress);
    return [this, made] {
      Q_EMIT said(tr("Written: %1").arg(QString::fromStdString(made.path.filename().string())));
    };
  });
}

void HandOverMenu::writePath(int clip, const std::filesystem::path& to) {
  const ClipPlan plan = session_.plans()[static_cast<size_t>(clip)];
  if (!plan.questions.motion) {
    Q_EMIT said(tr("The clip's motion is not worked out: set its shutter or its stabilization first."));
    return;
  }
  doing_ = tr("Working out the camera's path");
  Q_EMIT said(doing_ + QStringLiteral("…"));
  work_.run([this, request = plan.motion, to](const Progress& progress) -> Background::Finish {
    requireNoSource(SourceGuard(std::span(&request.clip.path, 1)), to);
    const MotionAnswer motion = answerMotion(request, tracksFor(request, progress));
    const CameraPath& path = motion.finding.path;
    std::filesystem::create_directories(to.parent_path());
    writeFileAtomically(to, to.extension() == ".csv"
                                ? pathToCsv(path, request.lens.fx)
                                : pathToGltf(path, motion.stabilized.frames, request.lens));
    return [this, to, frames = path.frames().size()] {
      Q_EMIT said(
          tr("Written: %1, %2 frames").arg(QString::fromStdString(to.filename().string())).arg(frames));
    };
  });
}

HandOverMenu::Choice HandOverMenu::ofClip(int clip, Choice choice) const {
  choice.files.footage = session_.plans()[static_cast<size_t>(clip)].info.path;
  return choice;
}

void HandOverMenu::makePlate(int clip, const Choice& choice) {
  begin(clip, choice, tr("Writing the plate"),
        [choice = ofClip(clip, choice)](const HandOver& how, const ClipPlan& plan, const Progress& progress) {
          FrameRange frames = choice.as == As::Rendered ? how.range() : FrameRange{0, plan.info.frames};
          if (choice.first_only) frames.last = frames.first + 1;
          return writePlate(how, plan.info, frames, choice.room, choice.files, progress);
        });
}

void HandOverMenu::layBackOnto(int clip, const Choice& choice) {
  begin(clip, choice, tr("Laying the drawing back"),
        [choice = ofClip(clip, choice)](const HandOver& how, const ClipPlan&, const Progress& progress) {
          return layBack(how, choice.files, progress);
        });
}

void HandOverMenu::begin(
    int clip, const Choice& choice, const QString& doing,
    const std::function<HandedOver(const HandOver&, const ClipPlan&, const Progress&)>& work) {
  const ClipPlan plan = session_.plans()[static_cast<size_t>(clip)];
  std::optional<Lens> lens;
  if (choice.as == As::LensAlone) {
    const Profile* profile = profileOf(plan.match, session_.profiles());
    if (profile == nullptr || !profile->lens || profile->lens->lens.width != plan.info.width ||
        profile->lens->lens.height != plan.info.height) {
      Q_EMIT said(tr("The camera's lens is not measured for this picture size yet."));
      return;
    }
    lens = profile->lens->lens;
  }
  doing_ = doing;
  Q_EMIT said(doing_ + QStringLiteral("…"));
  work_.run([this, plan, lens, choice, work,
             store = session_.store()](const Progress& progress) -> Background::Finish {
    std::filesystem::create_directories(choice.files.to.parent_path());
    const Progress finding = partOf(progress, 0, 0.2), making = partOf(progress, 0.2, 1);
    const HandOver how = lens ? HandOver(*lens) : HandOver(plan, *store, finding);
    const HandedOver done = work(how, plan, making);
    return [this, done, to = choice.files.to] {
      Q_EMIT said((done.pictures == 1 ? tr("Written: %1, %2 picture of %3 × %4")
                                      : tr("Written: %1, %2 pictures of %3 × %4"))
                      .arg(QString::fromStdString(to.filename().string()))
                      .arg(done.pictures)
                      .arg(done.size.width)
                      .arg(done.size.height));
    };
  });
}

}  // namespace glenhaze::desktop
