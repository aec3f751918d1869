#include "desktop/bench/noise_station.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPainterPath>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <QSpinBox>
#include <QTableWidget>
#include <QVBoxLayout>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/noise/view.h"
#include "core/profile/verdict.h"
#include "core/treat/iso.h"
#include "desktop/bench/noise_plot.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

constexpr double kLookGain = 8;
constexpr double kMiddleGrey = 110;  // luma code

PatchRect between(QPointF a, QPointF b) {
  // Even, so that chroma samples are whole.
  const auto even = [](double v) { return static_cast<int>(std::floor(v / 2)) * 2; };
  const int x0 = even(std::min(a.x(), b.x())), y0 = even(std::min(a.y(), b.y()));
  return {x0, y0, even(std::max(a.x(), b.x())) - x0, even(std::max(a.y(), b.y())) - y0};
}

}  // namespace

NoiseStation::NoiseStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session), preview_(session.pictures()), after_(session.pictures()) {
  view_ = new PictureView;
  view_->setOverlay([this](QPainter& p, const PictureView& v, int) { drawOver(p, v); });
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setAccessibleName(tr("Frame of the reference shot"));
  connect(slider_, &QSlider::valueChanged, this, [this](int v) { askFrame(v); });
  patches_ = table({tr("Evidence"), tr("Place"), tr("Level"), tr("σ luma"), tr("σ Cb"), tr("σ Cr")},
                   tr("Evidence"), {2, 3, 4, 5});
  patches_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
  patches_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  hintWhileEmpty(*patches_,
                 tr("No places yet. Drag over flat, evenly lit ones in the picture, or have them found."));
  connect(patches_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (!filling_ && item->column() == 0) state_.setPatchUsed(item->row(), item->checkState() == Qt::Checked);
  });
  connect(patches_, &QTableWidget::currentCellChanged, this, [this](int row, int, int, int) {
    if (!filling_) showPatch(row);
  });
  arrange(buildTools(), view_, slider_, patches_, buildFindings());
  wireView();
  connect(&state_, &NoiseState::changed, this, &NoiseStation::refresh);
  connect(&state_, &NoiseState::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
  refresh();
}

void NoiseStation::wireView() {
  view_->on_press = [this](QPointF at, Qt::KeyboardModifiers) {
    if (state_.way() != NoiseState::Way::Patches || frame_.source_frame.width == 0) return false;
    drawing_ = between(at, at);
    return true;
  };
  view_->on_drag = [this](QPointF at) {
    if (!drawing_) return;
    drawing_ = between(QPointF(drawing_->x, drawing_->y), at);
    const PatchVerdict v = state_.judge(*drawing_);
    say(v.flat
            ? tr("Flat: level %1, σ %2").arg(qRound(v.level)).arg(withUnit(std::sqrt(v.variance[0]), 2, {}))
            : QString::fromStdString(v.why));
    view_->update();
  };
  view_->on_release = [this](QPointF) {
    if (!drawing_) return;
    const PatchRect rect = *std::exchange(drawing_, std::nullopt);
    if (rect.width >= 8 && rect.height >= 8) state_.addPatch(rect);
    view_->update();
  };
  connect(&preview_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    frame_ = frame;
    after_.request(std::min(frame.index + 1, state_.shot().frames - 1));
    showPicture();
  });
  connect(&after_, &Preview::ready, this, [this](const PreviewFrame& next) {
    state_.setFrames(frame_.source_frame, next.index > frame_.index ? next.source_frame : Frame{});
  });
  connect(&preview_, &Preview::failed, this, &NoiseStation::say);
}

