#include "desktop/bench/shutter_station.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <QTableWidget>
#include <cmath>

#include "core/base/error.h"
#include "core/profile/verdict.h"
#include "desktop/bench/shutter_plot.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

double alongScan(const Shutter& s) {
  const bool backwards = s.direction == ScanDirection::Up || s.direction == ScanDirection::Left;
  return backwards ? -s.readout_s : s.readout_s;
}

QString directionText(ScanDirection direction) {
  switch (direction) {
    case ScanDirection::Down:
      return QObject::tr("from the top down");
    case ScanDirection::Up:
      return QObject::tr("from the bottom up");
    case ScanDirection::Left:
      return QObject::tr("from the right to the left");
    case ScanDirection::Right:
      return QObject::tr("from the left to the right");
    default:
      return QObject::tr("direction not known");
  }
}

}  // namespace

ShutterStation::ShutterStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session), preview_(session.pictures()) {
  view_ = new PictureView;
  view_->setOverlay([this](QPainter& p, const PictureView& v, int) { drawOver(p, v); });
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setAccessibleName(tr("Frame of the reference shot"));
  connect(slider_, &QSlider::valueChanged, this, [this](int v) {
    frame_ = v;
    preview_.request(v);
    showValue();
  });
  evidence_ = table({tr("Evidence"), tr("Frame"), tr("Lean"), tr("Lean left")}, tr("Evidence"));
  hintWhileEmpty(*evidence_,
                 tr("No evidence yet. Choose a way above and measure the readout, or set it by hand."));
  connect(evidence_, &QTableWidget::cellActivated, this, [this](int row, int) {
    if (const auto* item = evidence_->item(row, 1)) slider_->setValue(item->data(Qt::UserRole).toInt());
  });
  arrange(buildTools(), view_, slider_, evidence_, buildFindings());
  connect(&preview_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    view_->setPicture(frame.source, {frame.source_frame.width, frame.source_frame.height});
  });
  connect(&preview_, &Preview::failed, this, &ShutterStation::say);
  connect(&state_, &ShutterState::changed, this, &ShutterStation::refresh);
  connect(&state_, &ShutterState::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
  refresh();
}

QWidget* ShutterStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  ways_ =
      addWays(*row,
              {{tr("Flickering lamp"), tr("An even wall lit by one lamp on mains, with a short exposure")},
               {tr("Pan past uprights"), tr("A quick pan past a fence, columns or window frames")},
               {tr("Ordinary footage"), tr("Any footage that shakes; it needs the lens")}},
              [this](int way) { state_.setWay(static_cast<ShutterState::Way>(way)); });
  hz_ = new QComboBox;
  hz_->setEditable(true);
  hz_->setInsertPolicy(QComboBox::NoInsert);
  hz_->addItems({QStringLiteral("100\u2009Hz"), QStringLiteral("120\u2009Hz")});
  hz_->setMaximumWidth(90);
  hz_->setAccessibleName(tr("Flicker of the lamp"));
  hz_->setToolTip(
      tr("Lamps flicker at twice the mains frequency: 100 Hz where mains has 50 Hz, 120 Hz at 60 Hz"));
  connect(hz_, &QComboBox::currentTextChanged, this, [this](const QString& text) {
    bool ok = false;
    const double hz = text.section(QChar(0x2009), 0, 0).section(QLatin1Char(' '), 0, 0).toDouble(&ok);
    if (!filling_ && ok && hz >= 10) state_.setFlickerHz(hz);
  });
  row->addWidget(hz_);
  measure_ = new QPushButton;
  connect(measure_, &QPushButton::clicked, this, [this] {
    if (state_.busy())
      state_.stop(), refresh();
    else
      state_.measure();
  });
  row->addWidget(measure_);
  row->addStretch();
  guides_ = new QCheckBox(tr("Uprights as read"));
  guides_->setChecked(true);
  guides_->setToolTip(
      tr("Lines that lean as uprights must with this readout; a pan must have been measured"));
  connect(guides_, &QCheckBox::toggled, this, [this] { view_->update(); });
  row->addWidget(guides_);
  return bar;
}

