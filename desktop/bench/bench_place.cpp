#include "desktop/bench/bench_place.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

BenchPlace::BenchPlace(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(16, 10, 16, 12);
  layout->setSpacing(8);
  layout->addWidget(buildHead());
  stack_ = new QStackedWidget;
  lens_ = new LensStation(session);
  shutter_ = new ShutterStation(session);
  noise_ = new NoiseStation(session);
  stack_->addWidget(lens_);
  stack_->addWidget(shutter_);
  stack_->addWidget(noise_);
  stabilization_ = new StabilizationStation(session);
  stack_->addWidget(stabilization_);
  finish_ = new FinishStation(session);
  stack_->addWidget(finish_);
  layout->addWidget(stack_, 1);
  connect(shots_, &ShotChooser::chosen, this, [this](const ClipInfo& shot) {
    shot_[static_cast<size_t>(station())] = shot.path;
    current().setOffered(shots_->offered());
    current().setShot(shot);
  });
  for (const auto signal : {&Session::currentClipChanged, &Session::changed})
    connect(&session_, signal, this, [this] {
      if (isVisible()) reload();
    });
}

QWidget* BenchPlace::buildHead() {
  auto* head = new QWidget;
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(0, 0, 0, 0);
  choice_ = new QButtonGroup(this);
  int id = 0;
  for (const auto& [text, tip] : {std::pair{tr("Lens"), tr("Make straight things straight (Alt+1)")},
                                  {tr("Shutter"), tr("How long the sensor takes to read a frame (Alt+2)")},
                                  {tr("Noise"), tr("How much noise the camera makes at each ISO (Alt+3)")},
                                  {tr("Stabilization"), tr("How the clip's shake is taken out (Alt+4)")},
                                  {tr("Finish"), tr("Edges and colour of the finished picture (Alt+5)")}}) {
    auto* button = new QPushButton(text);
    button->setCheckable(true);
    button->setToolTip(tip);
    button->setShortcut(QKeySequence(static_cast<int>(Qt::ALT) | (Qt::Key_1 + id)));
    choice_->addButton(button, id++);
    row->addWidget(button);
  }
  choice_->button(0)->setChecked(true);
  connect(choice_, &QButtonGroup::idClicked, this, [this](int s) { setStation(static_cast<Station>(s)); });
  // Names are of any length: behind the buttons, which never move, and cut where there is no room.
  camera_ = new QLabel;
  camera_->setFont(textFont(15, true));
  mode_ = quietLabel();
  mode_->setWordWrap(false);
  mode_->setMinimumWidth(40);
  mode_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  row->addSpacing(14);
  row->addWidget(camera_);
  row->addSpacing(8);
  row->addWidget(mode_, 1);
  row->addSpacing(14);
  shots_ = new ShotChooser(session_);
  QSizePolicy keeps = shots_->sizePolicy();
  keeps.setRetainSizeWhenHidden(true);
  shots_->setSizePolicy(keeps);
  row->addWidget(shots_);
  return head;
}

BenchPlace::Station BenchPlace::station() const { return static_cast<Station>(stack_->currentIndex()); }

BenchStation& BenchPlace::current() { return static_cast<BenchStation&>(*stack_->currentWidget()); }

void BenchPlace::setStation(Station station) {
  choice_->button(station)->setChecked(true);
  const BenchStation& before = current();
  const auto looked_at = shot_[static_cast<size_t>(this->station())];
  stack_->setCurrentIndex(station);
  // Stabilization looks at the clip itself.
  shots_->setVisible(station != Stabilization);
  reload();
  Q_EMIT stationChanged();
  current().standAs(before, !looked_at.empty() && looked_at == shot_[static_cast<size_t>(station)]);
}

void BenchPlace::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  reload();
}

void BenchPlace::reload() {
  const int clip = session_.currentClip();
  const bool usable = clip >= 0 && session_.plans()[static_cast<size_t>(clip)].info.width > 0;
  stack_->setEnabled(usable);
  shots_->setEnabled(usable);
  if (!usable) {
    camera_->setText(tr("No clip chosen"));
    mode_->setText(tr("Choose a clip in Shoot: its camera and mode are measured here."));
    return;
  }
  const Profile profile = session_.profileFor(clip);
  camera_->setText(profile.camera.name.empty() ? tr("Camera not known")
                                               : QString::fromStdString(profile.camera.name));
  mode_->setText(QString::fromStdString(profile.camera.describe()));
  if (!(profile.camera == measured_)) shot_ = {};
  measured_ = profile.camera;
  current().setCamera(clip, profile);
  shots_->offer(clip, shot_[static_cast<size_t>(station())]);
}

}  // namespace glenhaze::desktop
