#pragma once
// The narrow spine at the left edge: four places, each with what waits there.

#include <QWidget>
#include <array>

namespace glenhaze::desktop {

class Spine : public QWidget {
  Q_OBJECT
 public:
  explicit Spine(QWidget* parent = nullptr);
  void setCurrent(int place);
  void setNote(int place, const QString& note, bool wrong = false);
  QSize sizeHint() const override { return {96, 400}; }

 Q_SIGNALS:
  void chosen(int place);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  static constexpr int kHeight = 57, kTop = 10;
  int placeAt(int y) const;
  struct Note {
    QString text;
    bool wrong = false;
  };
  std::array<Note, 4> notes_;
  int current_ = 0;
};

}  // namespace glenhaze::desktop
