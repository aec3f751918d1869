#pragma once
// The guide, inside the application.

#include <QDialog>
#include <QString>

namespace glenhaze::desktop {

/// A folder or file that comes with the application, installed or built; "" where it is not there. `name`:
/// from the top of the source tree.
QString shipped(const QString& name);

class GuideWindow : public QDialog {
  Q_OBJECT
 public:
  explicit GuideWindow(QWidget* parent = nullptr);
};

}  // namespace glenhaze::desktop
