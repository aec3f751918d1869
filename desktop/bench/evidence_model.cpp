#include "desktop/bench/evidence_model.h"

#include <filesystem>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {
QString fileName(const std::string& path) {
  return QString::fromStdString(std::filesystem::path(path).stem().string());
}
QString px(double v) { return v < 0 ? QStringLiteral("—") : withUnit(v, 2, QStringLiteral("px")); }
}  // namespace

EvidenceModel::EvidenceModel(LensState& state, QObject* parent) : QAbstractTableModel(parent), state_(state) {
  connect(&state, &LensState::changed, this, [this] {
    beginResetModel();
    endResetModel();
  });
}

int EvidenceModel::rowCount(const QModelIndex& parent) const {
  if (parent.isValid()) return 0;
  if (state_.way() == LensState::Way::Chart)
    return state_.chart() ? static_cast<int>(state_.chart()->views.size()) : 0;
  if (state_.way() == LensState::Way::Footage) return state_.footage() ? 1 : 0;
  return static_cast<int>(state_.edges().size());
}

int EvidenceModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : 6; }

QVariant EvidenceModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((section >= 2 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  if (state_.way() == LensState::Way::Footage)
    return QStringList{tr("Evidence"), tr("From"),        tr("Frames"),
                       tr("Turns by"), tr("Seen out to"), tr("Off by")}
        .value(section);
  const bool chart = state_.way() == LensState::Way::Chart;
  const QStringList names = chart ? QStringList{tr("Evidence"), tr("From"),      tr("Frame"),
                                                tr("Corners"),  tr("Sharpness"), tr("Off by")}
                                  : QStringList{tr("Evidence"), tr("From"),       tr("Frame"),
                                                tr("Length"),   tr("Bow before"), tr("Bow after")};
  return names.value(section);
}

Qt::ItemFlags EvidenceModel::flags(const QModelIndex& index) const {
  if (!index.isValid()) return Qt::NoItemFlags;
  Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  if (index.column() == 0 && state_.way() != LensState::Way::Footage) flags |= Qt::ItemIsUserCheckable;
  return flags;
}

bool EvidenceModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::CheckStateRole || index.column() != 0) return false;
  state_.setEvidenceUsed(index.row(), value.toInt() == Qt::Checked);
  return true;
}

QVariant EvidenceModel::chartData(const ChartView& view, int row, int column, int role) const {
  if (role == Qt::CheckStateRole && column == 0) return view.left_out.empty() ? Qt::Checked : Qt::Unchecked;
  if (role == Qt::ToolTipRole) return QString::fromStdString(view.left_out);
  if (role == Qt::ForegroundRole && !view.left_out.empty()) return look::kQuiet;
  if (role != Qt::DisplayRole) return {};
  switch (column) {
    case 0:
      return view.left_out.empty()
                 ? tr("view %1").arg(row + 1)
                 : tr("view %1, left out: %2").arg(row + 1).arg(QString::fromStdString(view.left_out));
    case 1:
      return fileName(view.source);
    case 2:
      return QString::number(view.frame + 1);
    case 3:
      return QString::number(view.corners.size());
    case 4:
      return withUnit(view.sharpness, 0, {});
    default:
      return px(view.left_out.empty() ? view.rms_px : -1);
  }
}

QVariant EvidenceModel::edgeData(int row, int column, int role) const {
  const StraightEdge& edge = state_.edges()[static_cast<size_t>(row)];
  const EdgeResult* result =
      state_.edgeFinding() && row < static_cast<int>(state_.edgeFinding()->edges.size())
          ? &state_.edgeFinding()->edges[static_cast<size_t>(row)]
          : nullptr;
  const bool out = !edge.in_use || (result != nullptr && result->left_out);
  if (role == Qt::CheckStateRole && column == 0) return out ? Qt::Unchecked : Qt::Checked;
  if (role == Qt::ToolTipRole) return result != nullptr ? QString::fromStdString(result->why) : QString();
  if (role == Qt::ForegroundRole && out) return look::kQuiet;
  if (role != Qt::DisplayRole) return {};
  switch (column) {
    case 0: {
      const QString name = edge.name.empty() ? tr("edge %1").arg(row + 1) : QString::fromStdString(edge.name);
      return out && result != nullptr && !result->why.empty() ? tr("%1, left out").arg(name) : name;
    }
    case 1:
      return fileName(edge.source);
    case 2:
      return edge.frame >= 0 ? QString::number(edge.frame + 1) : QString();
    case 3:
      return result != nullptr ? withUnit(result->length_px, 0, QStringLiteral("px")) : QString();
    case 4:
      return px(result != nullptr ? result->bow_px : -1);
    default:
      return px(result != nullptr ? result->rms_px : -1);
  }
}

QVariant EvidenceModel::footageData(const FootageLens& footage, int column, int role) const {
  if (role == Qt::ToolTipRole && column == 4)
    return tr("How far from the middle places were followed, of the way to the corner");
  if (role != Qt::DisplayRole) return {};
  switch (column) {
    case 0:
      return tr("turning camera");
    case 1:
      return fileName(state_.shot().path.string());
    case 2:
      return QString::number(footage.frames);
    case 3:
      return withUnit(footage.turned_deg, 0, QStringLiteral("°"));
    case 4:
      return withUnit(footage.seen_to * 100, 0, QStringLiteral("%"));
    default:
      return px(footage.rms_px);
  }
}

QVariant EvidenceModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid()) return {};
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((index.column() >= 2 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  if (state_.way() == LensState::Way::Chart)
    return chartData(state_.chart()->views[static_cast<size_t>(index.row())], index.row(), index.column(),
                     role);
  if (state_.way() == LensState::Way::Footage) return footageData(*state_.footage(), index.column(), role);
  return edgeData(index.row(), index.column(), role);
}

}  // namespace glenhaze::desktop
