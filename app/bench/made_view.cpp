#include "app/bench/made_view.h"

#include "app/window/theme.h"

#include <QPainter>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kLine = 19;

}  // namespace

MadeView::MadeView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("made"));
  setAccessibleName(tr("What the node makes"));
  setMinimumSize(200, 120);
}

void MadeView::show(const PlanPicture& made) {
  m_made = made;
  QStringList lines;
  for (const Fact& f : m_made.facts) lines << QStringLiteral("%1: %2").arg(f.what, f.value);
  setAccessibleDescription(lines.join(QStringLiteral("; ")));
  update();
}

void MadeView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  // Facts above; the pictures take what is left.
  const QRect room = rect().adjusted(16, 4, -12, -6);
  int names = 0;
  for (const Fact& f : m_made.facts) names = std::max(names, fontMetrics().horizontalAdvance(f.what) + 14);
  names = std::min(names, room.width() / 2);
  int y = room.top();
  for (const Fact& f : m_made.facts) {
    if (y + kLine > room.bottom()) break;
    p.setPen(t.quiet);
    p.drawText(QRect(room.left(), y, names - 8, kLine), Qt::AlignLeft | Qt::AlignVCenter,
               fontMetrics().elidedText(f.what, Qt::ElideRight, names - 8));
    p.setPen(t.ink);
    const int wide = room.width() - names;
    p.drawText(QRect(room.left() + names, y, wide, kLine), Qt::AlignLeft | Qt::AlignVCenter,
               fontMetrics().elidedText(f.value, Qt::ElideRight, wide));
    y += kLine;
  }
  y += 6;
  const int high = room.bottom() - y - kLine;
  if (m_made.picture.isNull() || high < 50) return;
  const bool hasBefore = !m_made.before.isNull();
  const int most = hasBefore ? (room.width() - 12) / 2 : room.width();
  const QSize size = m_made.picture.size().scaled(most, high, Qt::KeepAspectRatio);
  int x = room.left();
  const auto draw = [&](const QImage& image, const QString& words) {
    const QRect at(QPoint(x, y), size);
    p.drawImage(at, image);
    p.setPen(t.quiet);
    p.drawText(QRect(x, at.bottom() + 1, size.width(), kLine), Qt::AlignLeft | Qt::AlignVCenter, words);
    x += size.width() + 12;
  };
  if (hasBefore) draw(m_made.before, tr("before"));
  draw(m_made.picture, hasBefore ? tr("after") : tr("from above"));
}

}  // namespace arvesk
