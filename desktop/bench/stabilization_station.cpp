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

#include "core/base/error.h"
#include "desktop/bench/path_plot.h"
#include "desktop/bench/stabilization_form.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr int kHandLook = 2;
constexpr size_t kMostRanges = 4;  // listed; the plot shows all

QString percent(double share) { return withUnit(share * 100, share < 0.1 ? 1 : 0, QStringLiteral("%")); }

}  // namespace

StabilizationStation::StabilizationStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session) {
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
  arrange(buildTools(), view_, slider_, plot_, buildFindings(), QStringLiteral("bench-stabilization"));
  wireView();
  connect(&preview_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    frame_ = frame;
    hand_.setFrame(frame.source_frame);
    showPicture();
  });
  connect(&frozen_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    hand_.setFrozen(frame.source_frame);
    showPicture();
  });
  connect(&hand_, &HandAlign::changed, this, [this] {
    if (look_->currentIndex() == kHandLook) showPicture();
  });
  connect(&preview_, &Preview::failed, this, &StabilizationStation::say);
  connect(&session_.motion(), &MotionStore::changed, this, [this] {
    if (isVisible()) refresh();
  });
  connect(&session_.motion(), &MotionStore::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
}

QWidget* StabilizationStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  look_ = new QComboBox;
  look_->addItems({tr("Source with its window"), tr("Result"), tr("By hand: difference")});
  look_->setAccessibleName(tr("What is shown"));
  look_->setToolTip(tr("The picture as filmed with the part that is delivered, or what comes out"));
  connect(look_, &QComboBox::currentIndexChanged, this, [this](int look) {
    hand_tools_->setVisible(look == kHandLook);
    mask_->setVisible(look != kHandLook);
    log_->setVisible(look != kHandLook);
    tracks_->setVisible(look == 0);
    showPicture();
  });
  row->addWidget(look_);
  tracks_ = new QCheckBox(tr("Tracks"));
  tracks_->setToolTip(tr("What was followed from the frame before to this one"));
  connect(tracks_, &QCheckBox::toggled, this, [this] { view_->update(); });
  row->addWidget(tracks_);
  row->addWidget(buildHandTools(), 1);
  row->addStretch();
  log_ = new QPushButton(tr("Motion log…"));
  log_->setToolTip(
      tr("Turning rates that something on the camera wrote down, as CSV: t,x,y,z in seconds and rad "
         "per second. Offset and axes are found."));
  connect(log_, &QPushButton::clicked, this, &StabilizationStation::chooseLog);
  row->addWidget(log_);
  mask_ = new QPushButton(tr("Mask"));
  mask_->setCheckable(true);
  mask_->setToolTip(tr(
      "Drag over what is not the scene, as rotor blades or the craft itself: it is not followed, in no clip "
      "of this camera"));
  row->addWidget(mask_);
  unmask_ = new QPushButton(tr("Drop masks"));
  unmask_->setToolTip(tr("Follow everything again"));
  connect(unmask_, &QPushButton::clicked, this,
          [this] { changeMasks(tr("Drop masks"), [](std::vector<MotionMask>& masks) { masks.clear(); }); });
  row->addWidget(unmask_);
  return bar;
}

