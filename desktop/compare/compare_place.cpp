#include "desktop/compare/compare_place.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QSettings>
#include <QSpinBox>
#include <QSplitter>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.h"
#include "core/lens/edges.h"
#include "desktop/compare/clip_form.h"
#include "desktop/compare/moment_strip.h"
#include "desktop/compare/noise_form.h"
#include "desktop/compare/pin_strip.h"
#include "desktop/compare/plain_controls.h"
#include "desktop/compare/steady_board.h"
#include "desktop/compare/transport.h"
#include "desktop/compare/variant_board.h"
#include "desktop/noise_speeds.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr double kPinReach_px = 10;  // on the screen

}  // namespace

ComparePlace::ComparePlace(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), state_(session), moments_(session), preview_(session.pictures()) {
  setFocusPolicy(Qt::StrongFocus);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(16, 10, 16, 12);
  layout->setSpacing(8);
  layout->addWidget(buildBar());
  auto* middle = new QSplitter(Qt::Horizontal);
  middle->setHandleWidth(10);
  buildView();
  board_ = new VariantBoard;
  steady_board_ = new SteadyBoard(session_.pictures());
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
  strip_ = new MomentStrip;
  layout->addWidget(strip_);
  connect(strip_, &MomentStrip::moved, &state_, &CompareState::goTo);
  connect(&moments_, &Moments::changed, this, [this] {
    strip_->setTimeline(moments_.timeline(), moments_.message());
    strip_->setVisible(moments_.wanted());
  });
  setOverTime(QSettings().value(QStringLiteral("compare/over_time")).toBool());
  preview_.setDrafts(true);
  connect(&preview_, &Preview::ready, this, &ComparePlace::show);
  connect(&preview_, &Preview::failed, &state_, &CompareState::setTrouble);
  connect(&preview_, &Preview::loopProgress, this, [this] {
    transport_->setReady(preview_.loopFilled());
    if (timer_.isActive()) showPace();
  });
  connect(&state_, &CompareState::clipChanged, this, &ComparePlace::takeClip);
  connect(&state_, &CompareState::correctionChanged, this, &ComparePlace::takeCorrection);
  connect(&state_, &CompareState::changed, this, &ComparePlace::showState);
  connect(&state_, &CompareState::frameChanged, this, &ComparePlace::takeFrame);
  connect(&state_, &CompareState::searchingChanged, this,
          [this] { noise_form_->setBusy(state_.searching()); });
  connect(&timer_, &QTimer::timeout, this, &ComparePlace::tick);
  sound_wanted_ = QSettings().value(QStringLiteral("compare/sound")).toBool();
  hearThrough(deviceOutput());
}

void ComparePlace::buildView() {
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
  connect(&looks_, &LookMaker::made, this, [this](const ShownPictures& made) {
    view_->setPicture(made.first, made.size);
    view_->setSecond(made.second);
  });
  connect(view_, &PictureView::viewChanged, this, [this] { bar_->showZoom(view_->zoom()); });
}

void ComparePlace::hearThrough(std::unique_ptr<SoundOutput> output) {
  sound_ = std::make_unique<LoopSound>(std::move(output));
  connect(sound_.get(), &LoopSound::changed, this, &ComparePlace::showSound);
  // Asking for a device takes its time, and is not needed before this is looked at.
  if (!isVisible()) return;
  if (state_.hasClip()) sound_->setLoop(state_.plan().info, state_.loop());
  showSound();
}

void ComparePlace::connectBoards() {
  connect(board_, &VariantBoard::chosen, &state_, &CompareState::setDenoise);
  connect(steady_board_, &SteadyBoard::chosen, this, [this](const StabilizationSettings& settings) {
    state_.edit(tr("Change stabilization"), [settings](ShootClip& c) { c.stabilization = settings; });
  });
  connect(steady_board_, &SteadyBoard::filled, this, [this](qint64 index) {
    if (index == state_.frame()) steady_board_->showFrame(index);
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
    if (look == CompareBar::OwnMotion && !current_.own && state_.hasClip()) preview_.request(state_.frame());
    present(current_);
    showOwnMotion();
  });
  connect(bar_, &CompareBar::liftChosen, this, [this](int stops) {
    present(current_);
    board_->setLift(stops);
  });
  connect(bar_, &CompareBar::edited, &state_, &CompareState::edit);
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
  connect(transport_, &Transport::moved, &state_, &CompareState::goTo);
  connect(transport_, &Transport::stepped, this, [this](int by) { state_.goTo(state_.frame() + by); });
  connect(transport_, &Transport::playPressed, this, &ComparePlace::togglePlay);
  connect(transport_, &Transport::soundToggled, this, &ComparePlace::setSound);
  connect(transport_, &Transport::inPressed, &state_, &CompareState::setIn);
  connect(transport_, &Transport::outPressed, &state_, &CompareState::setOut);
  connect(transport_, &Transport::wholePressed, &state_, &CompareState::clearRange);
  connect(transport_, &Transport::keepPressed, &state_, &CompareState::keepStretch);
  connect(transport_, &Transport::overTimeToggled, this, &ComparePlace::setOverTime);
  connect(transport_, &Transport::alignedToggled, this, [this](bool on) {
    preview_.setAligned(on);
    shown_ = drafted_ = -1;
    if (state_.hasClip()) preview_.request(state_.frame());
  });
  return transport_;
}

