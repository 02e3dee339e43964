// The open plan: one immutable snapshot at a time, changed through undo commands that hold old and new values. Views
// show and edit the document's nodes, or those inside of one instance of a sub-plan (core/plan/inside.h).
#pragma once

#include "core/deliver/take_over.h"
#include "core/deliver/touching.h"
#include "core/formats/library.h"
#include "core/plan/inside.h"
#include "core/plan/tidy.h"

#include <QObject>
#include <QPointF>
#include <QSizeF>
#include <QUndoStack>

#include <functional>
#include <optional>
#include <set>

namespace arvesk {

using PlanPtr = std::shared_ptr<const Plan>;

class PlanEdit;

/// Where the user is at work.
struct WorkPlace {
  QStringList selection;
  QString inSite;
};

class PlanModel : public QObject {
  Q_OBJECT

 public:
  explicit PlanModel(QObject* parent = nullptr);

  /// What is shown and edited: the document, or what is inside of an instance.
  const Plan& plan() const { return *m_plan; }
  /// The document, as it is saved and evaluated.
  const Plan& document() const { return *m_document; }
  PlanPtr snapshot() const { return m_document; }

  /// Where plan() is; empty in the document.
  const InsidePath& inside() const { return m_inside; }
  /// The sub-plan whose nodes plan() has; empty in the document.
  std::string subPlanHere() const;
  /// How many instances of a sub-plan the document and its sub-plans have.
  int usesOf(const std::string& subPlan) const;
  /// Sub-plans that are not in the plan yet; files of the plan start at `folder`.
  void setLibrary(std::shared_ptr<const Library> library);
  const Library& library() const { return *m_library; }
  void setFolder(const std::string& folder) { m_folder = folder; }
  /// The tool of the library that has this kind; null for kinds of the plan and registered ones.
  LibraryToolPtr libraryTool(const NodeKind& kind) const;
  /// Takes a tool into the plan; gives the kind that it has there.
  std::shared_ptr<const NodeKind> bring(const LibraryTool& tool);
  /// Takes the library's version of a sub-plan in place of the plan's.
  void takeLater(const std::string& subPlan);
  /// A sub-plan that can be put where plan() is.
  struct OfferedSubPlan {
    std::shared_ptr<const NodeKind> kind;
    std::string category;
    LibraryToolPtr tool;  // null when no library has it
  };
  /// Those of the plan and those of the library, by category.
  std::vector<OfferedSubPlan> offeredSubPlans() const;
  /// Titles that lead there, one for each step.
  QStringList insideTitles() const;
  /// Shows what is inside of an instance of plan(); false where it is none of a sub-plan that is there.
  bool enter(const QString& uid);
  /// Goes back out, so that `depth` steps are left.
  void leave(std::size_t depth);
  /// Goes to where the node of this uid of the opened plan is; false where that is nowhere.
  bool reveal(const QString& uid);
  QUndoStack& undoStack() { return m_undo; }

  /// Replaces the whole document and forgets the undo history.
  void reset(Plan plan);
  /// One undoable step. Steps with the same non-empty `mergeKey`, one after the other, become one (a drag, a run of
  /// typing).
  void edit(const QString& text, const std::function<void(Plan&)>& change, const QString& mergeKey = {});

  /// Changes the plan and all that undo and redo hold, in the same way: no step of its own.
  void changeAll(const std::function<void(Plan&)>& change);
  void undo();
  void redo();
  /// Undo and redo bring back where the user was: `now` tells it, `go` leads there.
  void keepPlaces(std::function<WorkPlace()> now, std::function<void(const WorkPlace&)> go);

