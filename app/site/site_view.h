// Site: the ray-traced view of the ground and everything placed on it.
#pragma once

#include "app/model/plan_pictures.h"
#include "app/model/render_service.h"
#include "app/model/worker.h"
#include "app/site/cover_view.h"
#include "app/site/cut_handles.h"
#include "app/site/site_selection.h"
#include "app/site/site_tool.h"
#include "app/site/site_walk.h"
#include "app/site/touch_panel.h"
#include "app/site/why_panel.h"

#include <QElapsedTimer>
#include <QPixmap>
#include <QTimer>
#include <QWidget>

class QButtonGroup;
class QComboBox;
class QFrame;
class QLabel;
class QSlider;
class QToolButton;

namespace arvesk {

enum class SiteMode { Dressed, Massing, Points, Cover, Mask };

class SiteView : public QWidget {
  Q_OBJECT

 public:
  explicit SiteView(QWidget* parent = nullptr);
  void showResults(const EvalViewPtr& view);
  /// What is being worked on, while nothing or not all of it can be seen; empty when that is over.
  void showWork(const QString& line);
  const QString& workLine() const { return m_workLine; }
  /// What it says in place of a picture: what failed, or that there is nothing yet.
  QString emptyLine() const;
  /// Another plan comes: nothing of the one before is left, and its first picture is taken by its own camera.
  void beginPlan();
  /// The banner; empty when everything is shown.
  void setInSite(const QString& title);
  /// Which mask the Mask view shows, for its legend; empty when none is chosen.
  void setMaskTitle(const QString& title);
  SiteMode mode() const { return m_mode; }
  void setMode(SiteMode mode);
  const Camera& camera() const { return m_camera; }
  void setCamera(const Camera& camera);
  void fitAll();
  /// Samples of the picture that is shown; 0 while it is still one of another camera, view or mode.
  int samplesShown() const { return m_renderer.samples(); }
  /// What is shown now, as it is drawn.
  RenderRequest shownNow() const { return requestFor(m_view); }
  QImage picture() const { return m_renderer.latest().image; }
  bool hasPicture() const { return !m_renderer.latest().image.isNull(); }
  CoverView& cover() { return *m_cover; }
  WhyPanel& whyPanel() { return *m_why; }

  /// What the left button does while a node is selected; null for picking.
  void setTool(std::unique_ptr<SiteTool> tool);
  SiteTool* tool() { return m_tool.get(); }
  /// What is done to placements that are selected; once, at the beginning.
  void setTouching(PlanModel* model);
  TouchSession* touching() { return m_touching.get(); }
  TouchHandles* touchHandles() { return m_handles.get(); }
  /// Marks of touched placements, at their places; hidden when told so.
  void showTicks(std::vector<Vec3> touched, std::vector<Vec3> removed);
  void setTicksShown(bool are);
  bool areTicksShown() const { return m_areTicksShown; }
  /// Which number colors the Points view; empty for ink or the selected mask.
  QString colorNumber() const { return m_colorNumber; }
  /// Rings around these places.
  void showSelection(std::vector<Vec3> places);
  /// Selects placements; tells whoever shows them as rows.
  void select(SiteSelection selection);
  const SiteSelection& selected() const { return m_selected; }
  void selectSame(SameAs what);
  /// What the Schedule counts in one row: see scheduleKeyOf.
  void selectProp(const QString& node, const QString& scheduled);
  /// What lies at a place of the widget.
  SitePointer pointerAt(const QPointF& p, Qt::KeyboardModifiers modifiers) const;
  /// Brings a place into sight from where the camera looks now.
  void lookAt(const Vec3& place);
  void hideSelected(bool isOnly);
  void showHidden();
  const SiteHidden& hidden() const { return m_hidden; }
  /// A left drag draws an outline in place of a box.
  void setLasso(bool isLasso) { m_isLasso = isLasso; }
  bool isLasso() const { return m_isLasso; }
  /// How far placements are moved apart, 0 to 2.
  float exploded() const;
  /// Whether what was inside of broken things has a color of its own.
  bool areCutsShown() const { return m_areCutsShown; }
  void setCutsShown(bool isOn);
  /// Is anything shown that was broken off something?
  bool hasPieces() const;

  /// The next click asks why things are as they are there.
  void startAsking();
  void stopAsking();
  void fitPlace();  // to the place that was clicked, or everything
  bool isAsking() const { return m_isAsking; }
  /// Keeps what is shown now, to be compared with what comes; again lets it go.
  void toggleCompare();
  /// A plane that hides what lies on one side of it, with handles; again puts it away. Of the view only.
  void toggleCut();
  CutHandles& cutPlane() { return m_cut; }
  /// Over the ground at eye height, from the clicked place or the middle of the view; again ends it.
  void toggleWalk();
  const SiteWalk& walk() const { return m_walk; }
  bool isComparing() const { return m_held != nullptr; }
  double divider() const { return m_divider; }
  /// Where a place in the world is on the widget; nothing behind the camera.
  std::optional<QPointF> project(const Vec3& world) const { return lens().project(world); }
  SiteLens lens() const;
  /// Rims and footprints of the selected node, over what stands there.
  void showAreas(const PlanPicture& of);
  /// How many of them are drawn now.
  std::size_t areasInSight() const { return m_areasInSight; }

