#include "desktop/bench/finish_station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <QTableWidget>

#include "core/base/error.h"
#include "desktop/bench/edge_plot.h"
#include "desktop/bench/finish_form.h"
#include "desktop/bench/scope_view.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

FinishStation::FinishStation(Session& session, QWidget* parent)
    : BenchStation(parent), session_(session), clip_state_(session), preview_(session.pictures()) {
  view_ = new PictureView;
  view_->setOverlay([this](QPainter& p, const PictureView& v, int) { drawOver(p, v); });
  view_->on_press = [this](QPointF at, Qt::KeyboardModifiers) {
    if (!mark_->isChecked() || look_ != Look::Edges) return false;
    from_ = to_ = at;
    marking_ = true;
    return true;
  };
  view_->on_drag = [this](QPointF at) {
    to_ = at;
    view_->update();
  };
  view_->on_release = [this](QPointF at) {
    if (!std::exchange(marking_, false)) return;
    const QRect r = QRectF(from_, at).normalized().toRect();
    state_.addEdge(slider_->value(), {r.x(), r.y(), r.width(), r.height()});
  };
  slider_ = new QSlider(Qt::Horizontal);
  slider_->setAccessibleName(tr("Frame"));
  connect(slider_, &QSlider::valueChanged, this, [this] { ask(); });
  evidence_ = table({tr("Edge"), tr("Frame"), tr("MTF50"), tr("Overshoot")}, tr("Evidence"), {1, 2, 3});
  hintWhileEmpty(
      *evidence_,
      tr("No edges yet. Find them, or mark one: a straight dark edge on bright, even ground, tilted by "
         "about five degrees."));
  connect(evidence_, &QTableWidget::currentCellChanged, this, [this](int row, int, int, int) {
    if (!filling_) showEdge(row);
  });
  connect(evidence_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (!filling_ && item->column() == 0)
      state_.leaveOut(static_cast<size_t>(item->row()), item->checkState() != Qt::Checked);
  });
  arrange(buildTools(), view_, slider_, evidence_, buildFindings());
  connect(&preview_, &Preview::ready, this, [this](const PreviewFrame& frame) {
    const bool clip = look_ == Look::Clip;
    waiting_ = frame.draft;
    view_->setPicture(clip ? frame.corrected : frame.source,
                      clip ? frame.size : QSize(frame.source_frame.width, frame.source_frame.height));
    view_->setNote(frame.draft ? tr("draft") : QString());
    scope_->setPicture(clip ? frame.corrected : QImage());
  });
  connect(&preview_, &Preview::failed, this, &FinishStation::say);
  connect(&state_, &FinishState::changed, this, &FinishStation::refresh);
  connect(&state_, &FinishState::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(share * 1000)); });
  connect(&clip_state_, &CompareState::correctionChanged, this, [this] {
    if (look_ == Look::Clip) setLook(Look::Clip);
  });
  refresh();
}

QWidget* FinishStation::buildTools() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  looks_ = addWays(*row,
                   {{tr("Edges"), tr("The reference shot, with the edges that are measured in it")},
                    {tr("The clip"), tr("The clip as it will be, finish and all")}},
                   [this](int look) { setLook(static_cast<Look>(look)); });
  row->addSpacing(14);
  find_ = new QPushButton;
  connect(find_, &QPushButton::clicked, this, [this] {
    setLook(Look::Edges);
    if (state_.busy())
      state_.stop(), refresh();
    else
      state_.findEdges();
  });
  row->addWidget(find_);
  mark_ = new QPushButton(tr("Mark an edge"));
  mark_->setCheckable(true);
  mark_->setToolTip(
      tr("Draw a place over one straight edge that is tilted by a few degrees, with even sides"));
  connect(mark_, &QPushButton::toggled, this, [this](bool on) {
    if (on) setLook(Look::Edges);
  });
  row->addWidget(mark_);
  row->addStretch();
  return bar;
}

QWidget* FinishStation::buildFindings() {
  const auto [panel, column] = findingsPanel();
  std::tie(headline_, note_) = headline(*column, tr("Finish"));
  plot_ = new EdgePlot;
  plot_->setMaximumHeight(220);
  column->addWidget(plot_, 1);
  scope_ = new ScopeView;
  scope_->setMaximumHeight(220);
  scope_->setVisible(false);
  column->addWidget(scope_, 1);
  form_ = new FinishForm;
  connect(form_, &FinishForm::edited, this, &FinishStation::settingsEdited);
  column->addWidget(form_);
  follow_ = new QPushButton(tr("As the camera"));
  follow_->setToolTip(tr("Drop this clip's own finish and follow the camera's"));
  connect(follow_, &QPushButton::clicked, this, [this] {
    session_.edit(tr("Follow the camera's finish"),
                  [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].finish.reset(); });
  });
  column->addWidget(follow_);
  warnings_ = noticeLabel();
  column->addWidget(warnings_);
  hint_ = quietLabel();
  column->addWidget(hint_);
  progress_ = progressBar();
  column->addWidget(progress_);
  column->addStretch();
  put_ =
      putButton(tr("Keep these edges and settings in the camera's profile (Ctrl+Return). It can be undone."));
  column->addWidget(put_);
  return panel;
}

