#include "desktop/bench/stabilization_station.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <cmath>
#include <numbers>

#include "core/base/error.h"
#include "desktop/bench/hand_tools.h"
#include "desktop/bench/mask_tools.h"
#include "desktop/bench/path_plot.h"
#include "desktop/bench/stabilization_form.h"
#include "desktop/bench/window_tools.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr int kHandLook = 2, kWindowLook = 3;
constexpr size_t kMostRanges = 4;  // listed; the plot shows all

// Angle of the picture from side to side, degrees; of a straight lens.
double acrossOf(const Lens& lens) {
  return 2 * std::atan(lens.width / (2 * lens.fx)) * 180 / std::numbers::pi;
}

QString percent(double share) { return withUnit(share * 100, share < 0.1 ? 1 : 0, QStringLiteral("%")); }

}  // namespace

StabilizationStation::StabilizationStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session), preview_(session.pictures()), frozen_(session.pictures()) {
  view_ = new PictureView;
  view_->setOverlay([this](QPainter& p, const PictureView& v, int) { drawOver(p, v); });
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setAccessibleName(tr("Frame of the clip"));
  plot_ = new PathPlot;
  connect(plot_, &PathPlot::chosen, this, &StabilizationStation::goTo);
  connect(slider_, &QSlider::valueChanged, this, [this](int v) {
    plot_->setFrame(v);
    preview_.request(v);
  });
  arrange(buildTools(), view_, slider_, plot_, buildFindings());
  wireView();
  connect(&preview_, &Preview::ready, this, &StabilizationStation::takeFrame);
  connect(&frozen_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    hand_->align().setFrozen(frame.source_frame);
    showPicture();
  });
  connect(&preview_, &Preview::failed, this, &StabilizationStation::say);
  connect(&session_.motion(), &MotionStore::changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(&session_.motion(), &MotionStore::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
}

void StabilizationStation::takeFrame(const PreviewFrame& frame) {
  frame_ = frame;
  hand_->align().setFrame(frame.source_frame);
  window_->setFrame(frame.index);
  masks_->setFrame(frame.index, {frame.source_frame.width, frame.source_frame.height});
  showPicture();
}

QWidget* StabilizationStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  look_ = new QComboBox;
  look_->addItems(
      {tr("Source with its window"), tr("Result"), tr("By hand: difference"), tr("By hand: window")});
  look_->setAccessibleName(tr("What is shown"));
  look_->setToolTip(tr(
      "The picture as filmed with the part that is delivered, what comes out, a frozen frame over this one, "
      "or the window placed by hand"));
  connect(look_, &QComboBox::currentIndexChanged, this, &StabilizationStation::showLook);
  row->addWidget(look_);
  tracks_ = new QCheckBox(tr("Tracks"));
  tracks_->setToolTip(tr("What was followed from the frame before to this one"));
  connect(tracks_, &QCheckBox::toggled, this, [this] { view_->update(); });
  row->addWidget(tracks_);
  hand_ = new HandTools;
  window_ = new WindowTools;
  masks_ = new MaskTools;
  row->addWidget(hand_, 1);
  row->addWidget(window_, 1);
  row->addStretch();
  log_ = new QPushButton(tr("Motion log…"));
  log_->setToolTip(
      tr("Turning rates that something on the camera wrote down, as CSV: t,x,y,z in seconds and rad "
         "per second. Offset and axes are found."));
  connect(log_, &QPushButton::clicked, this, &StabilizationStation::chooseLog);
  row->addWidget(log_);
  row->addWidget(masks_);
  wireTools();
  setFocusPolicy(Qt::StrongFocus);
  return bar;
}