 Q_SIGNALS:
  void showAllWanted();
  void modeChanged(SiteMode mode);
  /// What lies under a click, in words; nothing when it is nothing.
  void picked(const QString& words);
  void frameShown();
  /// Why is it as it is at `spot`? `node` and `id` name the placement that was clicked, if one was.
  void whyWanted(const Vec3& spot, const QString& node, quint64 id, float radius);
  void nodeWanted(const QString& uid);
  void colorNumberChanged();
  void selectionMade(const SiteSelection& selection);
  /// Props were let go on a placement of this node and prop; both empty: on none.
  void propsDropped(const QString& node, const std::string& onProp, const QStringList& props);
  /// What is hidden, or how far things are moved apart, has changed: results are to be made anew.
  void shownChanged();
  void compareChanged(const EvalViewPtr& held);
  void hintChanged(const QString& words);
  /// What is selected is to be the hand's, or its rule's again.
  void takeOverWanted();
  void giveBackWanted();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void keyReleaseEvent(QKeyEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void tabletEvent(QTabletEvent* event) override;
  void leaveEvent(QEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  enum class Drag { None, Orbit, Pan, Zoom, Tool, Touch, Cut, Divider, Area };
  /// What a ray through the widget meets first: ground, a placement, or a point drawn as a disc.
  struct Found {
    Vec3 place{0};
    const PictureLayer* layer = nullptr;  // null for ground
    std::size_t point = 0;
  };
  void requestFrame();
  RenderRequest requestFor(const EvalViewPtr& view) const;
  Vec3 rayAt(const QPointF& p) const;
  const Cut* cut() const { return m_cut.cut() ? &*m_cut.cut() : nullptr; }
  std::optional<Found> findAt(const QPointF& p) const;
  void pick(const QPointF& p);
  void ask(const QPointF& p);
  void selectArea(bool adds);
  void openMenu(const QPoint& at);
  void paintOverlays(QPainter& p);
  void paintAreas(QPainter& p);
  void findFootprints();
  void paintVolume(QPainter& p);
  void paintScale(QPainter& p);
  void paintWork(QPainter& p);
  void paintLegend(QPainter& p);
  void paintGroups(QPainter& p) const;
  void paintCompare(QPainter& p);
  void paintPill(QPainter& p, const QString& words) const;
  void goOn();
  bool turnByKey(const QKeyEvent& event);
  SiteWalk::Ground groundUnder() const;
  void orbit(const QPointF& by);
  void pan(const QPointF& by);
  void paintMarks(QPainter& p);
  void paintTicks(QPainter& p);
  bool nudgeByKey(const QKeyEvent& event);
  /// The handles of what is selected, where they can be used now.
  TouchHandles* handlesNow() const;
  void tellHint();
  void showTouchPanel();
  void showCursor();
  void drawWords(QPainter& p, const QPointF& at, const QString& words) const;
  void arrange();
  void arrangeModes();
  void tellHidden();

  RenderService m_renderer;
  EvalViewPtr m_view;
  Camera m_camera;
  SiteMode m_mode = SiteMode::Dressed;
  QString m_workLine;
  QString m_maskTitle;
  QFrame* m_modes;
  QButtonGroup* m_modeButtons;
  QComboBox* m_colorBox;
  QToolButton* m_trueSize;
  QString m_colorNumber;
  QFrame* m_banner;
  QLabel* m_bannerText;
  QToolButton* m_hiddenPill;  // how much is hidden; a click shows it
  QToolButton* m_cutButton;
  CoverView* m_cover;
  WhyPanel* m_why;
  std::unique_ptr<SiteTool> m_tool;
  std::unique_ptr<TouchSession> m_touching;
  std::unique_ptr<TouchHandles> m_handles;
  TouchPanel* m_touchPanel = nullptr;
  std::vector<Vec3> m_touched;
  std::vector<Vec3> m_removed;
  bool m_areTicksShown = true;
  CutHandles m_cut;
  SiteWalk m_walk;
  QTimer m_walkTimer;
  QElapsedTimer m_walkClock;
  float m_pressure = 1;
  std::vector<Vec3> m_selection;
  QPixmap m_ring;  // of a selected place, null until first needed
  bool m_hasSmallRing = false;
  /// More than a few are tinted where things are seen as they are; discs have rings.
  bool isTinted() const;
  void findTint();
  struct Tint {
    QImage image;
    Camera camera;       // that it was seen by
    quint64 number = 0;  // of the question that it answers
  };
  Tint m_tint;
  quint64 m_tintAsked = 0;
  Worker m_tinting;
  SiteSelection m_selected;
  SiteHidden m_hidden;
  bool m_isLasso = false;
  QPolygonF m_area;  // being drawn
  QSlider* m_exploded;
  bool m_areCutsShown = false;
  QLabel* m_explodedLabel;
  Worker m_selecting;
  Worker m_ringing;  // finds the places of what is selected

  bool m_isAsking = false;
  std::optional<Vec3> m_askedSpot;
  QString m_askedNode;
  quint64 m_askedId = 0;

  EvalViewPtr m_held;  // what is compared with
  std::unique_ptr<RenderService> m_heldRenderer;
  double m_divider = 0.5;
  bool m_isFirstView = true;
  Drag m_drag = Drag::None;
  QPointF m_last;
  bool m_hasMoved = false;
  Vec3 m_pivot{0};
  QString m_pickedWords;
  std::optional<Vec3> m_pickedPlace;
  std::vector<std::vector<Vec3>> m_areas;
  PointsPtr m_footprints;
  RoomRule m_rooms;
  std::vector<std::vector<Vec3>> m_rings;  // of the nearest of them
  Worker m_nearing;
  std::size_t m_areasInSight = 0;
};

}  // namespace arvesk
