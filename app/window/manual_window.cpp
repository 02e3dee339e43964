#include "app/window/manual_window.h"

#include "app/window/theme.h"
#include "core/deliver/manual.h"

#include <QTextBrowser>
#include <QTextDocument>
#include <QUrl>
#include <QVBoxLayout>

namespace arvesk {
namespace {

constexpr int kWidth = 480;
constexpr int kHeight = 274;

}  // namespace

ManualWindow::ManualWindow(QWidget* parent) : QDialog(parent), m_text(new QTextBrowser(this)) {
  setObjectName(QStringLiteral("manual_window"));
  setWindowTitle(tr("Manual"));
  resize(560, 640);
  m_text->setObjectName(QStringLiteral("manual_text"));
  m_text->setOpenLinks(false);
  m_text->setFrameShape(QFrame::NoFrame);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 8, 4, 8);
  column->addWidget(m_text);
  connect(m_text, &QTextBrowser::anchorClicked, this, [this](const QUrl& url) { showPage(url.toString().remove(QStringLiteral(".md"))); });
}

void ManualWindow::showPage(const QString& kindId) {
  const NodeKind* kind = findNodeKind(kindId.toStdString());
  m_kind = kind ? kindId : QString();
  fill();
  if (!kind || m_pictures.contains(m_kind)) return;
  m_job.ask([this, kind, kindId](const Task& task) -> std::function<void()> {
    const Array<std::uint32_t> pixels = manualPicture(*kind, kWidth, kHeight, task);
    if (pixels.empty()) return {};
    const QImage image = QImage(reinterpret_cast<const uchar*>(pixels.data()), kWidth, kHeight, QImage::Format_RGB32).copy();
    return [this, kindId, image] {
      m_pictures[kindId] = image;
      if (m_kind == kindId) fill();
    };
  });
}

void ManualWindow::fill() {
  const NodeKind* kind = findNodeKind(m_kind.toStdString());
  QString words = QString::fromStdString(kind ? manualPage(*kind, m_pictures.contains(m_kind)) : manualIndex());
  if (kind) words += QStringLiteral("\n[%1](index)\n").arg(tr("All nodes"));
  if (const auto picture = m_pictures.find(m_kind); picture != m_pictures.end()) m_text->document()->addResource(QTextDocument::ImageResource, QUrl(m_kind + QStringLiteral(".png")), picture->second);
  m_text->document()->setDefaultStyleSheet(QStringLiteral("a { color: %1 }").arg(Theme::current().accent.name()));
  m_text->setMarkdown(words);
  setWindowTitle(kind ? tr("Manual · %1").arg(tr(kind->label.c_str())) : tr("Manual"));
}

}  // namespace arvesk
