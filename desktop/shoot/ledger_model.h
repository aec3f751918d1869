#pragma once
// The coverage ledger as a list: group headers (camera and mode) and clips.

#include <QAbstractListModel>
#include <QImage>
#include <vector>

#include "desktop/session.h"

namespace glenhaze::desktop {

class LedgerModel : public QAbstractListModel {
  Q_OBJECT
 public:
  enum Role { ClipRole = Qt::UserRole, IsGroupRole };

  explicit LedgerModel(Session& session, QObject* parent = nullptr);

  struct Group {
    QString title, mode;
    QString missing, step;  ///< what is not there yet, and the next step as a button; may be empty
    QString meanwhile;      ///< what can be done without it, as a second button; may be empty
    enum class Need { None, Noise, Shutter, Lens, Name } need = Need::None;
    int first_clip = -1;  ///< for the next step
    std::vector<int> clips;
  };

  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;

  int clipAt(const QModelIndex& index) const;
  const Group* groupAt(const QModelIndex& index) const;
  QModelIndex indexOfClip(int clip) const;
  const std::vector<Group>& groups() const { return groups_; }

 private:
  void rebuild();
  struct Row {
    int group = -1;
    int clip = -1;
  };
  Session& session_;
  std::vector<Group> groups_;
  std::vector<Row> rows_;
};

}  // namespace glenhaze::desktop
