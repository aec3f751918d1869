// For hands without a mouse, for eyes that see little contrast, for those who are read to: every control has
// a name and a role, is reached by Tab, and every text stands out from its ground.
#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSlider>
#include <QAbstractSpinBox>
#include <QAccessible>
#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QScrollBar>
#include <QTableWidget>
#include <map>
#include <set>

#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Access : public Window {
 protected:
  // Calls `look` for every place, every station of the bench among them, with its name.
  void everywhere(const std::function<void(const std::string&)>& look) {
    const auto shown = [&](const std::string& name) {
      QTest::qWait(60);
      look(name);
    };
    window->go(MainWindow::Shoot);
    shown("shoot");
    window->go(MainWindow::Bench);
    for (int s = 0; s < BenchPlace::kStations; ++s) {
      window->benchPlace().setStation(static_cast<BenchPlace::Station>(s));
      shown("bench " + std::to_string(s));
    }
    window->go(MainWindow::Compare);
    ASSERT_TRUE(eventually([&] { return window->comparePlace().settled(); }));
    window->comparePlace().setOverTime(true);
    shown("compare");
    window->go(MainWindow::Run);
    shown("run");
  }
  // What one can do something with.
  QList<QWidget*> controls() {
    QList<QWidget*> found;
    for (QWidget* w : window->findChildren<QWidget*>()) {
      if (!w->isVisible() || qobject_cast<QScrollBar*>(w) != nullptr) continue;
      // Parts of a control that has a name itself.
      const QWidget* parent = w->parentWidget();
      if (qobject_cast<const QComboBox*>(parent) != nullptr ||
          qobject_cast<const QAbstractSpinBox*>(parent) != nullptr ||
          qobject_cast<const QAbstractItemView*>(parent) != nullptr ||
          w->objectName().startsWith(QStringLiteral("qt_")))
        continue;
      if (qobject_cast<QAbstractButton*>(w) != nullptr || qobject_cast<QComboBox*>(w) != nullptr ||
          qobject_cast<QAbstractSpinBox*>(w) != nullptr || qobject_cast<QAbstractSlider*>(w) != nullptr ||
          qobject_cast<QLineEdit*>(w) != nullptr || qobject_cast<QAbstractItemView*>(w) != nullptr)
        found << w;
    }
    return found;
  }
  // What stands in a box is its value, not its name: that is its own, or that of the label beside it.
  QString nameOf(QWidget* w) {
    if (qobject_cast<QAbstractButton*>(w) != nullptr || !w->accessibleName().isEmpty())
      return QAccessible::queryAccessibleInterface(w)->text(QAccessible::Name);
    for (const QLabel* label : window->findChildren<QLabel*>())
      if (label->buddy() == w) return label->text();
    return {};
  }
  static std::string sort(const QWidget* w) { return w->metaObject()->className(); }
};

TEST_F(Access, EveryControlHasANameAndARole) {
  open(true);
  everywhere([&](const std::string& place) {
    for (QWidget* w : controls()) {
      const QAccessibleInterface* face = QAccessible::queryAccessibleInterface(w);
      ASSERT_NE(face, nullptr);
      EXPECT_FALSE(nameOf(w).isEmpty())
          << place << ": " << sort(w) << " at " << w->mapTo(window.get(), QPoint()).x() << ", "
          << w->mapTo(window.get(), QPoint()).y();
      EXPECT_NE(face->role(), QAccessible::NoRole) << place << ": " << sort(w);
    }
  });
}

// By Tab, or by the keys that move within a group; what is reached by a key of its own needs no Tab.
TEST_F(Access, EveryControlIsReachedByTheKeyboard) {
  open(true);
  everywhere([&](const std::string& place) {
    std::set<QWidget*> reached;
    const QList<QWidget*> wanted = controls();
    window->activateWindow();
    wanted.front()->setFocus();
    for (int i = 0; i < 200; ++i) {
      QTest::keyClick(window.get(), Qt::Key_Tab);
      QWidget* now = QApplication::focusWidget();
      if (now == nullptr || !reached.insert(now).second) continue;
    }
    for (QWidget* w : wanted) {
      if (!w->isEnabled()) continue;
      bool there = false;
      for (QWidget* r : reached) there = there || r == w || r->focusProxy() == w || w->focusProxy() == r;
      // Of buttons of which one is chosen, one takes the Tab and arrows lead to the others.
      if (const auto* button = qobject_cast<QAbstractButton*>(w); button != nullptr && !there)
        there = (button->autoExclusive() && button->isCheckable()) || !button->shortcut().isEmpty() ||
                (button->group() != nullptr && button->group()->exclusive());
      EXPECT_TRUE(there) << place << ": " << sort(w) << " "
                         << QAccessible::queryAccessibleInterface(w)->text(QAccessible::Name).toStdString();
    }
  });
}

