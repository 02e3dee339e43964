// Tiles from above: each a square in the color of how far it is, those that are done by how many stand in them.
#pragma once

#include "core/deliver/tile_states.h"

#include <QWidget>

namespace arvesk {

class TileMap : public QWidget {
  Q_OBJECT

 public:
  explicit TileMap(QWidget* parent = nullptr);
  void show(std::shared_ptr<const TileStates> states);
  /// The tile there, by its number; nothing beside them.
  std::optional<std::size_t> tileAt(const QPointF& place) const;
  QRectF squareOf(std::size_t tile) const;
  /// The tile in words: its name, what it holds or why it failed.
  QString wordsOf(std::size_t tile) const;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;

 private:
  QBrush brushOf(const TileStates::Tile& tile) const;
  void paintLegend(QPainter& painter) const;
  int columns() const;
  int rows() const;
  QRectF sheet() const;

  std::shared_ptr<const TileStates> m_states;
  std::size_t m_fullest = 1;  // placements of a tile
  std::optional<std::size_t> m_hovered;
  QPointF m_pointer;
};

}  // namespace arvesk
