#include "desktop/shoot/ledger_model.h"

#include <QIODevice>
#include <QMimeData>
#include <algorithm>
#include <map>

#include "core/base/json_text.h"
#include "core/treat/iso.h"
#include "desktop/shoot/ledger_delegate.h"
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

void LedgerModel::setOrder(LedgerColumns::Column by, bool falling) {
  by_ = by;
  falling_ = falling;
  rebuild();
}

namespace {

// What clips are sorted by: a number first, then words, whose digits count as numbers.
struct OrderKey {
  double number = 0;
  QString words;
};

OrderKey orderKeyOf(const Session& session, int clip, LedgerColumns::Column by) {
  const ClipPlan& plan = session.plans()[static_cast<size_t>(clip)];
  const auto covered = [](const CoverageCell& cell) {
    return OrderKey{static_cast<double>(cell.kind), QString::fromStdString(cell.figure)};
  };
  bool wrong = false;
  switch (by) {
    case LedgerColumns::Length:
      return {plan.info.duration_s, {}};
    case LedgerColumns::Picture:
      return {static_cast<double>(plan.info.width) * plan.info.height, {}};
    case LedgerColumns::Iso: {
      const auto iso = isoOf(session.shoot(), plan.clip, plan.info);
      return {iso ? iso->iso : -1, {}};
    }
    case LedgerColumns::Lens:
      return covered(plan.lens);
    case LedgerColumns::Shutter:
      return covered(plan.shutter);
    case LedgerColumns::Noise:
      return covered(plan.noise);
    case LedgerColumns::Steady:
      return covered(plan.stabilization);
    case LedgerColumns::Finish:
      return covered(plan.finish);
    case LedgerColumns::State:
      return {0, LedgerDelegate::stateText(session, plan, clip, wrong)};
    default:
      return {0, QString::fromStdString(pathToText(plan.info.path.filename()))};
  }
}

// Without case, and "clip9" before "clip10": digits are compared as the numbers they write. The library's own
// way to do so hangs on the system's language.
bool comesBefore(const QString& a, const QString& b) {
  qsizetype i = 0, k = 0;
  const auto digitsAt = [](const QString& text, qsizetype& at) {
    while (at + 1 < text.size() && text[at] == QLatin1Char('0') && text[at + 1].isDigit()) ++at;
    const qsizetype from = at;
    while (at < text.size() && text[at].isDigit()) ++at;
    return QStringView(text).mid(from, at - from);
  };
  while (i < a.size() && k < b.size()) {
    if (a[i].isDigit() && b[k].isDigit()) {
      const QStringView x = digitsAt(a, i), y = digitsAt(b, k);
      if (x.size() != y.size()) return x.size() < y.size();
      if (const int order = x.compare(y); order != 0) return order < 0;
      continue;
    }
    const QChar x = a[i++].toCaseFolded(), y = b[k++].toCaseFolded();
    if (x != y) return x < y;
  }
  return a.size() - i < b.size() - k;
}

const QString kClipsType = QStringLiteral("application/x-glenhaze-clips");

}  // namespace

void LedgerModel::putInOrder(std::vector<int>& clips) const {
  if (by_ == LedgerColumns::Strip) return;
  std::vector<std::pair<OrderKey, int>> keyed;
  keyed.reserve(clips.size());
  for (const int clip : clips) keyed.emplace_back(orderKeyOf(session_, clip, by_), clip);
  const auto before = [&](const OrderKey& a, const OrderKey& b) {
    return a.number != b.number ? a.number < b.number : comesBefore(a.words, b.words);
  };
  std::ranges::stable_sort(keyed, [&](const auto& a, const auto& b) {
    return falling_ ? before(b.first, a.first) : before(a.first, b.first);
  });
  for (size_t i = 0; i < clips.size(); ++i) clips[i] = keyed[i].second;
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
    group.known = heading.order == 0;
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
    putInOrder(group.clips);
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
  if (clipAt(index) >= 0)
    return Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemNeverHasChildren | Qt::ItemIsDragEnabled |
           Qt::ItemIsDropEnabled;
  return Qt::ItemIsEnabled | Qt::ItemNeverHasChildren | Qt::ItemIsDropEnabled;
}

QStringList LedgerModel::mimeTypes() const { return {kClipsType}; }

QMimeData* LedgerModel::mimeData(const QModelIndexList& indexes) const {
  QByteArray bytes;
  QDataStream out(&bytes, QIODevice::WriteOnly);
  for (const QModelIndex& index : indexes)
    if (const int clip = clipAt(index); clip >= 0) out << clip;
  auto* data = new QMimeData;
  data->setData(kClipsType, bytes);
  return data;
}

// On a camera's heading, or on any clip of it.
bool LedgerModel::canDropMimeData(const QMimeData* data, Qt::DropAction, int, int,
                                  const QModelIndex& parent) const {
  return data->hasFormat(kClipsType) && parent.isValid() && parent.row() < static_cast<int>(rows_.size()) &&
         groups_[static_cast<size_t>(rows_[static_cast<size_t>(parent.row())].group)].known;
}

bool LedgerModel::dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                               const QModelIndex& parent) {
  if (!canDropMimeData(data, action, row, column, parent)) return false;
  const Group& group = groups_[static_cast<size_t>(rows_[static_cast<size_t>(parent.row())].group)];
  std::vector<int> clips;
  QDataStream in(data->data(kClipsType));
  while (!in.atEnd()) {
    int clip = -1;
    in >> clip;
    if (clip >= 0 && std::ranges::find(group.clips, clip) == group.clips.end()) clips.push_back(clip);
  }
  const int like = group.clips.front();  // the group itself may go while they are given
  if (!clips.empty()) Q_EMIT given(clips, like);
  // Nothing is taken out of the list by the view: it is made anew.
  return false;
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