double luminance(QRgb c) {
  // Relative luminance, WCAG 2.1 (W3C), of sRGB.
  const auto linear = [](int v) {
    const double s = v / 255.0;
    return s <= 0.04045 ? s / 12.92 : std::pow((s + 0.055) / 1.055, 2.4);
  };
  return 0.2126 * linear(qRed(c)) + 0.7152 * linear(qGreen(c)) + 0.0722 * linear(qBlue(c));
}

double contrast(QRgb a, QRgb b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

// The ground is the colour that most of a widget has, its text the one that differs most from that.
double contrastOf(const QImage& image) {
  std::map<QRgb, int> counts;
  for (int y = 0; y < image.height(); ++y)
    for (int x = 0; x < image.width(); ++x) ++counts[image.pixel(x, y) & 0xF8F8F8];
  const auto ground = std::max_element(counts.begin(), counts.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
  double most = 1;
  for (const auto& [colour, count] : counts)
    // A stroke's middle, not its softened rim alone.
    if (count > 3) most = std::max(most, contrast(colour, ground->first));
  return most;
}

// WCAG 2.1, success criterion 1.4.3: at least 4.5 to 1.
TEST_F(Access, EveryTextStandsOutFromItsGround) {
  open(true);
  int looked_at = 0;
  everywhere([&](const std::string& place) {
    const QImage whole = window->grab().toImage().convertToFormat(QImage::Format_RGB32);
    for (QWidget* w : window->findChildren<QWidget*>()) {
      QString text;
      if (const auto* label = qobject_cast<QLabel*>(w)) text = label->text();
      if (const auto* button = qobject_cast<QAbstractButton*>(w)) text = button->text();
      if (!w->isVisible() || !w->isEnabled() || text.trimmed().size() < 2) continue;
      const QRect area = QRect(w->mapTo(window.get(), QPoint()), w->size()) & whole.rect();
      if (area.width() < 8 || area.height() < 8) continue;
      ++looked_at;
      EXPECT_GE(contrastOf(whole.copy(area.adjusted(2, 2, -2, -2))), 4.5)
          << place << ": " << text.toStdString();
    }
  });
  EXPECT_GT(looked_at, 100);
}

// What is chosen in a table or a list is still to be read, whether the window is in front or not.
TEST(Contrast, OfChosenRows) {
  QTableWidget table(2, 1);
  QListWidget list;
  for (int i = 0; i < 2; ++i) {
    table.setItem(i, 0, new QTableWidgetItem(QStringLiteral("Skerrel D3")));
    list.addItem(QStringLiteral("Skerrel D3"));
  }
  for (QAbstractItemView* view : std::initializer_list<QAbstractItemView*>{&table, &list}) {
    view->resize(200, 120);
    view->show();
    view->setCurrentIndex(view->model()->index(1, 0));
    view->selectionModel()->select(view->model()->index(0, 0), QItemSelectionModel::ClearAndSelect);
    for (const bool in_front : {true, false}) {
      if (in_front)
        view->activateWindow();
      else
        view->clearFocus();
      QTest::qWait(30);
      const QRect row = view->visualRect(view->model()->index(0, 0));
      const QImage picture = view->viewport()->grab(row).toImage().convertToFormat(QImage::Format_RGB32);
      EXPECT_GE(contrastOf(picture), 4.5) << view->metaObject()->className() << in_front;
      const QImage plain = view->viewport()
                               ->grab(view->visualRect(view->model()->index(1, 0)))
                               .toImage()
                               .convertToFormat(QImage::Format_RGB32);
      EXPECT_NE(picture.pixel(1, 1), plain.pixel(1, 1)) << "chosen can be seen";
    }
  }
}

TEST(Contrast, OfTheChosenEntryOfAnOpenList) {
  QComboBox box;
  box.addItems({QStringLiteral("as set below"), QStringLiteral("to share: 1080p")});
  box.resize(200, 30);
  box.show();
  box.showPopup();
  ASSERT_TRUE(eventually([&] { return box.view()->isVisible(); }));
  QAbstractItemView* view = box.view();
  for (const int row : {0, 1}) {
    const QImage picture = view->viewport()
                               ->grab(view->visualRect(view->model()->index(row, 0)))
                               .toImage()
                               .convertToFormat(QImage::Format_RGB32);
    EXPECT_LT(picture.height(), 50) << "an entry, not a field";
    EXPECT_GE(contrastOf(picture), 4.5) << (row == 0 ? "the chosen one" : "another one");
  }
  box.hidePopup();
}

// A colour that cannot be told from its ground is found by what measures it.
TEST(Contrast, IsMeasured) {
  QLabel label(QStringLiteral("hardly to be read"));
  label.resize(200, 30);
  label.setStyleSheet(QStringLiteral("background: #414243; color: #6B6C6D"));
  EXPECT_LT(contrastOf(label.grab().toImage()), 4.5);
  label.setStyleSheet(QStringLiteral("background: #414243; color: #ECECEA"));
  EXPECT_GT(contrastOf(label.grab().toImage()), 4.5);
  EXPECT_NEAR(contrast(qRgb(0, 0, 0), qRgb(255, 255, 255)), 21, 0.01);  // WCAG's own example
}

}  // namespace
}  // namespace glenhaze::desktop
