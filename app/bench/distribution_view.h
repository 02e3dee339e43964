// The distribution of what a node measures: kept in ink, left out hatched, the last one as a ghost line, and the band's
// or range's handles on the chart itself, so that one cuts where the data is.
#pragma once

#include "core/plan/context.h"

#include <QPixmap>
#include <QWidget>

namespace arvesk {

/// A stretch of the chart that gives something, shown by its picture: its ends and all of it can be dragged.
struct ChartPiece {
  double from = 0;
  double to = 1;
  QPixmap picture;
  QString name;
};

class DistributionView : public QWidget {
  Q_OBJECT

 public:
  explicit DistributionView(QWidget* parent = nullptr);
  /// What stands there while there is nothing to draw.
  void showWords(const QString& words);
  void showHistogram(std::shared_ptr<const Histogram> histogram, bool isMask);
  /// 4 numbers of a band, 2 of a range, or none; `hardMin`, `hardMax` bound the handles.
  void showHandles(std::vector<double> values, double hardMin, double hardMax);
  /// The points of a curve (x and y of each) drawn over the chart, or none. Double-click adds one, Delete takes the
  /// last touched away.
  void showCurve(std::vector<double> points);
  QPointF curvePosition(int point) const;
  /// Pieces above the chart, those that overlap in rows of their own. Ends that touch go together.
  void showPieces(std::vector<ChartPiece> pieces);
  /// Where the picture of a piece is, and its ends (0 and 1).
  QPointF piecePosition(int piece) const;
  QPointF pieceEnd(int piece, int end) const;
  /// Where a handle is drawn, for tests and for hitting it.
  QPointF handlePosition(int handle) const;
  bool hasChart() const { return m_histogram || !m_curve.empty(); }
  const Histogram* histogram() const { return m_histogram.get(); }

 Q_SIGNALS:
  void handlesMoved(const std::vector<double>& values, int gesture);
  void curveChanged(const std::vector<double>& points, int gesture);
  /// From and to of all pieces, one after the other.
  void piecesMoved(const std::vector<double>& ends, int gesture);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  QSize sizeHint() const override { return {420, 200}; }

 private:
  QRectF chart() const;
  double from() const;
  double to() const;
  double xOf(double value) const;
  double valueAt(double x) const;
  void paintBins(QPainter& p, const Histogram& h) const;
  void paintTicks(QPainter& p, const Histogram& h) const;
  void paintNumbers(QPainter& p, const Histogram& h) const;
  void paintCurve(QPainter& p) const;
  void paintPieces(QPainter& p) const;
  int curvePointAt(const QPointF& at) const;
  double roomOfPieces() const;
  std::vector<int> rowsOfPieces() const;
  bool pressPiece(const QPointF& at);
  void dragPiece(const QPointF& at);

  std::shared_ptr<const Histogram> m_histogram;
  std::shared_ptr<const Histogram> m_ghost;
  QString m_words;
  bool m_isMask = false;
  bool m_isLog = false;
  std::vector<double> m_values;
  double m_hardMin = 0;
  double m_hardMax = 1;
  std::vector<double> m_curve;
  int m_curvePoint = -1;  // last touched
  bool m_isCurveDragged = false;
  std::vector<ChartPiece> m_pieces;
  std::vector<int> m_pieceRows;                  // held while one is dragged
  std::vector<std::pair<int, int>> m_pieceEnds;  // that are dragged: piece and end
  std::vector<ChartPiece> m_piecesBefore;
  double m_pieceGrabbed = 0;
  int m_dragged = -1;
  int m_gesture = 0;
};

}  // namespace arvesk