void StabilizationStation::wireTools() {
  for (PictureTool* tool : std::initializer_list<PictureTool*>{hand_, window_, masks_})
    connect(tool, &PictureTool::changed, this, [this] { showPicture(); });
  connect(hand_, &HandTools::kept, this, &StabilizationStation::keepHand);
  connect(window_, &WindowTools::kept, this, [this](const QString& what, const std::vector<WindowKey>& keys) {
    StabilizationSettings settings = form_->settings();
    settings.window = keys;
    edit(settings, what);
  });
  connect(masks_, &MaskTools::cameraEdited, this,
          [this](const QString& what, const std::vector<MotionMask>& masks) {
            changeMasks(what, [&](std::vector<MotionMask>& now) { now = masks; });
          });
  connect(masks_, &MaskTools::clipEdited, this,
          [this](const QString& what, const std::vector<MotionMask>& masks) {
            session_.edit(what, [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].masks = masks; });
          });
}

void StabilizationStation::showLook() {
  const int look = look_->currentIndex();
  hand_->setVisible(look == kHandLook);
  window_->setVisible(look == kWindowLook);
  window_->setActive(look == kWindowLook);
  masks_->setVisible(look == 0 || look == kHandLook);
  log_->setVisible(look < kHandLook);
  tracks_->setVisible(look == 0);
  showPicture();
}

// The tool that has the keyboard and the mouse.
PictureTool* StabilizationStation::tool() const {
  const int look = look_->currentIndex();
  if (masks_->drawing() && look != 1) return masks_;
  if (look == kHandLook) return hand_;
  return look == kWindowLook ? window_ : nullptr;
}

void StabilizationStation::keepHand(const QString& what, const std::vector<HandKey>& keys) {
  if (clip_ < 0) return;
  session_.edit(what, [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].hand = keys; });
}

void StabilizationStation::chooseLog() {
  const ClipPlan* p = plan();
  if (p == nullptr) return;
  std::filesystem::path chosen;
  if (p->clip.motion_log.empty()) {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Motion log"), QString::fromStdString(p->info.path.parent_path().string()),
        tr("Motion logs (*.csv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    chosen = file.toStdString();
  }
  session_.edit(chosen.empty() ? tr("Drop the motion log") : tr("Use a motion log"),
                [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].motion_log = chosen; });
}

void StabilizationStation::keyPressEvent(QKeyEvent* event) {
  if (PictureTool* t = tool(); t != nullptr && t->key(event->key(), event->modifiers())) return;
  BenchStation::keyPressEvent(event);
}

// The picture has the keyboard once it was clicked, and arrows mean nothing to it.
bool StabilizationStation::eventFilter(QObject* watched, QEvent* event) {
  if (watched == view_ && event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (PictureTool* t = tool(); t != nullptr && t->key(key->key(), key->modifiers())) return true;
  }
  return BenchStation::eventFilter(watched, event);
}

void StabilizationStation::setLook(int look) { look_->setCurrentIndex(look); }

QWidget* StabilizationStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  std::tie(headline_, note_) = headline(*column, tr("Steady the clips"));
  budget_ = quietLabel();
  column->addWidget(budget_);
  form_ = new StabilizationForm;
  connect(form_, &StabilizationForm::edited, this,
          [this](const StabilizationSettings& s) { edit(s, tr("Change stabilization")); });
  column->addWidget(form_);
  follow_ = new QPushButton(tr("As the camera's default"));
  follow_->setToolTip(tr("Drop this clip's own settings and follow the camera's"));
  connect(follow_, &QPushButton::clicked, this, [this] {
    session_.edit(tr("Follow the camera's stabilization"),
                  [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].stabilization.reset(); });
  });
  column->addWidget(follow_);
  doubts_ = noticeLabel();
  column->addWidget(doubts_);
  advice_ = noticeLabel();
  column->addWidget(advice_);
  column->addStretch();
  assumed_ = noticeLabel();
  column->addWidget(assumed_);
  hint_ = quietLabel();
  column->addWidget(hint_);
  progress_ = progressBar();
  column->addWidget(progress_);
  put_ = putButton(tr("Keep these settings as the camera's default (Ctrl+Return). It can be undone."));
  column->addWidget(put_);
  return panel;
}