// A frozen frame is laid over the current one and nudged until their difference is black.
QWidget* StabilizationStation::buildHandTools() {
  hand_tools_ = new QWidget;
  auto* row = new QHBoxLayout(hand_tools_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  const auto button = [&](const QString& text, const QString& tip, const std::function<void()>& action) {
    auto* b = new QPushButton(text);
    b->setToolTip(tip);
    // Arrow keys must keep nudging behind a click.
    b->setFocusPolicy(Qt::TabFocus);
    connect(b, &QPushButton::clicked, this, action);
    row->addWidget(b);
    return b;
  };
  button(tr("Freeze this frame"), tr("Lay this frame over all others; keys kept so far are dropped"), [this] {
    if (frame_.source_frame.width > 0) keepHand(tr("Freeze a frame"), hand_.frozenHere());
  });
  keep_key_ = button(tr("Keep key"), tr("The frozen frame lies right here (Return)"),
                     [this] { keepHand(tr("Keep a key by hand"), hand_.withNow()); });
  drop_key_ = button(tr("Drop key"), tr("Drop the key of this frame (Delete)"),
                     [this] { keepHand(tr("Drop a key by hand"), hand_.withoutNow()); });
  hand_text_ = quietLabel();
  hand_text_->setWordWrap(false);
  row->addWidget(hand_text_, 1);
  hand_tools_->setVisible(false);
  setFocusPolicy(Qt::StrongFocus);
  return hand_tools_;
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

bool StabilizationStation::handKey(int key, Qt::KeyboardModifiers modifiers) {
  const double step = modifiers.testFlag(Qt::ShiftModifier)     ? 10
                      : modifiers.testFlag(Qt::ControlModifier) ? 0.1
                                                                : 1;
  switch (key) {
    case Qt::Key_Left:
      hand_.nudge({-step, 0}, 0, 1);
      return true;
    case Qt::Key_Right:
      hand_.nudge({step, 0}, 0, 1);
      return true;
    case Qt::Key_Up:
      hand_.nudge({0, -step}, 0, 1);
      return true;
    case Qt::Key_Down:
      hand_.nudge({0, step}, 0, 1);
      return true;
    case Qt::Key_BracketLeft:
      hand_.nudge({}, -0.1 * step, 1);
      return true;
    case Qt::Key_BracketRight:
      hand_.nudge({}, 0.1 * step, 1);
      return true;
    case Qt::Key_Minus:
      hand_.nudge({}, 0, 1 / (1 + 0.001 * step));
      return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      hand_.nudge({}, 0, 1 + 0.001 * step);
      return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (modifiers != Qt::NoModifier || !hand_.ready()) return false;
      keepHand(tr("Keep a key by hand"), hand_.withNow());
      return true;
    case Qt::Key_Delete:
      keepHand(tr("Drop a key by hand"), hand_.withoutNow());
      return true;
    default:
      return false;
  }
}

void StabilizationStation::keyPressEvent(QKeyEvent* event) {
  if (look_->currentIndex() == kHandLook && handKey(event->key(), event->modifiers())) return;
  BenchStation::keyPressEvent(event);
}

// The picture has the keyboard once it was clicked, and arrows mean nothing to it.
bool StabilizationStation::eventFilter(QObject* watched, QEvent* event) {
  if (watched == view_ && event->type() == QEvent::KeyPress && look_->currentIndex() == kHandLook) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (handKey(key->key(), key->modifiers())) return true;
  }
  return BenchStation::eventFilter(watched, event);
}

void StabilizationStation::setLook(int look) { look_->setCurrentIndex(look); }

void StabilizationStation::showHand() {
  const auto difference = hand_.difference();
  keep_key_->setEnabled(hand_.ready());
  drop_key_->setEnabled(hand_.isKey());
  if (!difference) {
    view_->setPicture(frame_.source, {frame_.source_frame.width, frame_.source_frame.height});
    hand_text_->setText(hand_.keys().empty() ? tr("Freeze the frame that the others are laid under.")
                                             : QString());
    return;
  }
  view_->setPicture(imageOf(difference->picture), {frame_.source_frame.width, frame_.source_frame.height});
  const HandKey& k = hand_.now();
  const double w = frame_.source_frame.width;
  hand_text_->setText(tr("%1, %2 px · %3 · %4 · differs by %5%6")
                          .arg(withUnit(k.shift.x * w, 1, {}), withUnit(k.shift.y * w, 1, {}),
                               withUnit(k.turn_deg, 2, QStringLiteral("°")),
                               withUnit(k.scale, 3, QStringLiteral("×")), withUnit(difference->mean, 1, {}),
                               hand_.isKey() ? tr(" · key") : QString()));
  hand_text_->setToolTip(
      tr("Arrow keys shift by a pixel (Shift 10, Ctrl 0.1), [ and ] turn, + and − scale; a double "
         "click puts the pivot. Black is right."));
}

QWidget* StabilizationStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  headline_ = new QLabel;
  headline_->setFont(textFont(25, true));
  note_ = quietLabel();
  budget_ = quietLabel();
  column->addWidget(headline_);
  column->addWidget(note_);
  column->addWidget(budget_);
  form_ = new StabilizationForm;
  connect(form_, &StabilizationForm::edited, this, &StabilizationStation::edit);
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
    if (!mask_->isChecked() || look_->currentIndex() != 0) return false;
    drawn_from_ = at;
    drawing_ = QRectF(at, at);
    return true;
  };
  view_->on_drag = [this](QPointF at) {
    if (drawing_) drawing_ = QRectF(drawn_from_, at).normalized();
    view_->update();
  };
  view_->on_release = [this](QPointF at) {
    if (!drawing_) return;
    drawing_.reset();
    addMask(drawn_from_, at);
    mask_->setChecked(false);
  };
  view_->on_double_click = [this](QPointF at) {
    if (look_->currentIndex() == kHandLook) hand_.setPivot(at);
  };
  view_->installEventFilter(this);
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
  return motionRequestOf(session_.shoot(), p->clip, p->info, p->match, session_.profiles(),
                         form_->settings());
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
  hand_.setKeys(p->clip.hand);
  log_->setText(p->clip.motion_log.empty() ? tr("Motion log…") : tr("Drop motion log"));
  if (hand_.frozenFrame() >= 0) {
    if (p->info.path != path_ || !hand_.ready()) {
      frozen_.setClip(p->info, {}, p->job.fields);
      frozen_.request(hand_.frozenFrame());
    }
  }
  const bool masked = profile.stabilization && !profile.stabilization->masks.empty();
  unmask_->setVisible(masked);
  if (p->info.path != path_) {
    path_ = p->info.path;
    motion_ = nullptr;
    shown_ = {};
    preview_.setClip(p->info, {}, p->job.fields);
    slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, p->info.frames - 1)));
    slider_->setValue(static_cast<int>(p->info.frames / 2));
    preview_.request(slider_->value());
  }
  refresh();
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
    say(p->info.frames < 2 ? tr("A still has no motion.")
                           : tr("Stabilization needs the lens: measure it first."));
  else
    say(motion_ ? QString() : session_.motion().trouble());
  // Until the new path is there, the last one stays on screen.
  const auto shown = motion_ ? motion_ : session_.motion().newest(p->info.path);
  plot_->setMotion(shown, p->job.range);
  showFindings();
  if (!motion_) return view_->update();
  Correction correction;
  correction.lens = wanted->lens;
  correction.lens_amount = wanted->window.amount;
  correction.fill = wanted->window.fill;
  correction.output = p->job.correction.output;
  correction.motion = motion_->motion;
  if (correction == shown_) return view_->update();
  shown_ = correction;
  preview_.setClip(p->info, correction, p->job.fields);
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
  QString advice = QString::fromStdString(s.advice);
  for (const std::string& warning : shown->finding.warnings)
    advice += (advice.isEmpty() ? QString() : QStringLiteral("<br>")) + QString::fromStdString(warning);
  advice_->setText(advice);
  advice_->setVisible(!advice.isEmpty());
}

