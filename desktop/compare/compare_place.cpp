#include "desktop/compare/compare_place.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QSpinBox>
#include <QSplitter>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <array>
#include <cmath>

#include "core/base/error.h"
#include "core/lens/edges.h"
#include "core/noise/view.h"
#include "desktop/compare/clip_figures.h"
#include "desktop/compare/clip_form.h"
#include "desktop/compare/compare_bar.h"
#include "desktop/compare/noise_form.h"
#include "desktop/compare/pin_strip.h"
#include "desktop/compare/steady_board.h"
#include "desktop/compare/transport.h"
#include "desktop/compare/variant_board.h"
#include "desktop/noise_speeds.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr int64_t kLoopFrames = 90;
constexpr double kRemovedGain = 6, kChannelGain = 6;

}  // namespace

ComparePlace::ComparePlace(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setFocusPolicy(Qt::StrongFocus);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(16, 10, 16, 12);
  layout->setSpacing(8);
  layout->addWidget(buildBar());
  auto* middle = new QSplitter(Qt::Horizontal);
  middle->setHandleWidth(10);
  view_ = new PictureView;
  view_->setLayoutMode(PictureView::Layout::Divider);
  view_->setOverlay([this](QPainter& p, const PictureView& v, int pane) { drawOver(p, v, pane); });
  view_->on_press = [this](QPointF at, Qt::KeyboardModifiers) {
    return edge_.press(at, 14 / view_->shownScale());
  };
  view_->on_drag = [this](QPointF at) {
    edge_.drag(at);
    view_->update();
  };
  view_->on_release = [this](QPointF) { measureEdge(); };
  view_->on_double_click = [this](QPointF at) { addPin(at); };
  board_ = new VariantBoard;
  steady_board_ = new SteadyBoard;
  connectBoards();
  pictures_ = new QStackedWidget;
  pictures_->addWidget(view_);
  pictures_->addWidget(board_);
  pictures_->addWidget(steady_board_);
  middle->addWidget(pictures_);
  middle->addWidget(buildSide());
  middle->setStretchFactor(0, 1);
  middle->setCollapsible(0, false);
  rememberSizes(*middle, QStringLiteral("compare"));
  layout->addWidget(middle, 1);
  layout->addWidget(buildTransport());
  preview_.setDrafts(true);
  connect(&preview_, &Preview::ready, this, &ComparePlace::show);
  connect(&preview_, &Preview::failed, this, [this](const QString& why) { message_->setText(why); });
  connect(&preview_, &Preview::loopProgress, this, [this] { transport_->setReady(preview_.loopFilled()); });
  connect(&session_, &Session::changed, this, [this] {
    if (isVisible()) reload();
  });
  connect(&session_, &Session::currentClipChanged, this, [this] {
    if (isVisible()) reload();
  });
  connect(&session_.motion(), &MotionStore::changed, this, [this] {
    if (isVisible()) reload();
  });
  connect(&timer_, &QTimer::timeout, this, &ComparePlace::tick);
}

void ComparePlace::connectBoards() {
  connect(board_, &VariantBoard::chosen, this, [this](const DenoiseSettings& settings) {
    editClip(tr("Change noise removal"), [settings](ShootClip& c) { c.denoise = settings; });
  });
  connect(steady_board_, &SteadyBoard::chosen, this, [this](const StabilizationSettings& settings) {
    editClip(tr("Change stabilization"), [settings](ShootClip& c) { c.stabilization = settings; });
  });
  connect(steady_board_, &SteadyBoard::filled, this, [this](qint64 index) {
    if (index == frame_) steady_board_->showFrame(frame_);
  });
}