QWidget* ShutterStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  std::tie(headline_, note_) = headline(*column, tr("Measure the shutter"));
  plot_ = new ShutterPlotView;
  column->addWidget(plot_, 1);
  lean_ = quietLabel();
  column->addWidget(lean_);
  column->addWidget(buildByHand(panel));
  warnings_ = noticeLabel();
  column->addWidget(warnings_);
  hint_ = quietLabel();
  column->addWidget(hint_);
  progress_ = progressBar();
  column->addWidget(progress_);
  put_ = putButton(tr("Keep this readout in the camera's profile (Ctrl+Return). It can be undone."));
  column->addWidget(put_);
  return panel;
}

QWidget* ShutterStation::buildByHand(QWidget* parent) {
  auto* box = new QWidget(parent);
  auto* form = new QFormLayout(box);
  form->setContentsMargins(0, 4, 0, 4);
  const auto spin = [&](const QString& name, const QString& unit, double high, double step,
                        const QString& tip) {
    auto* s = new QDoubleSpinBox;
    s->setRange(0, high);
    s->setDecimals(2);
    s->setSingleStep(step);
    s->setSuffix(QStringLiteral("\u2009") + unit);
    s->setKeyboardTracking(false);
    s->setAccessibleName(name);
    s->setToolTip(tip);
    auto* label = quietLabel(name);
    label->setWordWrap(false);
    form->addRow(label, s);
    return s;
  };
  readout_ =
      spin(tr("Readout"), tr("ms"), 100, 0.1, tr("By hand: type it, or nudge it while looking at uprights"));
  share_ = spin(tr("of the frame interval"), QStringLiteral("%"), 300, 1,
                tr("The same as a share of the time from frame to frame"));
  direction_ = new QComboBox;
  for (int d = 0; d < 5; ++d) direction_->addItem(directionText(static_cast<ScanDirection>(d)));
  direction_->setAccessibleName(tr("Rows are read"));
  direction_->setToolTip(tr("Which way the sensor is read, in a picture that was not turned in the camera"));
  auto* read = quietLabel(tr("Rows are read"));
  form->addRow(read, direction_);
  turned_ = new QComboBox;
  turned_->addItems({tr("upright, or as its tag says"), tr("turned clockwise in the camera"),
                     tr("upside down, set right in the camera"), tr("turned back in the camera")});
  turned_->setAccessibleName(tr("How this clip was held"));
  // Long answers are read in full when the list is open.
  for (QComboBox* answers : {direction_, turned_}) {
    answers->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    answers->setMinimumContentsLength(14);
  }
  turned_->setToolTip(
      tr("Where the camera itself turned the picture before it stored it, rows were read otherwise"));
  auto* held = quietLabel(tr("This clip was held"));
  held->setWordWrap(false);
  form->addRow(held, turned_);
  const auto byHand = [this](double readout_s) {
    if (filling_) return;
    state_.setByHand({readout_s, static_cast<ScanDirection>(direction_->currentIndex())});
  };
  connect(readout_, &QDoubleSpinBox::valueChanged, this, [=](double ms) { byHand(ms / 1000); });
  connect(share_, &QDoubleSpinBox::valueChanged, this,
          [=, this](double percent) { byHand(percent / 100 * state_.frameInterval()); });
  connect(direction_, &QComboBox::activated, this, [=, this] { byHand(readout_->value() / 1000); });
  connect(turned_, &QComboBox::activated, this, [this](int quarter) {
    if (clip_ < 0 || filling_) return;
    session_.edit(tr("Say how the clip was held"),
                  [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].turned = quarter * 90; });
  });
  return box;
}

void ShutterStation::setCamera(int clip, const Profile& profile) {
  clip_ = clip;
  state_.setCamera(profile);
}

