#include "app/window/tile_map.h"

#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/picture/film.h"

#include <QLocale>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

using State = TileStates::State;
constexpr double kLegend = 26;  // px below the tiles
constexpr std::array kStates{State::Done, State::Empty, State::Waiting, State::Stale, State::Failed};

QString nameOf(State state) {
  switch (state) {
    case State::Done: return TileMap::tr("Done");
    case State::Empty: return TileMap::tr("Empty");
    case State::Waiting: return TileMap::tr("Waiting");
    case State::Stale: return TileMap::tr("Of an earlier state");
    case State::Failed: return TileMap::tr("Failed");
  }
  return {};
}

}  // namespace

TileMap::TileMap(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("tiles_map"));
  setAccessibleName(tr("Tiles from above"));
  setMouseTracking(true);
  setMinimumSize(300, 220);
}

void TileMap::show(std::shared_ptr<const TileStates> states) {
  m_states = std::move(states);
  m_fullest = 1;
  if (m_states)
    for (const TileStates::Tile& tile : m_states->tiles) m_fullest = std::max(m_fullest, tile.record.placements);
  if (m_hovered && (!m_states || *m_hovered >= m_states->tiles.size())) m_hovered.reset();
  update();
}

int TileMap::columns() const { return m_states->sent.grid.toColumn - m_states->sent.grid.fromColumn + 1; }
int TileMap::rows() const { return m_states->sent.grid.toRow - m_states->sent.grid.fromRow + 1; }

QRectF TileMap::sheet() const {
  const QRectF room(0, 0, width() - 1, height() - 1 - kLegend);
  const double side = std::min(room.width() / columns(), room.height() / rows());
  return QRectF(room.left() + (room.width() - side * columns()) / 2, room.top() + (room.height() - side * rows()) / 2,
                side * columns(), side * rows());
}

QRectF TileMap::squareOf(std::size_t tile) const {
  const QRectF all = sheet();
  const double side = all.width() / columns();
  const auto of = static_cast<std::size_t>(columns());
  return QRectF(all.left() + side * static_cast<double>(tile % of), all.top() + side * static_cast<double>(tile / of),
                side, side);
}

std::optional<std::size_t> TileMap::tileAt(const QPointF& place) const {
  if (!m_states || !sheet().contains(place)) return {};
  const QRectF all = sheet();
  const double side = all.width() / columns();
  const int column = std::min(columns() - 1, static_cast<int>((place.x() - all.left()) / side));
  const int row = std::min(rows() - 1, static_cast<int>((place.y() - all.top()) / side));
  return static_cast<std::size_t>(row) * static_cast<std::size_t>(columns()) + static_cast<std::size_t>(column);
}

QString TileMap::wordsOf(std::size_t tile) const {
  const TileStates::Tile& t = m_states->tiles[tile];
  const QString name = text(m_states->sent.grid.nameOf(tile));
  if (t.state == State::Failed)
    return tr("%1: failed. %2").arg(name, t.record.problems.empty() ? QString() : text(t.record.problems.front()));
  if (t.state != State::Done) return QStringLiteral("%1: %2").arg(name, nameOf(t.state));
  return tr("%1: %2 placements, %3 s, %4 MB of memory")
      .arg(name, QLocale().toString(static_cast<qulonglong>(t.record.placements)),
           QLocale().toString(t.record.seconds, 'f', 1),
           QLocale().toString(static_cast<double>(t.record.peakBytes) / 1e6, 'f', 0));
}

QBrush TileMap::brushOf(const TileStates::Tile& tile) const {
  const Theme& t = Theme::current();
  switch (tile.state) {
    case State::Done: {
      const float share = std::sqrt(static_cast<float>(tile.record.placements) / static_cast<float>(m_fullest));
      const Vec3 c = scaleColor(0.15F + 0.85F * share) * 255.0F;
      return QColor(static_cast<int>(c.r), static_cast<int>(c.g), static_cast<int>(c.b));
    }
    case State::Empty: return t.rule;
    case State::Waiting: return t.paper;
    case State::Stale: return hatchBrush(t.quiet);
    case State::Failed: return t.trouble;
  }
  return t.paper;
}

void TileMap::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  if (!m_states) {
    p.setPen(t.quiet);
    p.drawText(rect(), Qt::AlignCenter, tr("No tiles were sent to this folder yet."));
    return;
  }
  p.fillRect(sheet(), t.paper);
  const bool hasRules = squareOf(0).width() >= 5;
  for (std::size_t i = 0; i < m_states->tiles.size(); ++i) {
    const QRectF square = squareOf(i);
    p.fillRect(square, brushOf(m_states->tiles[i]));
    if (!hasRules) continue;
    p.setPen(QPen(t.rule, 1));
    p.drawRect(square);
  }
  p.setPen(QPen(t.rule, 1));
  p.drawRect(sheet());
  paintLegend(p);
  if (!m_hovered) return;
  p.setPen(QPen(t.accent, 2));
  p.drawRect(squareOf(*m_hovered));
  const QString words = fontMetrics().elidedText(wordsOf(*m_hovered), Qt::ElideRight, width() - 24);
  QRectF pill(m_pointer.x() + 14, m_pointer.y() + 10, fontMetrics().horizontalAdvance(words) + 16, 22);
  if (pill.right() > width() - 4) pill.moveRight(width() - 4);
  if (pill.bottom() > height() - 4) pill.moveBottom(m_pointer.y() - 8);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(t.rule, 1));
  p.setBrush(t.card);
  p.drawRoundedRect(pill, 4, 4);
  p.setPen(t.ink);
  p.drawText(pill, Qt::AlignCenter, words);
}

/// What the colors mean, and how many tiles there are of each.
void TileMap::paintLegend(QPainter& p) const {
  const Theme& t = Theme::current();
  double x = 0;
  const double y = height() - kLegend + 8;
  for (const State state : kStates) {
    const std::size_t count = m_states->countOf(state);
    if (count == 0) continue;
    TileStates::Tile of;
    of.state = state;
    of.record.placements = m_fullest / 2;
    const QRectF swatch(x, y + 2, 12, 12);
    p.fillRect(swatch, brushOf(of));
    p.setPen(QPen(t.rule, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(swatch);
    const QString words = QStringLiteral("%1 %2").arg(nameOf(state),
                                                      QLocale().toString(static_cast<qulonglong>(count)));
    const double wide = fontMetrics().horizontalAdvance(words);
    p.setPen(t.ink);
    p.drawText(QRectF(x + 18, y, wide + 2, 16), Qt::AlignLeft | Qt::AlignVCenter, words);
    x += wide + 36;
  }
}

void TileMap::mouseMoveEvent(QMouseEvent* event) {
  m_pointer = event->position();
  m_hovered = tileAt(m_pointer);
  update();
}

void TileMap::leaveEvent(QEvent*) {
  m_hovered.reset();
  update();
}

}  // namespace arvesk
