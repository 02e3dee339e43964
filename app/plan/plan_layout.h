// Where everything of the Plan stands: cards, ribbons, docked tags, chips and slots, in plan coordinates. Computed from
// document and results alone, so that painting and hitting agree.
#pragma once

#include "app/model/evaluation_service.h"

#include <QPainterPath>
#include <QRectF>

namespace arvesk {

inline constexpr double kCardWidth = 208;
inline constexpr double kTagWidth = 104;
inline constexpr double kTagHeight = 30;

struct PlanCard {
  std::string uid;
  QRectF rect;
  QString title;
  QString sentence;
  QString problem;  // first one, or empty
  bool isFailed = false;
  bool isWaiting = false;
  bool isSkipped = false;
  bool hasYield = false;
  double kept = 0;  // share
  QString yieldText;
  QString countText;  // of what filters nothing
  QString glyph;
  std::vector<std::string> folded;  // the chain that this card stands for, itself first; empty when it is not folded
};

/// A stretch of cards that each feed only the next one.
std::vector<std::string> chainFrom(const Plan& plan, const std::string& head);

/// A bed under cards, or a note stuck on paper.
struct PlanPaper {
  std::string uid;
  PaperItem::Sort sort = PaperItem::Sort::Note;
  QRectF rect;
  QString text;
  QRectF grip() const { return QRectF(rect.right() - 14, rect.bottom() - 14, 14, 14); }  // sizes it
  QRectF title() const { return QRectF(rect.left(), rect.top(), rect.width(), 24); }     // a bed is taken here
};

/// What a second output gives and nothing takes: a short end of ribbon that can be drawn on.
struct PlanStub {
  QRectF rect;
  bool isLeftOut = true;  // hatched, else a plain ribbon
  std::string uid;
  std::string output;
};

/// A mask at the left edge of the card that uses it, or a kit at the right edge.
struct PlanTag {
  std::string uid;
  std::string card;   // that it stands at, with others between them or not
  std::string owner;  // the card or mask it is docked to
  std::string input;
  QRectF rect;
  int depth = 0;
  int uses = 1;
  bool isKit = false;
  bool hasParts = false;
  bool isUnfolded = false;
  bool isFailed = false;
  QString title;
  QString sentence;
  QString problem;
};

struct PlanRibbon {
  Link link;
  std::string to;
  std::string input;
  QPainterPath path;  // center line
  double width = 2;
  bool isHairline = false;
};

struct PlanChip {
  std::string card;   // that it stands at
  std::string owner;  // card or mask that refers to it
  QRectF rect;
  QString word;
  QString title;
  std::string uid;
};

struct PlanSlot {
  QPointF place;
  std::string uid;
  std::string id;
  QString label;
  ValueType type = ValueType::Points;
  std::vector<ValueType> alsoTakes;  // of inputs
  bool takes(ValueType other) const {
    return other == type || std::find(alsoTakes.begin(), alsoTakes.end(), other) != alsoTakes.end();
  }
  bool isOutput = false;
  bool isFree = false;  // an optional slot that nothing is connected to
};

struct PlanLayout {
  std::vector<PlanCard> cards;
  std::vector<PlanTag> tags;
  std::vector<PlanRibbon> ribbons;
  std::vector<PlanChip> chips;
  std::vector<PlanSlot> openings;  // inputs and outputs of cards
  std::vector<PlanStub> stubs;
  std::vector<PlanPaper> paper;  // beds first
  QRectF bounds;

  const PlanCard* card(const std::string& uid) const;
  const PlanPaper* paperItem(const std::string& uid) const;
};

/// `moved` holds places of cards that are being dragged; `folded` the tags ("owner/input") that are folded.
PlanLayout layoutPlan(const Plan& plan, const EvalView* view, const std::map<std::string, QPointF>& moved,
                      const std::set<std::string>& folded);

/// Masks and kits stand at the cards that use them.
bool isDocked(const Plan& plan, const Node& node);

/// Where a ribbon is hit: at least as wide as a finger finds.
QPainterPath hitArea(const PlanRibbon& ribbon);

/// Can a card of this kind take the type at its main input, or give it at its first output?
bool takesMain(const NodeKind& kind, ValueType type);
bool gives(const NodeKind& kind, ValueType type);

}  // namespace arvesk
