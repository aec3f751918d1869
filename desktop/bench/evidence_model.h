#pragma once
// The evidence of the lens bench as a table: each piece with its residual, each can be left out.

#include <QAbstractTableModel>

#include "desktop/bench/lens_state.h"

namespace glenhaze::desktop {

class EvidenceModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit EvidenceModel(LensState& state, QObject* parent = nullptr);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;

 private:
  QVariant chartData(const ChartView& view, int row, int column, int role) const;
  QVariant footageData(const FootageLens& footage, int column, int role) const;
  QVariant edgeData(int row, int column, int role) const;
  LensState& state_;
};

}  // namespace glenhaze::desktop