void FinishStation::showEvent(QShowEvent* event) {
  BenchStation::showEvent(event);
  clip_state_.setActive(true);
}

void FinishStation::hideEvent(QHideEvent* event) {
  BenchStation::hideEvent(event);
  clip_state_.setActive(false);
}

void FinishStation::setCamera(int clip, const Profile& profile) {
  clip_ = clip;
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
  FinishSettings settings = profile.finish ? profile.finish->settings : FinishSettings{};
  if (plan.clip.finish) settings = *plan.clip.finish;
  form_->setSettings(settings);
  follow_->setVisible(plan.clip.finish && profile.finish);
  state_.setCamera(profile);
}

void FinishStation::setShot(const ClipInfo& shot) {
  if (shot.path == state_.shot().path) return;
  chosen_ = -1;
  state_.setShot(shot);
  if (look_ == Look::Edges) setLook(look_);
}

void FinishStation::setLook(Look look) {
  look_ = look;
  looks_->button(static_cast<int>(look))->setChecked(true);
  const bool clip = look == Look::Clip && clip_state_.hasClip();
  // Each look has its own plot.
  plot_->setVisible(!clip);
  scope_->setVisible(clip);
  const ClipInfo shown = clip ? clip_state_.plan().info : state_.shot();
  if (shown.frames <= 0) return;
  if (clip)
    preview_.setClip(shown, clip_state_.correction(), clip_state_.reading());
  else
    preview_.setClip(shown, {}, ReadOptions{});
  preview_.setDrafts(clip);
  {
    const QSignalBlocker quiet(slider_);
    const int last = static_cast<int>(std::max<int64_t>(0, shown.frames - 1));
    const bool other = slider_->maximum() != last;
    slider_->setRange(0, last);
    if (other) slider_->setValue(last / 2);
    slider_->setVisible(shown.frames > 1);
  }
  ask();
}

void FinishStation::ask() {
  waiting_ = true;
  preview_.request(slider_->value());
  view_->update();
}

void FinishStation::say(const QString& text) {
  waiting_ = false;
  hint_->setText(text);
  hint_->setVisible(!text.isEmpty());
}

void FinishStation::settingsEdited(const FinishSettings& settings) {
  if (clip_ < 0) return;
  session_.edit(tr("Change the finish"),
                [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].finish = settings; });
  setLook(Look::Clip);
}

void FinishStation::refresh() {
  filling_ = true;
  looks_->button(static_cast<int>(look_))->setChecked(true);
  find_->setText(state_.busy() ? tr("Stop") : tr("Find edges"));
  find_->setToolTip(tr("Straight edges of strong contrast with even sides, in a few frames of the shot"));
  find_->setEnabled(state_.shot().width > 0);
  progress_->setVisible(state_.busy());
  showFindings();
  showEvidence();
  filling_ = false;
  const auto usable = [&](int row) {
    return row >= 0 && row < static_cast<int>(state_.edges().size()) &&
           state_.edges()[static_cast<size_t>(row)].response.usable();
  };
  if (!usable(chosen_)) chosen_ = -1;
  // The frame with the best of them is shown.
  if (chosen_ < 0 && usable(0)) evidence_->setCurrentCell(0, 0);
  view_->update();
}

void FinishStation::showFindings() {
  const auto found = state_.finding();
  const EdgeSummary* s = found ? &found->all : state_.before() ? &state_.before()->summary : nullptr;
  QString head = QStringLiteral("—"),
          note =
              tr("How the camera draws edges is not measured yet: film the chart, or any "
                 "straight dark edge on bright ground, tilted by about five degrees.");
  if (state_.busy()) {
    head = tr("Measuring…");
    note = tr("The window stays usable meanwhile.");
  } else if (s != nullptr) {
    head = tr("MTF50 %1").arg(QString::number(s->mtf50, 'f', 2));
    note =
        tr("± %1 cycles a pixel: half of the contrast is left there. Edges overshoot by %2 ± %3.")
            .arg(QString::number(s->mtf50_sd, 'f', 3), withUnit(100 * s->overshoot, 1, QStringLiteral("%")),
                 withUnit(100 * s->overshoot_sd, 1, QStringLiteral("%")));
    note += found ? (s->used == 1 ? tr("<br>from one edge") : tr("<br>from %1 edges").arg(s->used))
                  : tr("<br>in the profile now");
  }
  headline_->setText(head);
  note_->setText(note);
  plot_->setEdge(found && !found->edges.empty() ? std::optional(found->edges.front().response)
                                                : std::nullopt);
  form_->setSharpening(s != nullptr ? s->sharpening : Sharpening{});
  QStringList warnings;
  if (found)
    for (const auto& w : found->warnings) warnings << QStringLiteral("▲ ") + QString::fromStdString(w);
  warnings_->setText(warnings.join(QStringLiteral("<br>")));
  warnings_->setVisible(!warnings.isEmpty());
  say(state_.trouble());
  const bool named = !state_.camera().name.empty();
  put_->setEnabled(named && !state_.busy());
}