void ShutterStation::setShot(const ClipInfo& shot) {
  if (shot.path == state_.shot().path) return;
  state_.setShot(shot);
  preview_.setClip(shot, {}, ReadOptions{});
  slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, shot.frames - 1)));
  slider_->setVisible(shot.frames > 1);
  slider_->setValue(static_cast<int>(shot.frames / 2));
  preview_.request(slider_->value());
}

void ShutterStation::goTo(int frame) { slider_->setValue(frame); }
void ShutterStation::say(const QString& text) { hint_->setText(text); }

void ShutterStation::refresh() {
  filling_ = true;
  ways_->button(static_cast<int>(state_.way()))->setChecked(true);
  hz_->setVisible(state_.way() == ShutterState::Way::Lamp);
  guides_->setVisible(state_.way() == ShutterState::Way::Pan);
  measure_->setText(state_.busy() ? tr("Stop") : tr("Measure readout"));
  measure_->setEnabled(state_.shot().frames > 1);
  progress_->setVisible(state_.busy());
  put_->setEnabled(state_.part().has_value() && !state_.camera().name.empty());
  QStringList warnings;
  if (state_.finding() && !state_.byHand())
    for (const auto& w : state_.finding()->warnings)
      warnings << QStringLiteral("▲ ") + QString::fromStdString(w);
  if (state_.byHand() && state_.value())
    for (const auto& w : plausibilityOf(*state_.value(), state_.frameInterval()))
      warnings << QStringLiteral("▲ ") + QString::fromStdString(w);
  warnings_->setText(warnings.join(QStringLiteral("<br>")));
  warnings_->setVisible(!warnings.isEmpty());
  say(state_.trouble());
  showValue();
  showEvidence();
  filling_ = false;
  view_->update();
}

void ShutterStation::showValue() {
  const bool was = std::exchange(filling_, true);
  const auto value = state_.value();
  const double interval = state_.frameInterval();
  QString headline = QStringLiteral("—"), note = tr("The readout is not measured yet.");
  if (state_.busy()) {
    headline = tr("Measuring…");
    note = tr("The window stays usable meanwhile.");
  } else if (value) {
    headline = value->readout_s > 0 ? withUnit(value->readout_s * 1000, 2, tr("ms")) : tr("Global shutter");
    if (interval > 0)
      note = tr("%1 of the frame interval, %2")
                 .arg(withUnit(value->readout_s / interval * 100, 0, QStringLiteral("%")),
                      directionText(value->direction));
    if (state_.byHand())
      note += tr("<br>set by hand");
    else if (const auto& f = state_.finding())
      note +=
          tr("<br>± %1, from %2 frames").arg(withUnit(f->uncertainty_s * 1000, 2, tr("ms"))).arg(f->frames) +
          QStringLiteral("<br>") + QString::fromStdString(verdictOf(*f));
    else
      note += tr("<br>in the profile now");
    if (const auto& before = state_.before(); before && (state_.byHand() || state_.finding()))
      note += (note.endsWith(QLatin1Char('.')) ? tr(" The profile has %1.") : tr("; the profile has %1"))
                  .arg(withUnit(before->shutter.readout_s * 1000, 2, tr("ms")));
  }
  headline_->setText(headline);
  note_->setText(note);
  const auto& f = state_.finding();
  const double chosen = value ? alongScan(*value) : 0;
  if (f)
    plot_->setPlot(f->kind, f->plot, chosen, state_.flickerHz());
  else if (state_.before())
    plot_->setPlot(state_.before()->plot_kind, state_.before()->plot, chosen, state_.flickerHz());
  else
    plot_->setPlot(ShutterPlot::None, {}, 0, 100);
  readout_->setValue(value ? value->readout_s * 1000 : 0);
  share_->setValue(value && interval > 0 ? value->readout_s / interval * 100 : 0);
  share_->setEnabled(interval > 0);
  direction_->setCurrentIndex(static_cast<int>(value ? value->direction : ScanDirection::Down));
  turned_->setCurrentIndex(clip_ >= 0 && clip_ < static_cast<int>(session_.plans().size())
                               ? session_.plans()[static_cast<size_t>(clip_)].clip.turned / 90
                               : 0);
  QString lean;
  if (const double left = state_.leanLeft(); left >= 0) {
    lean = tr("Lean left over all frames: %1").arg(withUnit(left, 2, tr("px RMS")));
    if (const auto sight = state_.sightOf(frame_))
      lean += tr("<br>in this frame %1").arg(withUnit(sight->lean, 2, tr("px")));
  }
  lean_->setText(lean);
  lean_->setVisible(!lean.isEmpty());
  filling_ = was;
  view_->update();
}

