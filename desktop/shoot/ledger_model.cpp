#include "desktop/shoot/ledger_model.h"

#include <map>

#include "core/base/json_text.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

LedgerModel::LedgerModel(Session& session, QObject* parent) : QAbstractListModel(parent), session_(session) {
  connect(&session, &Session::changed, this, [this] { rebuild(); });
  connect(&session.standings(), &Standings::changed, this, [this] {
    if (only_ == Only::ToRender || only_ == Only::OutOfDate) rebuild();
  });
  rebuild();
}

namespace {

constexpr int kNotKnown = 7;  // order of groups whose camera nobody has said

struct Heading {
  QString title, mode;
  int order = 0;
};

Heading headingOf(const Session& session, const ClipPlan& plan) {
  if (plan.info.width == 0) {
    if (plan.info.problems.empty()) return {QObject::tr("Reading…"), {}, 8};
    return {QObject::tr("Cannot be read"), {}, 9};
  }
  CameraMode mode;
  if (plan.match.profile >= 0 && plan.match.kind != MatchKind::Borrowed) {
    mode = session.profiles()[static_cast<size_t>(plan.match.profile)].camera;
  } else {
    const CameraAnswer answer = answerOf(session.shoot(), plan.clip, plan.info);
    mode.name = answer.camera.empty() ? cameraNameOf(plan.info) : answer.camera;
    mode.width = plan.info.width;
    mode.height = plan.info.height;
    if (plan.info.kind == ClipKind::Film) mode.fps = plan.info.nominal_fps;
    mode.view = answer.view;
    if (!answer.medium.empty()) mode.medium = answer.medium;
  }
  QString described = QString::fromStdString(mode.describe());
  if (mode.name.empty()) {
    // One answer holds for files that are named alike.
    if (const QString prefix = QString::fromStdString(pathToText(namePrefixOf(plan.info))); !prefix.isEmpty())
      described += QObject::tr(" · files %1…").arg(prefix);
    return {QObject::tr("Camera not known"), described, kNotKnown};
  }
  if (plan.match.kind != MatchKind::Assigned && answerOf(session.shoot(), plan.clip, plan.info).remembered)
    described += QObject::tr(" · named as in an earlier shoot");
  return {QString::fromStdString(mode.name), described, 0};
}

QString cellText(const CoverageCell& cell) {
  return coverageName(cell.kind) + QLatin1Char(' ') + QString::fromStdString(cell.figure);
}

}  // namespace

void LedgerModel::setFilter(const QString& words, Only only) {
  words_ = words.split(QLatin1Char(' '), Qt::SkipEmptyParts);
  only_ = only;
  rebuild();
}

bool LedgerModel::passes(int clip, const QString& heading) const {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
  if (!words_.isEmpty()) {
    const QString text =
        QString::fromStdString(pathToText(plan.info.path.filename())) + QLatin1Char(' ') + heading;
    for (const QString& word : words_)
      if (!text.contains(word, Qt::CaseInsensitive)) return false;
  }
  const ClipStatus* status = session_.standings().of(clip);
  const RunItem* item = session_.runItemOf(plan.info.path);
  switch (only_) {
    case Only::Uncovered:
      return plan.lens.kind == Coverage::Missing && !plan.failed;
    case Only::ToRender:
      return plan.refusal.empty() && (status == nullptr || status->kind != ClipStatus::Kind::Rendered);
    case Only::OutOfDate:
      return status != nullptr && status->kind == ClipStatus::Kind::OutOfDate;
    case Only::Failed:
      return plan.failed || (item != nullptr && item->state == RunState::Failed);
    default:
      return true;
  }
}