QWidget* NoiseStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  ways_ = addWays(
      *row,
      {{tr("Locked-off shot"), tr("The camera stood still: the whole curve from differences over time")},
       {tr("Flat patches"), tr("Drag over flat, evenly lit places, or have them found")}},
      [this](int way) { state_.setWay(static_cast<NoiseState::Way>(way)); });
  row->addSpacing(8);
  iso_ = new QSpinBox;
  iso_->setRange(0, 1000000);
  iso_->setPrefix(tr("ISO "));
  iso_->setSpecialValueText(tr("ISO not known"));
  iso_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  iso_->setKeyboardTracking(false);
  iso_->setMaximumWidth(110);
  iso_->setAccessibleName(tr("ISO of this shot"));
  iso_->setToolTip(tr("ISO that this shot was filmed at; read from the file where it says so"));
  connect(iso_, &QSpinBox::valueChanged, this, [this](int v) {
    if (!filling_) state_.setIso(v);
  });
  row->addWidget(iso_);
  light_ = new QLineEdit;
  light_->setPlaceholderText(tr("any light"));
  light_->setMaximumWidth(100);
  light_->setAccessibleName(tr("Light"));
  light_->setToolTip(tr("A name where one ISO has several curves by light, as lamp-lit or daylight"));
  connect(light_, &QLineEdit::editingFinished, this, [this] { state_.setLight(light_->text().trimmed()); });
  row->addWidget(light_);
  measure_ = new QPushButton;
  connect(measure_, &QPushButton::clicked, this, [this] {
    if (state_.busy())
      state_.stop(), refresh();
    else
      state_.measure();
  });
  row->addWidget(measure_);
  row->addStretch();
  look_ = new QComboBox;
  look_->setAccessibleName(tr("What is shown"));
  look_->addItems({tr("Picture"), tr("Luma noise"), tr("Cb noise"), tr("Cr noise")});
  look_->setToolTip(tr("The picture, or one channel alone with its contrast raised"));
  connect(look_, &QComboBox::currentIndexChanged, this, &NoiseStation::showPicture);
  row->addWidget(look_);
  return bar;
}

QWidget* NoiseStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  std::tie(headline_, note_) = headline(*column, tr("Measure the noise"));
  plot_ = new NoisePlot;
  column->addWidget(plot_, 1);
  isos_ = table({tr("ISO"), tr("Curve"), tr("σ"), tr("Others say"), tr("Clips")}, tr("Curves by ISO"),
                {0, 2, 3, 4});
  isos_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
  isos_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
  isos_->setMinimumHeight(124);  // its head and four lines
  isos_->setToolTip(tr(
      "Others say: what the curves of the other ISOs together would have here, against what was measured"));
  column->addWidget(isos_, 1);
  warnings_ = noticeLabel();
  column->addWidget(warnings_);
  hint_ = quietLabel();
  hint_->hide();
  column->addWidget(hint_);
  flat_ = new QCheckBox(tr("Shade what is not flat"));
  connect(flat_, &QCheckBox::toggled, this, [this] { view_->update(); });
  together_ = new QCheckBox;
  together_->setToolTip(tr("Measure from all shots of this ISO, camera and mode at once"));
  connect(together_, &QCheckBox::toggled, this, [this](bool on) {
    if (!filling_) state_.setTogether(on);
  });
  auto* by_hand = new QHBoxLayout;
  auto* factor_label = quietLabel(tr("By hand"));
  factor_label->setWordWrap(false);
  factor_ = new QDoubleSpinBox;
  factor_->setRange(0.25, 4);
  factor_->setSingleStep(0.05);
  factor_->setSuffix(QStringLiteral("\u2009×"));
  factor_->setKeyboardTracking(false);
  factor_->setAccessibleName(tr("Curve by hand"));
  factor_->setToolTip(tr("Multiplies the curve; it is then marked as set by hand"));
  factor_label->setBuddy(factor_);
  connect(factor_, &QDoubleSpinBox::valueChanged, this, [this](double v) {
    if (!filling_) state_.setFactor(v);
  });
  by_hand->addWidget(flat_, 1);
  by_hand->addWidget(factor_label);
  by_hand->addWidget(factor_);
  column->addLayout(by_hand);
  column->addWidget(together_);
  auto* hot_row = new QHBoxLayout;
  hot_text_ = quietLabel();
  hot_ = new QPushButton;
  connect(hot_, &QPushButton::clicked, this, &NoiseStation::hotPressed);
  hot_row->addWidget(hot_text_, 1);
  hot_row->addWidget(hot_);
  column->addLayout(hot_row);
  progress_ = progressBar();
  column->addWidget(progress_);
  put_ = putButton(tr("Keep this ISO's curve in the camera's profile (Ctrl+Return). It can be undone."));
  column->addWidget(put_);
  return panel;
}

void NoiseStation::setCamera(int clip, const Profile& profile) {
  clip_ = clip;
  state_.setCamera(profile.camera, profile.noise);
}

void NoiseStation::setShot(const ClipInfo& shot) {
  if (shot.path == state_.shot().path) return;
  state_.setShot(shot);
  preview_.setClip(shot, Correction{}, ReadOptions{});
  after_.setClip(shot, Correction{}, ReadOptions{});
  slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, shot.frames - 1)));
  slider_->setVisible(shot.frames > 1);
  slider_->setValue(static_cast<int>(shot.frames / 2));
  askFrame(slider_->value());
}