CompareBar* ComparePlace::buildBar() {
  bar_ = new CompareBar;
  connect(bar_, &CompareBar::clipChosen, this, [this](int clip) { session_.setCurrentClip(clip); });
  connect(bar_, &CompareBar::wayChosen, this, &ComparePlace::takeWay);
  connect(bar_, &CompareBar::zoomChosen, this, [this](double zoom) { zoomTo(zoom); });
  connect(bar_, &CompareBar::edgeToggled, this, [this](bool on) {
    edge_.on = on;
    const QSize size = view_->pictureSize();
    if (on && edge_.a.isNull())
      layStraightEdge({size.width() * 0.2, size.height() * 0.3}, {size.width() * 0.8, size.height() * 0.3});
    view_->update();
  });
  connect(bar_, &CompareBar::lookChosen, this, [this](int look) {
    preview_.setOwnMotionWanted(look == CompareBar::OwnMotion);
    if (look == CompareBar::OwnMotion && !current_.own) preview_.request(frame_);
    present(current_);
    showOwnMotion();
  });
  connect(bar_, &CompareBar::liftChosen, this, [this](int stops) {
    present(current_);
    board_->setLift(stops);
  });
  connect(bar_, &CompareBar::edited, this, &ComparePlace::editClip);
  return bar_;
}

void ComparePlace::takeWay(int way) {
  static constexpr std::array<PictureView::Layout, 3> kModes = {
      PictureView::Layout::Divider, PictureView::Layout::Side, PictureView::Layout::Single};
  if (way < CompareBar::NoiseTrials) view_->setLayoutMode(kModes[static_cast<size_t>(way)]);
  const bool played = pictures_->currentWidget() == steady_board_;
  pictures_->setCurrentIndex(std::max(0, way - CompareBar::NoiseTrials + 1));
  showVariants();
  showSteady();
  // Steadiness shows in motion only.
  if (way == CompareBar::SteadyTrials ? !timer_.isActive() : played && timer_.isActive()) togglePlay();
}

Transport* ComparePlace::buildTransport() {
  transport_ = new Transport;
  connect(transport_, &Transport::moved, this, [this](qint64 frame) {
    if (frame != frame_) goTo(frame);
  });
  connect(transport_, &Transport::stepped, this, [this](int by) { goTo(frame_ + by); });
  connect(transport_, &Transport::playPressed, this, &ComparePlace::togglePlay);
  connect(transport_, &Transport::inPressed, this, &ComparePlace::setIn);
  connect(transport_, &Transport::outPressed, this, &ComparePlace::setOut);
  connect(transport_, &Transport::wholePressed, this, &ComparePlace::clearRange);
  return transport_;
}

QWidget* ComparePlace::buildSide() {
  auto* side = new QWidget;
  side->setMinimumWidth(270);
  side->setMaximumWidth(420);
  makeDeep(*side);
  auto* layout = new QVBoxLayout(side);
  layout->setContentsMargins(14, 12, 14, 12);
  figures_ = new QLabel;
  figures_->setWordWrap(true);
  layout->addWidget(figures_);
  edge_text_ = new QLabel;
  edge_text_->setWordWrap(true);
  layout->addWidget(edge_text_);
  own_text_ = new QLabel;
  own_text_->setWordWrap(true);
  layout->addWidget(own_text_);
  clip_form_ = new ClipForm;
  connect(clip_form_, &ClipForm::edited, this, &ComparePlace::editClip);
  layout->addWidget(clip_form_);
  noise_form_ = new NoiseForm;
  connect(noise_form_, &NoiseForm::edited, this, [this](const DenoiseSettings& s) {
    editClip(tr("Change noise removal"), [s](ShootClip& c) { c.denoise = s; });
  });
  connect(noise_form_, &NoiseForm::followCamera, this, [this] {
    editClip(tr("Follow the camera's noise settings"), [](ShootClip& c) { c.denoise.reset(); });
  });
  connect(noise_form_, &NoiseForm::keepForCamera, this, &ComparePlace::keepForCamera);
  connect(noise_form_, &NoiseForm::findStrength, this, &ComparePlace::findStrength);
  connect(&search_, &Background::changed, this, [this] { noise_form_->setBusy(search_.busy()); });
  layout->addWidget(noise_form_);
  layout->addSpacing(4);
  pin_strip_ = new PinStrip;
  layout->addWidget(pin_strip_);
  layout->addStretch();
  message_ = noticeLabel();
  layout->addWidget(message_);
  // On small screens the column scrolls instead of squeezing what it says.
  auto* scroll = new QScrollArea;
  scroll->setWidget(side);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  scroll->setMinimumWidth(284);
  scroll->setMaximumWidth(434);
  return scroll;
}

