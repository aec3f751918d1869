#include "desktop/bench/lens_station.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <QSpinBox>
#include <QTableView>
#include <QVBoxLayout>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/profile/verdict.h"
#include "desktop/bench/bend_plot.h"
#include "desktop/bench/chart_window.h"
#include "desktop/bench/lens_marks.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

LensStation::LensStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session), evidence_(state_), preview_(session.pictures()) {
  view_ = new PictureView;
  view_->setOverlay([this](QPainter& p, const PictureView& v, int) {
    if (frame_.source_frame.width > 0) drawLensMarks(p, v, marks());
  });
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setAccessibleName(tr("Frame of the reference shot"));
  connect(slider_, &QSlider::valueChanged, this, [this](int v) { askFrame(v); });
  table_ = new QTableView;
  table_->setModel(&evidence_);
  table_->setAccessibleName(tr("Evidence"));
  hintWhileEmpty(*table_, tr("No evidence yet. Choose a way above: find a chart that was filmed, or edges "
                             "that are straight in the "
                             "world, or draw along such an edge in the picture."));
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(25);
  table_->setShowGrid(false);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
  table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (index.isValid()) showEvidence(index.row());
          });
  arrange(buildTools(), view_, slider_, table_, buildFindings());
  view_->on_press = [this](QPointF at, Qt::KeyboardModifiers) {
    if (state_.way() != LensState::Way::Edges || straight_->isChecked() || frame_.source_frame.width == 0)
      return false;
    drawing_ = {{at.x(), at.y()}, {at.x(), at.y()}};
    return true;
  };
  view_->on_drag = [this](QPointF at) {
    if (drawing_.size() < 2) return;
    drawing_.back() = {at.x(), at.y()};
    // A bent stroke is kept as marks along the way, so that strongly bowed edges can be followed.
    if (drawing_.size() < 40 &&
        length(drawing_.back() - drawing_[drawing_.size() - 2]) > frame_.source_frame.width / 12.0)
      drawing_.push_back({at.x(), at.y()});
    view_->update();
  };
  view_->on_release = [this](QPointF) {
    const std::vector<Point> marks = std::exchange(drawing_, {});
    if (marks.size() >= 2 && length(marks.back() - marks.front()) > 12)
      state_.markEdge(frame_.source_frame, marks);
    view_->update();
  };
  connect(&preview_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    frame_ = frame;
    remakePicture();
  });
  connect(&preview_, &Preview::failed, this, [this](const QString& why) { hint_->setText(why); });
  connect(&state_, &LensState::changed, this, &LensStation::refresh);
  connect(&state_, &LensState::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
  refresh();
}

QWidget* LensStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  ways_ =
      addWays(*row,
              {{tr("From a chart"), tr("Measure from a filmed chessboard")},
               {tr("From edges"),
                tr("Measure from edges that are straight in the world; drag along them to mark them")},
               {tr("Moving footage"),
                tr("Measure from any clip in which the camera turns about where it stands, by 15° or more")},
               {tr("By hand"), tr("Type or nudge the values")}},
              [this](int way) { setWay(static_cast<LensState::Way>(way)); });
  row->addSpacing(8);
  columns_ = new QSpinBox;
  rows_ = new QSpinBox;
  for (QSpinBox* spin : {columns_, rows_}) {
    spin->setRange(3, 60);
    spin->setButtonSymbols(QAbstractSpinBox::NoButtons);
    spin->setMaximumWidth(72);
    spin->setToolTip(tr("Inner corners of the chart, where four squares meet"));
    row->addWidget(spin);
  }
  columns_->setAccessibleName(tr("Corners across"));
  rows_->setAccessibleName(tr("Corners down"));
  columns_->setSuffix(tr(" across"));
  rows_->setSuffix(tr(" down"));
  columns_->setValue(9);
  rows_->setValue(6);
  connect(columns_, &QSpinBox::valueChanged, this, [this](int v) { state_.spec.columns = v; });
  connect(rows_, &QSpinBox::valueChanged, this, [this](int v) { state_.spec.rows = v; });
  measure_ = new QPushButton;
  connect(measure_, &QPushButton::clicked, this, [this] {
    if (state_.busy()) return state_.stop(), refresh();
    if (state_.way() == LensState::Way::Chart) state_.findChart();
    if (state_.way() == LensState::Way::Edges) state_.findEdges();
    if (state_.way() == LensState::Way::Footage) state_.findFromFootage();
  });
  row->addWidget(measure_);
  paper_ = new QPushButton(tr("Make chart"));
  paper_->setToolTip(tr("The chart to print, or to film from this screen"));
  auto* menu = new QMenu(paper_);
  menu->addAction(tr("As PDF to print…"), this, &LensStation::writeChartPaper);
  menu->addAction(tr("On this screen (any key closes it)"), this, &LensStation::showChartFullScreen);
  paper_->setMenu(menu);
  row->addWidget(paper_);
  row->addStretch();
  straight_ = new QPushButton(tr("Straight view"));
  straight_->setCheckable(true);
  straight_->setToolTip(tr("The picture as corrected with these values"));
  connect(straight_, &QPushButton::toggled, this, &LensStation::remakePicture);
  row->addWidget(straight_);
  return bar;
}

