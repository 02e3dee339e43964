#include "app/window/manual_window.h"

#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/deliver/manual.h"

#include <QTextBlock>
#include <QTextBrowser>
#include <QTextCursor>
#include <QTextDocument>
#include <QTextFrame>
#include <QTextList>
#include <QTextTable>
#include <QUrl>
#include <QVBoxLayout>

namespace arvesk {
namespace {

constexpr int kWidth = 480;
constexpr int kHeight = 274;

/// A browser whose pictures come from memory.
class PageBrowser : public QTextBrowser {
 public:
  PageBrowser(const std::map<QString, QImage>& pictures, QWidget* parent)
      : QTextBrowser(parent), m_pictures(pictures) {}
  QVariant loadResource(int type, const QUrl& name) override {
    const auto it = m_pictures.find(name.toString().remove(QStringLiteral(".png")));
    if (type == QTextDocument::ImageResource && it != m_pictures.end()) return it->second;
    return QTextBrowser::loadResource(type, name);
  }

 private:
  const std::map<QString, QImage>& m_pictures;
};

/// Markdown arrives without any manners: sizes, room between paragraphs, and tables with hairlines.
void setPage(QTextDocument& page) {
  const Theme& t = Theme::current();
  QTextCursor cursor(&page);
  for (QTextBlock block = page.begin(); block.isValid(); block = block.next()) {
    cursor.setPosition(block.position());
    QTextBlockFormat format = block.blockFormat();
    const int level = format.headingLevel();
    const bool isInTable = cursor.currentTable() != nullptr;
    format.setTopMargin(level == 1 ? 2 : level > 0 ? 14 : 0);
    format.setBottomMargin(isInTable ? 0 : level > 0 ? 5 : block.textList() ? 3 : 8);
    const bool isPicture = block.text().contains(QChar::ObjectReplacementCharacter);
    if (!isPicture) format.setLineHeight(125, QTextBlockFormat::ProportionalHeight);
    cursor.setBlockFormat(format);
    if (level > 0) {
      cursor.select(QTextCursor::BlockUnderCursor);
      QTextCharFormat letters;
      letters.setProperty(QTextFormat::FontSizeAdjustment, 0);
      letters.setFontPointSize(level == 1 ? 15 : 10.5);
      letters.setFontWeight(QFont::DemiBold);
      letters.setForeground(t.ink);
      cursor.mergeCharFormat(letters);
    }
  }
  for (QTextFrame* frame : page.rootFrame()->childFrames())
    if (auto* table = qobject_cast<QTextTable*>(frame)) {
      QTextTableFormat format = table->format();
      format.setBorder(1);
      format.setBorderStyle(QTextFrameFormat::BorderStyle_Solid);
      format.setBorderBrush(t.rule);
      format.setBorderCollapse(true);
      format.setCellPadding(5);
      format.setCellSpacing(0);
      format.setWidth(QTextLength(QTextLength::PercentageLength, 100));
      table->setFormat(format);
    }
}

}  // namespace

ManualWindow::ManualWindow(QWidget* parent) : QDialog(parent), m_text(new PageBrowser(m_pictures, this)) {
  setObjectName(QStringLiteral("manual_window"));
  setWindowTitle(tr("Manual"));
  resize(560, 640);
  m_text->setObjectName(QStringLiteral("manual_text"));
  m_text->setOpenLinks(false);
  m_text->setFrameShape(QFrame::NoFrame);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 8, 4, 8);
  column->addWidget(m_text);
  connect(m_text, &QTextBrowser::anchorClicked, this,
          [this](const QUrl& url) { showPage(url.toString().remove(QStringLiteral(".md"))); });
}

void ManualWindow::showPage(const QString& kindId) {
  const NodeKind* kind = findNodeKind(kindId.toStdString());
  m_made = nullptr;
  m_kind = kind ? kindId : QString();
  fill();
  if (!kind || m_pictures.contains(m_kind)) return;
  m_job.ask([this, kind, kindId](const Task& task) -> std::function<void()> {
    const Array<std::uint32_t> pixels = manualPicture(*kind, kWidth, kHeight, task);
    if (pixels.empty()) return {};
    const QImage image =
        QImage(reinterpret_cast<const uchar*>(pixels.data()), kWidth, kHeight, QImage::Format_RGB32).copy();
    return [this, kindId, image] {
      m_pictures[kindId] = image;
      if (m_kind == kindId) fill();
    };
  });
}

void ManualWindow::showKind(std::shared_ptr<const NodeKind> kind) {
  m_kind.clear();
  m_made = std::move(kind);
  fill();
}

void ManualWindow::fill() {
  const NodeKind* kind = m_made ? m_made.get() : findNodeKind(m_kind.toStdString());
  const Wording wording = [](const std::string& english) { return said(english).toStdString(); };
  QString words = text(kind ? manualPage(*kind, m_pictures.contains(m_kind), wording) : manualIndex(wording));
  if (kind) words += QStringLiteral("\n[%1](index)\n").arg(tr("All nodes"));
  QPalette colors = m_text->palette();
  colors.setColor(QPalette::Link, Theme::current().accent);
  m_text->setPalette(colors);
  m_text->setMarkdown(words);
  setPage(*m_text->document());
  m_text->moveCursor(QTextCursor::Start);
  setWindowTitle(kind ? tr("Manual · %1").arg(said(kind->label)) : tr("Manual"));
}

}  // namespace arvesk