// From degrees to shares of the width, as the strip's own figure of the source is.
void ComparePlace::showShakeLeft() {
  std::vector<float> left;
  if (const auto motion = state_.motion()) {
    left = motion->stabilized.shake_left_deg;
    const Lens& lens = state_.plan().motion.lens;
    const double percent = 100 * lens.fx / lens.width * std::numbers::pi / 180;
    for (float& v : left) v = static_cast<float>(static_cast<double>(v) * percent);
  }
  strip_->setShakeLeft(std::move(left));
}

void ComparePlace::setOverTime(bool on) {
  QSettings().setValue(QStringLiteral("compare/over_time"), on);
  transport_->setOverTime(on);
  moments_.setWanted(on);
}

QWidget* ComparePlace::buildSide() {
  auto* side = new QWidget;
  side->setMinimumWidth(320);
  side->setMaximumWidth(420);
  makeDeep(*side);
  auto* layout = new QVBoxLayout(side);
  layout->setContentsMargins(14, 12, 14, 12);
  figures_ = new QLabel;
  figures_->setWordWrap(true);
  // In the same place: beside the first line there is room, and further down the figures need their width.
  auto* head = new QGridLayout;
  head->addWidget(figures_, 0, 0);
  head->addWidget(guideMark(tr("Compare")), 0, 0, Qt::AlignTop | Qt::AlignRight);
  layout->addLayout(head);
  edge_text_ = new QLabel;
  edge_text_->setWordWrap(true);
  layout->addWidget(edge_text_);
  own_text_ = new QLabel;
  own_text_->setWordWrap(true);
  layout->addWidget(own_text_);
  plain_ = new PlainControls;
  connect(plain_, &PlainControls::edited, &state_, &CompareState::edit);
  layout->addWidget(plain_);
  more_ = new QPushButton(tr("More settings"));
  more_->setCheckable(true);
  more_->setChecked(QSettings().value(QStringLiteral("compare/more")).toBool());
  more_->setToolTip(tr("Window, lens, and the details of noise removal"));
  connect(more_, &QPushButton::toggled, this, [this](bool on) {
    QSettings().setValue(QStringLiteral("compare/more"), on);
    showMore();
  });
  layout->addWidget(more_);
  clip_form_ = new ClipForm;
  connect(clip_form_, &ClipForm::edited, &state_, &CompareState::edit);
  layout->addWidget(clip_form_);
  noise_form_ = new NoiseForm;
  connect(noise_form_, &NoiseForm::edited, &state_, &CompareState::setDenoise);
  connect(noise_form_, &NoiseForm::followCamera, &state_, &CompareState::followCamera);
  connect(noise_form_, &NoiseForm::keepForCamera, &state_, &CompareState::keepForCamera);
  connect(noise_form_, &NoiseForm::findStrength, &state_, &CompareState::findStrength);
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
  scroll->setMinimumWidth(334);
  scroll->setMaximumWidth(434);
  return scroll;
}

// What is set now and then only stays closed, so that nothing has to be scrolled for.
void ComparePlace::showMore() {
  const bool open = more_->isChecked();
  more_->setText(open ? tr("Fewer settings") : tr("More settings"));
  clip_form_->setVisible(open);
  noise_form_->setVisible(state_.hasClip() && state_.plan().job.correction.noise.has_value());
  noise_form_->setDetailed(open);
}