void ComparePlace::showOwn() {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  bar_->setPlan(plan, session_.shoot().output);
  clip_form_->setPlan(plan);
  transport_->setRendered(plan.job.range);
  noise_form_->setVisible(plan.job.correction.noise.has_value());
  if (!plan.questions.flicker) noise_form_->setFlickerFound({});
  noise_form_->setSettings(plan.job.correction.denoise, plan.clip.denoise.has_value());
}

void ComparePlace::setLayoutMode(int mode) { bar_->setWay(mode); }

void ComparePlace::zoomTo(double zoom, QPointF around) {
  view_->setZoom(zoom, around);
  board_->setZoom(zoom);
  steady_board_->setZoom(zoom);
}

// Four settings at once take four times as long: only while they are looked at.
void ComparePlace::showVariants() {
  if (pictures_->currentWidget() != board_ || clip_ < 0 || timer_.isActive()) return;
  board_->setFrame(session_.plans()[static_cast<size_t>(clip_)].info, fields_, frame_, looked_at_);
}

// Beside each other they play; the strengths are worked out from the path that is known already.
void ComparePlace::showSteady() {
  if (pictures_->currentWidget() != steady_board_ || clip_ < 0) return;
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  const auto answer = plan.questions.motion ? session_.motion().find(plan.motion) : nullptr;
  const QString why = !plan.questions.motion ? tr("Stabilization and shutter are off, or not set.")
                      : answer               ? QString()
                                             : tr("the motion is being analysed…");
  Correction still = looked_at_;
  still.motion.reset();
  still.shutter_local = false;
  steady_board_->setClip(plan.motion, still, answer, loop_, why);
  steady_board_->showFrame(frame_);
}

void ComparePlace::showOwnMotion() {
  own_marks_ = {};
  if (clip_ >= 0 && current_.own && (bar_->look() == CompareBar::OwnMotion || looked_at_.mendsOwnMotion())) {
    const ClipInfo& clip = session_.plans()[static_cast<size_t>(clip_)].info;
    own_marks_ = OwnMarks(current_, looked_at_, {clip.width, clip.height});
  }
  own_text_->setText(own_marks_.text());
  own_text_->setVisible(!own_text_->text().isEmpty());
  view_->update();
}

void ComparePlace::setLook(int look) { bar_->setLook(look); }
void ComparePlace::setLift(int stops) { bar_->setLift(stops); }

// What is shown of a frame: as it is, one channel of it, or what was taken away.
void ComparePlace::present(const PreviewFrame& frame) {
  const int look = bar_->look();
  const bool whole = frame.source_frame.width > 0 && !frame.draft;
  if (look == CompareBar::OwnMotion) {
    // Its marks belong to the corrected picture alone.
    view_->setPicture(liftedImage(frame.corrected, bar_->lift()), frame.size);
    view_->setSecond({});
  } else if (look == CompareBar::Removed && whole && frame.clean_frame.width > 0) {
    const Frame removed = removedPart(frame.source_frame, frame.clean_frame, kRemovedGain);
    const QImage image = imageOf(removed);
    view_->setPicture(image, {removed.width, removed.height});
    view_->setSecond(liftedImage(frame.source, bar_->lift()));
  } else if (look > 0 && look < CompareBar::Removed && whole) {
    view_->setPicture(imageOf(channelDetail(frame.corrected_frame, look - 1, kChannelGain)), frame.size);
    view_->setSecond(imageOf(channelDetail(frame.source_frame, look - 1, kChannelGain)));
  } else {
    view_->setPicture(liftedImage(frame.corrected, bar_->lift()), frame.size);
    view_->setSecond(liftedImage(frame.source, bar_->lift()));
  }
}

void ComparePlace::keepForCamera() {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  if (!plan.clip.denoise || plan.match.profile < 0) return;
  Profile profile = session_.profiles()[static_cast<size_t>(plan.match.profile)];
  if (!profile.noise) return;
  profile.noise->denoise = *plan.clip.denoise;
  try {
    session_.putProfile(tr("Keep noise settings for the camera"), profile);
    editClip(tr("Follow the camera's noise settings"), [](ShootClip& c) { c.denoise.reset(); });
  } catch (const Error& error) {
    message_->setText(QString::fromUtf8(error.what()));
  }
}