QWidget* LensStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  std::tie(headline_, headline_note_) = headline(*column, tr("Measure the lens"));
  plot_ = new BendPlot;
  column->addWidget(plot_);
  values_ = new QLabel;
  values_->setFont(textFont(12));
  column->addWidget(values_);
  spins_box_ = new QWidget;
  auto* form = new QFormLayout(spins_box_);
  form->setContentsMargins(0, 0, 0, 0);
  form->setVerticalSpacing(4);
  model_ = new QComboBox;
  model_->setAccessibleName(tr("Lens model"));
  for (const LensModel m : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division})
    model_->addItem(QString::fromStdString(lensModelTitle(m)));
  connect(model_, &QComboBox::activated, this, [this] { readValues(); });
  form->addRow(tr("model"), model_);
  for (int i = 0; i < 8; ++i) {
    auto* spin = new QDoubleSpinBox;
    spin->setDecimals(i < 3 ? 1 : 4);
    spin->setRange(i < 1 ? 1 : -1e5, 1e5);
    spin->setSingleStep(i < 1 ? 5 : i < 3 ? 1 : 0.002);
    spin->setKeyboardTracking(false);
    connect(spin, &QDoubleSpinBox::valueChanged, this, [this] { readValues(); });
    auto* name = new QLabel;
    form->addRow(name, spin);
    spins_.push_back(spin);
    spin_names_.push_back(name);
  }
  column->addWidget(spins_box_);
  warnings_ = noticeLabel();
  column->addWidget(warnings_);
  hint_ = new QLabel;
  hint_->setWordWrap(true);
  column->addWidget(hint_);
  column->addStretch();
  exaggerate_ = new QCheckBox(tr("Show bow %1 times as large").arg(static_cast<int>(kBowExaggeration)));
  coverage_ = new QCheckBox(tr("Shade what no evidence covers"));
  enlargement_ = new QCheckBox(tr("Enlargement map"));
  for (QCheckBox* box : {exaggerate_, coverage_, enlargement_}) {
    connect(box, &QCheckBox::toggled, this, [this] { view_->update(); });
    column->addWidget(box);
  }
  progress_ = progressBar();
  column->addWidget(progress_);
  put_ = putButton(tr("Keep this value in the camera's profile (Ctrl+Return). It can be undone."));
  column->addWidget(put_);
  return panel;
}

void LensStation::setCamera(int clip, const Profile& profile) {
  clip_ = clip;
  if (profile.camera == state_.camera()) return;
  chosen_row_ = -1;
  state_.setCamera(profile.camera, profile.lens);
}

void LensStation::setShot(const ClipInfo& shot) {
  state_.setShot(shot);
  preview_.setClip(shot, Correction{}, ReadOptions{});
  slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, shot.frames - 1)));
  slider_->setVisible(shot.frames > 1);
  slider_->setValue(static_cast<int>(shot.frames / 2));
  askFrame(slider_->value());
}

void LensStation::askFrame(int64_t frame) { preview_.request(frame); }

void LensStation::setWay(LensState::Way way) {
  state_.setWay(way);
  refresh();
}

void LensStation::setStraightView(bool on) { straight_->setChecked(on); }

void LensStation::showEvidence(int row) {
  chosen_row_ = row;
  const bool chart = state_.way() == LensState::Way::Chart;
  int64_t frame = -1;
  QPolygonF place;
  if (chart && state_.chart() && row < static_cast<int>(state_.chart()->views.size())) {
    const ChartView& seen = state_.chart()->views[static_cast<size_t>(row)];
    frame = seen.frame;
    for (const Point& p : seen.corners) place << QPointF(p.x, p.y);
  }
  if (state_.way() == LensState::Way::Edges && row < static_cast<int>(state_.edges().size())) {
    const StraightEdge& edge = state_.edges()[static_cast<size_t>(row)];
    frame = edge.frame;
    for (const Point& p : edge.points) place << QPointF(p.x, p.y);
  }
  if (frame >= 0) slider_->setValue(static_cast<int>(frame));
  // A level or upright edge has a box without area.
  if (!place.isEmpty()) flash(place.boundingRect().adjusted(-2, -2, 2, 2));
  view_->update();
}

