// Small pictures of plans and tools.
#pragma once

#include <QFileInfo>
#include <QImage>

namespace arvesk {

/// Fills the size, cutting what is too much.
inline QImage filling(const QImage& picture, const QSize& size) {
  const QImage large = picture.scaled(size, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation);
  return large.copy(QRect(QPoint((large.width() - size.width()) / 2, (large.height() - size.height()) / 2), size));
}

/// Where the picture of a tool's file is, if it has one of its own: beside it.
inline QString pictureBeside(const QString& file) {
  const QFileInfo info(file);
  return QStringLiteral("%1/%2.png").arg(info.path(), info.completeBaseName());
}

}  // namespace arvesk
