#pragma once
// All keys on one page: those of menus and buttons as they are, those of the picture as their place says
// them.

#include <QDialog>
#include <QString>
#include <utility>
#include <vector>

namespace glenhaze::desktop {

/// A key in words, and what it does.
using KeyLine = std::pair<QString, QString>;

class KeysSheet : public QDialog {
  Q_OBJECT
 public:
  /// `window`: whose menus and buttons are read; `picture`: keys that no menu or button has.
  KeysSheet(QWidget& window, const std::vector<KeyLine>& picture);
  const std::vector<KeyLine>& lines() const { return lines_; }

 private:
  std::vector<KeyLine> lines_;
};

}  // namespace glenhaze::desktop
