// Plan: the node graph, drawn as a planting plan. Shows the model and turns clicks, drags and keys into its edits.
#pragma once

#include "app/plan/find_field.h"
#include "app/plan/plan_overview.h"
#include "app/plan/plan_painter.h"

#include <QAbstractScrollArea>

class QLineEdit;
class QPlainTextEdit;
class QLabel;
class QMenu;

namespace arvesk {

class PickList;

class PlanView : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit PlanView(PlanModel* model, QWidget* parent = nullptr);
  QStringList selection() const { return m_selection; }
  void select(const QStringList& uids);
  void showResults(const EvalViewPtr& view);
  /// What is being worked out just now, by uid.
  void showWork(const std::map<std::string, AtWork>& nodes);
  void showMasks(const PlanPicturesPtr& masks);
  void setInSite(const QString& uid);
  FindField* findField() { return m_find; }

  // Places on screen, for tests and for other views that point at cards.
  QPoint centerOf(const QString& uid) const;
  QPoint slotPlace(const QString& uid, const std::string& slotId) const;
  QPoint ribbonPlace(const QString& from, const QString& to) const;
  const PlanLayout& layoutNow() const { return m_layout; }
  const PlanOverview& overviewNow() const { return m_overview; }
  /// Beds are drawn as blocks: the plan is seen from far away.
  bool isOverview() const { return m_zoom < 0.36; }
  /// The small map in the corner, in the viewport; empty while there is none.
  QRect mapRect() const { return m_map.rect(); }
  QRectF inSight() const;
  QPoint blockPlace(const QString& uid) const;

  // What menus and keys do.
  void openFindField();
  /// Adds a node in the free room nearest to `middle`, brings it into sight and selects it; returns its uid.
  QString addAt(const NodeKind& kind, const QPointF& middle);
  void removeSelected();
  void skipSelected();
  void renameSelected();
  void duplicateSelected();
  void liftSelected();
  void tidy();
  void copySelected();
  void pasteClipboard();
  void selectAll();
  void findInPlan();
  /// Selects a node and brings its card or tag into sight, unfolding what hides it.
  void reveal(const QString& uid);
  /// Selects them, and brings the first one into sight when none is.
  void goTo(const QStringList& uids);
  /// Draws the chain of the selected card as one line, or all its cards again.
  void foldSelected();
  /// Makes a sub-plan of the selected cards, and lets its name be typed.
  void makeSubPlan();
  void takeApart();
  /// To what is inside of the selected sub-plan, and back out.
  void goInside();
  void goOutside();
  void addBed();
  void addNote();
  QPoint paperPlace(const QString& uid) const;
  void zoomTo(double zoom, const QPointF& about);
  void fitAll();
  /// From the overview to where a bed, or a card, can be read.
  void goInto(const QRectF& place);

  // By keys and screen readers.
  void goBeside(int key);
  void goTo(const std::string& uid, const std::string& card);
  void goAlong(bool isDown);
  void connectSelected();
  /// What a press on the slot does: an input gets a new node, an output is connected.
  void takeSlot(const std::string& uid, const std::string& slotId, bool isOutput);
  void selectRibbon(const PlanRibbon& ribbon);
  const PlanTag* selectedTag() const;
  QRect onScreen(const QRectF& place) const;

 Q_SIGNALS:
  void selectionChanged();
  void inSiteWanted(const QString& uid);
  void tryAgainWanted();
  /// Why a link was not made.
  void refused(const QString& words);

 protected:
  bool viewportEvent(QEvent* event) override;
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dragMoveEvent(QDragMoveEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void scrollContentsBy(int, int) override { viewport()->update(); }

 private:
  enum class Drag { None, Cards, Link, Band, Pan, PaperSize, Map };
  void rebuild();
  void layOut();
  CardRooms roomsNow() const;
  QRectF selectedPlace() const;
  void centerOn(const QPointF& place);
  void updateScrollBars();
  QPointF toPlan(const QPoint& p) const;
  QPointF toView(const QPointF& p) const;
  const PlanCard* cardAt(const QPointF& p) const;
  const PlanTag* tagAt(const QPointF& p) const;
  const PlanRibbon* ribbonAt(const QPointF& p) const;
  const PlanSlot* slotAt(const QPointF& p, bool isOutput) const;
  const PlanSlot* targetAt(const QPointF& p) const;
  void startLink(const QString& uid, const std::string& output, ValueType type);
  void finishLink(const QPoint& at);
  void finishCards(const QPointF& at);
  const PlanPaper* paperAt(const QPointF& p) const;
  const PlanStub* stubAt(const QPointF& p) const;
  void dragPaper(const PlanPaper& item);
  void editPaper(const QString& uid);
  void commitPaper();
  void showWhole(const std::string& uid);
  void searchPlan();
  void searchNext(int step);
  bool eventFilter(QObject* watched, QEvent* event) override;
  void openInto(const PlanSlot& slot, const QPoint& at);
  void openOnRibbon(const PlanRibbon& ribbon, const QPoint& at);
  void addDisconnects(QMenu& menu, const QString& uid);
  PlanDetail detail() const { return m_zoom >= 0.7 ? PlanDetail::Card : PlanDetail::Line; }

  PlanModel* m_model;
  FindField* m_find;
  PickList* m_picks;
  QLineEdit* m_rename;
  QLineEdit* m_search;
  QLabel* m_searchCount;
  QPlainTextEdit* m_paperEdit;
  QStringList m_foundUids;
  int m_foundAt = 0;
  QString m_paperItem;  // the selected bed or note
  double m_sizeDx = 0;  // of a bed or note that is being sized
  double m_sizeDy = 0;
  EvalViewPtr m_view;
  PlanPicturesPtr m_masks;
  std::map<std::string, AtWork> m_work;
  PlanLayout m_layout;
  PlanOverview m_overview;
  PlanMap m_map;
  QStringList m_selection;
  std::string m_tagCard;  // at which card the selected tag is, when its mask is used at several
  QString m_inSite;
  QString m_lit;
  std::optional<PlanRibbon> m_ribbon;  // the selected one
  std::set<std::string> m_folded;
  std::map<std::string, QPointF> m_moved;
  double m_zoom = 1;

  Drag m_drag = Drag::None;
  QPoint m_pressedAt;
  QPointF m_pressedPlan;
  QPoint m_now;
  bool m_hasMoved = false;
  bool m_isGoingIn = false;  // the last click led in from the overview
  bool m_isReset = false;    // another plan is shown than before
  bool m_isMoved = false;    // other nodes are shown than before
  QString m_pressedTag;
  QString m_linkFrom;
  std::string m_linkOutput;
  ValueType m_linkType = ValueType::Points;
};

}  // namespace arvesk