void StabilizationStation::wireView() {
  view_->on_press = [this](QPointF at, Qt::KeyboardModifiers) {
    taken_ = tool();
    if (taken_ != nullptr && !taken_->press(at)) taken_ = nullptr;
    return taken_ != nullptr;
  };
  view_->on_drag = [this](QPointF at) {
    if (taken_ != nullptr) taken_->drag(at);
    view_->update();
  };
  view_->on_release = [this](QPointF at) {
    if (taken_ != nullptr) taken_->release(at);
    taken_ = nullptr;
    view_->update();
  };
  view_->on_double_click = [this](QPointF at) {
    if (PictureTool* t = tool()) t->doubleClick(at);
  };
  view_->installEventFilter(this);
  showLook();
}

const ClipPlan* StabilizationStation::plan() const {
  return clip_ >= 0 && clip_ < static_cast<int>(session_.plans().size())
             ? &session_.plans()[static_cast<size_t>(clip_)]
             : nullptr;
}

// With the clip's settings, or with what a camera begins with where none are set yet.
std::optional<MotionRequest> StabilizationStation::request() const {
  const ClipPlan* p = plan();
  if (p == nullptr) return std::nullopt;
  if (p->questions.motion && p->motion.settings.steadying != Steadying::Off) return p->motion;
  // Looked at here also where it is switched off for the run.
  ShootClip tried = p->clip;
  tried.stabilization = form_->settings();
  tried.stabilization_on = true;
  // Without a lens it is looked at with one that is assumed; with one, as it will be rendered.
  tried.by_itself = tried.by_itself || !p->match.lens;
  auto basis = std::make_shared<PlanBasis>(*p->basis);
  basis->shoot.output.stabilization_on = true;
  return planClip(basis, tried, p->facts).motionWanted();
}

void StabilizationStation::setCamera(int clip, const Profile& profile) {
  clip_ = clip;
  const ClipPlan* p = plan();
  if (p == nullptr) return;
  StabilizationSettings settings;
  if (profile.stabilization) settings = profile.stabilization->settings;
  if (p->clip.stabilization) settings = *p->clip.stabilization;
  form_->setSettings(settings);
  follow_->setVisible(p->clip.stabilization.has_value() && profile.stabilization.has_value());
  put_->setEnabled(!profile.camera.name.empty() &&
                   !(profile.stabilization && profile.stabilization->settings == settings));
  HandAlign& hand = hand_->align();
  hand.setKeys(p->clip.hand);
  log_->setText(p->clip.motion_log.empty() ? tr("Motion log…") : tr("Drop motion log"));
  if (hand.frozenFrame() >= 0) {
    if (p->info.path != path_ || !hand.ready()) {
      frozen_.setClip(p->info, {}, p->job.reading());
      frozen_.request(hand.frozenFrame());
    }
  }
  showMasks(profile, p->clip);
  if (p->info.path != path_) {
    path_ = p->info.path;
    motion_ = nullptr;
    shown_ = {};
    preview_.setClip(p->info, {}, p->job.reading());
    slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, p->info.frames - 1)));
    slider_->setValue(static_cast<int>(p->info.frames / 2));
    preview_.request(slider_->value());
  }
  refresh();
}

void StabilizationStation::showMasks(const Profile& profile, const ShootClip& clip) {
  std::vector<MotionMask> all;
  if (profile.stabilization) all = profile.stabilization->masks;
  masks_->setMasks(all, clip.masks);
  all.insert(all.end(), clip.masks.begin(), clip.masks.end());
  hand_->align().setLeftOut(all);
}

void StabilizationStation::goTo(qint64 frame) { slider_->setValue(static_cast<int>(frame)); }
void StabilizationStation::say(const QString& text) { hint_->setText(text); }