void StabilizationStation::showPicture() {
  if (frame_.source_frame.width == 0) return;
  if (look_->currentIndex() == kHandLook)
    showHand();
  else if (look_->currentIndex() == 1)
    view_->setPicture(frame_.corrected, frame_.size);
  else
    view_->setPicture(frame_.source, {frame_.source_frame.width, frame_.source_frame.height});
  view_->update();
}

void StabilizationStation::edit(const StabilizationSettings& settings) {
  if (clip_ < 0) return;
  session_.edit(tr("Change stabilization"),
                [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].stabilization = settings; });
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

void StabilizationStation::addMask(QPointF a, QPointF b) {
  const QRectF r = QRectF(a, b).normalized();
  const ClipPlan* p = plan();
  if (p == nullptr || r.width() < 8 || r.height() < 8) return view_->update();
  const auto share = [&](double x, double y) {
    return Point{std::clamp((x + 0.5) / p->info.width, 0.0, 1.0),
                 std::clamp((y + 0.5) / p->info.height, 0.0, 1.0)};
  };
  MotionMask mask;
  mask.corners = {share(r.left(), r.top()), share(r.right(), r.top()), share(r.right(), r.bottom()),
                  share(r.left(), r.bottom())};
  changeMasks(tr("Mask what is not the scene"),
              [&](std::vector<MotionMask>& masks) { masks.push_back(mask); });
}