void ComparePlace::findStrength() {
  if (clip_ < 0 || !looked_at_.noise) return;
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  search_.run([this, clip = plan.info, fields = fields_, curve = *looked_at_.noise,
               settings = looked_at_.denoise, path = path_,
               at = frame_](const Progress& progress) -> Background::Finish {
    DenoiseSettings found = settings;
    found.luma = strengthThatKeepsStructure(clip, fields, at, curve, settings, progress);
    return [this, path, found] {
      if (path == path_) editClip(tr("Change noise removal"), [found](ShootClip& c) { c.denoise = found; });
    };
  });
}

void ComparePlace::editClip(const QString& what, const ClipEdit& change) {
  if (clip_ < 0) return;
  session_.edit(what, [&](Shoot& s) { change(s.clips[static_cast<size_t>(clip_)]); });
}

void ComparePlace::setIn() {
  if (clip_ < 0) return;
  const int64_t frames = session_.plans()[static_cast<size_t>(clip_)].info.frames;
  editClip(tr("Set the in point"), [=, this](ShootClip& c) {
    c.range = FrameRange{frame_, c.range && c.range->last > frame_ ? c.range->last : frames};
  });
}

void ComparePlace::setOut() {
  editClip(tr("Set the out point"), [this](ShootClip& c) {
    c.range = FrameRange{c.range && c.range->first <= frame_ ? c.range->first : 0, frame_ + 1};
  });
}

void ComparePlace::clearRange() {
  editClip(tr("Render the whole clip"), [](ShootClip& c) { c.range.reset(); });
}

void ComparePlace::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  noise_form_->setSpeeds(noiseSpeeds());
  reload();
}

void ComparePlace::reload() {
  const auto& plans = session_.plans();
  const int clip = session_.currentClip();
  bar_->setClips(plans, clip);
  if (clip < 0 || clip >= static_cast<int>(plans.size()) ||
      plans[static_cast<size_t>(clip)].info.width == 0 || !plans[static_cast<size_t>(clip)].info.readable()) {
    clip_ = -1;
    path_.clear();
    preview_.clear();
    view_->setPicture({}, {});
    view_->setSecond({});
    figures_->clear();
    if (clip < 0)
      message_->setText(tr("Choose a clip in Shoot."));
    else if (!plans[static_cast<size_t>(clip)].info.problems.empty())
      message_->setText(QString::fromStdString(plans[static_cast<size_t>(clip)].info.problems.back().text));
    return;
  }
  const ClipPlan& plan = plans[static_cast<size_t>(clip)];
  QString message;
  if (plan.match.kind == MatchKind::None || plan.match.kind == MatchKind::Borrowed)
    message = QString::fromStdString(plan.match.reason);
  else if (plan.questions.iso)
    message =
        tr("Nothing says this clip's ISO, so its noise is not removed here yet. The run tells it by itself; "
           "“Tell the ISO by noise” in its menu in Shoot does it now.");
  message_->setText(message);
  const bool other = plan.info.path != path_;
  if (other) {
    frame_ = plan.info.frames / 2;
    pins_.clear();
    edge_.a = edge_.b = {};
    edge_text_->clear();
    noise_form_->setVerdict(std::nullopt);
    bar_->setEdge(false);
  }
  clip_ = clip;
  path_ = plan.info.path;
  showOwn();
  Correction correction = plan.job.correction;
  takeMotion(plan, correction);
  figures_->setText(clipFigures(plan, session_.profiles(), session_.motion().find(plan.motion).get()));
  if (plan.questions.flicker) correction.flicker = flickerOf(plan);
  // Frames made before stay good when only the range or another clip was changed.
  if (!other && correction == looked_at_ && plan.job.fields == fields_) return;
  looked_at_ = std::move(correction);
  fields_ = plan.job.fields;
  shown_ = drafted_ = -1;
  preview_.setClip(plan.info, looked_at_, fields_);
  preview_.setOwnMotionWanted(bar_->look() == CompareBar::OwnMotion);
  transport_->setFrames(plan.info.frames);
  goTo(frame_);
  const int64_t first =
      std::max<int64_t>(0, std::min(frame_ - kLoopFrames / 2, plan.info.frames - kLoopFrames));
  loop_ = {first, std::min(plan.info.frames, first + kLoopFrames)};
  preview_.setLoop(loop_.first, loop_.last);
  showVariants();
  showSteady();
}

