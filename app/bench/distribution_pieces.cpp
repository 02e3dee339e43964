// Pieces of a distribution: stretches that give something each, dragged by their ends and by their pictures.
#include "app/bench/distribution_view.h"
#include "app/window/theme.h"

#include <QLineF>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

constexpr double kRow = 30;  // px
constexpr int kPicture = 24;
constexpr int kMostRows = 3;  // more share the last one
constexpr double kGrain = 0.01;

}  // namespace

void DistributionView::showPieces(std::vector<ChartPiece> pieces) {
  if (!m_pieceEnds.empty() && pieces.size() == m_pieces.size()) return;  // what is dragged is newer
  m_pieceEnds.clear();
  m_pieces = std::move(pieces);
  m_pieceRows = rowsOfPieces();
  update();
}

/// Each in the first row where it overlaps none before it.
std::vector<int> DistributionView::rowsOfPieces() const {
  std::vector<int> rows;
  for (std::size_t i = 0; i < m_pieces.size(); ++i) {
    int row = 0;
    for (bool isTaken = true; isTaken && row + 1 < kMostRows;) {
      isTaken = false;
      for (std::size_t k = 0; k < i; ++k)
        isTaken = isTaken || (rows[k] == row && m_pieces[k].from < m_pieces[i].to - 1e-9 &&
                              m_pieces[i].from < m_pieces[k].to - 1e-9);
      if (isTaken) ++row;
    }
    rows.push_back(row);
  }
  return rows;
}

double DistributionView::roomOfPieces() const {
  return m_pieceRows.empty() ? 0 : kRow * (1 + *std::max_element(m_pieceRows.begin(), m_pieceRows.end()));
}

QPointF DistributionView::pieceEnd(int piece, int end) const {
  const auto i = static_cast<std::size_t>(piece);
  if (i >= m_pieces.size()) return {};
  return {xOf(end == 0 ? m_pieces[i].from : m_pieces[i].to), chart().top() + kRow * (m_pieceRows[i] + 0.5)};
}

QPointF DistributionView::piecePosition(int piece) const { return 0.5 * (pieceEnd(piece, 0) + pieceEnd(piece, 1)); }

void DistributionView::paintPieces(QPainter& p) const {
  const Theme& t = Theme::current();
  QFont small = font();
  small.setPixelSize(11);
  p.setFont(small);
  for (int i = 0; i < static_cast<int>(m_pieces.size()); ++i) {
    const ChartPiece& piece = m_pieces[static_cast<std::size_t>(i)];
    const QPointF from = pieceEnd(i, 0);
    const QPointF to = pieceEnd(i, 1);
    const QRectF bar(from - QPointF(0, 12), to + QPointF(0, 12));
    p.setPen(QPen(t.rule, 1));
    p.setBrush(t.card);
    p.drawRoundedRect(bar, 3, 3);
    const bool hasPicture = !piece.picture.isNull();
    const double room = bar.width() - 16;
    if (hasPicture && room >= kPicture) {
      const bool hasName = room >= kPicture + 30;
      const double wide = hasName ? std::min(room, kPicture + 4.0 + p.fontMetrics().horizontalAdvance(piece.name))
                                  : kPicture;
      const QRectF picture(piecePosition(i).x() - wide / 2, from.y() - kPicture / 2.0, kPicture, kPicture);
      p.drawPixmap(picture.toRect(), piece.picture);
      if (hasName) {
        p.setPen(t.ink);
        p.drawText(QRectF(picture.right() + 4, bar.top(), wide - kPicture - 4, bar.height()),
                   Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(piece.name, Qt::ElideRight, static_cast<int>(wide) - kPicture - 3));
      }
    } else if (room > 8) {
      p.setPen(t.ink);
      p.drawText(bar.adjusted(8, 0, -8, 0), Qt::AlignCenter,
                 p.fontMetrics().elidedText(piece.name, Qt::ElideRight, static_cast<int>(room)));
    }
    for (const int end : {0, 1}) {
      const bool isDragged = std::find(m_pieceEnds.begin(), m_pieceEnds.end(), std::pair(i, end)) != m_pieceEnds.end();
      p.setPen(QPen(t.quiet, 1, Qt::DotLine));
      p.drawLine(QPointF(pieceEnd(i, end).x(), bar.bottom()), QPointF(pieceEnd(i, end).x(), chart().bottom()));
      p.setPen(QPen(t.accent, 2));
      p.setBrush(isDragged ? t.accent : t.card);
      p.drawEllipse(pieceEnd(i, end), 4.5, 4.5);
    }
  }
}