void NoiseStation::askFrame(int64_t frame) { preview_.request(frame); }
void NoiseStation::setLook(int look) { look_->setCurrentIndex(look); }
void NoiseStation::showFlatPlaces(bool on) { flat_->setChecked(on); }
void NoiseStation::say(const QString& text) {
  hint_->setText(text);
  hint_->setVisible(!text.isEmpty());
}

void NoiseStation::showPicture() {
  if (frame_.source_frame.width == 0) return;
  const QSize size(frame_.source_frame.width, frame_.source_frame.height);
  const int look = look_->currentIndex();
  if (look == 0) {
    view_->setPicture(frame_.source, size);
    view_->setNote({});
  } else {
    view_->setPicture(imageOf(channelDetail(frame_.source_frame, look - 1, kLookGain)), size);
    view_->setNote(tr("%1, contrast %2 times").arg(look_->currentText()).arg(kLookGain));
  }
}

void NoiseStation::refresh() {
  filling_ = true;
  const bool patches = state_.way() == NoiseState::Way::Patches;
  ways_->button(static_cast<int>(state_.way()))->setChecked(true);
  iso_->setValue(qRound(state_.iso()));
  measure_->setText(state_.busy()                         ? tr("Stop")
                    : patches && state_.patches().empty() ? tr("Find patches")
                                                          : tr("Measure noise"));
  measure_->setEnabled(state_.shot().width > 0);
  progress_->setVisible(state_.busy());
  put_->setEnabled(state_.entry().has_value() && !state_.camera().name.empty());
  QString headline = QStringLiteral("—"), note = tr("Nothing measured at this ISO yet.");
  const auto curve = state_.curve();
  if (state_.busy()) {
    headline = tr("Measuring…");
    note = tr("The window stays usable meanwhile.");
  } else if (curve) {
    const auto at = [&](int c) { return withUnit(curve->sigmaAt(c, kMiddleGrey), 2, {}); };
    headline = QStringLiteral("σ ") + at(0);
    note = tr("luma at middle grey · Cb\u2009%1 · Cr\u2009%2").arg(at(1), at(2));
    if (const auto& f = state_.finding())
      note += tr("<br>%1 frames · curve fits within %2")
                  .arg(f->frames)
                  .arg(withUnit(f->residual * 100, 1, QStringLiteral("%"))) +
              QStringLiteral("<br>") + QString::fromStdString(verdictOf(*f));
    else
      note += tr("<br>in the profile now");
  }
  headline_->setText(headline);
  note_->setText(note);
  plot_->setCurves(curve, state_.curveBefore(),
                   state_.finding() ? state_.finding()->points : std::vector<NoisePoint>{});
  QStringList warnings;
  if (state_.finding())
    for (const auto& w : state_.finding()->warnings)
      warnings << QStringLiteral("▲ ") + QString::fromStdString(w);
  if (state_.finding() && state_.iso() <= 0)
    warnings << tr("▲ Say the ISO of this shot before it goes into the profile.");
  warnings_->setText(warnings.join(QStringLiteral("<br>")));
  warnings_->setVisible(!warnings.isEmpty());
  if (!state_.trouble().isEmpty())
    say(state_.trouble());
  else if (patches && state_.patches().empty())
    say(tr("Drag over places without structure that are evenly lit. Bigger is better."));
  else
    say({});
  factor_->setValue(state_.factor());
  factor_->setEnabled(curve.has_value());
  const auto others = state_.sameIso().size();
  together_->setText(others == 1 ? tr("With the other shot at this ISO")
                                 : tr("With the %1 other shots at this ISO").arg(others));
  together_->setVisible(others > 0);
  together_->setChecked(state_.together());
  showHot();
  showPatches();
  showIsos();
  filling_ = false;
  view_->update();
}