// Until the motion is known the clip is shown without it, and that is said.
void ComparePlace::takeMotion(const ClipPlan& plan, Correction& correction) {
  if (!plan.questions.motion) return;
  if (const auto answer = session_.motion().find(plan.motion)) {
    correction.motion = answer->motion;
    return;
  }
  session_.motion().want(plan.motion);
  // A path under other settings is nearer to the truth than none.
  if (const auto last = session_.motion().newest(plan.info.path)) correction.motion = last->motion;
  const QString& trouble = session_.motion().trouble();
  message_->setText(trouble.isEmpty() ? tr("The camera's motion is being analysed; shown without it so far.")
                                      : trouble);
}

// Measured once in this sitting, in the background; empty until then.
std::optional<FlickerPath> ComparePlace::flickerOf(const ClipPlan& plan) {
  const auto known = flicker_.find(plan.info.path);
  if (known != flicker_.end()) {
    const std::string found = known->second.describe();
    noise_form_->setFlickerFound(found.empty() ? tr("No flicker to speak of.")
                                               : tr("Flicker of %1.").arg(QString::fromStdString(found)));
    return known->second;
  }
  noise_form_->setFlickerFound(tr("Flicker is being measured…"));
  if (!flicker_search_.busy())
    flicker_search_.run(
        [this, clip = plan.info, fields = plan.job.fields](const Progress& progress) -> Background::Finish {
          return [this, path = clip.path, found = measureFlicker(clip, fields, progress)] {
            flicker_[path] = found;
            if (isVisible()) reload();
          };
        });
  return std::nullopt;
}

void ComparePlace::goTo(int64_t frame) {
  if (clip_ < 0) return;
  const int64_t last = session_.plans()[static_cast<size_t>(clip_)].info.frames - 1;
  frame_ = std::clamp<int64_t>(frame, 0, std::max<int64_t>(0, last));
  transport_->setFrame(frame_);
  if (pictures_->currentWidget() == steady_board_) steady_board_->showFrame(frame_);
  if (const auto known = preview_.cached(frame_)) show(*known);
  if (!timer_.isActive()) preview_.request(frame_);
}

void ComparePlace::show(const PreviewFrame& frame) {
  if (clip_ < 0 || frame.wanted != frame_) return;
  if (frame.draft && shown_ == frame_) return;
  drafted_ = frame.wanted;
  if (!frame.draft) {
    const bool measured = current_.index == frame.index && current_.corrected_frame.width > 0;
    if (!measured || frame.corrected_frame.width > 0) current_ = frame;
    shown_ = frame.index;
  }
  present(frame);
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  transport_->setText(tr("frame %1 of %2 · %3")
                          .arg(frame.index + 1)
                          .arg(plan.info.frames)
                          .arg(lengthText(plan.info.frameTime(frame.index))));
  if (frame.draft && frame.index != frame.wanted)
    view_->setNote(tr("frame %1 for now, at half size").arg(frame.index + 1));
  else if (frame.draft)
    view_->setNote(tr("at half size for now"));
  else if (view_->zoom() == 0 && view_->shownScale() < 0.99)
    view_->setNote(tr("shown reduced, %1").arg(withUnit(view_->shownScale() * 100, 0, QStringLiteral("%"))));
  else
    view_->setNote({});
  if (frame.draft) return;
  showOwnMotion();
  noise_form_->setVerdict(current_.removal);
  showVariants();
  updatePins();
  if (edge_.on) measureEdge();
}

void ComparePlace::layStraightEdge(QPointF a, QPointF b) {
  edge_.a = a;
  edge_.b = b;
  edge_.on = true;
  bar_->setEdge(true);
  measureEdge();
}

void ComparePlace::measureEdge() {
  if (clip_ < 0 || current_.corrected_frame.width == 0) return;
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  edge_text_->setText(edge_.measured(current_.corrected_frame, current_.source_frame, plan.job.correction));
  view_->update();
}