bool DistributionView::pressPiece(const QPointF& at) {
  static int gesture = 5'000'000;
  std::pair<int, int> nearest(-1, 0);
  double best = 9;
  for (int i = 0; i < static_cast<int>(m_pieces.size()); ++i)
    for (const int end : {0, 1}) {
      // Of two ends at one place the one whose bar the pointer is over.
      const double inside = end == 0 ? at.x() - pieceEnd(i, 0).x() : pieceEnd(i, 1).x() - at.x();
      const double d = QLineF(at, pieceEnd(i, end)).length() - (inside > 0 ? 0.5 : 0);
      if (d >= best) continue;
      best = d;
      nearest = {i, end};
    }
  if (nearest.first >= 0) {
    m_pieceEnds = {nearest};
    // The neighbor that begins where this one ends goes along.
    const auto valueOf = [&](int piece, int end) {
      const ChartPiece& p = m_pieces[static_cast<std::size_t>(piece)];
      return end == 0 ? p.from : p.to;
    };
    for (int i = 0; i < static_cast<int>(m_pieces.size()); ++i)
      if (i != nearest.first &&
          std::abs(valueOf(i, 1 - nearest.second) - valueOf(nearest.first, nearest.second)) < 1e-9)
        m_pieceEnds.emplace_back(i, 1 - nearest.second);
  } else {
    for (int i = 0; i < static_cast<int>(m_pieces.size()); ++i)
      if (QRectF(pieceEnd(i, 0) - QPointF(0, 12), pieceEnd(i, 1) + QPointF(0, 12)).contains(at))
        m_pieceEnds = {{i, 0}, {i, 1}};
  }
  if (m_pieceEnds.empty()) return false;
  m_piecesBefore = m_pieces;
  m_pieceGrabbed = valueAt(at.x());
  m_gesture = ++gesture;
  update();
  return true;
}

void DistributionView::dragPiece(const QPointF& at) {
  double by = std::round((valueAt(at.x()) - m_pieceGrabbed) / kGrain) * kGrain;
  // No end leaves the chart, and none passes the other end of its piece.
  for (const auto& [piece, end] : m_pieceEnds) {
    const ChartPiece& p = m_piecesBefore[static_cast<std::size_t>(piece)];
    const bool isWhole = m_pieceEnds.size() == 2 && m_pieceEnds[0].first == m_pieceEnds[1].first;
    const double now = end == 0 ? p.from : p.to;
    const double low = isWhole || end == 0 ? 0 : p.from;
    const double high = isWhole || end == 1 ? 1 : p.to;
    by = std::clamp(by, std::min(0.0, low - now), std::max(0.0, high - now));
  }
  m_pieces = m_piecesBefore;
  for (const auto& [piece, end] : m_pieceEnds) {
    ChartPiece& p = m_pieces[static_cast<std::size_t>(piece)];
    double& value = end == 0 ? p.from : p.to;
    value = std::round((value + by) * 1e4) / 1e4;
  }
  std::vector<double> ends;
  for (const ChartPiece& p : m_pieces) ends.insert(ends.end(), {p.from, p.to});
  Q_EMIT piecesMoved(ends, m_gesture);
  update();
}

}  // namespace arvesk