void ComparePlace::showState() {
  bar_->setClips(session_.plans(), session_.currentClip());
  message_->setText(state_.message());
  figures_->setText(state_.figures());
  if (!state_.hasClip()) return;
  const ClipPlan& plan = state_.plan();
  bar_->setPlan(plan, session_.shoot().output);
  clip_form_->setPlan(plan);
  plain_->setPlan(plan, profileOf(plan.match, session_.profiles()));
  transport_->setRendered(plan.job.range);
  moments_.setClip(session_.currentClip());
  strip_->setClip(plan.info, plan.clip.stretches, plan.clip.range);
  showShakeLeft();
  showMore();
  noise_form_->setFlickerFound(state_.flickerText());
  noise_form_->setSettings(plan.job.correction.denoise, plan.clip.denoise.has_value());
  takePins();
}

// Nothing of the clip before is to be seen beside this one's words, not even for a moment.
void ComparePlace::takeClip() {
  current_ = {};
  looks_.clear();
  shown_ = drafted_ = -1;
  own_marks_ = {};
  view_->setPicture({}, {});
  view_->setSecond({});
  view_->setNote({});
  takePins();
  edge_.a = edge_.b = {};
  edge_text_->clear();
  own_text_->clear();
  noise_form_->setVerdict(std::nullopt);
  bar_->setEdge(false);
  if (!state_.hasClip()) preview_.clear();
}

void ComparePlace::takeCorrection() {
  shown_ = drafted_ = -1;
  const ClipInfo& clip = state_.plan().info;
  preview_.setClip(clip, state_.correction(), state_.reading());
  looks_.setCorrection(state_.correction(), {clip.width, clip.height});
  preview_.setOwnMotionWanted(bar_->look() == CompareBar::OwnMotion);
  transport_->setFrames(state_.plan().info.frames);
  takeFrame();
  preview_.setLoop(state_.loop().first, state_.loop().last);
  sound_->setLoop(state_.plan().info, state_.loop());
  showSound();
  showShakeLeft();
  showVariants();
  showSteady();
}

void ComparePlace::setLayoutMode(int mode) { bar_->setWay(mode); }

void ComparePlace::zoomTo(double zoom, QPointF around) {
  view_->setZoom(zoom, around);
  board_->setZoom(zoom);
  steady_board_->setZoom(zoom);
}

// Four settings at once take four times as long: only while they are looked at.
void ComparePlace::showVariants() {
  if (pictures_->currentWidget() != board_ || !state_.hasClip() || timer_.isActive()) return;
  board_->setFrame(state_.plan().info, state_.reading().fields, state_.frame(), state_.correction());
}

// Beside each other they play; the strengths are worked out from the path that is known already.
void ComparePlace::showSteady() {
  if (pictures_->currentWidget() != steady_board_ || !state_.hasClip()) return;
  const ClipPlan& plan = state_.plan();
  const auto answer = state_.motion();
  const QString why = !plan.questions.motion ? tr("Stabilization and shutter are off, or not set.")
                      : answer               ? QString()
                                             : tr("the motion is being analysed…");
  Correction still = state_.correction();
  still.motion.reset();
  still.shutter_local = false;
  steady_board_->setClip(plan.motion, still, answer, state_.loop(), why);
  steady_board_->showFrame(state_.frame());
}

void ComparePlace::showOwnMotion() {
  own_marks_ = {};
  const Correction& correction = state_.correction();
  if (state_.hasClip() && current_.own &&
      (bar_->look() == CompareBar::OwnMotion || correction.mendsOwnMotion())) {
    const ClipInfo& clip = state_.plan().info;
    own_marks_ = OwnMarks(current_, correction, {clip.width, clip.height});
  }
  own_text_->setText(own_marks_.text());
  own_text_->setVisible(!own_text_->text().isEmpty());
  view_->update();
}

void ComparePlace::setLook(int look) { bar_->setLook(look); }
void ComparePlace::setLift(int stops) { bar_->setLift(stops); }

void ComparePlace::present(const PreviewFrame& frame) { looks_.show(frame, bar_->look(), bar_->lift()); }

void ComparePlace::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  noise_form_->setSpeeds(noiseSpeeds());
  state_.setActive(true);
  preview_.setWatched(true);
  showSound();
}

void ComparePlace::hideEvent(QHideEvent* event) {
  if (timer_.isActive()) togglePlay();
  state_.setActive(false);
  preview_.setWatched(false);
  QWidget::hideEvent(event);
}

void ComparePlace::takeFrame() {
  const int64_t frame = state_.frame();
  transport_->setFrame(frame);
  strip_->setFrame(frame);
  if (pictures_->currentWidget() == steady_board_) steady_board_->showFrame(frame);
  if (const auto known = preview_.cached(frame)) show(*known);
  if (!timer_.isActive()) preview_.request(frame);
}