void ComparePlace::addPin(QPointF at) {
  pins_.push_back(at);
  if (pins_.size() > PinStrip::kMost) pins_.erase(pins_.begin());
  updatePins();
  view_->update();
}

void ComparePlace::updatePins() { pin_strip_->show(pins_, current_.source, current_.corrected); }

void ComparePlace::drawOver(QPainter& p, const PictureView& v, int pane) const {
  for (size_t i = 0; i < pins_.size(); ++i) {
    const QPointF at = v.toScreen(pins_[i], pane);
    drawRimmed(p, QPolygonF{at + QPointF(-6, 0), at + QPointF(6, 0)}, 1.4);
    drawRimmed(p, QPolygonF{at + QPointF(0, -6), at + QPointF(0, 6)}, 1.4);
  }
  edge_.draw(p, v, pane);
  if (bar_->look() == CompareBar::OwnMotion && settled()) own_marks_.draw(p, v, pane);
  if (clip_ >= 0 && v.layoutMode() == PictureView::Layout::Side)
    drawTag(p, QPointF(pane == 0 ? 12 : v.width() / 2.0 + 14, 28),
            pane == 0 ? tr("source") : tr("corrected"));
}

void ComparePlace::togglePlay() {
  if (timer_.isActive()) {
    timer_.stop();
    transport_->setPlaying(false);
    goTo(frame_);
    return;
  }
  if (clip_ < 0) return;
  timer_.start(
      static_cast<int>(std::lround(1000 / session_.plans()[static_cast<size_t>(clip_)].info.fps.value())));
  transport_->setPlaying(true);
}

void ComparePlace::tick() {
  if (pictures_->currentWidget() == steady_board_) {
    if (const int64_t next = steady_board_->after(frame_); next >= 0) goTo(next);
    return;
  }
  const int64_t count = session_.plans()[static_cast<size_t>(clip_)].info.frames;
  for (int64_t step = 1; step <= count; ++step) {
    const int64_t next = (frame_ + step) % count;
    if (!preview_.cached(next)) continue;
    goTo(next);
    return;
  }
}

void ComparePlace::keyPressEvent(QKeyEvent* event) {
  const QPointF pointer = view_->mapFromGlobal(QCursor::pos());
  const QPointF at = view_->rect().contains(pointer.toPoint()) ? pointer : QPointF(-1, -1);
  switch (event->key()) {
    case Qt::Key_S:
      if (!event->isAutoRepeat()) view_->setHold(true);
      break;
    case Qt::Key_Comma:
      goTo(frame_ - 1);
      break;
    case Qt::Key_Period:
      goTo(frame_ + 1);
      break;
    case Qt::Key_P:
      togglePlay();
      break;
    case Qt::Key_I:
      setIn();
      break;
    case Qt::Key_O:
      setOut();
      break;
    case Qt::Key_W:
      clearRange();
      break;
    case Qt::Key_N:
      bar_->setLook(bar_->look() == CompareBar::Removed ? CompareBar::AllChannels : CompareBar::Removed);
      break;
    case Qt::Key_L:
      bar_->nextLift();
      break;
    case Qt::Key_E:
      bar_->toggleEdge();
      break;
    case Qt::Key_D:
      bar_->setWay(CompareBar::Divider);
      break;
    case Qt::Key_B:
      bar_->setWay(CompareBar::SideBySide);
      break;
    case Qt::Key_V:
      bar_->setWay(CompareBar::NoiseTrials);
      break;
    case Qt::Key_M:
      bar_->setWay(CompareBar::SteadyTrials);
      break;
    case Qt::Key_0:
      zoomTo(0);
      break;
    case Qt::Key_1:
      zoomTo(1, at);
      break;
    case Qt::Key_2:
      zoomTo(2, at);
      break;
    case Qt::Key_4:
      zoomTo(4, at);
      break;
    default:
      QWidget::keyPressEvent(event);
  }
}

void ComparePlace::keyReleaseEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_S && !event->isAutoRepeat()) view_->setHold(false);
  QWidget::keyReleaseEvent(event);
}

}  // namespace glenhaze::desktop
