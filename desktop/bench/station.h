#pragma once
// What every station of the bench is to the bench.

#include <QVBoxLayout>
#include <QWidget>
#include <functional>
#include <utility>
#include <vector>

#include "core/media/clip_info.h"
#include "core/profile/profile.h"

class QAbstractSlider;
class QButtonGroup;
class QHBoxLayout;
class QLabel;
class QProgressBar;
class QPushButton;
class QSplitter;
class QTableWidget;
class QTableWidgetItem;
class QUndoStack;

namespace glenhaze::desktop {

class PictureView;

class BenchStation : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;
  /// The clip whose camera and mode are measured, and the profile they have now.
  virtual void setCamera(int clip, const Profile& profile) = 0;
  /// The reference shot to measure from.
  virtual void setShot(const ClipInfo& shot) = 0;
  /// The other shots that suit the camera and mode.
  virtual void setOffered(const std::vector<ClipInfo>&) {}
  virtual void putIntoProfile() = 0;
  /// Steps of its marks, which are taken back before those of the shoot; null where it has none of its own.
  virtual QUndoStack* steps() { return nullptr; }
  /// Sizes of the panels and what is seen of the picture as in another station, so that nothing moves when
  /// one changes between them; with the same reference shot its frame too.
  void standAs(const BenchStation& other, bool same_shot);

 protected:
  /// Tools, picture and position above the evidence; findings beside them: at the same places in every
  /// station.
  void arrange(QWidget* tools, PictureView* picture, QAbstractSlider* position, QWidget* evidence,
               QWidget* findings);
  /// The dark panel of findings, its column, and the "Put into profile" button that ends it.
  static std::pair<QWidget*, QVBoxLayout*> findingsPanel();
  /// A big figure and a quiet line below it; `topic`: where the guide tells of it.
  static std::pair<QLabel*, QLabel*> headline(QVBoxLayout& column, const QString& topic);
  /// Buttons of which one is down: the ways to measure, each with its tool tip.
  QButtonGroup* addWays(QHBoxLayout& row, const std::vector<std::pair<QString, QString>>& ways,
                        const std::function<void(int)>& chosen);
  /// A table to read, with the first column stretched, and what goes into it.
  /// `numbers`: columns that hold some; their heads stand over them, at the right.
  static QTableWidget* table(const QStringList& heads, const QString& name,
                             std::initializer_list<int> numbers = {});
  static QTableWidgetItem* cell(const QString& text, bool number = false);
  QPushButton* putButton(const QString& tip);
  /// Shows where in the picture a row of evidence is.
  void flash(const QRectF& area);
  QProgressBar* progressBar();

 private:
  QSplitter *across_ = nullptr, *left_ = nullptr;
  PictureView* picture_ = nullptr;
  QAbstractSlider* position_ = nullptr;
};

}  // namespace glenhaze::desktop
