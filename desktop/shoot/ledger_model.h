#pragma once
// The coverage ledger as a list: group headers (camera and mode) and clips.

#include <QAbstractListModel>
#include <QImage>
#include <vector>

#include "desktop/session.h"
#include "desktop/shoot/ledger_columns.h"

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
    bool known = false;   ///< a camera that has a name: clips can be given to it
    std::vector<int> clips;
  };

  /// Which clips are listed: those whose name or camera holds all of the words, and that are in this state.
  enum class Only { All, Uncovered, ToRender, OutOfDate, Failed };
  void setFilter(const QString& words, Only only);
  /// Clips that the filter leaves out.
  int hidden() const { return hidden_; }

  /// The order of clips within their camera and mode.
  void setOrder(LedgerColumns::Column by, bool falling);

  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  QStringList mimeTypes() const override;
  QMimeData* mimeData(const QModelIndexList& indexes) const override;
  bool canDropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                       const QModelIndex& parent) const override;
  bool dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                    const QModelIndex& parent) override;

  int clipAt(const QModelIndex& index) const;
  const Group* groupAt(const QModelIndex& index) const;
  QModelIndex indexOfClip(int clip) const;
  const std::vector<Group>& groups() const { return groups_; }

 Q_SIGNALS:
  /// Clips were dropped on the camera and mode of another one.
  void given(const std::vector<int>& clips, int like);

 private:
  void rebuild();
  void putInOrder(std::vector<int>& clips) const;
  bool passes(int clip, const QString& heading) const;
  QStringList words_;
  Only only_ = Only::All;
  int hidden_ = 0;
  LedgerColumns::Column by_ = LedgerColumns::Strip;
  bool falling_ = false;
  struct Row {
    int group = -1;
    int clip = -1;
  };
  Session& session_;
  std::vector<Group> groups_;
  std::vector<Row> rows_;
};

}  // namespace glenhaze::desktop