void NoiseStation::showPatches() {
  patches_->setVisible(true);
  if (state_.way() == NoiseState::Way::LockedOff) {
    const auto& f = state_.finding();
    patches_->setRowCount(state_.shot().width > 0 ? 1 : 0);
    if (state_.shot().width == 0) return;
    const QString name = QString::fromStdString(state_.shot().path.stem().string());
    patches_->setItem(0, 0,
                      cell(f ? tr("%1, %2 of the picture stands still")
                                   .arg(name, withUnit(f->share_used * 100, 0, QStringLiteral("%")))
                             : name));
    for (int c = 1; c < 6; ++c) patches_->setItem(0, c, cell({}));
    return;
  }
  const auto& all = state_.patches();
  patches_->setRowCount(static_cast<int>(all.size()));
  for (int i = 0; i < static_cast<int>(all.size()); ++i) {
    const PatchVerdict& v = all[static_cast<size_t>(i)];
    auto* name = cell(v.why.empty() ? tr("patch %1").arg(i + 1)
                                    : tr("patch %1 – %2").arg(i + 1).arg(QString::fromStdString(v.why)));
    name->setFlags(name->flags() | Qt::ItemIsUserCheckable);
    name->setCheckState(state_.patchUsed(i) ? Qt::Checked : Qt::Unchecked);
    patches_->setItem(i, 0, name);
    patches_->setItem(i, 1,
                      cell(QStringLiteral("%1, %2 · %3 × %4")
                               .arg(v.rect.x)
                               .arg(v.rect.y)
                               .arg(v.rect.width)
                               .arg(v.rect.height),
                           true));
    patches_->setItem(i, 2, cell(withUnit(v.level, 0, {}), true));
    for (int c = 0; c < 3; ++c)
      patches_->setItem(i, 3 + c, cell(withUnit(std::sqrt(v.variance[static_cast<size_t>(c)]), 2, {}), true));
  }
}

// Every ISO that is measured or that a clip of this camera and mode has.
void NoiseStation::showIsos() {
  std::map<int, int> clips;
  if (clip_ >= 0 && clip_ < static_cast<int>(session_.plans().size())) {
    const int profile = session_.plans()[static_cast<size_t>(clip_)].match.profile;
    for (const ClipPlan& plan : session_.plans())
      if (const auto iso = isoOf(session_.shoot(), plan.clip, plan.info);
          iso && plan.match.profile == profile && profile >= 0)
        ++clips[static_cast<int>(std::lround(iso->iso))];
  }
  NoisePart part = state_.before().value_or(NoisePart{});
  if (const auto entry = state_.entry()) part.put(*entry);
  std::map<int, int> rows = clips;
  for (const NoiseEntry& e : part.entries) rows.try_emplace(static_cast<int>(std::lround(e.curve.iso)), 0);
  const auto curves = part.curves();
  isos_->setRowCount(static_cast<int>(rows.size()));
  int row = 0;
  for (const auto& [iso, count] : rows) {
    const IsoCurve found = curveForIso(curves, iso);
    QString state = tr("missing");
    if (found.kind == IsoKind::Measured) state = tr("measured");
    if (found.kind == IsoKind::Between) state = found.gap_stops > 1 + 1e-6 ? tr("wide gap") : tr("between");
    if (found.kind == IsoKind::Extended) state = tr("extended");
    QString others = QStringLiteral("—");
    for (size_t i = 0; i < part.entries.size(); ++i)
      if (std::lround(part.entries[i].curve.iso) == iso)
        if (const auto ratio = leaveOneOut(part, i))
          others = (*ratio >= 1 ? QStringLiteral("+") : QString()) +
                   withUnit((*ratio - 1) * 100, 0, QStringLiteral("%"));
    isos_->setItem(row, 0, cell(QString::number(iso), true));
    auto* how = cell(state);
    how->setToolTip(QString::fromStdString(found.reason));
    isos_->setItem(row, 1, how);
    isos_->setItem(row, 2,
                   cell(found.kind == IsoKind::Missing ? QStringLiteral("—")
                                                       : withUnit(found.curve.sigmaAt(0, kMiddleGrey), 2, {}),
                        true));
    isos_->setItem(row, 3, cell(others, true));
    isos_->setItem(row, 4, cell(count > 0 ? QString::number(count) : QString(), true));
    ++row;
  }
}

// The frame a place was found in, and where in it.
void NoiseStation::showPatch(int row) {
  if (state_.way() != NoiseState::Way::Patches || row < 0 || row >= static_cast<int>(state_.patches().size()))
    return;
  const PatchVerdict& v = state_.patches()[static_cast<size_t>(row)];
  if (v.frame >= 0) slider_->setValue(static_cast<int>(v.frame));
  flash({static_cast<double>(v.rect.x), static_cast<double>(v.rect.y), static_cast<double>(v.rect.width),
         static_cast<double>(v.rect.height)});
}

