#include "desktop/guide_window.h"

#include <QAbstractTextDocumentLayout>
#include <QCoreApplication>
#include <QFileInfo>
#include <QImage>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTextBlock>
#include <QTextBrowser>
#include <QTextTable>
#include <QVBoxLayout>

namespace glenhaze::desktop {

namespace {

constexpr int kPictureWidth = 720;  // px: the window is a little wider

// Pictures of the whole window are made to fit.
class GuidePage : public QTextBrowser {
 public:
  QVariant loadResource(int type, const QUrl& name) override {
    if (type != QTextDocument::ImageResource) return QTextBrowser::loadResource(type, name);
    const QUrl full = source().resolved(name);
    const QImage image(full.toLocalFile());
    if (image.width() <= kPictureWidth) return image;
    const double dense = devicePixelRatioF();
    QImage fitted =
        image.scaledToWidth(std::min(image.width(), qRound(kPictureWidth * dense)), Qt::SmoothTransformation);
    fitted.setDevicePixelRatio(static_cast<double>(fitted.width()) / kPictureWidth);
    return fitted;
  }
};

// Markdown comes without air between its parts, with lines of code that do not wrap, and with tables as
// wide as their text.
void setOut(QTextDocument& page) {
  for (QTextBlock block = page.begin(); block.isValid(); block = block.next()) {
    QTextBlockFormat format = block.blockFormat();
    const int level = format.headingLevel();
    const bool within = block.textList() != nullptr || QTextCursor(block).currentTable() != nullptr;
    format.setNonBreakableLines(false);
    format.setTopMargin(level > 0 ? 20 : within ? 2 : 8);
    format.setBottomMargin(level > 0 ? 6 : 2);
    QTextCursor(block).setBlockFormat(format);
  }
  for (QTextFrame* frame : page.rootFrame()->childFrames())
    if (auto* table = qobject_cast<QTextTable*>(frame)) {
      QTextTableFormat format = table->format();
      format.setWidth(QTextLength(QTextLength::PercentageLength, 100));
      format.setCellPadding(4);
      table->setFormat(format);
    }
}

}  // namespace

QString shipped(const QString& name) {
  const QString here = QCoreApplication::applicationDirPath();
  for (const QString& above : {QStringLiteral("/../share/glenhaze/"), QStringLiteral("/../../")})
    if (const QFileInfo there(here + above + name); there.exists()) return there.canonicalFilePath();
  return {};
}

GuideWindow::GuideWindow(QWidget* parent) : QDialog(parent) {
  setWindowTitle(tr("Guide"));
  resize(kPictureWidth + 90, 700);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  auto* page = new GuidePage;
  page_ = page;
  page->setAccessibleName(tr("Guide"));
  page->setFrameShape(QFrame::NoFrame);
  page->document()->setDocumentMargin(24);
  page->setOpenLinks(true);
  page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  connect(page, &QTextBrowser::sourceChanged, page, [page] { setOut(*page->document()); });
  const QString guide = shipped(QStringLiteral("docs/guide.md"));
  if (guide.isEmpty())
    page->setPlainText(tr("The guide is not installed beside the application."));
  else
    page->setSource(QUrl::fromLocalFile(guide), QTextDocument::MarkdownResource);
  column->addWidget(page);
}

bool GuideWindow::goTo(const QString& topic) {
  const QTextDocument& guide = *page_->document();
  for (QTextBlock block = guide.begin(); block.isValid(); block = block.next()) {
    if (block.blockFormat().headingLevel() == 0) continue;
    QString name = block.text();
    name.remove(QRegularExpression(QStringLiteral("^\\d+\\.\\s*")));
    if (name != topic) continue;
    page_->setTextCursor(QTextCursor(block));
    const double top = guide.documentLayout()->blockBoundingRect(block).top();
    page_->verticalScrollBar()->setValue(static_cast<int>(top));
    return true;
  }
  return false;
}

}  // namespace glenhaze::desktop