// After a measurement: the one with the most evidence, where the one that is looked at has none.
void LensStation::showRichestFrame() {
  const std::string shot = state_.shot().path.string();
  std::map<int64_t, double> evidence;
  if (state_.way() == LensState::Way::Chart && state_.chart())
    for (const ChartView& view : state_.chart()->views)
      if (view.source == shot && view.left_out.empty())
        evidence[view.frame] += static_cast<double>(view.corners.size());
  if (state_.way() == LensState::Way::Edges)
    for (const StraightEdge& edge : state_.edges())
      if (edge.source == shot && edge.in_use) evidence[edge.frame] += 1;
  if (evidence.empty() || evidence.contains(slider_->value())) return;
  const auto richest = std::max_element(evidence.begin(), evidence.end(),
                                        [](const auto& a, const auto& b) { return a.second < b.second; });
  slider_->setValue(static_cast<int>(richest->first));
}

void LensStation::refresh() {
  if (std::exchange(was_busy_, state_.busy()) && !state_.busy()) showRichestFrame();
  showDeeds();
  const Headline said = found();
  headline_->setText(said.text);
  headline_note_->setText(said.note);
  plot_->setLenses(state_.lens(), state_.before() ? std::optional(state_.before()->lens) : std::nullopt);
  QStringList warnings;
  for (const auto& w : state_.warnings()) warnings << QStringLiteral("▲ ") + QString::fromStdString(w);
  warnings_->setText(warnings.join(QStringLiteral("<br>")));
  warnings_->setVisible(!warnings.isEmpty());
  hint_->setText(hint());
  hint_->setStyleSheet(state_.trouble().isEmpty() ? QStringLiteral("color:#B4B5B3")
                                                  : QStringLiteral("color:#E3BF55"));
  fillValues();
  remakePicture();
}

// What can be done now.
void LensStation::showDeeds() {
  using Way = LensState::Way;
  const Way way = state_.way();
  ways_->button(static_cast<int>(way))->setChecked(true);
  for (QWidget* w : std::initializer_list<QWidget*>{columns_, rows_, paper_})
    w->setVisible(way == Way::Chart);
  measure_->setVisible(way != Way::ByHand);
  measure_->setText(state_.busy()         ? tr("Stop")
                    : way == Way::Chart   ? tr("Find the chart")
                    : way == Way::Footage ? tr("Measure lens")
                                          : tr("Find edges"));
  measure_->setEnabled(state_.shot().width > 0 && (way != Way::Footage || state_.shot().frames > 1));
  progress_->setVisible(state_.busy());
  put_->setEnabled(state_.part().has_value() && !state_.camera().name.empty());
  straight_->setEnabled(state_.lens().has_value());
}

LensStation::Headline LensStation::found() const {
  using Way = LensState::Way;
  const Way way = state_.way();
  const auto lens = state_.lens();
  const auto [after, before] = state_.straightness();
  Headline said{QStringLiteral("—"), tr("Nothing measured yet.")};
  if (state_.busy()) {
    said.text = tr("Measuring…");
    said.note = tr("The window stays usable meanwhile.");
  } else if (way == Way::Chart && state_.chart() && !state_.nudged()) {
    said.text = withUnit(state_.chart()->rms_px, 2, QStringLiteral("px"));
    said.note = tr("RMS over %1 views · covers %2 of the picture")
                    .arg(state_.chart()->views_used)
                    .arg(withUnit(state_.chart()->coverage * 100, 0, QStringLiteral("%"))) +
                QStringLiteral("\n") + bendText(state_.chart()->bend, true);
  } else if (way == Way::Footage && state_.footage() && state_.footage()->usable && !state_.nudged()) {
    const FootageLens& f = *state_.footage();
    said.text = tr("%1 ± %2").arg(withUnit(f.lens.fx, 0, {}),
                                  withUnit(f.focal_uncertainty * f.lens.fx, 1, QStringLiteral("px")));
    said.note = tr("focal length, from %1 frames that turn by %2")
                    .arg(f.frames)
                    .arg(withUnit(f.turned_deg, 0, QStringLiteral("°"))) +
                QStringLiteral("\n") + bendText(f.bend, f.bend_told) + QStringLiteral("\n") + readoutText(f);
  } else if (after >= 0) {
    said.text = withUnit(after, 2, QStringLiteral("px"));
    said.note = tr("straightness left, RMS · was %1").arg(withUnit(before, 1, QStringLiteral("px")));
    if (way == Way::Edges && state_.edgeFinding() && !state_.nudged())
      said.note += QStringLiteral("\n") + bendText(state_.edgeFinding()->bend, state_.edgeFinding()->bends);
  } else if (lens && state_.before() && *lens == state_.before()->lens) {
    said.text = state_.before()->rms_px >= 0 ? withUnit(state_.before()->rms_px, 2, QStringLiteral("px"))
                                             : tr("by hand");
    said.note = tr("in the profile now, from %1").arg(QString::fromStdString(state_.before()->method));
  } else if (lens) {
    said.text = tr("By hand");
    said.note = tr("Mark edges to see how straight this makes them.");
  }
  return said;
}

