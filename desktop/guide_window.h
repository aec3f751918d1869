#pragma once
// The guide, inside the application.

#include <QDialog>
#include <QString>

class QTextBrowser;

namespace glenhaze::desktop {

/// A folder or file that comes with the application, installed or built; "" where it is not there. `name`:
/// from the top of the source tree.
QString shipped(const QString& name);

class GuideWindow : public QDialog {
  Q_OBJECT
 public:
  explicit GuideWindow(QWidget* parent = nullptr);
  /// Shows the chapter of this name, its number left out; false where there is none.
  bool goTo(const QString& topic);

 private:
  QTextBrowser* page_ = nullptr;
};

}  // namespace glenhaze::desktop