void StabilizationStation::refresh() {
  const ClipPlan* p = plan();
  if (p == nullptr) return;
  const auto wanted = request();
  motion_ = wanted ? session_.motion().find(*wanted) : nullptr;
  if (wanted && !motion_) session_.motion().want(*wanted);
  const bool working = wanted && !motion_ && session_.motion().inWork() == p->info.path;
  progress_->setVisible(working);
  if (!wanted)
    say(p->info.frames < 2 ? tr("A still has no motion.") : tr("The clip is left as it was filmed."));
  else
    say(motion_ ? QString() : session_.motion().trouble());
  const bool is_assumed = wanted && !p->match.lens;
  assumed_->setVisible(is_assumed);
  if (is_assumed)
    assumed_->setText(
        tr("▲ The lens is not measured; %1° across is assumed. Good enough to steady by: a focal length that "
           "is 15 % wrong leaves about a hundredth of the shake. %2")
            .arg(qRound(acrossOf(wanted->lens)))
            .arg(p->clip.by_itself
                     ? QString()
                     : tr("To render it so: <i>Clean and steady as it is</i>, in the clip's menu.")));
  // Until the new path is there, the last one stays on screen.
  const auto shown = motion_ ? motion_ : session_.motion().newest(p->info.path);
  plot_->setMotion(shown, p->job.range);
  window_->setMotion(motion_, wanted);
  showFindings();
  if (!motion_) return view_->update();
  Correction correction;
  correction.lens = wanted->lens;
  correction.lens_amount = wanted->window.amount;
  correction.fill = wanted->window.fill;
  correction.output = p->job.correction.output;
  correction.canvas = p->job.correction.canvas;
  correction.motion = motion_->motion;
  if (correction == shown_) return view_->update();
  shown_ = correction;
  preview_.setClip(p->info, correction, p->job.reading());
  preview_.request(slider_->value());
}

void StabilizationStation::showFindings() {
  const auto shown = motion_ ? motion_ : session_.motion().newest(path_);
  if (!shown) {
    headline_->setText(session_.motion().busy() ? tr("Analysing…") : QStringLiteral("—"));
    note_->setText(session_.motion().busy() ? tr("The window stays usable meanwhile.") : QString());
    budget_->clear();
    doubts_->hide();
    advice_->hide();
    return;
  }
  const StabilizedClip& s = shown->stabilized;
  headline_->setText(tr("%1 to %2")
                         .arg(withUnit(s.shake_before_deg, 2, QStringLiteral("°")),
                              withUnit(s.shake_after_deg, 3, QStringLiteral("°"))));
  note_->setText(
      tr("shake faster than 1 Hz, RMS · tracks agree within %1%2")
          .arg(withUnit(shown->finding.rms_px, 2, tr("px")),
               shown->finding.shift_and_scale ? tr(" · with shift and scale") : QString()) +
      (shown->log && shown->log->usable
           ? tr("<br>motion log, %1 off the clip's clock").arg(withUnit(shown->log->offset_s, 3, tr("s")))
           : QString()));
  const double zoom = shown->room ? shown->room->window().zoom() * s.zoom : 1;
  QString budget =
      form_->settings().framing == Framing::Uncropped
          ? tr("Nothing is cropped; edges show.")
          : tr("Crop <b>%1</b> of %2 allowed; full smoothing needs %3.")
                .arg(percent(s.crop), percent(form_->settings().crop_limit), percent(s.needed_crop));
  budget += zoom > 1.005 ? tr("<br>Enlarged by %1 beyond 1:1.").arg(percent(zoom - 1))
                         : tr("<br>Not enlarged: the source has pixels to spare.");
  budget_->setText(budget);
  form_->setHoldable(s.can_hold_still, QString::fromStdString(s.hold_reason));
  form_->setShiftAndScale(shown->finding.shift_and_scale);
  QStringList doubts;
  for (const DoubtfulRange& d : s.doubtful) {
    if (doubts.size() == static_cast<qsizetype>(kMostRanges)) {
      doubts << tr("and %1 more").arg(s.doubtful.size() - kMostRanges);
      break;
    }
    doubts << tr("▲ Frames %1 to %2: %3").arg(d.first + 1).arg(d.last).arg(QString::fromStdString(d.why));
  }
  doubts_->setText(doubts.join(QStringLiteral("<br>")));
  doubts_->setVisible(!doubts.isEmpty());
  QString advice = QString::fromStdString(leftOutNote(*shown));
  const auto add = [&advice](const std::string& line) {
    if (!line.empty())
      advice += (advice.isEmpty() ? QString() : QStringLiteral("<br>")) + QString::fromStdString(line);
  };
  add(s.advice);
  for (const std::string& warning : shown->finding.warnings) add(warning);
  advice_->setText(advice);
  advice_->setVisible(!advice.isEmpty());
}