  // Edits that several views share.
  void setParam(const QString& uid, const std::string& paramId, ParamValue value, const QString& mergeKey = {}) {
    setParam(QStringList{uid}, paramId, std::move(value), mergeKey);
  }
  /// Of several nodes of one kind: what was changed of the first is changed of all; of several numbers, those alone.
  /// Several of one node in one step.
  void setParams(const QString& uid, const std::vector<std::pair<std::string, ParamValue>>& values,
                 const QString& mergeKey);
  void setParam(const QStringList& uids, const std::string& paramId, ParamValue value, const QString& mergeKey = {});
  /// Brings a parameter of a node inside of a sub-plan to the front: a control of the sub-plan sets it from now on, to
  /// what it is.
  void bringToFront(const QString& uid, const std::string& paramId);
  /// Changes the document, wherever plan() is.
  void editDocument(const QString& text, const std::function<void(Plan&)>& change, const QString& mergeKey = {});
  /// Changes what the sub-plan that is shown says of itself, and its controls.
  void editSubPlan(const QString& text, const std::function<void(SubPlan&)>& change, const QString& mergeKey = {});
  /// Lets a number follow a formula over the plan's dials.
  void follow(const QStringList& uids, const std::string& paramId, const QString& formula);
  /// Shows the plan at another moment of its time: no step of its own, and nothing that is saved.
  /// `isPassing`: the next one follows at once, as while it plays.
  void setFrame(double frame, bool isPassing = false);
  /// Frames passed, and the one that is shown stays.
  void restAtFrame() { Q_EMIT frameChanged(false); }
  /// The document at another of its frames: the same snapshot each time, until something is edited. Null where there is
  /// none yet and none is to be made.
  PlanPtr snapshotAt(double frame, bool isMade = true);
  /// Goes up with every change but of the frame.
  std::size_t edition() const { return m_edition; }
  /// Gives the plan time, or takes it; keys stay.
  void setTime(const std::optional<PlanTime>& time, const QString& mergeKey = {});
  /// A key of a parameter at the moment that is shown, with the value that it has there.
  void setKeyHere(const QStringList& uids, const std::string& paramId);
  /// Takes the key there away, or all of them; the value stays what it is now.
  void takeKeys(const QStringList& uids, const std::string& paramId, bool areAll);
  void setSkipped(const QStringList& uids, bool isSkipped);
  void rename(const QString& uid, const QString& title);
  /// Adds a node at a place; `link` says what it gets, `consumer` whose input it takes over. Returns its uid.
  QString addNode(const NodeKind& kind, double x, double y);
  /// Puts a new node into a ribbon: from's output → node → to's input. Cards below move down to make room.
  QString insertNode(const NodeKind& kind, const Link& from, const QString& to, const std::string& inputId);
  /// Puts a Set down into each of `links`, which come to `to`'s main input: like the last one before it, or onto the
  /// ground that its points were made on.
  void setDownLast(const QString& to, const std::vector<Link>& links);
  /// Generated points become ones of the hand; gives back the nodes that keep them.
  QStringList takeOver(const std::vector<TakenOver>& taken);
  /// Sets the touch-ups of each group's node to what `made` says of what they are now; makes the nodes that are missing
  /// and tells the groups.
  void touch(const QString& text, std::vector<TouchGroup>& groups,
             const std::function<TouchUps(const TouchGroup&, const TouchUps& now)>& made, const QString& mergeKey = {});
  /// The node whose points the brush works on while `uid` (or nothing) is selected: itself, the last one of the plan,
  /// or a new one on the ground that `uid` is or stands on. Empty where there is no ground.
  QString handNodeFor(const QString& uid);
  /// Adds a node after `uid`: connected to its first output, before what used it, below its card.
  QString addAfter(const NodeKind& kind, const QString& uid);
  /// The nodes whose lists say which props `uid` places: itself, the kit that it takes, or those of what comes before
  /// it, down from where its points are made. With a prop: those that have it.
  QStringList choosersFor(const QString& uid, const std::string& prop = {}) const;
  /// Adds props to such a list, those that are not on it.
  void choose(const QString& chooser, const QStringList& props);
  /// Takes a node out of its ribbon, which heals, and puts it behind another one, before what took that one's points.
  void moveAfter(const QString& uid, const QString& after);
  /// Puts Solid and Surface of volume between a node and the surfaces at its first input, voxels of this size (m).
  void closeBody(const QString& uid, double voxelSize);
  /// Adds a node and joins its first output to an input of `uid`.
  QString addInto(const NodeKind& kind, const QString& uid, const std::string& inputId);
  void connectNodes(const QString& from, const std::string& outputId, const QString& to, const std::string& inputId);
  void disconnectInput(const QString& to, const std::string& inputId, const Link& link);
  /// Removes nodes; a ribbon through a removed node is healed where the types allow it.
  void removeNodes(const QStringList& uids);
  /// Removes props, and tells the titles of the nodes that chose them.
  void removeProps(const std::vector<std::string>& uids, const QStringList& users);
  /// Takes a node out of its ribbon, which heals, and leaves it beside.
  void liftOut(const QString& uid);
  /// Cards, beds and notes by uid.
  void movePlaces(const std::map<std::string, std::pair<double, double>>& places);
  /// Makes a sub-plan of cards; gives its instance. Tells what is wrong where that cannot be.
  QString makeSubPlan(const QStringList& uids);
  /// Puts what is inside of an instance in its place; gives those cards.
  QStringList takeApart(const QString& uid);
  QStringList duplicate(const QStringList& uids, const CardRooms& rooms);
  /// Adds the nodes of a text made by formatNodes, in the free room nearest to `middle` or else beside where they were;
  /// returns their new uids, or nothing when it is no such text.
  QStringList paste(const QString& text, const CardRooms& rooms, std::optional<QPointF> middle = {});
  /// The whole plan, to show large in a pane of this size, or some cards where they are.
  void tidy(const QStringList& uids, const CardRooms& rooms, const QSizeF& pane);

  /// Why a link would be refused; empty when it fits.
  QString whyNot(const QString& from, const std::string& outputId, const QString& to, const std::string& inputId) const;

 Q_SIGNALS:
  void changed();
  /// The same plan at another frame; what is read alone need not follow while they pass.
  void frameChanged(bool isPassing);
  void wasReset();
  /// Another inside is shown; changed() comes too.
  void moved();
  void libraryChanged();
  /// What undo, redo or a removal did, in words.
  void told(const QString& words);

 private:
  friend class PlanEdit;
  void setPlan(PlanPtr document);
  void setPlan(PlanPtr document, InsidePath inside);
  void look();
  void beginEdition();
  void tellElsewhere();
  void push(const QString& text, Plan document, const QString& mergeKey);

  PlanPtr m_document;
  PlanPtr m_plan;  // m_document, or what is inside
  InsidePath m_inside;
  std::optional<double> m_frame;       // that is shown, whatever undo brings back
  std::map<double, PlanPtr> m_frames;  // of this edition
  std::size_t m_edition = 0;
  std::shared_ptr<const Library> m_library = std::make_shared<const Library>();
  std::string m_folder;
  std::function<WorkPlace()> m_placeNow = [] { return WorkPlace(); };
  std::function<void(const WorkPlace&)> m_goTo = [](const WorkPlace&) {};
  std::set<PlanEdit*> m_edits;  // all that m_undo holds
  QUndoStack m_undo;
};

}  // namespace arvesk
