// Site: the ray-traced view of the ground and everything placed on it.
#pragma once

#include "app/model/render_service.h"

#include <QTimer>
#include <QWidget>

class QButtonGroup;
class QFrame;
class QLabel;

namespace arvesk {

enum class SiteMode { Dressed, Points, Mask };

class SiteView : public QWidget {
  Q_OBJECT

 public:
  explicit SiteView(QWidget* parent = nullptr);
  void showResults(const EvalViewPtr& view);
  /// The banner; empty when everything is shown.
  void setInSite(const QString& title);
  /// Which mask the Mask view shows, for its legend; empty when none is chosen.
  void setMaskTitle(const QString& title);
  SiteMode mode() const { return m_mode; }
  void setMode(SiteMode mode);
  const Camera& camera() const { return m_camera; }
  void setCamera(const Camera& camera);
  void fitAll();
  int samplesShown() const { return m_renderer.latest().samples; }
  bool hasPicture() const { return !m_renderer.latest().image.isNull(); }

 Q_SIGNALS:
  void showAllWanted();
  void modeChanged(SiteMode mode);
  /// What lies under a click; empty when nothing placed does.
  void picked(const QString& words, int layer, int point);
  void frameShown();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  enum class Drag { None, Orbit, Pan, Zoom };
  void requestFrame();
  Vec3 rayAt(const QPointF& p) const;
  void pick(const QPointF& p);
  void paintOverlays(QPainter& p);

  RenderService m_renderer;
  EvalViewPtr m_view;
  Camera m_camera;
  SiteMode m_mode = SiteMode::Dressed;
  QString m_maskTitle;
  QFrame* m_modes;
  QButtonGroup* m_modeButtons;
  QFrame* m_banner;
  QLabel* m_bannerText;
  bool m_isFirstView = true;
  Drag m_drag = Drag::None;
  QPointF m_last;
  bool m_hasMoved = false;
  Vec3 m_pivot{0};
  QString m_pickedWords;
  std::optional<Vec3> m_pickedPlace;
};

}  // namespace arvesk
