// Cover: the ground from above, colored by how many stand on each square meter. Pans and zooms as a sheet of paper.
#pragma once

#include "core/deliver/cover.h"

#include <QWidget>

namespace arvesk {

class CoverView : public QWidget {
  Q_OBJECT

 public:
  explicit CoverView(QWidget* parent = nullptr);
  void show(std::shared_ptr<const CoverMap> map);
  const CoverMap* map() const { return m_map.get(); }
  void fit();
  /// Where a place of the plan (x, z in m) lies on the widget.
  QPointF toView(Vec2 place) const;
  /// What stands under the pointer in words; empty outside of the map.
  QString hovered() const;

 Q_SIGNALS:
  void hoverChanged(const QString& words);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void leaveEvent(QEvent* event) override;

 private:
  Vec2 toPlace(const QPointF& at) const;
  void makeImages();

  std::shared_ptr<const CoverMap> m_map;
  QImage m_relief;
  QImage m_colors;
  float m_top = 1;     // per m²: where the scale ends
  double m_scale = 1;  // pixels per m
  QPointF m_origin;    // of the plan's 0, 0
  bool m_isFitted = false;
  QPointF m_last;
  std::optional<QPointF> m_pointer;
};

}  // namespace arvesk