QString LensStation::hint() const {
  using Way = LensState::Way;
  const Way way = state_.way();
  QString hint = state_.trouble();
  if (hint.isEmpty() && !state_.busy() && !state_.nudged()) hint = verdict();
  if (hint.isEmpty() && way == Way::Edges && state_.edges().empty())
    hint =
        tr("Drag along edges that are straight in the world: walls, railings, the horizon. Long ones near "
           "the border tell most.");
  if (way == Way::Footage && state_.footage())
    hint += (hint.isEmpty() ? QString() : QStringLiteral("\n")) + state_.comparison();
  else if (hint.isEmpty() && way == Way::Footage)
    hint =
        tr("Take a clip that turns about where the camera stands, by 15° or more, past things "
           "with detail. What moves through the scene cannot be used.");
  return hint;
}

// How good what was just measured is, and what would make it better.
QString LensStation::verdict() const {
  using Way = LensState::Way;
  std::string text;
  if (state_.way() == Way::Chart && state_.chart()) text = verdictOf(*state_.chart());
  if (state_.way() == Way::Edges && state_.edgeFinding()) text = verdictOf(*state_.edgeFinding());
  if (state_.way() == Way::Footage && state_.footage() && state_.footage()->usable)
    text = verdictOf(*state_.footage());
  return QString::fromStdString(text);
}

QString LensStation::readoutText(const FootageLens& footage) {
  if (!footage.readout_told) return tr("readout: cannot be told from this");
  if (!footage.shutter.rolls()) return tr("no readout to be seen: a global shutter");
  return tr("readout %1 ± %2, goes into the profile too where it has none")
      .arg(withUnit(footage.shutter.readout_s * 1000, 1, {}),
           withUnit(footage.readout_uncertainty_s * 1000, 1, tr("ms")));
}

QString LensStation::bendText(const Bend& bend, bool bends) {
  QString corner = withUnit(std::abs(bend.value_px), 1, QStringLiteral("px"));
  if (bend.uncertainty_px >= 0)
    corner += QStringLiteral(" ± ") + withUnit(bend.uncertainty_px, 1, QStringLiteral("px"));
  const QString place = bend.at_corner ? tr("at the corner") : tr("at 50° from the axis");
  return (bends ? tr("bends by %1 %2") : tr("no bend to speak of: %1 %2")).arg(corner, place);
}