void NoiseStation::drawOver(QPainter& p, const PictureView& view) {
  const auto area = [&](const PatchRect& r) {
    return QRectF(view.toScreen(QPointF(r.x - 0.5, r.y - 0.5)),
                  view.toScreen(QPointF(r.x + r.width - 0.5, r.y + r.height - 0.5)));
  };
  if (flat_->isChecked()) {
    QPainterPath busy;
    for (const PatchVerdict& v : state_.cells())
      if (!v.flat) busy.addRect(area(v.rect));
    p.fillPath(busy.simplified(), QColor(30, 31, 32, 165));
  }
  if (state_.hot())
    for (const HotPixel& h : state_.hot()->pixels) {
      const QPointF at = view.toScreen(QPointF(h.x, h.y));
      drawRimmed(p, QPolygonF{at + QPointF(-7, 0), at + QPointF(-3, 0)}, 1.2);
      drawRimmed(p, QPolygonF{at + QPointF(3, 0), at + QPointF(7, 0)}, 1.2);
    }
  if (state_.way() != NoiseState::Way::Patches) return;
  // Places were found in a few frames: those of the nearest are shown.
  int64_t nearest = -1;
  for (const PatchVerdict& v : state_.patches())
    if (v.frame >= 0 && (nearest < 0 || std::abs(v.frame - frame_.index) < std::abs(nearest - frame_.index)))
      nearest = v.frame;
  const auto outline = [&](const QRectF& r) { drawRimmed(p, QPolygonF(r)); };
  for (int i = 0; i < static_cast<int>(state_.patches().size()); ++i) {
    const PatchVerdict& v = state_.patches()[static_cast<size_t>(i)];
    if (v.frame >= 0 && v.frame != nearest) continue;
    const QRectF r = area(v.rect);
    outline(r);
    if (!state_.patchUsed(i)) drawRimmed(p, QPolygonF({r.bottomLeft(), r.topRight()}));
    drawTag(p, r.topRight() + QPointF(4, 0), QString::number(i + 1));
  }
  if (drawing_) outline(area(*drawing_));
}

bool NoiseStation::change(const QString& what, const std::function<void(NoisePart&)>& edit) {
  try {
    Profile profile = session_.profileFor(clip_);
    if (!profile.noise) profile.noise.emplace();
    edit(*profile.noise);
    session_.putProfile(what, profile);
    return true;
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
    return false;
  }
}

void NoiseStation::putIntoProfile() {
  const auto entry = state_.entry();
  if (!entry) return;
  if (!change(tr("Put noise into profile"), [&](NoisePart& part) { part.put(*entry); })) return;
  state_.setFactor(1);
  state_.steps().clear();
  say(tr("In the profile now. Undo takes it back."));
}

void NoiseStation::setOffered(const std::vector<ClipInfo>& shots) { state_.setOffered(shots); }

// Found ones wait to be put into the profile; without any the button looks for them.
void NoiseStation::hotPressed() {
  if (!state_.hot() || state_.hot()->pixels.empty()) return state_.findHot();
  const auto pixels = state_.hot()->pixels;
  if (change(tr("Put hot pixels into profile"), [&](NoisePart& part) { part.hot_pixels = pixels; }))
    say(tr("In the profile now. Undo takes it back."));
}

void NoiseStation::showHot() {
  const size_t known = state_.before() ? state_.before()->hot_pixels.size() : 0;
  const auto& found = state_.hot();
  const bool fresh = found && !(state_.before() && state_.before()->hot_pixels == found->pixels);
  if (found && fresh)
    hot_text_->setText(found->pixels.empty() ? tr("No hot pixel found.")
                                             : tr("%1 hot pixels found%2")
                                                   .arg(found->pixels.size())
                                                   .arg(found->dark ? QString() : tr(", lens not covered")));
  else
    hot_text_->setText(known > 0 ? tr("%1 hot pixels in the profile").arg(known)
                                 : tr("Hot pixels not looked for"));
  const bool put = fresh && !found->pixels.empty();
  hot_->setText(put ? tr("Put them into profile") : tr("Find hot pixels"));
  hot_->setToolTip(tr("On a shot that holds still, best with the lens covered"));
  hot_->setEnabled(state_.shot().width > 0 && !state_.busy());
}

}  // namespace glenhaze::desktop
