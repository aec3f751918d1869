#include "desktop/keys_sheet.h"

#include <QAbstractButton>
#include <QAction>
#include <QGridLayout>
#include <QKeySequence>
#include <QLabel>
#include <algorithm>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

namespace {

QString plainText(QString text) {
  text.remove(QLatin1Char('&'));
  while (text.endsWith(QStringLiteral("…")) || text.endsWith(QLatin1Char('.'))) text.chop(1);
  return text;
}

QString keyText(const QKeySequence& keys) { return keys.toString(QKeySequence::NativeText); }

}  // namespace

KeysSheet::KeysSheet(QWidget& window, const std::vector<KeyLine>& picture) : QDialog(&window) {
  setWindowTitle(tr("Keys"));
  const auto add = [this](const QKeySequence& keys, const QString& text) {
    const bool known = std::any_of(lines_.begin(), lines_.end(),
                                   [&](const KeyLine& line) { return line.first == keyText(keys); });
    if (!keys.isEmpty() && !text.isEmpty() && !known) lines_.emplace_back(keyText(keys), plainText(text));
  };
  for (const QAction* action : window.findChildren<QAction*>()) add(action->shortcut(), action->text());
  for (const QAbstractButton* button : window.findChildren<QAbstractButton*>())
    add(button->shortcut(), button->text());
  std::sort(lines_.begin(), lines_.end());
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(24, 20, 24, 20);
  grid->setHorizontalSpacing(14);
  const auto put = [&](const std::vector<KeyLine>& lines, int column, const QString& title) {
    auto* head = new QLabel(title);
    head->setFont(textFont(15, true));
    grid->addWidget(head, 0, 2 * column, 1, 2);
    int row = 1;
    for (const auto& [key, what] : lines) {
      auto* name = new QLabel(key);
      name->setFont(textFont(13, true));
      grid->addWidget(name, row, 2 * column);
      auto* text = quietLabel(what);
      text->setWordWrap(false);
      grid->addWidget(text, row++, 2 * column + 1);
    }
  };
  put(lines_, 0, tr("Everywhere"));
  put(picture, 1, tr("In Compare"));
  grid->setColumnMinimumWidth(1, 230);
  grid->setRowStretch(grid->rowCount(), 1);
  lines_.insert(lines_.end(), picture.begin(), picture.end());
}

}  // namespace glenhaze::desktop
