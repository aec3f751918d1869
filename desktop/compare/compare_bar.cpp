#include "desktop/compare/compare_bar.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <array>
#include <cmath>

#include "desktop/compare/clip_form.h"

namespace glenhaze::desktop {

namespace {
constexpr std::array kZooms = {0.0, 1.0, 2.0, 4.0};  // screen pixels per picture pixel; 0: all of it
}  // namespace

CompareBar::CompareBar(QWidget* parent) : QWidget(parent), row_(new QHBoxLayout(this)) {
  row_->setContentsMargins(0, 0, 0, 0);
  clips_ = new QComboBox;
  // Its list is as long as the shoot: nothing may be done once for each.
  clips_->setModel(&clip_names_);
  clips_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  clips_->setMinimumContentsLength(20);
  clips_->setMinimumWidth(96);
  clips_->setMaximumWidth(240);
  clips_->setAccessibleName(tr("Clip"));
  connect(clips_, &QComboBox::activated, this, &CompareBar::clipChosen);
  row_->addWidget(clips_);
  way_ = addChoice(
      tr("Way to look"),
      {tr("Divider"), tr("Side by side"), tr("Corrected"), tr("Noise trials"), tr("Steady trials")}, 116,
      tr("D: divider, drag it, Shift-drag turns it. B: side by side. V: four settings of noise removal. "
         "M: the source and three strengths of stabilization, playing. Hold S for the source."));
  connect(way_, &QComboBox::currentIndexChanged, this, &CompareBar::wayChosen);
  addZooms();
  edge_ = new QPushButton(tr("Straight edge"));
  edge_->setCheckable(true);
  edge_->setToolTip(tr("Lay a straight edge on the picture (E); it reads the bow of the edge under it"));
  connect(edge_, &QPushButton::toggled, this, &CompareBar::edgeToggled);
  row_->addWidget(edge_);
  look_ = addChoice(
      tr("Channel"),
      {tr("All channels"), tr("Luma detail"), tr("Cb detail"), tr("Cr detail"), tr("Removed"),
       tr("Own motion"), tr("Edges")},
      110,
      tr("One channel alone with raised contrast; what noise removal took away, amplified (N); what moves on "
         "its own while the rows are read, which one turn for each row cannot mend; or where crispness and "
         "calm edges act, amplified"));
  connect(look_, &QComboBox::currentIndexChanged, this, &CompareBar::lookChosen);
  lift_ =
      addChoice(tr("Exposure for viewing"), {tr("As exposed"), tr("+1 stop"), tr("+2 stops"), tr("+3 stops")},
                104, tr("Lifts the exposure for viewing only, to judge shadows as they will be graded (L)"));
  connect(lift_, &QComboBox::currentIndexChanged, this, &CompareBar::liftChosen);
  row_->addStretch();
  parts_ = new PartSwitches;
  connect(parts_, &PartSwitches::edited, this, &CompareBar::edited);
  row_->addWidget(parts_);
}

QComboBox* CompareBar::addChoice(const QString& name, const QStringList& items, int width,
                                 const QString& tip) {
  auto* box = new QComboBox;
  box->setAccessibleName(name);
  box->addItems(items);
  box->setToolTip(tip);
  box->setMaximumWidth(width);
  row_->addWidget(box);
  return box;
}

void CompareBar::addZooms() {
  zoom_ = addChoice(tr("Zoom"),
                    {tr("Fit"), QStringLiteral("100 %"), QStringLiteral("200 %"), QStringLiteral("400 %")},
                    84, tr("Keys 0, 1, 2 and 4 zoom at the pointer, the wheel too"));
  connect(zoom_, &QComboBox::activated, this,
          [this](int i) { Q_EMIT zoomChosen(kZooms[static_cast<size_t>(i)]); });
}

void CompareBar::showZoom(double zoom) {
  // What lies between two of them is the nearer one's neighbourhood; its exact scale is said in the picture.
  size_t nearest = 0;
  for (size_t i = 1; i < kZooms.size() && zoom > 0; ++i)
    if (nearest == 0 || std::abs(std::log(zoom / kZooms[i])) < std::abs(std::log(zoom / kZooms[nearest])))
      nearest = i;
  zoom_->setCurrentIndex(static_cast<int>(nearest));
}

void CompareBar::setClips(const PlanList& plans, int current) {
  QStringList names;
  names.reserve(static_cast<qsizetype>(plans.size()));
  for (const ClipPlan& plan : plans) names << QString::fromStdString(plan.info.path.stem().native());
  // Filling the list anew takes long where there are very many.
  if (names != names_) {
    clip_names_.setStringList(names);
    names_ = std::move(names);
  }
  clips_->setCurrentIndex(current);
}

void CompareBar::setPlan(const ClipPlan& plan, const OutputSettings& output) {
  parts_->setPlan(plan, output);
}

CompareBar::Look CompareBar::look() const { return static_cast<Look>(look_->currentIndex()); }
void CompareBar::setLook(int look) { look_->setCurrentIndex(look); }
void CompareBar::setWay(int way) { way_->setCurrentIndex(way); }
int CompareBar::lift() const { return lift_->currentIndex(); }
void CompareBar::setLift(int stops) { lift_->setCurrentIndex(stops); }
void CompareBar::nextLift() { lift_->setCurrentIndex((lift_->currentIndex() + 1) % lift_->count()); }
void CompareBar::setEdge(bool on) { edge_->setChecked(on); }
void CompareBar::toggleEdge() { edge_->toggle(); }

}  // namespace glenhaze::desktop
