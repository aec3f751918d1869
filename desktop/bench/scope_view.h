#pragma once
// How bright the picture is: along its width above, how often each value is below; what is clipped in words.

#include <QImage>
#include <QWidget>

#include "core/frame/scopes.h"

namespace glenhaze::desktop {

class ScopeView : public QWidget {
  Q_OBJECT
 public:
  explicit ScopeView(QWidget* parent = nullptr);
  /// A picture in Format_RGB32; a null one shows nothing.
  void setPicture(const QImage& picture);
  const Scopes& scopes() const { return scopes_; }
  /// What is clipped, in a sentence.
  QString clippedText() const;

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  void drawHistogram(QPainter& p, const QRectF& area) const;
  Scopes scopes_;
  QImage wave_;
  bool any_ = false;
};

}  // namespace glenhaze::desktop