void StabilizationStation::showPicture() {
  if (frame_.source_frame.width == 0) return;
  const QSize size(frame_.source_frame.width, frame_.source_frame.height);
  const int look = look_->currentIndex();
  const QImage difference = look == kHandLook ? hand_->picture() : QImage();
  if (look == 1)
    view_->setPicture(frame_.corrected, frame_.size);
  else
    view_->setPicture(difference.isNull() ? frame_.source : difference, size);
  view_->update();
}

void StabilizationStation::edit(const StabilizationSettings& settings, const QString& what) {
  if (clip_ < 0) return;
  session_.edit(what, [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].stabilization = settings; });
}

void StabilizationStation::changeMasks(const QString& what,
                                       const std::function<void(std::vector<MotionMask>&)>& change) {
  try {
    Profile profile = session_.profileFor(clip_);
    if (!profile.stabilization) profile.stabilization.emplace().settings = form_->settings();
    change(profile.stabilization->masks);
    session_.putProfile(what, profile);
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
  }
}

void StabilizationStation::drawOver(QPainter& p, const PictureView& view) {
  const int look = look_->currentIndex();
  if (look == 1 || frame_.source_frame.width == 0) return;
  if (look != kWindowLook) masks_->draw(p, view);
  if (look == kHandLook) return;
  if (tracks_->isChecked() && look == 0) drawTracks(p, view);
  window_->draw(p, view);
}

void StabilizationStation::drawTracks(QPainter& p, const PictureView& view) {
  const auto tracks = session_.motion().tracks(path_);
  const auto index = static_cast<size_t>(std::max<int64_t>(0, frame_.index));
  if (!tracks || index >= tracks->frames.size()) return;
  std::vector<TrackPair> pairs;
  try {
    pairs = tracks->frames[index].pairs.read();
  } catch (const Error&) {
    return;  // the disk they are kept on is gone: what needs them says so
  }
  for (const TrackPair& t : pairs) {
    const QPointF from = view.toScreen(QPointF(static_cast<double>(t.from_x), static_cast<double>(t.from_y)));
    const QPointF to = view.toScreen(QPointF(static_cast<double>(t.to_x), static_cast<double>(t.to_y)));
    drawRimmed(p, QPolygonF{from, to}, 1.2);
    drawRimmed(p, QPolygonF{to + QPointF(-2, 0), to + QPointF(2, 0)}, 1.2);
  }
}

void StabilizationStation::putIntoProfile() {
  try {
    Profile profile = session_.profileFor(clip_);
    if (!profile.stabilization) profile.stabilization.emplace();
    profile.stabilization->settings = form_->settings();
    // A window that moves with the frames of one clip says nothing about others.
    const bool own_window = form_->settings().window.size() > 1;
    if (own_window) profile.stabilization->settings.window.clear();
    session_.putProfile(tr("Put stabilization into profile"), profile);
    // The clip follows what is now the camera's.
    if (!own_window)
      session_.edit(tr("Follow the camera's stabilization"),
                    [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].stabilization.reset(); });
    say(tr("In the profile now. Undo takes it back."));
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
  }
}

}  // namespace glenhaze::desktop