void ComparePlace::show(const PreviewFrame& frame) {
  if (!state_.hasClip() || frame.wanted != state_.frame()) return;
  if (frame.draft && shown_ == frame.wanted) return;
  drafted_ = frame.wanted;
  in_sight_ = frame.index;
  if (!frame.draft) {
    const bool measured = current_.index == frame.index && current_.corrected_frame.width > 0;
    if (!measured || frame.corrected_frame.width > 0) current_ = frame;
    shown_ = frame.index;
  }
  present(frame);
  const ClipPlan& plan = state_.plan();
  transport_->setText(tr("frame %1 of %2 · %3")
                          .arg(frame.index + 1)
                          .arg(plan.info.frames)
                          .arg(lengthText(plan.info.frameTime(frame.index))));
  if (timer_.isActive()) showPace();
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
  takePins();
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
  if (!state_.hasClip() || current_.corrected_frame.width == 0) return;
  edge_text_->setText(
      edge_.measured(current_.corrected_frame, current_.source_frame, state_.plan().job.correction));
  view_->update();
}

// On a pin it takes it away. They are kept with the clip, as shares of the picture.
void ComparePlace::addPin(QPointF at) {
  const QSizeF size = view_->pictureSize();
  if (!state_.hasClip() || size.isEmpty()) return;
  std::vector<Point> pins = state_.plan().clip.pins;
  const double near = kPinReach_px / view_->shownScale();
  const auto there = std::ranges::find_if(pins, [&](const Point& pin) {
    return std::hypot(pin.x * size.width() - at.x(), pin.y * size.height() - at.y()) < near;
  });
  const bool taken = there != pins.end();
  if (taken)
    pins.erase(there);
  else
    pins.push_back(
        {std::clamp(at.x() / size.width(), 0.0, 1.0), std::clamp(at.y() / size.height(), 0.0, 1.0)});
  if (pins.size() > PinStrip::kMost) pins.erase(pins.begin());
  state_.edit(taken ? tr("Take a pin away") : tr("Pin a place"), [&](ShootClip& clip) { clip.pins = pins; });
}

void ComparePlace::takePins() {
  pins_.clear();
  if (const QSizeF size = view_->pictureSize(); state_.hasClip() && !size.isEmpty())
    for (const Point& pin : state_.plan().clip.pins)
      pins_.emplace_back(pin.x * size.width(), pin.y * size.height());
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
  if (state_.hasClip() && v.layoutMode() == PictureView::Layout::Side)
    drawTag(p, QPointF(pane == 0 ? 12 : v.width() / 2.0 + 14, 28),
            pane == 0 ? tr("source") : tr("corrected"));
}

void ComparePlace::togglePlay() {
  if (timer_.isActive()) {
    timer_.stop();
    sound_->stop();
    transport_->setPlaying(false);
    if (isVisible()) takeFrame();
    return;
  }
  if (!state_.hasClip()) return;
  timer_.start(static_cast<int>(std::lround(1000 / state_.plan().info.fps.value())));
  transport_->setPlaying(true);
}

void ComparePlace::setSound(bool on) {
  sound_wanted_ = on;
  QSettings().setValue(QStringLiteral("compare/sound"), on);
  if (!on) sound_->stop();
  showSound();
}

void ComparePlace::showSound() {
  transport_->setSound(sound_wanted_,
                       state_.hasClip() || !sound_->available() ? sound_->whyNot() : QString());
}

// In words: a loop that has not all its frames yet passes over those that are missing.
void ComparePlace::showPace() {
  const int64_t all = state_.loop().count(), there = preview_.loopFilled();
  if (there < all && pictures_->currentWidget() == view_)
    transport_->setText(tr("%1 of %2 frames ready").arg(there).arg(all));
}

void ComparePlace::tick() {
  const bool whole = state_.hasClip() && preview_.loopFilled() >= state_.loop().count();
  if (sound_wanted_ && whole && pictures_->currentWidget() == view_) {
    if (!sound_->playing()) sound_->play(state_.frame());
    // The picture follows the sound: of the two only that one is heard when it stumbles.
    if (sound_->playing()) return state_.goTo(sound_->frame());
  }
  sound_->stop();
  if (pictures_->currentWidget() == steady_board_) {
    if (const int64_t next = steady_board_->after(state_.frame()); next >= 0) state_.goTo(next);
    return;
  }
  const int64_t count = state_.hasClip() ? state_.plan().info.frames : 0;
  for (int64_t step = 1; step <= count; ++step) {
    const int64_t next = (state_.frame() + step) % count;
    if (!preview_.isCached(next)) continue;
    state_.goTo(next);
    return;
  }
}

}  // namespace glenhaze::desktop