void StabilizationStation::drawOver(QPainter& p, const PictureView& view) {
  if (look_->currentIndex() != 0 || frame_.source_frame.width == 0) return;
  const ClipPlan* planned = plan();
  if (planned == nullptr) return;
  const auto wanted = request();
  if (wanted)
    for (const MotionMask& m : wanted->masks) {
      QPolygonF outline;
      for (const Point& c : m.corners)
        outline << view.toScreen(QPointF(c.x * planned->info.width - 0.5, c.y * planned->info.height - 0.5));
      p.setPen(Qt::NoPen);
      p.setBrush(QColor(30, 31, 32, 165));
      p.drawPolygon(outline);
      drawTag(p, outline.boundingRect().topLeft() + QPointF(4, 16), tr("not the scene"));
    }
  if (drawing_) {
    const QRectF r(view.toScreen(drawing_->topLeft()), view.toScreen(drawing_->bottomRight()));
    drawRimmed(p, QPolygonF(r));
  }
  const auto tracks = session_.motion().tracks(path_);
  const auto index = static_cast<size_t>(std::max<int64_t>(0, frame_.index));
  if (tracks_->isChecked() && tracks && index < tracks->frames.size())
    for (const TrackPair& t : tracks->frames[index].pairs) {
      const QPointF from =
          view.toScreen(QPointF(static_cast<double>(t.from_x), static_cast<double>(t.from_y)));
      const QPointF to = view.toScreen(QPointF(static_cast<double>(t.to_x), static_cast<double>(t.to_y)));
      drawRimmed(p, QPolygonF{from, to}, 1.2);
      drawRimmed(p, QPolygonF{to + QPointF(-2, 0), to + QPointF(2, 0)}, 1.2);
    }
  if (!motion_ || !wanted) return;
  // The part of the source that is delivered.
  const LensMap lens(wanted->lens);
  const LensWindow window(wanted->lens, wanted->window);
  const FrameMap map(*motion_->motion, frame_.index, lens, window);
  const double w = window.width() - 1, h = window.height() - 1;
  QPolygonF outline;
  constexpr int kSteps = 24;
  const auto add = [&](double x, double y) {
    if (const auto s = map.toSource({x, y})) outline << view.toScreen(QPointF(s->x, s->y));
  };
  for (int i = 0; i < kSteps; ++i) add(w * i / kSteps, 0);
  for (int i = 0; i < kSteps; ++i) add(w, h * i / kSteps);
  for (int i = 0; i < kSteps; ++i) add(w - w * i / kSteps, h);
  for (int i = 0; i <= kSteps; ++i) add(0, h - h * i / kSteps);
  drawRimmed(p, outline, 1.8);
  drawTag(p, outline.isEmpty() ? QPointF() : outline.front() + QPointF(8, 22), tr("delivered"));
}

void StabilizationStation::putIntoProfile() {
  try {
    Profile profile = session_.profileFor(clip_);
    if (!profile.stabilization) profile.stabilization.emplace();
    profile.stabilization->settings = form_->settings();
    session_.putProfile(tr("Put stabilization into profile"), profile);
    // The clip follows what is now the camera's.
    session_.edit(tr("Follow the camera's stabilization"),
                  [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].stabilization.reset(); });
    say(tr("In the profile now. Undo takes it back."));
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
  }
}

}  // namespace glenhaze::desktop