void LensStation::fillValues() {
  const auto lens = state_.lens();
  const bool by_hand = state_.way() == LensState::Way::ByHand;
  spins_box_->setVisible(by_hand && lens.has_value());
  values_->setVisible(!by_hand && lens.has_value());
  if (!lens) return;
  const auto names = coefficientNames(lens->model);
  if (by_hand) {
    filling_ = true;
    model_->setCurrentIndex(static_cast<int>(lens->model));
    const std::vector<std::pair<QString, double>> fixed = {
        {tr("focal, px"), lens->fx}, {tr("centre x, px"), lens->cx}, {tr("centre y, px"), lens->cy}};
    for (size_t i = 0; i < spins_.size(); ++i) {
      const bool used = i < 3 + names.size();
      spins_[i]->setVisible(used);
      spin_names_[i]->setVisible(used);
      if (!used) continue;
      const QString name = i < 3 ? fixed[i].first : QString::fromStdString(names[i - 3]);
      spin_names_[i]->setText(name);
      spins_[i]->setAccessibleName(name);
      spins_[i]->setValue(i < 3 ? fixed[i].second : lens->k[i - 3]);
    }
    filling_ = false;
    return;
  }
  std::vector<double> deviation;
  if (state_.way() == LensState::Way::Chart && state_.chart()) deviation = state_.chart()->stddev;
  if (state_.way() == LensState::Way::Edges && state_.edgeFinding()) deviation = state_.edgeFinding()->stddev;
  if (state_.way() == LensState::Way::Footage && state_.footage()) deviation = state_.footage()->stddev;
  const auto spread = [&](size_t i, int digits) {
    return i < deviation.size() && deviation[i] > 0
               ? QStringLiteral("± ") + withUnit(deviation[i], digits, {})
               : QString();
  };
  QString text = QStringLiteral("<table cellspacing='0'>");
  const auto row = [&](const QString& name, const QString& value, const QString& plus) {
    text += QStringLiteral(
                "<tr><td style='color:#B4B5B3;padding:1px 10px 1px 0'>%1</td><td "
                "style='padding-right:8px'>%2</td><td style='color:#B4B5B3'>%3</td></tr>")
                .arg(name, value, plus);
  };
  row(tr("model"), QString::fromStdString(lensModelTitle(lens->model)), {});
  row(tr("focal"), withUnit(lens->fx, 1, QStringLiteral("px")), spread(0, 1));
  row(tr("centre"),
      withUnit(lens->cx, 1, {}) + QStringLiteral(", ") + withUnit(lens->cy, 1, QStringLiteral("px")),
      spread(2, 1));
  for (size_t i = 0; i < names.size(); ++i)
    if (lens->k[i] != 0) row(QString::fromStdString(names[i]), withUnit(lens->k[i], 4, {}), spread(4 + i, 4));
  const LensWindow window(*lens, {});
  const EnlargementMap map = enlargementMap(window, 2, 2);
  row(tr("corner enlargement"), withUnit(map.corner, 2, QStringLiteral("×")), {});
  row(tr("filling the frame"),
      tr("loses %1").arg(withUnit(windowCost(window, *lens).lost_share * 100, 1, QStringLiteral("%"))), {});
  values_->setText(text + QStringLiteral("</table>"));
}

void LensStation::readValues() {
  if (filling_ || !state_.lens()) return;
  Lens lens = *state_.lens();
  lens.model = static_cast<LensModel>(model_->currentIndex());
  lens.fx = lens.fy = spins_[0]->value();
  lens.cx = spins_[1]->value();
  lens.cy = spins_[2]->value();
  lens.k = {};
  for (size_t i = 0; i < static_cast<size_t>(numCoefficients(lens.model)); ++i)
    lens.k[i] = spins_[3 + i]->value();
  state_.nudge(lens);
}

void LensStation::remakePicture() {
  if (frame_.source_frame.width == 0) return;
  const Frame& frame = frame_.source_frame;
  const auto lens = state_.lens();
  window_.reset();
  if (straight_->isChecked() && lens && lens->width == frame.width && lens->height == frame.height) {
    Correction correction;
    correction.lens = lens;
    try {
      const Geometry geometry(correction, {frame.width, frame.height});
      window_ = std::make_unique<LensWindow>(*lens, WindowSettings{});
      view_->setPicture(imageOf(correctFrame(frame, geometry, frame.format)), {frame.width, frame.height});
      view_->setNote(tr("straight view"));
      return;
    } catch (const Error& error) {
      hint_->setText(QString::fromUtf8(error.what()));
    }
  }
  view_->setPicture(frame_.source, {frame.width, frame.height});
  view_->setNote({});
}

LensMarks LensStation::marks() const {
  return {state_,
          {frame_.source_frame.width, frame_.source_frame.height},
          frame_.index,
          window_.get(),
          chosen_row_,
          drawing_,
          exaggerate_->isChecked(),
          coverage_->isChecked(),
          enlargement_->isChecked()};
}

void LensStation::putIntoProfile() {
  const auto part = state_.part();
  if (!part) return;
  try {
    Profile profile = session_.profileFor(clip_);
    state_.putInto(profile);
    session_.putProfile(tr("Put lens into profile"), profile);
    state_.steps().clear();  // now the profile's own step is the one to take back
    hint_->setText(tr("In the profile now. Undo takes it back."));
  } catch (const Error& error) {
    hint_->setText(QString::fromUtf8(error.what()));
  }
}

void LensStation::writeChartPaper() {
  const QString file = QFileDialog::getSaveFileName(this, tr("Chart as PDF"),
                                                    QStringLiteral("glenhaze-chart.pdf"), tr("PDF (*.pdf)"));
  if (file.isEmpty()) return;
  try {
    writeFileAtomically(file.toStdString(), chartPdf(state_.spec));
    hint_->setText(tr("Written. Print it at 100 % and keep it flat."));
  } catch (const Error& error) {
    hint_->setText(QString::fromUtf8(error.what()));
  }
}

void LensStation::showChartFullScreen() { showChartOnScreen(state_.spec); }

}  // namespace glenhaze::desktop