void LedgerModel::rebuild() {
  beginResetModel();
  groups_.clear();
  rows_.clear();
  std::map<std::tuple<int, QString, QString>, Group> sorted;
  const auto& plans = session_.plans();
  hidden_ = 0;
  for (size_t i = 0; i < plans.size(); ++i) {
    const Heading heading = headingOf(session_, plans[i]);
    if (!passes(static_cast<int>(i), heading.title + QLatin1Char(' ') + heading.mode)) {
      ++hidden_;
      continue;
    }
    Group& group = sorted[{heading.order, heading.title, heading.mode}];
    group.title = heading.title;
    group.mode = heading.mode;
    if (group.first_clip < 0) group.first_clip = static_cast<int>(i);
    group.clips.push_back(static_cast<int>(i));
    if (heading.order == kNotKnown) group.need = Group::Need::Name;
    // What no profile covers need not wait for one.
    if (plans[i].lens.kind == Coverage::Missing && plans[i].info.width > 0 && !plans[i].failed &&
        !plans[i].clip.by_itself)
      group.meanwhile = tr("Clean and steady as it is");
    if (heading.order != 0 || plans[i].failed) continue;
    using Need = Group::Need;
    const Need need = plans[i].lens.kind == Coverage::Missing      ? Need::Lens
                      : plans[i].shutter.kind == Coverage::Missing ? Need::Shutter
                      : plans[i].noise.kind == Coverage::Missing   ? Need::Noise
                                                                   : Need::None;
    if (need > group.need) {
      group.need = need;
      group.first_clip = static_cast<int>(i);
    }
  }
  for (auto& [key, group] : sorted) {
    if (group.need == Group::Need::Name) {
      group.missing = tr("Nothing is measured for it");
      group.step = tr("Name this camera…");
    } else if (group.need == Group::Need::Lens) {
      group.missing = tr("Lens not measured");
      group.step = tr("Measure lens");
    } else if (group.need == Group::Need::Shutter) {
      group.missing = tr("Shutter not measured");
      group.step = tr("Measure shutter");
    } else if (group.need == Group::Need::Noise) {
      group.missing = tr("Noise not measured");
      group.step = tr("Measure noise");
    }
    const int number = static_cast<int>(groups_.size());
    rows_.push_back({number, -1});
    for (const int clip : group.clips) rows_.push_back({number, clip});
    groups_.push_back(std::move(group));
  }
  endResetModel();
}

int LedgerModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int LedgerModel::clipAt(const QModelIndex& index) const {
  return index.isValid() && index.row() < static_cast<int>(rows_.size())
             ? rows_[static_cast<size_t>(index.row())].clip
             : -1;
}

const LedgerModel::Group* LedgerModel::groupAt(const QModelIndex& index) const {
  if (!index.isValid() || index.row() >= static_cast<int>(rows_.size())) return nullptr;
  const Row& row = rows_[static_cast<size_t>(index.row())];
  return row.clip < 0 ? &groups_[static_cast<size_t>(row.group)] : nullptr;
}

QModelIndex LedgerModel::indexOfClip(int clip) const {
  for (size_t i = 0; i < rows_.size(); ++i)
    if (rows_[i].clip == clip && clip >= 0) return index(static_cast<int>(i));
  return {};
}

Qt::ItemFlags LedgerModel::flags(const QModelIndex& index) const {
  if (!index.isValid()) return Qt::NoItemFlags;
  return clipAt(index) >= 0 ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemNeverHasChildren
                            : Qt::ItemIsEnabled | Qt::ItemNeverHasChildren;
}

QVariant LedgerModel::data(const QModelIndex& index, int role) const {
  const int clip = clipAt(index);
  if (role == ClipRole) return clip;
  if (role == IsGroupRole) return clip < 0;
  if (clip < 0) {
    const Group* group = groupAt(index);
    return role == Qt::DisplayRole && group != nullptr
               ? QVariant(group->title + QLatin1Char(' ') + group->mode)
               : QVariant();
  }
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip)];
  const QString name = QString::fromStdString(plan.info.path.stem().string());
  switch (role) {
    case Qt::DisplayRole:
      return name;
    case Qt::AccessibleTextRole:
      return tr("%1, lens %2, shutter %3, noise %4, stabilization %5, finish %6")
          .arg(name, cellText(plan.lens), cellText(plan.shutter), cellText(plan.noise),
               cellText(plan.stabilization), cellText(plan.finish));
    case Qt::ToolTipRole: {
      QStringList lines{tr("Lens: %1").arg(QString::fromStdString(plan.lens.reason)),
                        tr("Shutter: %1").arg(QString::fromStdString(plan.shutter.reason)),
                        tr("Noise: %1").arg(QString::fromStdString(plan.noise.reason)),
                        tr("Stabilization: %1").arg(QString::fromStdString(plan.stabilization.reason)),
                        tr("Finish: %1").arg(QString::fromStdString(plan.finish.reason))};
      if (const ClipStatus* status = session_.standings().of(clip);
          status != nullptr && !status->why.empty() && plan.refusal.empty())
        lines.prepend(QString::fromStdString(status->why));
      if (!plan.refusal.empty())
        lines.prepend(tr("Will not be rendered: %1").arg(QString::fromStdString(plan.refusal)));
      for (const ClipProblem& p : plan.info.problems)
        if (p.text != plan.refusal && p.text != plan.lens.reason)
          lines.append(QString::fromStdString(p.text));
      return lines.join(QLatin1Char('\n'));
    }
    default:
      return {};
  }
}

}  // namespace glenhaze::desktop