void FinishStation::showEvidence() {
  const auto& edges = state_.edges();
  evidence_->setRowCount(static_cast<int>(edges.size()));
  for (int i = 0; i < evidence_->rowCount(); ++i) {
    const SeenEdge& e = edges[static_cast<size_t>(i)];
    const EdgeResponse& r = e.response;
    const QString where = e.from_middle < 0.5 ? tr("near the middle") : tr("towards a corner");
    auto* name =
        cell(r.usable() ? tr("%1, %2, tilted %3")
                              .arg(r.across ? tr("left to right") : tr("top to bottom"), where,
                                   withUnit(r.slant_deg, 1, QStringLiteral("°")).remove(QChar(0x2009)))
                        : tr("cannot be used: %1").arg(QString::fromStdString(r.why_not)));
    if (r.usable()) name->setCheckState(state_.leftOut(static_cast<size_t>(i)) ? Qt::Unchecked : Qt::Checked);
    evidence_->setItem(i, 0, name);
    evidence_->setItem(i, 1, cell(QString::number(e.frame + 1), true));
    evidence_->setItem(i, 2, cell(r.usable() ? QString::number(r.mtf50, 'f', 3) : QString(), true));
    evidence_->setItem(
        i, 3, cell(r.usable() ? withUnit(100 * r.overshoot, 1, QStringLiteral("%")) : QString(), true));
  }
}

void FinishStation::showEdge(int row) {
  if (row < 0 || row >= static_cast<int>(state_.edges().size())) return;
  chosen_ = row;
  const SeenEdge& e = state_.edges()[static_cast<size_t>(row)];
  plot_->setEdge(e.response);
  if (look_ != Look::Edges) setLook(Look::Edges);
  if (slider_->value() != static_cast<int>(e.frame)) slider_->setValue(static_cast<int>(e.frame));
  const EdgeArea& a = e.response.area;
  flash({static_cast<double>(a.x), static_cast<double>(a.y), static_cast<double>(a.width),
         static_cast<double>(a.height)});
}

void FinishStation::drawOver(QPainter& p, const PictureView& view) {
  if (look_ != Look::Edges) return;
  const auto box = [&](const QRectF& r, double width) {
    QPolygonF line;
    for (const QPointF& corner : {r.topLeft(), r.topRight(), r.bottomRight(), r.bottomLeft(), r.topLeft()})
      line << view.toScreen(corner);
    drawRimmed(p, line, width);
  };
  const auto& edges = state_.edges();
  for (size_t i = 0; i < edges.size(); ++i) {
    const SeenEdge& e = edges[i];
    if (e.frame != slider_->value() || !e.response.usable() || state_.leftOut(i)) continue;
    const EdgeArea& a = e.response.area;
    const QRectF r(a.x, a.y, a.width, a.height);
    const bool chosen = static_cast<int>(i) == chosen_;
    box(r, chosen ? 2.4 : 1.2);
    if (chosen) drawTag(p, view.toScreen(r.topLeft()), QString::number(e.response.mtf50, 'f', 2));
  }
  if (marking_) box(QRectF(from_, to_).normalized(), 1.6);
}

void FinishStation::putIntoProfile() {
  try {
    Profile profile = session_.profileFor(clip_);
    if (!profile.finish) profile.finish.emplace();
    profile.finish->settings = form_->settings();
    if (const auto part = state_.part()) profile.finish->edges = *part;
    session_.putProfile(tr("Put finish into profile"), profile);
    // The clip follows what is now the camera's.
    session_.edit(tr("Follow the camera's finish"),
                  [&](Shoot& s) { s.clips[static_cast<size_t>(clip_)].finish.reset(); });
    state_.steps().clear();  // now the profile's own step is the one to take back
    say(tr("In the profile now. Undo takes it back."));
  } catch (const Error& error) {
    say(QString::fromUtf8(error.what()));
  }
}

}  // namespace glenhaze::desktop
