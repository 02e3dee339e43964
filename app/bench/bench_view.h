// Bench: the controls of the selected node beside the distribution of what it measures; the plan's own settings when
// nothing is selected.
#pragma once

#include "app/bench/distribution_view.h"
#include "app/bench/param_editors.h"
#include "app/model/plan_model.h"
#include "app/model/plan_pictures.h"

class QBoxLayout;
class QGridLayout;
class QLabel;
class QMenu;
class QPushButton;
class QScrollArea;
class QToolButton;

namespace arvesk {

class Form;
class CurveView;
class MadeView;
class SummaryView;
class TouchList;
struct TouchFacts;
class NumberField;

class BenchView : public QWidget {
  Q_OBJECT

 public:
  explicit BenchView(PlanModel* model, QWidget* parent = nullptr);
  void setFolder(const QString& folder) { m_folder = folder; }
  /// Where rules find the pictures of their props.
  void setPictures(PropPictures pictures) { m_pictures = std::move(pictures); }
  /// What dropping a control at a place of the screen would do, in words; shows it there.
  using DropWords = std::function<QString(const ParamSpec& spec, const QPoint& at)>;
  void setDropWords(DropWords words) { m_dropWords = std::move(words); }
  /// More props have pictures now.
  void updatePictures();
  /// Which node is on the Bench; empty for the plan.
  void showNode(const QString& uid) { showNodes(uid.isEmpty() ? QStringList() : QStringList{uid}); }
  /// Several of one kind: the first is shown, edits go to all.
  void showNodes(const QStringList& uids);
  const QString& node() const { return m_uid; }
  void showResults(const EvalViewPtr& view);
  void showMasks(const PlanPicturesPtr& masks);
  void showTouches(const std::shared_ptr<const TouchFacts>& touches);
  TouchList& touchList() { return *m_touchList; }
  QString heading() const;

 Q_SIGNALS:
  /// What failed is to be tried again: its files may be well now.
  void tryAgainWanted();
  void headingChanged();
  /// There are new controls.
  void rebuilt();
  // Of a sub-plan's instance on the Bench.
  void insideWanted(const QString& uid);
  void keepWanted(const std::string& subPlan);
  /// A later version of it in the library is to be seen beside the plan's.
  void laterWanted(const std::string& subPlan);
  // Inside of a sub-plan: a control was dragged by its name.
  void controlDropped(const QString& uid, const ParamSpec& spec, const QPoint& at);
  void controlLeft();

 private:
  void remedy();
  void closeBody();
  struct Row {
    ParamSpec spec;
    int row;  // of the form
    ParamEditor* editor;
  };
  struct Group {  // of rarely used rows, below its heading
    std::string title;
    int row;
    QToolButton* head;
  };
  void addParam(const ParamSpec& spec);
  void addGroup(const std::string& title, const Node& node, const NodeKind& kind);
  bool isOpen(const std::string& group) const;
  void rebuild();
  void refresh();
  void place();
  void addSeedRow();
  void addValuesRow();
  void addInstanceRow(const Node& node);
  /// Of a parameter of a node inside of a sub-plan: dragging it to the front.
  void makeDraggable(const ParamSpec& spec, int row);
  void openParamMenu(const ParamSpec& spec, const QPoint& at);
  enum class KeyMark { None, Moves, Here };  // has keys; has one at the frame that is shown
  KeyMark keyMark(const Node& node, const ParamSpec& spec) const;
  void addKeyActions(QMenu& menu, const ParamSpec& spec);
  void addDialKey(QWidget& holder, QGridLayout& rows, int row, const std::string& uid);
  /// What keys make of a dial at the plan's moment; nothing where it has none.
  static std::optional<double> valueNow(const Dial& dial, const Plan& document);
  void buildCurves(QBoxLayout& side);
  /// What its keys make of its numbers, in place of what it measures, where that is wished.
  void showCurves();
  void keepValues();
  void buildPlanControls();
  void buildDials();
  void showMade();
  void showTouchRows();
  bool eventFilter(QObject* watched, QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  std::vector<std::string> dialUids() const;
  const ParamSpec* handleParam(const Node& node) const;
  const ParamSpec* curveParam(const Node& node) const;
  const ParamSpec* rangesParam(const Node& node) const;
  std::vector<ChartPiece> piecesOf(const Node& node) const;
  void movePieces(const std::vector<double>& ends, int gesture);
  void fitToData();
  void showOffers();
  void fitToProps();

  PlanModel* m_model;
  QString m_folder;
  QToolButton* m_fitToProps = nullptr;  // of the form that is shown
  PropPictures m_pictures;
  DropWords m_dropWords = [](const ParamSpec&, const QPoint&) { return QString(); };
  QString m_uid;
  QStringList m_uids;  // those that edits go to, m_uid first
  std::string m_kind;
  std::shared_ptr<const NodeKind> m_declared;  // when it is no registered one
  std::vector<PropEntry> m_props;              // that the controls were made for
  std::vector<std::string> m_dialUids;
  std::set<std::string> m_splitDials;  // shown with two values though they are the same
  QScrollArea* m_scroll;
  QLabel* m_problems;
  QPushButton* m_remedy;  // what the program can do about one of them
  Remedy m_does = Remedy::None;
  QPushButton* m_tryAgain;
  QScrollArea* m_summaryScroll;
  SummaryView* m_summary;  // of the plan's outputs, when no node is on the Bench
  DistributionView* m_distribution;
  MadeView* m_made;        // in its place for nodes that measure nothing
  TouchList* m_touchList;  // in its place for nodes that keep touch-ups
  QToolButton* m_overTime = nullptr;
  CurveView* m_curves = nullptr;
  std::shared_ptr<const TouchFacts> m_touches;
  Form* m_form = nullptr;
  QBoxLayout* m_sides = nullptr;
  std::vector<Row> m_rows;
  std::vector<Group> m_groups;
  std::map<std::pair<std::string, std::string>, bool> m_opened;  // groups by kind, as they were left
  std::vector<std::function<void()>> m_refreshers;
  std::shared_ptr<const Histogram> maskHistogram() const;

  EvalViewPtr m_view;
  PlanPicturesPtr m_masks;
};

}  // namespace arvesk