void ShutterStation::showEvidence() {
  const auto& f = state_.finding();
  if (f && !f->sights.empty()) {
    evidence_->setRowCount(static_cast<int>(f->sights.size()));
    const QString name = QString::fromStdString(state_.shot().path.stem().string());
    for (int i = 0; i < evidence_->rowCount(); ++i) {
      const PanSight& s = f->sights[static_cast<size_t>(i)];
      auto* number = cell(QString::number(s.frame + 1));
      number->setData(Qt::UserRole, static_cast<int>(s.frame));
      evidence_->setItem(i, 0, cell(tr("%1, %2").arg(name, withUnit(s.speed, 0, tr("px/s")))));
      evidence_->setItem(i, 1, number);
      evidence_->setItem(i, 2, cell(withUnit(s.lean, 2, tr("px"))));
      const auto left = state_.sightOf(s.frame);
      evidence_->setItem(i, 3, cell(left ? withUnit(left->lean, 2, tr("px")) : QString()));
    }
    return;
  }
  std::vector<Evidence> rows;
  if (f && state_.part())
    rows = state_.part()->evidence;
  else if (state_.before())
    rows = state_.before()->evidence;
  evidence_->setRowCount(static_cast<int>(rows.size()));
  for (int i = 0; i < evidence_->rowCount(); ++i) {
    const Evidence& e = rows[static_cast<size_t>(i)];
    evidence_->setItem(i, 0,
                       cell(QString::fromStdString(e.source.empty() ? e.kind : e.kind + ": " + e.source)));
    for (int c = 1; c < 4; ++c) evidence_->setItem(i, c, cell({}));
  }
}

// What stands upright in the world, as rows read one after the other show it while the camera pans.
void ShutterStation::drawOver(QPainter& p, const PictureView& view) {
  if (!guides_->isChecked() || !guides_->isVisible() || !state_.finding() || !state_.value()) return;
  const PanSight* sight = nullptr;
  for (const PanSight& s : state_.finding()->sights)
    if (s.frame == frame_) sight = &s;
  if (sight == nullptr) return;
  const ClipInfo& shot = state_.shot();
  const auto lens = state_.lens();
  const std::optional<LensMap> map = lens ? std::optional<LensMap>(*lens) : std::nullopt;
  const double lean = sight->speed * alongScan(*state_.value());
  constexpr int kLines = 6, kSteps = 28;
  for (int n = 1; n < kLines; ++n) {
    QPolygonF line;
    const double x = shot.width * (0.5 + 0.6 * (static_cast<double>(n) / kLines - 0.5));
    for (int i = 0; i <= kSteps; ++i) {
      const double share = static_cast<double>(i) / kSteps - 0.5;
      Point at{x + lean * share, (share + 0.5) * (shot.height - 1)};
      if (map)
        if (const auto bent = map->distort(at)) at = *bent;
      line << view.toScreen(QPointF(at.x, at.y));
    }
    drawRimmed(p, line, 1.2);
  }
}

void ShutterStation::putIntoProfile() {
  const auto part = state_.part();
  if (!part) return;
  try {
    Profile profile = session_.profileFor(clip_);
    profile.shutter = *part;
    session_.putProfile(tr("Put readout into profile"), profile);
    state_.steps().clear();  // now the profile's own step is the one to take back
    say(tr("In the profile now. Undo takes it back."));
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
  }
}

}  // namespace glenhaze::desktop
